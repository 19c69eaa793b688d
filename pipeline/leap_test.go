package pipeline_test

import (
	"context"
	"fmt"
	"testing"
	"time"

	"jauntylark/clock"
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/configure"
	"jauntylark/store/config"
	"jauntylark/store/events"
	"jauntylark/store/storetest"
)

// leaping is a pipeline whose clock can leap.
type leaping struct {
	*bench
	hands *clock.Hands
}

func withHands(t *testing.T) leaping {
	t.Helper()
	hands := clock.Held(start)
	l := leaping{processBy(t, storetest.Store(t), hands.Clock), hands}
	l.must(configure.AddDevice(context.Background(), l.bench.Pipeline, deviceD(), configure.Secret{Hash: l.key},
		tester))
	return l
}

// live lets seconds pass, in each of which something happens.
func (l leaping) live(seconds int, each ...func()) {
	l.t.Helper()
	for range seconds {
		l.hands.Pass(time.Second)
		l.beat()
		for _, do := range each {
			do()
		}
	}
	l.swept()
}

// beat notes, as the process does each second, that it is up, and lets it see its clock.
func (l leaping) beat() {
	l.t.Helper()
	_, err := events.Beat(context.Background(), l.store, l.Moment(), 2500)
	l.must(err)
	l.sweeps()
}

func (l leaping) reads(v float64) func() { return func() { l.heard(v) } }

// leap moves the time of day, and lets the process notice.
func (l leaping) leap(by time.Duration) {
	l.t.Helper()
	before := l.Now()
	l.hands.Leap(by)
	l.beat()
	if l.Now() != before.Add(by) {
		l.t.Fatalf("the clock shows %v after a leap of %v, and %v before", l.Now(), by, before)
	}
}

func (l leaping) hot(onDelay float64) {
	l.t.Helper()
	rung := above(30, 1, alarm.Critical)
	rung.OnDelay, rung.OffDelay = *lasting(onDelay), *lasting(4)
	l.guard(alarm.Guard{Name: "hot", Signal: "d/temp", Rung: rung})
}

// guarded is a device that has sent each second that all is well, with a guard over it.
func (l leaping) guarded(onDelay float64) {
	l.t.Helper()
	l.expect("d", time.Second)
	l.live(3, l.reads(20))
	l.hot(onDelay)
}

var leaps = []time.Duration{time.Hour, -time.Hour, 25 * time.Hour, -25 * time.Hour, time.Minute, -time.Minute,
	90 * time.Second}

// eachLeap tries something with each of the leaps.
func eachLeap(t *testing.T, try func(t *testing.T, l leaping, by time.Duration)) {
	for _, by := range leaps {
		t.Run(by.String(), func(t *testing.T) {
			t.Parallel()
			try(t, withHands(t), by)
		})
	}
}

// A device sends no times. Its delays end when they would have, whatever the time of day does.
func TestDelaysRunByElapsedTime(t *testing.T) {
	eachLeap(t, func(t *testing.T, l leaping, by time.Duration) {
		l.guarded(10)
		l.live(5, l.reads(35))
		l.leap(by)
		l.live(5, l.reads(35))
		if got := l.alarms(); len(got) != 0 {
			t.Fatalf("ten seconds had not passed: %+v", got)
		}
		l.live(3, l.reads(35))
		a := l.newest()
		if len(l.alarms()) != 1 || a.RaisedAt < l.Now()-4000 || a.RaisedAt > l.Now() {
			t.Fatalf("at %v: %+v", l.Now(), l.alarms())
		}
		l.live(2, l.reads(20))
		l.leap(-by)
		l.live(1, l.reads(20))
		if a := l.newest(); a.State != alarm.StateRaised {
			t.Fatalf("the off-delay of four seconds ended after three: %+v", a)
		}
		l.live(4, l.reads(20))
		if a = l.newest(); a.ClearedAt == nil || a.ClearedAt.Sub(a.RaisedAt) < 5*time.Second ||
			a.ClearedAt.Sub(a.RaisedAt) > 9*time.Second {
			t.Fatalf("it stood for seven seconds: %+v", a)
		}
		if got := l.alarms(); len(got) != 1 {
			t.Errorf("nobody is silent or has a wrong clock: %+v", got)
		}
		if n := len(l.readings("temp")); n != 23 {
			t.Errorf("%d of 23 readings are stored", n)
		}
	})
}

// The mirror without readings: the sweeper ends the delay.
func TestASweptDelayRunsByElapsedTime(t *testing.T) {
	eachLeap(t, func(t *testing.T, l leaping, by time.Duration) {
		l.live(1, l.reads(20))
		l.hot(10)
		l.live(1, l.reads(35))
		l.live(4)
		l.leap(by)
		l.live(5)
		if got := l.alarms(); len(got) != 0 {
			t.Fatalf("after nine seconds: %+v", got)
		}
		l.live(3)
		if got := l.alarms(); len(got) != 1 {
			t.Fatalf("after twelve: %+v", got)
		}
	})
}

func TestSilenceRunsByElapsedTime(t *testing.T) {
	eachLeap(t, func(t *testing.T, l leaping, by time.Duration) {
		l.expect("d", 10*time.Second)
		l.live(1, l.reads(20))
		l.live(15)
		l.leap(by)
		l.live(13)
		if got := l.alarms(); len(got) != 0 {
			t.Fatalf("after 28 seconds: %+v", got)
		}
		l.live(3)
		a := l.newest()
		if len(l.alarms()) != 1 || a.Kind != alarm.BySilence || a.Value != 30 {
			t.Fatalf("after 31: %+v", l.alarms())
		}
		l.leap(-by)
		l.live(4)
		l.heard(20)
		if a = l.newest(); a.ClearedAt == nil || a.ClearedAt.Sub(a.RaisedAt).Round(time.Second) != 5*time.Second {
			t.Errorf("it was silent for five seconds more: %+v", a)
		}
	})
}

