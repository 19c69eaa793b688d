package commit

import (
	"context"
	"time"

	"jauntylark/core/measure"
	"jauntylark/store"
	"jauntylark/store/events"
)

const (
	// DownAfter is how long no note must say that the ways in are up for them to have been down.
	DownAfter = 2500 * time.Millisecond
	// AtOnce is how many things that are due are looked at in one commit, at most.
	AtOnce = 1000

	beatInterval = time.Second
	stoodStill   = 10 * time.Second // a process that did nothing for so long may have lost what was sent to it
)

// Turn is one commit in the making.
type Turn struct {
	Tx       *store.Tx
	Ctx      context.Context
	Store    *store.Store // what is committed
	Now      measure.Instant
	CommitNo int64
	ConfigNo int64 // of the configuration that the commit before has left

	Leap  time.Duration // by which the clock leapt since the commit before
	Moved time.Duration // by which this commit has moved what runs by elapsed time
	// when this process last was at work, by the clock as it is now; 0: it has just begun
	LastUp          measure.Instant
	MayHaveBeenAway bool // nobody knows whether the service was at work until now
	LostDatabase    bool // this process was at work and has lost the database

	leapt int64         // the sum of all leaps, with this one, in milliseconds
	ours  time.Duration // by which this process's clock has leapt, with this leap
}

// LeaptSince is by how much the clock has leapt since what came when it had leapt by so much.
func (t *Turn) LeaptSince(then time.Duration) time.Duration { return t.ours - then }

// begin takes the ledger and finds out what the clock shows, and whether the service was away.
func (e *Engine[T, In, Out]) begin(t *Turn) error {
	asked, from := time.Now(), e.Clock.Elapsed()
	ledger, err := store.TakeLedger(t.Ctx, t.Tx)
	e.Meter.Ledger(time.Since(asked))
	if err != nil {
		return err
	}
	t.CommitNo, t.ConfigNo = ledger.CommitNo, ledger.ConfigNo
	if err := e.readClock(t, ledger, from, e.Clock.Elapsed()); err != nil {
		return err
	}
	t.ours = e.Clock.Leapt() + t.Leap
	t.MayHaveBeenAway = e.mayHaveBeenAway()
	up := e.upAt.Load()
	if up != nil && up.Leapt != nil {
		t.LastUp = up.At + measure.Instant(t.leapt-*up.Leapt)
	}
	t.LostDatabase = up != nil && e.unsure.Load()
	return nil
}

// readClock compares the clock with the database's, which all processes share, read between two elapsed times. A leap
// is taken by the commit that finds it, with all that runs by elapsed time; other processes find it in the ledger.
func (e *Engine[T, In, Out]) readClock(t *Turn, l store.Ledger, from, to time.Duration) error {
	t.leapt = l.Leapt
	before := t.Now
	known := e.leapt != nil && *e.leapt != l.Leapt
	if known {
		t.Leap = time.Duration(l.Leapt-*e.leapt) * time.Millisecond
	} else {
		t.Leap = e.Clock.Compare(l.Clock, from, to)
	}
	t.Now = t.Now.Add(t.Leap)
	switch {
	case e.leapt == nil:
		return t.leapWhileAway()
	case known:
		return nil
	}
	return t.move(t.Leap, before)
}

// leapWhileAway finds out, in the first commit of a process, whether the clock was set back since the service was last
// at work. That it was set forward looks like an absence.
func (t *Turn) leapWhileAway() error {
	last, _, err := events.LastBeat(t.Ctx, t.Tx)
	if err != nil || last <= t.Now.Add(DownAfter) {
		return err
	}
	return t.move(t.Now.Sub(last), last)
}

// move moves what runs by elapsed time with the clock.
func (t *Turn) move(by time.Duration, before measure.Instant) error {
	if by == 0 {
		return nil
	}
	t.Moved = by
	t.leapt += by.Milliseconds()
	return events.Leap(t.Ctx, t.Tx, by, before)
}

// took takes the leap of a commit that is done.
func (e *Engine[T, In, Out]) took(t *Turn) {
	e.Clock.Take(t.Leap)
	sum := t.leapt
	if e.leapt == nil { // the process has begun: what its own clock leapt by is no leap of the service
		before := sum - e.Clock.Leapt().Milliseconds()
		e.before.Store(&before)
	}
	e.leapt = &sum
}
