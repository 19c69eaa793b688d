// Package gate bounds the connections that strangers may open: in all, from one address, and before it is known who
// they are. Those that are too many are closed at once; of those of which nobody knows yet who they are the oldest
// gives way, so that one who says it at once gets in.
package gate

import (
	"container/list"
	"net"
	"net/netip"
	"slices"
	"sync"
	"syscall"
	"time"
)

// Bounds are how many connections may be open at once; 0: as many as come.
type Bounds struct {
	InAll       int
	PerAddress  int // an address of IPv6 is its network of 64 bits
	Unsigned    int // of those of which nobody knows yet who they are
	PerUnsigned int // the same from one address
	SignWithin  time.Duration
	Trusted     []netip.Prefix // whose addresses stand for many, so that PerAddress does not hold for them
}

// Listen gives a listener whose connections are Conns, within the bounds.
func Listen(l net.Listener, b Bounds) net.Listener {
	return &gate{Listener: l, bounds: b, from: map[netip.Addr]*count{}}
}

type count struct{ open, unsigned int }

type gate struct {
	net.Listener
	bounds Bounds
	mu     sync.Mutex
	all    count
	from   map[netip.Addr]*count
	queue  list.List // of the unsigned, the oldest first
}

// Accept gives the next connection that is within the bounds.
func (g *gate) Accept() (net.Conn, error) {
	for {
		conn, err := g.Listener.Accept()
		if err != nil {
			return nil, err
		}
		from := network(conn.RemoteAddr())
		c := &Conn{Conn: conn, gate: g, from: from}
		if g.bounds.SignWithin > 0 {
			c.until = time.Now().Add(g.bounds.SignWithin)
			_ = conn.SetDeadline(c.until)
		}
		if in, gives := g.enter(c); in {
			if gives != nil {
				gives.Close()
			}
			return c, nil
		}
		conn.Close()
	}
}

// Close closes the listener, and the connections of which nobody knows yet who they are where these end at a time:
// nobody waits for them.
func (g *gate) Close() error {
	err := g.Listener.Close()
	if g.bounds.SignWithin == 0 {
		return err
	}
	for {
		g.mu.Lock()
		stranger := g.oldest(func(*Conn) bool { return true })
		g.mu.Unlock()
		if stranger == nil {
			return err
		}
		stranger.Close()
	}
}

// network is what counts as one address.
func network(a net.Addr) netip.Addr {
	at, err := netip.ParseAddrPort(a.String())
	if err != nil {
		return netip.Addr{}
	}
	ip := at.Addr().Unmap().WithZone("")
	if ip.Is6() {
		if prefix, err := ip.Prefix(64); err == nil {
			return prefix.Addr()
		}
	}
	return ip
}

// enter lets a connection in, unless there are too many, and gives the unsigned one that gives way for it; nil: none.
func (g *gate) enter(c *Conn) (in bool, gives *Conn) {
	g.mu.Lock()
	defer g.mu.Unlock()
	b, here := g.bounds, g.from[c.from]
	if here == nil {
		here = &count{}
	}
	within := func(n, most int) bool { return most == 0 || n < most }
	if !within(g.all.open, b.InAll) || !b.trusts(c.from) && !within(here.open, b.PerAddress) {
		return false, nil
	}
	switch {
	case !within(here.unsigned, b.PerUnsigned):
		gives = g.oldest(func(o *Conn) bool { return o.from == c.from })
	case !within(g.all.unsigned, b.Unsigned):
		gives = g.oldest(func(*Conn) bool { return true })
	}
	g.from[c.from] = here
	for _, n := range []*count{&g.all, here} {
		n.open++
		n.unsigned++
	}
	c.place = g.queue.PushBack(c)
	return true, gives
}

func (b *Bounds) trusts(a netip.Addr) bool {
	return slices.ContainsFunc(b.Trusted, func(p netip.Prefix) bool { return p.Contains(a) })
}

// oldest gives the unsigned connection that has been open longest, of those that are asked for.
func (g *gate) oldest(of func(*Conn) bool) *Conn {
	for e := g.queue.Front(); e != nil; e = e.Next() {
		if c := e.Value.(*Conn); of(c) {
			g.signed(c)
			return c
		}
	}
	return nil
}

// signed takes a connection out of the unsigned.
func (g *gate) signed(c *Conn) {
	if c.place == nil {
		return
	}
	g.queue.Remove(c.place)
	c.place = nil
	g.all.unsigned--
	g.from[c.from].unsigned--
}

func (g *gate) leave(c *Conn) {
	g.mu.Lock()
	defer g.mu.Unlock()
	if c.gone {
		return
	}
	c.gone = true
	g.signed(c)
	g.all.open--
	if g.from[c.from].open--; g.from[c.from].open == 0 {
		delete(g.from, c.from)
	}
}

// Conn is a connection that was let in. Until Sign it ends at its time, whatever deadlines are set.
type Conn struct {
	net.Conn
	gate  *gate
	from  netip.Addr
	place *list.Element // among the unsigned; nil: it is not. The gate's lock holds for this and gone
	gone  bool
	mu    sync.Mutex
	until time.Time // when it ends unless it is signed; none: zero
}

// Sign says that it is known who this is.
func (c *Conn) Sign() {
	c.gate.mu.Lock()
	c.gate.signed(c)
	c.gate.mu.Unlock()
	c.EndBy(time.Time{})
}

// EndBy has the connection end at a time, whatever deadlines are set; zero: not any more.
func (c *Conn) EndBy(t time.Time) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.until = t
	_ = c.Conn.SetDeadline(t)
}

// Close lets another connection in.
func (c *Conn) Close() error {
	c.gate.leave(c)
	return c.Conn.Close()
}

// soonest is a deadline that is not after the connection's own.
func (c *Conn) soonest(t time.Time) time.Time {
	c.mu.Lock()
	defer c.mu.Unlock()
	if !c.until.IsZero() && (t.IsZero() || t.After(c.until)) {
		return c.until
	}
	return t
}

// SetDeadline sets both deadlines.
func (c *Conn) SetDeadline(t time.Time) error { return c.Conn.SetDeadline(c.soonest(t)) }

// SetReadDeadline sets the deadline of reading.
func (c *Conn) SetReadDeadline(t time.Time) error { return c.Conn.SetReadDeadline(c.soonest(t)) }

// SetWriteDeadline sets the deadline of writing.
func (c *Conn) SetWriteDeadline(t time.Time) error { return c.Conn.SetWriteDeadline(c.soonest(t)) }

// Files is how many files the process may have open at once.
func Files() int {
	var limit syscall.Rlimit
	if err := syscall.Getrlimit(syscall.RLIMIT_NOFILE, &limit); err != nil {
		return 1024
	}
	return int(min(limit.Cur, 1<<20))
}

// keptForRest is how many files are kept back for the database, its carriers and what is stored.
const keptForRest = 256

// Share gives a share, of so many parts in all, of the files that connections may take, most at most.
func Share(part, of, most int) int {
	return max(16, min(most, (Files()-keptForRest)*part/of))
}
