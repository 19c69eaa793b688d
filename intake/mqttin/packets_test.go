package mqttin_test

import (
	"bufio"
	"encoding/json"
	"io"
	"net"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

// raw is a connection of MQTT 3.1.1 by hand, to send what no client library would.
type raw struct {
	net.Conn
	in *bufio.Reader
	t  *testing.T
}

func connect(t *testing.T, address, id, user, key string) *raw {
	t.Helper()
	conn, err := net.Dial("tcp", address)
	if err != nil {
		t.Fatal(err)
	}
	text := func(s string) []byte { return append([]byte{0, byte(len(s))}, s...) }
	body := append(text("MQTT"), 4, 0xc0, 0, 60) // user name, password, a session that stays
	for _, field := range []string{id, user, key} {
		body = append(body, text(field)...)
	}
	r := &raw{conn, bufio.NewReader(conn), t}
	r.send(append([]byte{0x10, byte(len(body))}, body...))
	if got := r.receive(); got[0] != 0x20 || got[3] != 0 {
		t.Fatalf("not let in: %x", got)
	}
	return r
}

func (r *raw) send(packet []byte) {
	r.t.Helper()
	if _, err := r.Write(packet); err != nil {
		r.t.Fatal(err)
	}
}

// receive reads a packet of four bytes.
func (r *raw) receive() [4]byte {
	r.t.Helper()
	var packet [4]byte
	_ = r.SetReadDeadline(time.Now().Add(10 * time.Second))
	if _, err := io.ReadFull(r.in, packet[:]); err != nil {
		r.t.Fatal(err)
	}
	return packet
}

func publish2(topic, payload string, id byte, dup bool) []byte {
	head := byte(0x34)
	if dup {
		head |= 0x08
	}
	length := 2 + len(topic) + 2 + len(payload)
	return append(append(append([]byte{head, byte(length), 0, byte(len(topic))}, topic...), 0, id), payload...)
}

// A bare value at QoS 2 that is repeated because PUBREC was lost, through a restart of the service too, is
// stored once; a new message with the same identifier is stored.
func TestExactlyOnceThroughARestart(t *testing.T) {
	database := storetest.URL(t)
	s := servertest.On(t, database, "127.0.0.1:0")
	key := s.Device("pond").Token
	const topic = "jaunty/pond/readings/level"
	pubrec := [4]byte{0x50, 2, 0, 7}

	c := connect(t, s.Ways.MQTT, "probe", "pond", key)
	c.send(publish2(topic, "21.5", 7, false))
	if got := c.receive(); got != pubrec {
		t.Fatalf("%x", got)
	}
	c.Close() // as if PUBREC had been lost
	s.Stop()
	s = servertest.On(t, database, "127.0.0.1:0")
	c = connect(t, s.Ways.MQTT, "probe", "pond", key)
	c.send(publish2(topic, "21.5", 7, true))
	if got := c.receive(); got != pubrec {
		t.Fatalf("repeated: %x", got)
	}
	c.send([]byte{0x62, 2, 0, 7})
	if got := c.receive(); got != [4]byte{0x70, 2, 0, 7} {
		t.Fatalf("released: %x", got)
	}
	count := func() int {
		var page struct{ Readings []json.RawMessage }
		s.Do(api.ListReadings.At("pond", "level"), nil, &page)
		return len(page.Readings)
	}
	if n := count(); n != 1 {
		t.Errorf("%d readings of one message", n)
	}
	c.send(publish2(topic, "21.5", 7, true)) // a new message, whose first copy was lost
	if got := c.receive(); got != pubrec {
		t.Fatalf("%x", got)
	}
	if n := count(); n != 2 {
		t.Errorf("%d readings of two messages", n)
	}
}

// Two devices may use one client identifier; neither takes over the other's session.
func TestClientIdentifiersAreEachDevicesOwn(t *testing.T) {
	s := servertest.Start(t)
	one := connect(t, s.Ways.MQTT, "probe", "one", s.Device("one").Token)
	two := connect(t, s.Ways.MQTT, "probe", "two", s.Device("two").Token)
	for _, c := range []*raw{one, two} {
		c.send([]byte{0xc0, 0}) // PINGREQ
		var pong [2]byte
		_ = c.SetReadDeadline(time.Now().Add(5 * time.Second))
		if _, err := io.ReadFull(c.in, pong[:]); err != nil || pong[0] != 0xd0 {
			t.Errorf("%x %v", pong, err)
		}
	}
}
