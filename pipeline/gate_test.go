package pipeline_test

import (
	"io"
	"net"
	"sync"
	"testing"
)

// gate stands between a service and its database, and can be shut.
type gate struct {
	url    string
	target string

	mu       sync.Mutex
	closed   bool
	sessions map[net.Conn]bool
}

func newGate(t *testing.T, address string) *gate {
	t.Helper()
	u := port(t, address)
	g := &gate{target: u.Host, sessions: map[net.Conn]bool{}}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close(); g.shut() })
	u.Host = l.Addr().String()
	g.url = u.String()
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

func (g *gate) pass(c net.Conn) {
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

// shut cuts all connections and lets no new one through.
func (g *gate) shut() {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.closed = true
	for c := range g.sessions {
		c.Close()
	}
}

func (g *gate) open() {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.closed = false
}
