package store

import (
	"context"
	"errors"
	"net"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
)

// deaf is an address whose queue of callers is full: who calls it waits.
func deaf(t *testing.T) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	raw, err := l.(*net.TCPListener).SyscallConn()
	if err != nil {
		t.Fatal(err)
	}
	if err := raw.Control(func(fd uintptr) { err = syscall.Listen(int(fd), 0) }); err != nil {
		t.Fatal(err)
	}
	for {
		c, err := net.DialTimeout("tcp", l.Addr().String(), 200*time.Millisecond)
		if err != nil {
			return l.Addr().String()
		}
		t.Cleanup(func() { c.Close() })
	}
}

// What tries to connect when the connections are closed ends with them, whoever asked for it.
func TestClosingEndsWhatStillConnects(t *testing.T) {
	address := deaf(t)
	config, err := pgx.ParseConfig("postgres://nobody@" + address + "/none?sslmode=disable")
	if err != nil {
		t.Fatal(err)
	}
	p := openPools(config)
	ended := make(chan error)
	dial := bounded(p.open, config, boundsOf[Own], new(vanished)).DialFunc
	go func() {
		_, err := dial(context.Background(), "tcp", address)
		ended <- err
	}()
	time.Sleep(50 * time.Millisecond) // so that it waits
	p.Close()
	if err := <-ended; !errors.Is(err, context.Canceled) {
		t.Error("it ended by", err)
	}
}
