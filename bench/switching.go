package main

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"io"
	"log/slog"
	"net"
	"slices"
	"sync"
	"time"

	"jauntylark/api"

	mqtt "github.com/mochi-mqtt/server/v2"
	"github.com/mochi-mqtt/server/v2/listeners"
	"github.com/mochi-mqtt/server/v2/packets"
)

const (
	switchings    = 400
	switchPause   = 25 * time.Millisecond
	besideDevices = 50
	besideRate    = 1000 // readings a second, all devices together
)

// switching measures how long it takes from a reading that switches something, published at QoS 1, to the order at the
// device of the output, beside 1,000 readings a second of other devices; and the same broker library passing the same
// messages on, with a hook that does nothing.
func switching(ctx context.Context, s *process) error {
	bare, err := bareSwitching()
	if err != nil {
		return err
	}
	names, keys, err := s.devices(ctx, "beside", besideDevices)
	if err != nil {
		return err
	}
	senses, err := s.device(ctx, "senses")
	if err != nil {
		return err
	}
	acts, err := s.device(ctx, "acts")
	if err != nil {
		return err
	}
	if err := s.owner.Call(ctx, api.PutOutput.At("acts", "fan"), map[string]any{"kind": "switch"}, nil); err != nil {
		return err
	}
	// the first makes the signal
	if _, err := publish(s.ways.MQTT, []string{"senses"}, []string{senses}, 100*time.Millisecond); err != nil {
		return err
	}
	lock := map[string]any{"name": "bench", "output": "acts/fan", "signal": "senses/temp", "when": "above 50"}
	if err := s.owner.Call(ctx, api.PutInterlock.At("bench"), lock, nil); err != nil {
		return err
	}
	w := wiring{address: s.ways.MQTT, names: names, keys: keys, sensor: [2]string{"senses", senses},
		actor: [2]string{"acts", acts},
		topic: "jaunty/senses/readings/temp", order: "jaunty/acts/outputs/fan",
		confirm: "jaunty/acts/outputs/fan/confirmed",
		means: func(payload []byte) string {
			if bytes.Contains(payload, []byte(`"value":1`)) {
				return "1"
			}
			return "0"
		}}
	took, err := w.run()
	if err != nil {
		return err
	}
	fmt.Printf("Reading in to order out over MQTT beside %d readings/s, committed, %d times: p50 %.1f ms, p99 %.1f "+
		"ms (aim under 100 ms)\n", besideRate, len(took), percentile(took, 0.5), percentile(took, 0.99))
	fmt.Printf("  the same broker passing the same messages on: p50 %.1f ms, p99 %.1f ms, ratios %.1f and %.1f\n",
		percentile(bare, 0.5), percentile(bare, 0.99), percentile(took, 0.5)/percentile(bare, 0.5),
		percentile(took, 0.99)/percentile(bare, 0.99))
	return nil
}

func percentile(took []time.Duration, share float64) float64 {
	sorted := slices.Sorted(slices.Values(took))
	return float64(sorted[int(share*float64(len(sorted)-1))].Microseconds()) / 1000
}

// passing lets everybody in and passes on what the sensor says to the topic that the actor hears.
type passing struct{ nothing }

func (p passing) OnPublish(_ *mqtt.Client, pk packets.Packet) (packets.Packet, error) {
	if pk.TopicName == "jaunty/senses/readings/temp" {
		pk.TopicName = "jaunty/acts/outputs/fan"
	}
	return pk, nil
}

func bareSwitching() ([]time.Duration, error) {
	server := mqtt.New(&mqtt.Options{Logger: slog.New(slog.DiscardHandler)})
	if err := server.AddHook(&passing{}, nil); err != nil {
		return nil, err
	}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	if err := server.AddListener(listeners.NewNet("bare", listener)); err != nil {
		return nil, err
	}
	if err := server.Serve(); err != nil {
		return nil, err
	}
	defer server.Close()
	names := make([]string, besideDevices)
	for i := range names {
		names[i] = fmt.Sprint("beside-", i)
	}
	w := wiring{address: listener.Addr().String(), names: names, keys: names, sensor: [2]string{"senses", "x"},
		actor: [2]string{"acts", "x"},
		topic: "jaunty/senses/readings/temp", order: "jaunty/acts/outputs/fan",
		confirm: "jaunty/acts/outputs/fan/confirmed",
		means: func(payload []byte) string {
			if string(payload) == "99" {
				return "1"
			}
			return "0"
		}}
	return w.run()
}

