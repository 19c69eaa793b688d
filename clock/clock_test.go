package clock_test

import (
	"testing"
	"time"

	"jauntylark/clock"
	"jauntylark/core/measure"
)

const start = measure.Instant(1_700_000_000_000)

func TestALeapIsToldUntilItIsTaken(t *testing.T) {
	h := clock.Held(start)
	h.Pass(5 * time.Second)
	if leap := h.Compare(0, 0, 0); leap != 0 || h.Now() != start+5000 {
		t.Fatalf("time that passed is no leap: %v, %v", leap, h.Now())
	}
	for _, by := range []time.Duration{time.Hour, -time.Hour, -25 * time.Hour, time.Second} {
		before, sum := h.Now(), h.Leapt()
		h.Leap(by)
		h.Pass(time.Second)
		if h.Now() != before+1000 {
			t.Errorf("the clock runs by elapsed time, but went from %v to %v", before, h.Now())
		}
		for range 2 { // a commit that fails sees it again
			if leap := h.Compare(0, 0, 0); leap != by {
				t.Errorf("leapt by %v, told %v", by, leap)
			}
		}
		h.Take(by)
		if want := before.Add(by) + 1000; h.Now() != want || h.Leapt() != sum+by || h.Compare(0, 0, 0) != 0 {
			t.Errorf("after the leap of %v: %v, not %v; leapt %v", by, h.Now(), want, h.Leapt())
		}
	}
}

func TestALittleIsFollowed(t *testing.T) {
	h := clock.Held(start)
	for _, by := range []time.Duration{300 * time.Millisecond, -999 * time.Millisecond} {
		want := h.Now().Add(by)
		h.Leap(by)
		if leap := h.Compare(0, 0, 0); leap != 0 || h.Now() != want || h.Leapt() != 0 {
			t.Errorf("%v: leap %v, shows %v, not %v", by, leap, h.Now(), want)
		}
	}
}

// What a reference tells may be as old as the question, so only what lies outside of the time that the question took is
// a difference.
func TestTheReferenceIsReadBetweenTwoMoments(t *testing.T) {
	for _, c := range []struct {
		told, from, to int64 // milliseconds after the clock's beginning
		leap           time.Duration
	}{
		{told: 5000, from: 5000, to: 5001},
		{told: 5000, from: 1000, to: 9000},
		{told: 2000, from: 5000, to: 9000, leap: -3 * time.Second},
		{told: 12000, from: 5000, to: 9000, leap: 3 * time.Second},
		{told: 4500, from: 5000, to: 9000},
	} {
		k := clock.New()
		began, now := k.Elapsed(), k.Now()
		at := func(ms int64) time.Duration { return began + time.Duration(ms)*time.Millisecond }
		leap := k.Compare(now+measure.Instant(c.told), at(c.from), at(c.to))
		if (leap - c.leap).Abs() > 50*time.Millisecond {
			t.Errorf("%+v: leap %v", c, leap)
		}
	}
}

func TestTheMachinesClockRuns(t *testing.T) {
	k := clock.New()
	before, wall := k.Now(), time.Now()
	time.Sleep(20 * time.Millisecond)
	passed, real := k.Now().Sub(before), time.Since(wall)
	if (passed - real).Abs() > 10*time.Millisecond {
		t.Errorf("%v passed, not %v", passed, real)
	}
	if off := measure.InstantOf(time.Now()).Sub(k.Now()).Abs(); off > 50*time.Millisecond {
		t.Errorf("it is off by %v", off)
	}
}

func TestAFollowerNeverLeaps(t *testing.T) {
	now := start
	k := clock.Following(func() measure.Instant { return now })
	for _, to := range []measure.Instant{start + 3_600_000, start - 3_600_000} {
		now = to
		if leap := k.Compare(0, 0, 0); leap != 0 || k.Now() != to {
			t.Errorf("leap %v, shows %v, not %v", leap, k.Now(), to)
		}
	}
}

func TestRunningHandsRunAndLeap(t *testing.T) {
	h := clock.Running()
	before := h.Now()
	h.Leap(-time.Hour)
	time.Sleep(5 * time.Millisecond)
	if h.Now() <= before || (h.Compare(0, 0, 0)+time.Hour).Abs() > time.Millisecond {
		t.Errorf("%v after %v, leap %v", h.Now(), before, h.Compare(0, 0, 0))
	}
	h.Take(-time.Hour)
	h.Pass(time.Minute)
	if gone := h.Now().Sub(before); gone < -59*time.Minute || gone > -58*time.Minute {
		t.Errorf("went %v", gone)
	}
}
