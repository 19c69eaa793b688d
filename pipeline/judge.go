package pipeline

import (
	"fmt"
	"slices"

	"jauntylark/core/alarm"
	"jauntylark/core/calibrate"
	"jauntylark/core/measure"
	"jauntylark/core/quality"
	"jauntylark/core/roster"
	"jauntylark/core/site"
)

// judge marks an entry by what is known of its signal's instrument.
func (s *signalLive) judge(e *entry) {
	if s.Kind != site.KindNumber && s.Kind != site.KindSwitch {
		return
	}
	after, q := quality.Judge(&s.Rules, s.state.State, e.at, e.value)
	s.state.State, e.quality = after, e.quality|q
}

// lookAtDoubtful lets the guards of a signal look at a reading of no use: those that look for silence or for marks, and
// those that take a side of the span for dangerous (docs/semantics.md 8). It tells whether one of these took it for a
// value beyond its limit.
func (t *Turn) lookAtDoubtful(s *signalLive, e *entry, value float64) (taken bool) {
	for _, g := range s.guards {
		counted, looks := g.Sees(value, e.quality, s.beyond(e.value, e.at))
		if !looks {
			continue
		}
		t.stepReading(g, e.at, counted)
		s.state.SteppedAt = e.at
		if g.When.Measured() {
			taken = true
			s.state.BeyondAt, s.state.BeyondRaw = e.at, e.value
		}
	}
	for _, i := range s.locks {
		if i.When == "" {
			continue
		}
		if counted, looks := i.cond.Sees(value, e.quality, s.beyond(e.value, e.at)); looks {
			t.stepLock(i, alarm.Event{Kind: alarm.NewReading, At: e.at, Value: counted})
			taken = true
			s.state.SteppedAt, s.state.BeyondAt, s.state.BeyondRaw = e.at, e.at, e.value
		}
	}
	return taken
}

// beyond tells on which side of the span, in true values, a raw value lies, unless the instrument fails to that side.
func (s *signalLive) beyond(raw float64, at measure.Instant) alarm.Beyond {
	return beyond(&s.Rules, s.timeline, raw, at)
}

func beyond(rules *quality.Rules, timeline calibrate.Timeline, raw float64, at measure.Instant) alarm.Beyond {
	side := rules.Beyond(raw)
	switch {
	case side == quality.Neither || rules.Fails(side):
		return alarm.Within
	case (side == quality.High) != timeline.At(at).Falls():
		return alarm.BeyondHigh
	}
	return alarm.BeyondLow
}

// held gives what a guard of the signal holds: the newest usable reading, or one beyond the span that came
// after it and that the guard looks at.
func (s *signalLive) held(g *alarm.Guard) (value float64, at measure.Instant) {
	st := &s.state
	switch {
	case g.When.Kind >= alarm.Silent:
		value, _ := g.Sees(st.Value, st.Quality, alarm.Within)
		return value, st.At
	case st.BeyondAt > st.HeldAt:
		if counted, looks := g.Sees(s.timeline.At(st.BeyondAt).Apply(st.BeyondRaw), measure.Implausible, s.beyond(st.BeyondRaw, st.BeyondAt)); looks {
			return counted, st.BeyondAt
		}
	}
	return st.Held, st.HeldAt
}

// weigh raises a sensor fault when nothing but readings that cannot be believed came for a set time, and ends
// it at the first that can.
func (t *Turn) weigh(s *signalLive, e *entry, taken bool) error {
	st := &s.state
	var fault bool
	st.State, fault = st.State.Faulty(&s.Rules, e.at, e.quality, taken)
	switch {
	case fault && st.FaultAlarm == nil && !s.ownFault():
		return t.raiseSensorFault(s, e)
	case st.FaultSince == 0 && st.FaultAlarm != nil && e.quality&measure.Warming == 0:
		return t.endSignalAlarm(&st.FaultAlarm, e.at, s.timeline.At(e.at).Apply(e.value), alarm.EndBack, "")
	}
	return nil
}

// ownFault tells whether a guard of somebody's own looks for faults of the signal in place of the built-in one.
func (s *signalLive) ownFault() bool {
	return slices.ContainsFunc(s.guards, func(g *guardLive) bool { return g.When.Kind == alarm.Faulty })
}