// wiring is a sensor, an actor and others beside them at one broker.
type wiring struct {
	address       string
	names, keys   []string
	sensor, actor [2]string // name and key
	topic, order  string
	confirm       string
	means         func(payload []byte) string // what an order says: 1 or 0
}

// run switches again and again and gives how long each took.
func (w wiring) run() ([]time.Duration, error) {
	stop := make(chan struct{})
	var beside sync.WaitGroup
	defer beside.Wait()
	defer close(stop)
	for i := range w.names {
		beside.Go(func() { w.besides(i, stop) })
	}
	orders := make(chan string, 100)
	conn, in, err := connectMQTT(w.address, w.actor[0], w.actor[1])
	if err != nil {
		return nil, err
	}
	defer conn.Close()
	subscribe := append([]byte{0x82, byte(5 + len(w.order)), 0, 1, byte(len(w.order) >> 8), byte(len(w.order))},
		w.order...)
	if _, err := conn.Write(append(subscribe, 0)); err != nil {
		return nil, err
	}
	go w.act(conn, in, orders)
	sensor, acks, err := connectMQTT(w.address, w.sensor[0], w.sensor[1])
	if err != nil {
		return nil, err
	}
	defer sensor.Close()
	go func() { _, _ = io.Copy(io.Discard, acks) }()
	time.Sleep(500 * time.Millisecond)
	took := make([]time.Duration, 0, switchings)
	for n := range switchings {
		want, value := "1", "99"
		if n%2 == 1 {
			want, value = "0", "11"
		}
		packet := publishPacket(w.topic, value)
		packet[len(packet)-len(value)-1] = byte(n%200) + 1
		begin := time.Now()
		if _, err := sensor.Write(packet); err != nil {
			return nil, err
		}
		for got := ""; got != want; {
			select {
			case got = <-orders:
			case <-time.After(10 * time.Second):
				return nil, fmt.Errorf("no order came for switching %d", n)
			}
		}
		took = append(took, time.Since(begin))
		time.Sleep(switchPause)
	}
	return took, nil
}

// besides sends readings at a steady pace.
func (w wiring) besides(i int, stop <-chan struct{}) {
	conn, in, err := connectMQTT(w.address, w.names[i], w.keys[i])
	if err != nil {
		return
	}
	defer conn.Close()
	go func() { _, _ = io.Copy(io.Discard, in) }()
	packet := publishPacket("jaunty/"+w.names[i]+"/readings/temp", "21.5")
	packet[len(packet)-5] = 1
	tick := time.NewTicker(time.Second * besideDevices / besideRate)
	defer tick.Stop()
	for {
		select {
		case <-stop:
			return
		case <-tick.C:
			if _, err := conn.Write(packet); err != nil {
				return
			}
		}
	}
}

// act hears orders and confirms each, as a device does.
func (w wiring) act(conn net.Conn, in *bufio.Reader, orders chan<- string) {
	for {
		kind, err := in.ReadByte()
		if err != nil {
			return
		}
		length, shift := 0, 0
		for {
			b, err := in.ReadByte()
			if err != nil {
				return
			}
			length |= int(b&0x7f) << shift
			if shift += 7; b < 0x80 {
				break
			}
		}
		body := make([]byte, length)
		if _, err := io.ReadFull(in, body); err != nil {
			return
		}
		if kind&0xf0 != 0x30 {
			continue
		}
		topic := int(body[0])<<8 | int(body[1])
		payload := body[2+topic:]
		if kind&6 != 0 { // QoS 1: an identifier comes first
			payload = payload[2:]
		}
		does := w.means(payload)
		orders <- does
		said := append([]byte{0x30, byte(2 + len(w.confirm) + 1), byte(len(w.confirm) >> 8), byte(len(w.confirm))},
			w.confirm...)
		if _, err := conn.Write(append(said, does[0])); err != nil {
			return
		}
	}
}
