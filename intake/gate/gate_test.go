package gate

import (
	"errors"
	"io"
	"net"
	"os"
	"testing"
	"time"
)

// door is a gate that is knocked at.
type door struct {
	net.Listener
	t  *testing.T
	in chan net.Conn
}

func open(t *testing.T, b Bounds) *door {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	d := &door{Listen(l, b), t, make(chan net.Conn, 100)}
	t.Cleanup(func() { d.Close() })
	go func() {
		for {
			c, err := d.Accept()
			if err != nil {
				return
			}
			d.in <- c
		}
	}()
	return d
}

func (d *door) knock() (near *Conn, far net.Conn) {
	d.t.Helper()
	far, err := net.Dial("tcp", d.Addr().String())
	if err != nil {
		d.t.Fatal(err)
	}
	d.t.Cleanup(func() { far.Close() })
	select {
	case c := <-d.in:
		return c.(*Conn), far
	case <-time.After(200 * time.Millisecond):
		return nil, far
	}
}

func closed(c net.Conn) bool {
	_ = c.SetReadDeadline(time.Now().Add(2 * time.Second))
	_, err := c.Read(make([]byte, 1))
	return err != nil && !errors.Is(err, os.ErrDeadlineExceeded)
}

func TestConnectionsAreBoundedInAllAndByAddress(t *testing.T) {
	for name, b := range map[string]Bounds{"in all": {InAll: 2}, "of an address": {PerAddress: 2}} {
		d := open(t, b)
		first, _ := d.knock()
		d.knock()
		if third, far := d.knock(); third != nil || !closed(far) {
			t.Error(name, "a third one was let in, or was not closed")
		}
		first.Close()
		first.Close() // once more changes nothing
		if again, _ := d.knock(); again == nil {
			t.Error(name, "the end of one lets another in")
		}
		if more, _ := d.knock(); more != nil {
			t.Error(name, "the end of one lets two in")
		}
	}
}

// Of those of which nobody knows who they are the oldest gives way; those that have said it stay.
func TestTheOldestStrangerGivesWay(t *testing.T) {
	for name, b := range map[string]Bounds{"in all": {Unsigned: 2}, "of an address": {PerUnsigned: 2}} {
		d := open(t, b)
		known, knownFar := d.knock()
		known.Sign()
		_, oldest := d.knock()
		_, younger := d.knock()
		if late, _ := d.knock(); late == nil {
			t.Fatal(name, "one that comes later is let in")
		}
		if !closed(oldest) {
			t.Error(name, "the oldest stranger was not closed")
		}
		go io.WriteString(known, "k")
		if _, err := knownFar.Read(make([]byte, 1)); err != nil {
			t.Error(name, "one that is known was closed:", err)
		}
		_ = younger.SetReadDeadline(time.Now().Add(50 * time.Millisecond))
		if _, err := younger.Read(make([]byte, 1)); !errors.Is(err, os.ErrDeadlineExceeded) {
			t.Error(name, "a younger stranger was closed too:", err)
		}
	}
}

// A stranger ends at its time, whatever deadlines are set meanwhile; one that has said who it is does not.
func TestAStrangerEndsAtItsTime(t *testing.T) {
	d := open(t, Bounds{SignWithin: 100 * time.Millisecond})
	for _, sign := range []bool{false, true} {
		near, far := d.knock()
		_ = near.SetDeadline(time.Now().Add(time.Hour))
		if sign {
			near.Sign()
		}
		time.AfterFunc(300*time.Millisecond, func() { _, _ = far.Write([]byte{1}) })
		if _, err := near.Read(make([]byte, 1)); sign != (err == nil) {
			t.Errorf("known: %v, read: %v", sign, err)
		}
	}
}
