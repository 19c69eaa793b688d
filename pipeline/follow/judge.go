package follow

import (
	"fmt"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/quality"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/pipeline/memory"
)

// Judge marks an entry by what is known of its signal's instrument.
func Judge(s *memory.Signal, e *memory.Reading) {
	if s.Kind != site.KindNumber && s.Kind != site.KindSwitch {
		return
	}
	after, q := quality.Judge(&s.Rules, s.State.State, e.At, e.Value)
	s.State.State, e.Quality = after, e.Quality|q
}

// powerSlack is by how much two tellings of one power-on may differ.
const powerSlack = 5000

// LookAtDoubtful lets the guards of a signal look at a reading of no use: those that look for silence or for marks, and
// those that take a side of the span for dangerous (docs/semantics.md 8). It tells whether one of these took it for a
// value beyond its limit.
func (t *Turn) LookAtDoubtful(s *memory.Signal, e *memory.Reading, value float64) (taken bool) {
	for _, g := range s.Guards {
		counted, looks := g.Sees(value, e.Quality, s.BeyondSpan(e.Value, e.At))
		if !looks {
			continue
		}
		t.StepReading(g, e.At, counted)
		s.State.SteppedAt = e.At
		if g.When.Measured() {
			taken = true
			s.State.BeyondAt, s.State.BeyondRaw = e.At, e.Value
		}
	}
	for _, i := range s.Interlocks {
		if i.When == "" {
			continue
		}
		if counted, looks := i.Cond.Sees(value, e.Quality, s.BeyondSpan(e.Value, e.At)); looks {
			t.StepInterlock(i, alarm.Event{Kind: alarm.NewReading, At: e.At, Value: counted})
			taken = true
			s.State.SteppedAt, s.State.BeyondAt, s.State.BeyondRaw = e.At, e.At, e.Value
		}
	}
	return taken
}

// Weigh raises a sensor fault when nothing but readings that cannot be believed came for a set time, and ends
// it at the first that can.
func (t *Turn) Weigh(s *memory.Signal, e *memory.Reading, taken bool) error {
	st := &s.State
	var fault bool
	st.State, fault = st.State.Faulty(&s.Rules, e.At, e.Quality, taken)
	switch {
	case fault && st.FaultAlarm == nil && !s.WatchesFaults():
		return t.raiseSensorFault(s, e)
	case st.FaultSince == 0 && st.FaultAlarm != nil && e.Quality&measure.Warming == 0:
		return t.EndSignalAlarm(&st.FaultAlarm, e.At, s.Timeline.At(e.At).Apply(e.Value), alarm.EndBack, "")
	}
	return nil
}

func (t *Turn) raiseSensorFault(s *memory.Signal, e *memory.Reading) error {
	thing := roster.Thing(site.Title(s.Home.Title, s.Home.Name), site.Title(s.Title, s.Name))
	reads := s.Figure(e.Value, t.Site.Settings.Units)
	why, when := fmt.Sprintf("it has not moved from %s", reads), "stuck"
	if e.Quality&measure.Implausible != 0 {
		why, when = fmt.Sprintf("it reads %s, which the instrument cannot truly give", reads), "implausible"
	}
	a := alarm.Alarm{Kind: alarm.BySensor, Signal: s.Path(), RaisedAt: s.FaultAt(s.State.FaultSince), Value: e.Value,
		Unit: s.Unit, When: when + " for " + s.FaultLength().String(),
		Sentence: fmt.Sprintf("%s is not to be believed: %s", thing, why),
		Advice:   "Look whether the sensor is in its place, clean and wired."}
	id, err := t.RaiseSignalAlarm(s, a)
	s.State.FaultAlarm = &id
	return err
}

// NotePowerOn notes when the devices of a pack got power, by their signals that count the seconds since.
func (t *Turn) NotePowerOn(entries []memory.Reading) {
	for i := range entries {
		e := &entries[i]
		d := e.Signal.Home
		if d.Uptime == "" || e.Signal.Name != d.Uptime || !(e.Value >= 0) {
			continue
		}
		seconds, err := measure.Convert(e.Value, e.Signal.Unit, "s")
		if err != nil {
			seconds = e.Value
		}
		t.PowerOn(d, e.At-measure.Instant(seconds*1000))
	}
}

// PowerOn lets the sensors of a device warm up from an instant on.
func (t *Turn) PowerOn(d *memory.Device, at measure.Instant) {
	for _, s := range d.Signals {
		if s.WarmUp > 0 && at > s.State.WarmFrom+powerSlack {
			t.Changed(s)
			s.State.State = s.State.PowerOn(at)
		}
	}
}
