package silence

import (
	"maps"
	"slices"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/memory"
	"jauntylark/store/events"
)

// onItsWay is how long after the service was last seen to be up a reading may have been measured that was on its way
// when it went down.
const onItsWay = time.Second

// leapKind is the kind of the journal's entries about the clock.
const leapKind = "clock changed"

// NoteAbsence lets delays stand still that were running when no process of the service was up: from the last note that
// one was, until their device is heard again (docs/semantics.md 14). It is asked in the first turn of a process, and in
// the first after turns that failed because the database was away.
func (t *Turn) NoteAbsence() error {
	last, others, err := events.LastBeat(t.Ctx, t.Tx)
	last = max(last, t.LastUp)
	for _, s := range t.Site.Signals { // what was committed shows it too
		if last != 0 && s.State.ReceivedAt <= t.Now {
			last = max(last, s.State.ReceivedAt)
		}
	}
	if err != nil || last == 0 || others && t.Now.Sub(last) <= commit.DownAfter {
		return err
	}
	if err := events.NoteReturn(t.Ctx, t.Tx, t.Now); err != nil {
		return err
	}
	last = min(last, t.Now)
	if what := t.whatWasAway(); t.Now.Sub(last) < events.BlindFrom { // a longer one is told, and entered then
		if err := t.EnterOutage(what, last, t.Now); err != nil {
			return err
		}
	}
	t.pauseDelays(last)
	for _, id := range slices.Sorted(maps.Keys(t.Site.Devices)) {
		t.countAnew(t.Site.Devices[id])
	}
	for _, o := range t.Site.Outputs {
		if o.Compare(t.Now); o.DiffersSince != nil && o.AlarmID == nil { // what it said meanwhile nobody heard
			now := t.Now
			o.DiffersSince = &now
			t.Consider(o)
		}
	}
	return nil
}

// whatWasAway names what an absence was of: a process that was at work has lost the database, one that begins or stood
// still was away itself.
func (t *Turn) whatWasAway() string {
	if t.LostDatabase {
		return "the database"
	}
	return "the service"
}

// pauseDelays lets the delays that run stand still from an instant on, of guards and of interlocks' conditions.
func (t *Turn) pauseDelays(from measure.Instant) {
	for _, id := range slices.Sorted(maps.Keys(t.Site.Guards)) {
		if g := t.Site.Guards[id]; g.When.Kind != alarm.Silent && g.State.Delayed(&g.Guard) {
			t.Step(g, alarm.Event{Kind: alarm.Silence, At: from - g.Subject.State.Lag()}, "")
			t.markAbsent(g.Subject.Home, from)
		}
	}
	for _, id := range slices.Sorted(maps.Keys(t.Site.Interlocks)) {
		if i := t.Site.Interlocks[id]; i.Subject != nil && i.When != "" && i.Broken == "" && i.State.Delayed(&i.Cond) {
			t.StepInterlock(i, alarm.Event{Kind: alarm.Silence, At: from - i.Subject.State.Lag()})
			t.MayLook(i)
			t.markAbsent(i.Subject.Home, from)
		}
	}
}

func (t *Turn) markAbsent(d *memory.Device, from measure.Instant) {
	if d.State.AbsentFrom == 0 {
		d.State.AbsentFrom = from
	}
	d.State.AbsentUntil = t.Now
	t.WakeAt(d, t.Now)
}

// countAnew begins again what was being counted towards other alarms of a device when the service went away.
func (t *Turn) countAnew(d *memory.Device) {
	if d.State.LateSince != 0 && d.State.ClockAlarmID == nil {
		d.State.LateSince = t.Now
		t.DeviceChanged(d)
	}
	if d.State.AbsentFrom != 0 {
		d.State.AbsentUntil = t.Now
		t.WakeAt(d, t.Now)
	}
	for _, s := range d.Signals {
		if own := t.Now - s.State.Lag(); s.State.FaultSince != 0 && s.State.FaultAlarm == nil &&
			s.State.FaultSince < own {
			s.State.FaultSince = own
			t.Changed(s)
		}
	}
}

// SpanAbsence takes a reading that was measured while the service was away and follows on from what was known, as the
// next one of a device that keeps what it cannot send: the value before it held until then, and delays did not stand
// still. A reading without a time tells nothing of the absence.
func (t *Turn) SpanAbsence(s *memory.Signal, e *memory.Reading) {
	d, lag := s.Home, s.State.Lag()
	next := s.State.HeldAt.Add(time.Duration(s.EffectiveInterval()) * 3 / 2)
	next = max(next, (d.State.AbsentFrom - lag).Add(onItsWay))
	if !e.Untimed && e.At <= next && e.At < d.State.AbsentUntil-lag {
		t.eachWaiting(s, func(since measure.Instant) measure.Instant { return since })
	}
}

// HeardAfterAbsence lets the delays go on of a device that is heard again: those of its signals that sent nothing yet.
func (t *Turn) HeardAfterAbsence(d *memory.Device, at measure.Instant) {
	if d.State.AbsentFrom == 0 {
		return
	}
	t.resume(d, at)
	d.State.AbsentFrom, d.State.AbsentUntil = 0, 0
	t.WakeAt(d, at)
}

// resume lets the delays of a device go on from an instant, by each signal's own time, but for signals that are silent.
func (t *Turn) resume(d *memory.Device, at measure.Instant) {
	for _, name := range slices.Sorted(maps.Keys(d.Signals)) {
		s := d.Signals[name]
		t.eachWaiting(s, func(measure.Instant) measure.Instant { return at - s.State.Lag() })
	}
}

// eachWaiting lets the delays that stand still, of guards and interlocks of a signal and of what is derived from it, go
// on from the instant that when gives for the one since which they stand still.
func (t *Turn) eachWaiting(s *memory.Signal, when func(since measure.Instant) measure.Instant) {
	if s.State.SilentAt != 0 {
		return
	}
	for _, g := range s.Guards {
		if since := g.State.SilentSince; since != 0 && g.When.Kind != alarm.Silent {
			t.Step(g, alarm.Event{Kind: alarm.Resume, At: when(since)}, "")
		}
	}
	for _, i := range s.Interlocks {
		if since := i.State.SilentSince; since != 0 {
			t.StepInterlock(i, alarm.Event{Kind: alarm.Resume, At: when(since)})
			t.MayLook(i)
		}
	}
	for _, f := range s.Feeds {
		t.eachWaiting(f.Derived.Into, when)
	}
}

// AfterLeap enters a leap, and has what goes by the wall look at it anew.
func (t *Turn) AfterLeap(by time.Duration) error {
	for _, i := range t.Site.Interlocks {
		if i.Calendar != nil {
			t.MayLook(i)
		}
	}
	return t.Enter(leapKind, t.Site.Settings.Name, "", roster.LeapWords(by))
}
