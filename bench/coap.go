package main

import (
	"context"
	"errors"
	"fmt"
	"net"
	"sync/atomic"
	"time"

	"github.com/plgd-dev/go-coap/v3/message"
	"github.com/plgd-dev/go-coap/v3/message/codes"
	"github.com/plgd-dev/go-coap/v3/mux"
	coapnet "github.com/plgd-dev/go-coap/v3/net"
	"github.com/plgd-dev/go-coap/v3/options"
	"github.com/plgd-dev/go-coap/v3/udp"
)

const (
	coapClients = 256
	coapFor     = 6 * time.Second
)

// confirmables compares single readings in confirmable requests, one in flight for each of 256
// clients, with the same CoAP library under a handler that does nothing.
func confirmables(ctx context.Context, s *process) error {
	bare, err := bareCoAP()
	if err != nil {
		return err
	}
	names, keys, err := s.devices(ctx, "coap", coapClients)
	if err != nil {
		return err
	}
	if _, err := confirm(s.ways.CoAP, names, keys, time.Second); err != nil { // the first makes each signal
		return err
	}
	ours, err := confirm(s.ways.CoAP, names, keys, coapFor)
	if err != nil {
		return err
	}
	fmt.Printf("CoAP confirmable, %d clients, committed: %.0f readings/s\n", coapClients, ours)
	fmt.Printf("  the same library with a handler that does nothing: %.0f requests/s, ratio %.2f (aim 0.4)\n", bare,
		ours/bare)
	return nil
}

func bareCoAP() (float64, error) {
	socket, err := coapnet.NewListenUDP("udp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	server := udp.NewServer(options.WithErrors(func(error) {}),
		options.WithMux(mux.HandlerFunc(func(w mux.ResponseWriter, _ *mux.Message) {
			_ = w.SetResponse(codes.Changed, message.TextPlain, nil)
		})))
	go server.Serve(socket)
	defer server.Stop()
	names := make([]string, coapClients)
	for i := range names {
		names[i] = fmt.Sprintf("bare-%03d", i)
	}
	return confirm(socket.LocalAddr().String(), names, names, coapFor)
}

// confirm sends one request after the other from each client for so long, and gives how many were
// answered with 2.04 a second. The requests are made by hand (RFC 7252 section 3).
func confirm(address string, names, keys []string, long time.Duration) (float64, error) {
	var answered atomic.Int64
	begin := time.Now()
	err := atOnce(len(names), func(w int) error {
		conn, err := net.Dial("udp", address)
		if err != nil {
			return err
		}
		defer conn.Close()
		request := postRequest("intake", []string{"device=" + names[w], "key=" + keys[w]}, `{"temp":21.5}`)
		var answer [1500]byte
		for id := uint16(1); time.Since(begin) < long; id++ {
			request[2], request[3], request[4], request[5] = byte(id>>8), byte(id), byte(id>>8), byte(id)
			if err := exchangeUDP(conn, request, answer[:]); err != nil {
				return err
			}
			answered.Add(1)
		}
		return nil
	})
	return rate(int(answered.Load()), time.Since(begin)), err
}

// exchangeUDP sends a request and waits for its answer; what was lost is sent again.
func exchangeUDP(conn net.Conn, request, answer []byte) error {
	for range 5 {
		if _, err := conn.Write(request); err != nil {
			return err
		}
		_ = conn.SetReadDeadline(time.Now().Add(2 * time.Second))
		for {
			n, err := conn.Read(answer)
			if err != nil {
				break
			}
			if n < 6 || answer[2] != request[2] || answer[3] != request[3] {
				continue // of an earlier one
			}
			if answer[1] != 2<<5|4 {
				return fmt.Errorf("the answer is %d.%02d", answer[1]>>5, answer[1]&31)
			}
			return nil
		}
	}
	return errors.New("no answer came")
}

// postRequest makes a confirmable POST with a token of two bytes.
func postRequest(path string, queries []string, body string) []byte {
	out := []byte{0x42, 2, 0, 0, 0, 0}
	last := 0
	option := func(number int, value string) {
		delta := number - last
		last = number
		if len(value) < 13 {
			out = append(out, byte(delta<<4|len(value)))
		} else {
			out = append(out, byte(delta<<4|13), byte(len(value)-13))
		}
		out = append(out, value...)
	}
	option(11, path)               // Uri-Path
	option(12, string([]byte{50})) // Content-Format: JSON
	for _, q := range queries {
		option(15, q) // Uri-Query
	}
	return append(append(out, 0xff), body...)
}