// raisesInTime sees that a device raises and ends one alarm with delays of ten seconds and four, through a leap, calm
// seconds after its guard was made: a guard looks at what is newer than itself.
func (l leaping) raisesInTime(by time.Duration, calm int, reads func(float64) func()) {
	l.t.Helper()
	l.live(3, reads(20))
	l.hot(10)
	l.live(calm, reads(20))
	l.live(5, reads(35))
	l.leap(by)
	l.live(4, reads(35))
	if got := l.alarms(); len(got) != 0 {
		l.t.Fatalf("after nine seconds: %+v", got)
	}
	l.live(4, reads(35))
	if got := l.alarms(); len(got) != 1 || got[0].Kind != alarm.ByGuard {
		l.t.Fatalf("after 13: %+v", got)
	}
	l.live(6, reads(20))
	if got := l.alarms(); len(got) != 1 || got[0].ClearedAt == nil {
		l.t.Errorf("after it was back: %+v", got)
	}
}

// A device with a clock of its own, which is right, sends on. Its readings are taken for what they are; what lies more
// than a day ahead of us is refused.
func TestADeviceWithAClockOfItsOwn(t *testing.T) {
	for _, by := range leaps {
		if by < -24*time.Hour {
			continue
		}
		t.Run(by.String(), func(t *testing.T) {
			t.Parallel()
			l := withHands(t)
			l.expect("d", time.Second)
			own := start
			reads := func(v float64) func() {
				return func() {
					own += 1000
					l.send(measure.Sample{Name: "temp", At: own, Value: v})
				}
			}
			l.raisesInTime(by, 0, reads)
		})
	}
}

// A device on our machine, or one that keeps its time by us, leaps with us, however far its clock is behind.
func TestADeviceWhoseClockLeapsWithOurs(t *testing.T) {
	for _, behind := range []measure.Instant{0, 30_000} {
		for _, by := range append(leaps, 0) {
			t.Run(fmt.Sprint(int64(behind), " ", by), func(t *testing.T) {
				t.Parallel()
				l := withHands(t)
				l.expect("d", time.Second)
				reads := func(v float64) func() {
					return func() { l.send(measure.Sample{Name: "temp", At: l.Now() - behind, Value: v}) }
				}
				l.raisesInTime(by, int(behind/1000), reads)
			})
		}
	}
}

// A guard that was saved before the clock was set back looks on, for whoever reads anew how it stands.
func TestAGuardLooksOnAfterALeap(t *testing.T) {
	eachLeap(t, func(t *testing.T, l leaping, by time.Duration) {
		l.guarded(2)
		l.leap(by)
		l.live(2, l.reads(20))
		// all is read anew
		l.must(configure.AddDevice(context.Background(), l.bench.Pipeline, &site.Device{Name: "another"},
			configure.Secret{Hash: [32]byte{9}}, tester))
		l.live(5, l.reads(35))
		if got := l.alarms(); len(got) != 1 || got[0].RaisedAt.Sub(l.Now()).Abs() > 5*time.Second {
			t.Errorf("at %v: %+v", l.Now(), got)
		}
	})
}

// One reading lies ahead. What comes after it, by the device's clock as it was, is looked at.
func TestOneReadingAheadBlindsNothing(t *testing.T) {
	for _, behind := range []measure.Instant{0, 30_000} { // how far the device's clock is behind
		t.Run(fmt.Sprint(behind), func(t *testing.T) {
			l := withHands(t)
			reads := func(v float64) func() {
				return func() { l.send(measure.Sample{Name: "temp", At: l.Now() - behind, Value: v}) }
			}
			l.live(3, reads(20))
			l.hot(3)
			l.hands.Pass(time.Second)
			ahead := measure.Sample{Name: "temp", At: l.Now() + 90_000, Value: 21}
			l.send(ahead)
			l.live(3, reads(35))
			if out := l.send(ahead); out.Accepted != 1 {
				t.Errorf("the same again: %+v", out)
			}
			l.live(2, reads(35))
			if got := l.alarms(); len(got) != 1 {
				t.Fatalf("beyond for five seconds: %+v", got)
			}
			late := 0
			for _, r := range l.readings("temp") {
				if r.Quality&measure.Late != 0 {
					late++
				}
			}
			if n := len(l.readings("temp")); n != 9 || late != 0 {
				t.Errorf("%d readings, %d of them late", n, late)
			}
			s, err := config.Signal(context.Background(), l.store, "d", "temp")
			if err != nil || *s.Value != 35 {
				t.Errorf("it reads %v, %v", *s.Value, err)
			}
		})
	}
}

// What comes late is late, also of a device whose clock is ahead.
func TestLateIsLateThoughTheClockIsAhead(t *testing.T) {
	l := withHands(t)
	reads := func(v float64) func() {
		return func() { l.send(measure.Sample{Name: "temp", At: l.Now() + 90_000, Value: v}) }
	}
	l.live(3, reads(20))
	l.hot(1)
	l.live(30, reads(20))
	l.send(measure.Sample{Name: "temp", At: l.Now() + 90_000 - 12_300, Value: 35})
	l.live(1, reads(20))
	if got := l.alarms(); len(got) != 0 {
		t.Errorf("%+v", got)
	}
	for _, r := range l.readings("temp") {
		if (r.Value == 35) != (r.Quality == measure.Late) {
			t.Errorf("%v", r)
		}
	}
}
