package pipeline

import (
	"maps"
	"slices"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/store"
)

// unheardAfter is how long, after an absence of ours, a device without an interval may say nothing before its delays go on.
const unheardAfter = time.Minute

// onItsWay is how long after the service was last seen to be up a reading may have been measured that was on its way when it
// went down.
const onItsWay = time.Second

// noteAbsence lets delays stand still that were running when no process of the service was up: from the last note that one was,
// until their device is heard again (docs/semantics.md 14). It is asked in the first turn of a process, and in the first after
// turns that failed because the database was away.
func (t *Turn) noteAbsence() error {
	last, others, err := t.Tx.LastBeat(t.ctx)
	if up := t.p.upAt.Load(); up != nil && up.Leapt != nil {
		last = max(last, up.At+measure.Instant(t.leapt-*up.Leapt))
	}
	for _, s := range t.live.signals { // what was committed shows it too
		if last != 0 && s.state.ReceivedAt <= t.Now {
			last = max(last, s.state.ReceivedAt)
		}
	}
	if err != nil || last == 0 || others && t.Now.Sub(last) <= downAfter {
		return err
	}
	if err := t.Tx.NoteReturn(t.ctx, t.Now); err != nil {
		return err
	}
	last = min(last, t.Now)
	if what := t.whatWasAway(); t.Now.Sub(last) < store.BlindFrom { // a longer one is told, and entered then
		if err := t.enterOutage(what, last, t.Now); err != nil {
			return err
		}
	}
	t.pauseDelays(last)
	for _, id := range slices.Sorted(maps.Keys(t.live.devices)) {
		t.countAnew(t.live.devices[id])
	}
	for _, o := range t.live.outputs {
		if o.Compare(t.Now); o.DiffersSince != nil && o.AlarmID == nil { // what it said meanwhile nobody heard
			now := t.Now
			o.DiffersSince = &now
			t.consider(o)
		}
	}
	return nil
}

// whatWasAway names what an absence was of: a process that was at work has lost the database, one that begins or stood still was
// away itself.
func (t *Turn) whatWasAway() string {
	if t.p.upAt.Load() != nil && t.p.unsure.Load() {
		return "the database"
	}
	return "the service"
}

// pauseDelays lets the delays that run stand still from an instant on, of guards and of interlocks' conditions.
func (t *Turn) pauseDelays(from measure.Instant) {
	for _, id := range slices.Sorted(maps.Keys(t.live.guards)) {
		if g := t.live.guards[id]; g.When.Kind != alarm.Silent && g.state.Delayed(&g.Guard) {
			t.step(g, alarm.Event{Kind: alarm.Silence, At: from - g.signal.state.Lag()}, "")
			t.markAbsent(g.signal.device, from)
		}
	}
	for _, id := range slices.Sorted(maps.Keys(t.live.locks)) {
		if i := t.live.locks[id]; i.signal != nil && i.When != "" && i.broken == "" && i.state.Delayed(&i.cond) {
			t.stepLock(i, alarm.Event{Kind: alarm.Silence, At: from - i.signal.state.Lag()})
			t.mayLook(i)
			t.markAbsent(i.signal.device, from)
		}
	}
}

func (t *Turn) markAbsent(d *deviceLive, from measure.Instant) {
	if d.state.AbsentFrom == 0 {
		d.state.AbsentFrom = from
	}
	d.state.AbsentUntil = t.Now
	t.wakeAt(d, t.Now)
}

// countAnew begins again what was being counted towards other alarms of a device when the service went away.
func (t *Turn) countAnew(d *deviceLive) {
	if d.state.LateSince != 0 && d.state.ClockAlarmID == nil {
		d.state.LateSince = t.Now
		t.lifeChanged(d)
	}
	if d.state.AbsentFrom != 0 {
		d.state.AbsentUntil = t.Now
		t.wakeAt(d, t.Now)
	}
	for _, s := range d.signals {
		if own := t.Now - s.state.Lag(); s.state.FaultSince != 0 && s.state.FaultAlarm == nil && s.state.FaultSince < own {
			s.state.FaultSince = own
			t.changed(s)
		}
	}
}

// patience is how long, after an absence of ours, nothing may be heard of a device before its delays go on.
func (d *deviceLive) patience() time.Duration {
	longest := d.Interval
	for _, s := range d.signals {
		longest = max(longest, s.interval())
	}
	if longest == 0 {
		return unheardAfter
	}
	return silenceLimit(longest)
}

// spanAbsence takes a reading that was measured while the service was away and follows on from what was known, as the next one
// of a device that keeps what it cannot send: the value before it held until then, and delays did not stand still. A reading
// without a time tells nothing of the absence.
func (t *Turn) spanAbsence(s *signalLive, e *entry) {
	d, lag := s.device, s.state.Lag()
	next := s.state.HeldAt.Add(time.Duration(s.interval()) * 3 / 2)
	next = max(next, (d.state.AbsentFrom - lag).Add(onItsWay))
	if !e.untimed && e.at <= next && e.at < d.state.AbsentUntil-lag {
		t.eachWaiting(s, func(since measure.Instant) measure.Instant { return since })
	}
}

// heardAfterAbsence lets the delays go on of a device that is heard again: those of its signals that sent nothing yet.
func (t *Turn) heardAfterAbsence(d *deviceLive, at measure.Instant) {
	if d.state.AbsentFrom == 0 {
		return
	}
	t.resume(d, at)
	d.state.AbsentFrom, d.state.AbsentUntil = 0, 0
	t.wakeAt(d, at)
}

// resume lets the delays of a device go on from an instant, by each signal's own time, but for signals that are silent.
func (t *Turn) resume(d *deviceLive, at measure.Instant) {
	for _, name := range slices.Sorted(maps.Keys(d.signals)) {
		s := d.signals[name]
		t.eachWaiting(s, func(measure.Instant) measure.Instant { return at - s.state.Lag() })
	}
}

// eachWaiting lets the delays that stand still, of guards and interlocks of a signal and of what is derived from it, go on from
// the instant that when gives for the one since which they stand still.
func (t *Turn) eachWaiting(s *signalLive, when func(since measure.Instant) measure.Instant) {
	if s.state.SilentAt != 0 {
		return
	}
	for _, g := range s.guards {
		if since := g.state.SilentSince; since != 0 && g.When.Kind != alarm.Silent {
			t.step(g, alarm.Event{Kind: alarm.Resume, At: when(since)}, "")
		}
	}
	for _, i := range s.locks {
		if since := i.state.SilentSince; since != 0 {
			t.stepLock(i, alarm.Event{Kind: alarm.Resume, At: when(since)})
			t.mayLook(i)
		}
	}
	for _, f := range s.feeds {
		t.eachWaiting(f.derived.signal, when)
	}
}

// provisional tells whether an alarm that is raised now may be disproved by readings that are still to come: its device is
// catching up, or was not heard since the service was away.
func (d *deviceLive) provisional() bool { return d.state.CatchingSince != 0 || d.state.AbsentFrom != 0 }
