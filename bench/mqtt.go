package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"os"
	"os/exec"
	"runtime"
	"strings"
	"sync/atomic"
	"time"

	mqtt "github.com/mochi-mqtt/server/v2"
	"github.com/mochi-mqtt/server/v2/listeners"
	"github.com/mochi-mqtt/server/v2/packets"
)

const (
	mqttConnections = 50
	mqttInFlight    = 20
	mqttFor         = 6 * time.Second
	idleConnections = 10_000
)

// messages compares single readings at QoS 1, 20 in flight on each of 50 connections, with the same
// broker library under a hook that does nothing.
func messages(ctx context.Context, s *process) error {
	bare, err := bareBroker()
	if err != nil {
		return err
	}
	names, keys, err := s.devices(ctx, "mqtt", mqttConnections)
	if err != nil {
		return err
	}
	if _, err := publish(s.ways.MQTT, names, keys, time.Second); err != nil { // the first makes each signal
		return err
	}
	ours, err := publish(s.ways.MQTT, names, keys, mqttFor)
	if err != nil {
		return err
	}
	fmt.Printf("MQTT QoS 1, %d connections with %d messages in flight, committed: %.0f readings/s\n", mqttConnections,
		mqttInFlight, ours)
	fmt.Printf("  the same broker with a hook that does nothing: %.0f messages/s, ratio %.2f (aim 0.5)\n", bare,
		ours/bare)
	return nil
}

// nothing is a hook that lets everybody in and does nothing.
type nothing struct{ mqtt.HookBase }

func (nothing) ID() string { return "nothing" }
func (nothing) Provides(b byte) bool {
	return b == mqtt.OnConnectAuthenticate || b == mqtt.OnACLCheck || b == mqtt.OnPublish
}
func (nothing) OnConnectAuthenticate(*mqtt.Client, packets.Packet) bool { return true }
func (nothing) OnACLCheck(*mqtt.Client, string, bool) bool              { return true }

func bareBroker() (float64, error) {
	server := mqtt.New(&mqtt.Options{Logger: slog.New(slog.DiscardHandler)})
	if err := server.AddHook(&nothing{}, nil); err != nil {
		return 0, err
	}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	if err := server.AddListener(listeners.NewNet("bare", listener)); err != nil {
		return 0, err
	}
	if err := server.Serve(); err != nil {
		return 0, err
	}
	defer server.Close()
	names := make([]string, mqttConnections)
	for i := range names {
		names[i] = fmt.Sprint("bare-", i)
	}
	return publish(listener.Addr().String(), names, names, mqttFor)
}

// publish keeps so many messages in flight on each connection for so long, and gives how many were
// acknowledged a second.
func publish(address string, names, keys []string, long time.Duration) (float64, error) {
	var acknowledged atomic.Int64
	begin := time.Now()
	err := atOnce(len(names), func(w int) error {
		conn, in, err := connectMQTT(address, names[w], keys[w])
		if err != nil {
			return err
		}
		defer conn.Close()
		out := bufio.NewWriterSize(conn, 8192)
		message := publishPacket("jaunty/"+names[w]+"/readings/temp", "21.5")
		ids := len(message) - len("21.5") - 2
		send := func(id uint16) error {
			message[ids], message[ids+1] = byte(id>>8), byte(id)
			_, err := out.Write(message)
			return err
		}
		for id := range uint16(mqttInFlight) {
			if err := send(id + 1); err != nil {
				return err
			}
		}
		if err := out.Flush(); err != nil {
			return err
		}
		var ack [4]byte
		for waiting := mqttInFlight; waiting > 0; {
			if _, err := io.ReadFull(in, ack[:]); err != nil {
				return err
			}
			if ack[0] != 0x40 {
				return fmt.Errorf("the broker answers %x", ack)
			}
			acknowledged.Add(1)
			if time.Since(begin) > long {
				waiting--
				continue
			}
			if err := send(uint16(ack[2])<<8 | uint16(ack[3])); err != nil {
				return err
			}
			if in.Buffered() == 0 {
				if err := out.Flush(); err != nil {
					return err
				}
			}
		}
		return nil
	})
	return rate(int(acknowledged.Load()), time.Since(begin)), err
}

func connectMQTT(address, name, key string) (net.Conn, *bufio.Reader, error) {
	return connectMQTTAs(address, name, key, name)
}

// connectMQTTAs opens a connection of MQTT 3.1.1 (section 3.1) by hand: as little client as there can be.
func connectMQTTAs(address, name, key, id string) (net.Conn, *bufio.Reader, error) {
	conn, err := net.Dial("tcp", address)
	if err != nil {
		return nil, nil, err
	}
	text := func(s string) []byte { return append([]byte{byte(len(s) >> 8), byte(len(s))}, s...) }
	body := append(text("MQTT"), 4, 0xc2, 0, 0) // user name, password, clean session, no keep-alive
	for _, field := range []string{id, name, key} {
		body = append(body, text(field)...)
	}
	if _, err := conn.Write(append([]byte{0x10, byte(len(body))}, body...)); err != nil {
		return nil, nil, err
	}
	in := bufio.NewReaderSize(conn, 512)
	var connack [4]byte
	if _, err := io.ReadFull(in, connack[:]); err != nil || connack[3] != 0 {
		return nil, nil, fmt.Errorf("not let in: %x %w", connack, err)
	}
	return conn, in, nil
}

// publishPacket makes a PUBLISH at QoS 1 (section 3.3) with room for its identifier.
func publishPacket(topic, payload string) []byte {
	length := 2 + len(topic) + 2 + len(payload)
	out := append([]byte{0x32, byte(length), byte(len(topic) >> 8), byte(len(topic))}, topic...)
	return append(append(out, 0, 0), payload...)
}

// idle prints what a connection costs that says nothing. The clients' ends are in another process.
func idle(ctx context.Context, s *process) error {
	names, keys, err := s.devices(ctx, "idle", idleConnections/50)
	if err != nil {
		return err
	}
	self, err := os.Executable()
	if err != nil {
		return err
	}
	before, begin := memory(), time.Now()
	holder := exec.CommandContext(ctx, self, append([]string{holdCommand, s.ways.MQTT, strings.Join(names, ",")},
		keys...)...)
	holder.Stderr = os.Stderr
	release, err := holder.StdinPipe()
	if err != nil {
		return err
	}
	said, err := holder.StdoutPipe()
	if err != nil {
		return err
	}
	if err := holder.Start(); err != nil {
		return err
	}
	if line, err := bufio.NewReader(said).ReadString('\n'); err != nil {
		return fmt.Errorf("the holder of connections said %q: %w", line, err)
	}
	took := time.Since(begin)
	fmt.Printf("%d idle MQTT connections, opened in %.1f s: %.1f KiB each\n", idleConnections, took.Seconds(),
		float64(memory()-before)/idleConnections/1024)
	return errors.Join(release.Close(), holder.Wait())
}

// holdCommand makes this program hold idle connections until its input ends.
const holdCommand = "hold"

func hold(address, names string, keys []string) error {
	all := strings.Split(names, ",")
	for i := range idleConnections {
		conn, _, err := connectMQTTAs(address, all[i%len(all)], keys[i%len(all)], fmt.Sprint("c", i))
		if err != nil {
			return fmt.Errorf("connection %d: %w", i, err)
		}
		defer conn.Close()
	}
	fmt.Println("ready")
	_, err := io.Copy(io.Discard, os.Stdin)
	return err
}

// memory is what the runtime holds in use: heap and stacks.
func memory() uint64 {
	runtime.GC()
	runtime.GC()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return m.HeapInuse + m.StackInuse
}
