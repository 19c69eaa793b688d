package mqttin_test

import (
	"bufio"
	"encoding/binary"
	"fmt"
	"io"
	"net"
	"strings"
	"testing"
	"time"

	"context"
	"errors"
	"log/slog"

	"github.com/eclipse/paho.golang/paho"

	"jauntylark/server/servertest"
	"jauntylark/service"
	"jauntylark/store/storetest"
)

// helloTo connects by MQTT 3.1.1 with a session that stays, and a will where one is given. It gives the connection and
// CONNACK's two bytes: whether the session was there, and the return code; 0xff: it was closed.
func helloTo(t *testing.T, address, id, user, key, will string, qos byte) (*raw, [2]byte) {
	t.Helper()
	conn, err := net.Dial("tcp", address)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { conn.Close() })
	text := func(s string) []byte { return append(binary.BigEndian.AppendUint16(nil, uint16(len(s))), s...) }
	flags := byte(0xc0)
	fields := text(id)
	if will != "" {
		flags |= 0x04 | qos<<3
		fields = append(append(fields, text("jaunty/"+user+"/presence")...), text(will)...)
	}
	fields = append(append(fields, text(user)...), text(key)...)
	body := append(append(text("MQTT"), 4, flags, 0, 60), fields...)
	r := &raw{conn, bufio.NewReader(conn), t}
	r.send(append(append([]byte{0x10}, binary.AppendUvarint(nil, uint64(len(body)))...), body...))
	var ack [4]byte
	_ = r.SetReadDeadline(time.Now().Add(10 * time.Second))
	if _, err := io.ReadFull(r.in, ack[:]); err != nil {
		return r, [2]byte{0, 0xff}
	}
	return r, [2]byte{ack[2], ack[3]}
}

// Of a device's sessions without a connection eight are kept, the newest.
func TestStoredSessionsOfADeviceAreBounded(t *testing.T) {
	s := servertest.Start(t)
	key, other := s.Device("pond").Token, s.Device("other").Token
	hello := func(user, key, id string) byte {
		r, got := helloTo(t, s.Ways.MQTT, id, user, key, "", 0)
		if got[1] != 0 {
			t.Fatalf("%s is not let in: %v", id, got)
		}
		r.send([]byte{0xe0, 0}) // DISCONNECT
		r.Close()
		return got[0]
	}
	hello("other", other, "mine")
	for i := range 12 {
		hello("pond", key, fmt.Sprintf("s%d", i))
		time.Sleep(10 * time.Millisecond) // their ends are noted in this order
	}
	if hello("pond", key, "s11") != 1 || hello("pond", key, "s5") != 1 {
		t.Error("a session that is among the newest was not kept")
	}
	if hello("pond", key, "s0") != 0 || hello("pond", key, "s2") != 0 {
		t.Error("the oldest sessions were kept")
	}
	if hello("other", other, "mine") != 1 {
		t.Error("another device's session gave way")
	}
}

// A will is short and goes at QoS 1 at most; who subscribes to too much is cut off.
func TestWillsAndSubscriptionsAreBounded(t *testing.T) {
	s := servertest.Start(t)
	key := s.Device("pond").Token
	if _, got := helloTo(t, s.Ways.MQTT, "a", "pond", key, strings.Repeat("x", 60_000), 0); got[1] == 0 {
		t.Error("a will of 60 kB was taken")
	}
	if _, got := helloTo(t, s.Ways.MQTT, "a", "pond", key, "gone", 2); got[1] != 0 {
		t.Error("a short will was refused:", got)
	}
	subscribe := func(filters ...string) []byte {
		body := []byte{0, 9}
		for _, f := range filters {
			body = append(append(binary.BigEndian.AppendUint16(body, uint16(len(f))), f...), 0)
		}
		return append(append([]byte{0x82}, binary.AppendUvarint(nil, uint64(len(body)))...), body...)
	}
	many := make([]string, 65)
	for i := range many {
		many[i] = fmt.Sprintf("jaunty/pond/settings/%d", i)
	}
	for name, packet := range map[string][]byte{"too many": subscribe(many...),
		"too long": subscribe("jaunty/pond/" + strings.Repeat("y", 300))} {
		r, _ := helloTo(t, s.Ways.MQTT, "b", "pond", key, "", 0)
		r.send(packet)
		_ = r.SetReadDeadline(time.Now().Add(5 * time.Second))
		if rest, err := io.ReadAll(r.in); err != nil {
			t.Errorf("%s filters: still connected, %x %v", name, rest, err)
		}
	}
	r, _ := helloTo(t, s.Ways.MQTT, "c", "pond", key, "", 0)
	r.send(subscribe("jaunty/pond/settings"))
	var ack [5]byte
	if _, err := io.ReadFull(r.in, ack[:]); err != nil || ack[0] != 0x90 || ack[4] != 0 {
		t.Errorf("a few filters: %x %v", ack, err)
	}
}

func TestTooManyConnectionsOfOneDevice(t *testing.T) {
	s := servertest.Start(t)
	key := s.Device("pond").Token
	open, refusedAt := []net.Conn{}, 0
	for i := range 80 {
		conn, err := net.Dial("tcp", s.Ways.MQTT)
		if err != nil {
			t.Fatal(err)
		}
		open = append(open, conn)
		c := paho.NewClient(paho.ClientConfig{Conn: conn, ClientID: itoa(int64(i))})
		if _, err := c.Connect(context.Background(), &paho.Connect{Username: "pond", UsernameFlag: true,
			Password: []byte(key), PasswordFlag: true, KeepAlive: 30}); err != nil {
			refusedAt = i
			break
		}
	}
	for _, conn := range open {
		conn.Close()
	}
	if refusedAt != 64 {
		t.Errorf("refused at connection %d", refusedAt)
	}
}

// A connection that has not proved who it is cannot make the service reserve room.
func TestALongFirstPacketIsRefused(t *testing.T) {
	s := servertest.Start(t)
	conn, err := net.Dial("tcp", s.Ways.MQTT)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close()
	if _, err := conn.Write([]byte{0x10, 0xff, 0xff, 0x7f, 0}); err != nil { // CONNECT with 2 MiB to follow
		t.Fatal(err)
	}
	conn.SetReadDeadline(time.Now().Add(5 * time.Second))
	var timeout net.Error
	if _, err := conn.Read(make([]byte, 1)); err == nil || errors.As(err, &timeout) && timeout.Timeout() {
		t.Errorf("the connection is still open: %v", err)
	}
}

func TestSettingsThatAreWrong(t *testing.T) {
	for says, adjust := range map[string]func(*service.Settings){
		"--mqtt \"x\" is not":       func(s *service.Settings) { s.MQTT = "x" },
		"--mqtts needs --tls-cert":  func(s *service.Settings) { s.MQTTS = "127.0.0.1:0" },
		"--mqtt-broker is not an a": func(s *service.Settings) { s.MQTTBroker = "http://x" },
	} {
		settings := service.Settings{HTTP: "127.0.0.1:0", Database: storetest.URL(t),
			Log: slog.New(slog.DiscardHandler)}
		adjust(&settings)
		var wrong *service.SettingError
		if err := service.Serve(context.Background(), settings); !errors.As(err, &wrong) ||
			!strings.Contains(err.Error(), says) {
			t.Errorf("want %q, got %v", says, err)
		}
	}
}
