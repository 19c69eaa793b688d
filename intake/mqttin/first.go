package mqttin

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"net"
	"sync"
	"time"

	"jauntylark/intake/admission"
	"jauntylark/intake/gate"
)

const (
	connectAtMost    = admission.LongBody // length of a connection's first packet
	connectWithin    = 10 * time.Second   // from the connection to the end of its sign-in
	unsignedAtMost   = 1000
	unsignedOfSource = 256

	longWithin = 30 * time.Second // in which a long packet must have come
)

// entry lets connections in, with TLS when there is a configuration for it, and looks at the first packet of each.
type entry struct {
	net.Listener
	tls *tls.Config
}

func newEntry(l net.Listener, atOnce int, config *tls.Config) entry {
	return entry{gate.Listen(l, gate.Bounds{InAll: atOnce, Unsigned: min(unsignedAtMost, atOnce),
		PerUnsigned: unsignedOfSource, SignWithin: connectWithin}), config}
}

// Accept gives the next connection.
func (e entry) Accept() (net.Conn, error) {
	conn, err := e.Listener.Accept()
	if err != nil {
		return nil, err
	}
	c := &inspected{Conn: conn, gate: conn.(*gate.Conn)}
	if e.tls != nil {
		c.Conn = tls.Server(conn, e.tls)
	}
	return c, nil
}

// inspected is a connection whose packets are looked at before room is made for them, by their fixed headers, byte by
// byte as they come (MQTT 5 section 2.1): the first is short, and of those that are heavy so many are under way at
// once.
type inspected struct {
	net.Conn
	gate  *gate.Conn
	room  *admission.Room // of its sender, for long packets; nil until it is known who that is
	mu    sync.Mutex
	give  func() // gives back what is held of its room; nil: nothing is
	frame framer // read by one goroutine alone
	owed  int    // length of a packet that came before it was known who sends it
}

// Sign says whose connection this is.
func (c *inspected) Sign(of admission.Room) {
	c.room = &of // by the goroutine that reads
	c.gate.Sign()
}

// Read refuses a first packet that is too long, and lets a heavy one wait for room.
func (c *inspected) Read(into []byte) (int, error) {
	if c.frame.rest == 0 {
		c.release()
	}
	if owed := c.owed; owed > 0 && c.room != nil {
		c.owed = 0
		if err := c.weigh(owed); err != nil {
			return 0, err
		}
	}
	n, err := c.Conn.Read(into)
	if wrong := c.frame.feed(into[:n], c.weigh); wrong != nil {
		return 0, wrong
	}
	return n, err
}

var (
	errTooLong = errors.New("the packet is too long")
	errNoRoom  = errors.New("too many long packets are under way")
)

// weigh judges the length of a packet that begins.
func (c *inspected) weigh(length int) error {
	switch {
	case length <= connectAtMost:
		return nil
	case c.room == nil && c.frame.packets > 1 && c.owed == 0: // it came with the first, which is not judged yet
		c.owed = length
		return nil
	case c.room == nil || length > packetAtMost:
		return fmt.Errorf("%w: %d bytes", errTooLong, length)
	}
	c.release() // of the one before, which came in the same piece
	ctx, cancel := context.WithTimeout(context.Background(), longWithin)
	defer cancel()
	give, err := c.room.Take(ctx, int64(length))
	if err != nil {
		return errNoRoom
	}
	c.mu.Lock()
	c.give = give
	c.mu.Unlock()
	c.gate.EndBy(time.Now().Add(longWithin))
	return nil
}

func (c *inspected) release() {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.give != nil {
		c.give()
		c.give = nil
		c.gate.EndBy(time.Time{})
	}
}

// Close gives back what is held.
func (c *inspected) Close() error {
	err := c.Conn.Close()
	c.release()
	return err
}

// framer follows where packets begin.
type framer struct {
	packets int
	seen    int // bytes of the fixed header that begins
	length  int
	rest    int // bytes of the packet that are still to come
}

// feed looks at the next bytes, and has begins judge each packet.
func (f *framer) feed(bytes []byte, begins func(length int) error) error {
	for len(bytes) > 0 {
		if f.rest > 0 {
			n := min(f.rest, len(bytes))
			f.rest, bytes = f.rest-n, bytes[n:]
			continue
		}
		b := bytes[0]
		bytes = bytes[1:]
		if f.seen++; f.seen == 1 {
			continue
		}
		f.length |= int(b&0x7f) << (7 * (f.seen - 2))
		if b&0x80 != 0 && f.seen < 5 {
			continue
		}
		length := f.length
		f.packets++
		f.seen, f.length, f.rest = 0, 0, length
		if b&0x80 != 0 {
			return fmt.Errorf("%w: its length has more than four bytes", errTooLong)
		}
		if err := begins(length); err != nil {
			return err
		}
	}
	return nil
}