func (t *Turn) raiseSensorFault(s *signalLive, e *entry) error {
	thing := roster.Thing(site.Title(s.device.Title, s.device.Name), site.Title(s.Title, s.Name))
	reads := s.Figure(e.value, t.live.site.Units)
	why, when := fmt.Sprintf("it has not moved from %s", reads), "stuck"
	if e.quality&measure.Implausible != 0 {
		why, when = fmt.Sprintf("it reads %s, which the instrument cannot truly give", reads), "implausible"
	}
	a := alarm.Alarm{Kind: alarm.BySensor, Signal: s.Path(), RaisedAt: s.FaultAt(s.state.FaultSince), Value: e.value, Unit: s.Unit, When: when + " for " + s.FaultLength().String(),
		Sentence: fmt.Sprintf("%s is not to be believed: %s", thing, why), Advice: "Look whether the sensor is in its place, clean and wired."}
	id, err := t.raiseSignalAlarm(s, a)
	s.state.FaultAlarm = &id
	return err
}

// raiseSignalAlarm raises an alarm of a signal that no guard stands behind, as severely as the most severe of
// the signal's guards and to whom these tell; without any, as an alarm of the device.
func (t *Turn) raiseSignalAlarm(s *signalLive, a alarm.Alarm) (int64, error) {
	severity, tell := rosterOfGuards(s.guards)
	if len(s.guards) == 0 {
		severity, tell = t.rosterOf(s.device)
	}
	if a.Kind == alarm.BySensor {
		severity, tell = said(s.Faults.Over(s.device.Faults), severity, tell)
	}
	if len(tell) == 0 {
		var err error
		if tell, err = t.ownTell(); err != nil {
			return 0, err
		}
	}
	if a.Severity == "" {
		a.Severity = severity
	}
	a.State, a.LearnedAt, a.Extreme = alarm.StateRaised, t.Now, a.Value
	if err := t.Tx.AddAlarm(t.ctx, &a, t.CommitNo); err != nil {
		return 0, err
	}
	if err := t.enter(a, "alarm raised", happening{Transition: alarm.Transition{At: a.RaisedAt, Value: a.Value}}, a.Sentence); err != nil {
		return 0, err
	}
	return a.ID, t.tellAnew(story{Alarm: a, kind: roster.Raise, device: s.device}, tell)
}

// endSignalAlarm lets a standing alarm of a signal be over.
func (t *Turn) endSignalAlarm(standing **int64, at measure.Instant, value float64, why alarm.Ending, cause string) error {
	if *standing == nil {
		return nil
	}
	a, err := t.Tx.Alarm(t.ctx, **standing)
	if err != nil {
		return err
	}
	*standing = nil
	at, a.ClearedValue = a.End(at, why, cause), &value
	return t.over(a, happening{Transition: alarm.Transition{At: at, Value: value}}, alarm.Test{})
}

// endAlarmsOf lets the alarms of a signal that goes be over, but for those of its guards.
func (t *Turn) endAlarmsOf(s *signalLive, cause string) error {
	due, err := t.Tx.DueAlarm(t.ctx, s.ID)
	if err != nil {
		return err
	}
	for _, standing := range []**int64{&s.state.FaultAlarm, &due} {
		if err := t.endSignalAlarm(standing, t.Now, s.state.Value, alarm.EndUnwatched, cause); err != nil {
			return err
		}
	}
	return nil
}

// powerSlack is by how much two tellings of one power-on may differ.
const powerSlack = 5000

// notePowerOn notes when the devices of a pack got power, by their signals that count the seconds since.
func (t *Turn) notePowerOn(entries []entry) {
	for i := range entries {
		e := &entries[i]
		d := e.signal.device
		if d.Uptime == "" || e.signal.Name != d.Uptime || !(e.value >= 0) {
			continue
		}
		seconds, err := measure.Convert(e.value, e.signal.Unit, "s")
		if err != nil {
			seconds = e.value
		}
		t.powerOn(d, e.at-measure.Instant(seconds*1000))
	}
}

// powerOn lets the sensors of a device warm up from an instant on.
func (t *Turn) powerOn(d *deviceLive, at measure.Instant) {
	for _, s := range d.signals {
		if s.WarmUp > 0 && at > s.state.WarmFrom+powerSlack {
			t.touched = true
			s.state.State = s.state.PowerOn(at)
			t.changed(s)
		}
	}
}
