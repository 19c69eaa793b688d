// Package clock is the clock of the service. It shows the time of day and runs by elapsed time, so that a wall clock
// that leaps is noticed instead of ending delays or holding them up.
package clock

import (
	"sync"
	"time"

	"jauntylark/core/measure"
)

// LeapFrom is how far the reference must lie from what the clock shows to be a leap. What is less is followed at once.
const LeapFrom = time.Second

// Source gives what a machine's clocks show at one moment: the time of day, which may leap, and the time that has
// passed since any fixed moment, which never does and goes on while the machine sleeps.
type Source func() (wall measure.Instant, elapsed time.Duration)

// Clock is the clock of a service: set by a reference, run by elapsed time. All its methods may be called at once.
type Clock struct {
	read  Source
	apart bool                   // it is its own reference
	face  func() measure.Instant // what it shows, whatever passes; nil: it runs

	mu     sync.Mutex
	showed measure.Instant // when since had passed
	since  time.Duration
	leapt  time.Duration
}

// New makes the clock of this machine.
func New() *Clock { return newClock(machine, false) }

// Of makes a clock that goes by a source alone: its time of day is the reference, whatever others are told.
func Of(read Source) *Clock { return newClock(read, true) }

// Following makes a clock that shows what now does, and for which nothing is a leap: a test's time passes as it says.
func Following(now func() measure.Instant) *Clock {
	c := newClock(machine, true)
	c.face = now
	return c
}

func newClock(read Source, apart bool) *Clock {
	c := &Clock{read: read, apart: apart}
	c.showed, c.since = read()
	return c
}

func (c *Clock) at(elapsed time.Duration) measure.Instant { return c.showed.Add(elapsed - c.since) }

// Now is what the clock shows.
func (c *Clock) Now() measure.Instant {
	now, _ := c.Show()
	return now
}

// Elapsed is how much time has passed since some moment that stays the same.
func (c *Clock) Elapsed() time.Duration {
	_, elapsed := c.read()
	return elapsed
}

// Show is what the clock shows, and the sum of the leaps that it had taken then.
func (c *Clock) Show() (now measure.Instant, leapt time.Duration) {
	if c.face != nil {
		return c.face(), 0
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	_, elapsed := c.read()
	return c.at(elapsed), c.leapt
}

// Leapt is the sum of the leaps that were taken.
func (c *Clock) Leapt() time.Duration {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.leapt
}

// Compare compares the clock with what a reference told at a moment between two elapsed times. It gives by how much the
// reference has leapt, positive forward; 0: it has not, and the clock follows it.
func (c *Clock) Compare(told measure.Instant, from, to time.Duration) time.Duration {
	if c.face != nil {
		return 0
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.apart {
		told, from = c.read()
		to = from
	}
	least, most := told.Sub(c.at(to)), told.Sub(c.at(from))
	off := max(least, 0) + min(most, 0)
	if off.Abs() >= LeapFrom {
		return off
	}
	c.showed = c.showed.Add(off)
	return 0
}

// Take takes a leap: the clock shows so much more, or less, from now on.
func (c *Clock) Take(leap time.Duration) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.showed, c.leapt = c.showed.Add(leap), c.leapt+leap
}
