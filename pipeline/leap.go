package pipeline

import (
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/store"
)

// leapKind is the kind of the journal's entries about the clock.
const leapKind = "clock changed"

// readClock compares the clock with the database's, which all processes share, read between two elapsed times. A leap is taken by the
// commit that finds it, with all that runs by elapsed time; other processes find it in the ledger. It gives by how much was moved.
func (t *Turn) readClock(l store.Ledger, from, to time.Duration) (moved time.Duration, err error) {
	t.leapt = l.Leapt
	switch before := t.Now; {
	case t.p.leapt == nil:
		t.leap = t.p.Clock.Compare(l.Clock, from, to)
		t.Now = t.Now.Add(t.leap)
		return t.leapWhileAway()
	case *t.p.leapt != l.Leapt:
		t.leap = time.Duration(l.Leapt-*t.p.leapt) * time.Millisecond
		t.Now = t.Now.Add(t.leap)
		return 0, nil
	default:
		t.leap = t.p.Clock.Compare(l.Clock, from, to)
		t.Now = t.Now.Add(t.leap)
		return t.leap, t.move(t.leap, before)
	}
}

// leapWhileAway finds out, in the first commit of a process, whether the clock was set back since the service was last at work. That it
// was set forward looks like an absence.
func (t *Turn) leapWhileAway() (time.Duration, error) {
	last, _, err := t.Tx.LastBeat(t.ctx)
	if err != nil || last <= t.Now.Add(downAfter) {
		return 0, err
	}
	back := t.Now.Sub(last)
	return back, t.move(back, last)
}

// move moves what runs by elapsed time with the clock.
func (t *Turn) move(by time.Duration, before measure.Instant) error {
	if by == 0 {
		return nil
	}
	t.leapt += by.Milliseconds()
	return t.Tx.Leap(t.ctx, by, before)
}

// afterLeap enters a leap, and has what goes by the wall look at it anew.
func (t *Turn) afterLeap(by time.Duration) error {
	t.touched = true
	for _, i := range t.live.locks {
		if i.calendar != nil {
			t.mayLook(i)
		}
	}
	return t.Enter(leapKind, t.live.site.Name, "", roster.LeapWords(by))
}

// took takes a leap whose commit is done, after which the sum of all is sum.
func (p *Pipeline) took(leap time.Duration, sum int64) {
	p.Clock.Take(leap)
	if p.leapt == nil { // the process has begun: what its own clock leapt by is no leap of the service
		before := sum - p.Clock.Leapt().Milliseconds()
		p.before.Store(&before)
	}
	p.leapt = &sum
}

// tellArrivals tells packs when they arrived by the clock as it is now.
func (t *Turn) tellArrivals(batch []*job) {
	leapt := t.p.Clock.Leapt() + t.leap
	for _, j := range batch {
		if j.pack != nil && leapt != j.leapt {
			j.pack.Arrived = j.arrived.Add(leapt - j.leapt)
		}
	}
}
