package store_test

import (
	"context"
	"database/sql/driver"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net"
	"syscall"
	"testing"

	"github.com/jackc/pgx/v5/pgconn"

	"jauntylark/store"
	"jauntylark/store/storetest"
)

// What the database says decides whether the same may succeed later, and whether it is for want of room.
func TestWhatCountsAsAway(t *testing.T) {
	code := func(c string) error { return &pgconn.PgError{Code: c} }
	for _, c := range []struct {
		err                    error
		away, room, only, slow bool
	}{
		{err: code("08006"), away: true},                 // the connection broke
		{err: code("57P01"), away: true},                 // an administrator ended it
		{err: code("57P03"), away: true},                 // it starts
		{err: code("57014"), away: true, slow: true},     // a statement took too long
		{err: code("55P03"), away: true},                 // a lock was not to be had
		{err: code("40001"), away: true},                 // serialisation
		{err: code("40P01"), away: true},                 // a deadlock
		{err: code("53300"), away: true},                 // too many connections
		{err: code("53100"), away: true, room: true},     // the disk is full
		{err: code("58030"), away: true},                 // reading or writing failed
		{err: code("25006"), away: true, only: true},     // read-only
		{err: code("25P03"), away: true},                 // a transaction stood still
		{err: code("23505")},                             // a name is taken
		{err: code("22P02")},                             // nonsense
		{err: code("42P01")},                             // no such table
		{err: store.ErrReadOnly, away: true, only: true}, // as the pool says it
		{err: context.DeadlineExceeded, away: true, slow: true},
		{err: context.Canceled},
		{err: io.ErrUnexpectedEOF, away: true},
		{err: driver.ErrBadConn, away: true},
		{err: syscall.ECONNRESET, away: true},
		{err: syscall.ENOSPC, away: true, room: true},
		{err: &fs.PathError{Op: "open", Path: "a picture", Err: syscall.ENOENT}},
		{err: &net.OpError{Op: "dial", Err: syscall.ECONNREFUSED}, away: true},
		{err: errors.New("something else")},
		{err: nil},
	} {
		wrapped := c.err
		if wrapped != nil {
			wrapped = fmt.Errorf("saving: %w", c.err)
		}
		if store.Away(wrapped) != c.away || store.NoRoom(wrapped) != c.room || store.ReadOnly(wrapped) != c.only ||
			store.TookTooLong(wrapped) != c.slow {
			t.Errorf("%v: away %v, no room %v, read-only %v, too long %v", c.err, store.Away(wrapped),
				store.NoRoom(wrapped), store.ReadOnly(wrapped), store.TookTooLong(wrapped))
		}
	}
}

// Connections that were idle while the database was away are not used once it is back: whoever asks first is answered.
func TestNobodyMeetsAConnectionThatWasCut(t *testing.T) {
	gate := storetest.NewGate(t, storetest.URL(t))
	s := storetest.At(t, gate.URL)
	all := []store.Part{store.Own, store.Commits, store.Background, store.Pages, store.Long}
	for range 2 { // one that is new is asked whether it works, one that was just used is not
		for _, part := range all {
			leaveIdle(t, s, part)
		}
	}
	gate.Shut()
	if err := s.Ready(store.For(context.Background(), store.Commits)); !store.Away(err) {
		t.Fatalf("while it is away: %v", err)
	}
	gate.Open()
	for _, part := range all {
		for range 3 {
			if err := s.Ready(store.For(context.Background(), part)); err != nil {
				t.Errorf("%s, once it is back: %v", part, err)
			}
		}
	}
}

// leaveIdle uses three connections at once, which then wait to be used again.
func leaveIdle(t *testing.T, s *store.Store, part store.Part) {
	var open []*store.Tx
	for range 3 {
		tx, err := s.Begin(store.For(context.Background(), part))
		if err != nil {
			t.Fatal(err)
		}
		open = append(open, tx)
	}
	for _, tx := range open {
		tx.Rollback()
	}
}
