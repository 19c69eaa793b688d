package storetest

import (
	"io"
	"net"
	"net/url"
	"sync"
	"testing"
)

// Gate stands between a service and its database, and can be shut.
type Gate struct {
	URL    string // of the database, through the gate
	target string

	mu       sync.Mutex
	closed   bool
	sessions map[net.Conn]bool
}

// NewGate opens a gate to the database at address.
func NewGate(t testing.TB, address string) *Gate {
	t.Helper()
	u, err := url.Parse(address)
	if err != nil {
		t.Fatal(err)
	}
	g := &Gate{target: u.Host, sessions: map[net.Conn]bool{}}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close(); g.Shut() })
	u.Host = l.Addr().String()
	g.URL = u.String()
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go g.pass(c)
		}
	}()
	return g
}

func (g *Gate) pass(c net.Conn) {
	defer c.Close()
	g.mu.Lock()
	if g.closed {
		g.mu.Unlock()
		return
	}
	d, err := net.Dial("tcp", g.target)
	if err != nil {
		g.mu.Unlock()
		return
	}
	g.sessions[c], g.sessions[d] = true, true
	g.mu.Unlock()
	defer d.Close()
	go func() { io.Copy(d, c); d.Close() }()
	io.Copy(c, d)
}

// Shut cuts all connections and lets no new one through.
func (g *Gate) Shut() {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.closed = true
	for c := range g.sessions {
		c.Close()
	}
}

// Open lets connections through again.
func (g *Gate) Open() {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.closed = false
}
