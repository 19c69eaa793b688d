package silence

import (
	"fmt"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/notice"
	"jauntylark/pipeline/output"
)

// Turn is a turn in which devices are heard, or not.
type Turn struct{ *output.Turn }

// New makes a turn of what is in memory, whose messages have addresses.
func New(m *memory.Turn, l notice.Links) *Turn { return &Turn{output.New(m, l)} }

// HearFrom notes a reading that arrived from a device: its silence is over, and its gateway's.
func (t *Turn) HearFrom(d *memory.Device, at measure.Instant) error {
	d.Hear(at)
	if d.State.SilentSince != 0 {
		if err := t.EndSilence(d, at, alarm.EndBack, ""); err != nil {
			return err
		}
	}
	if d.Gateway != nil && d.Gateway.State.SilentSince != 0 {
		return t.EndSilence(d.Gateway, at, alarm.EndBack, "")
	}
	return nil
}

// EndSilence lets a device count as heard again. Those behind it that are still silent get as long
// again to make themselves heard, since they could not while it was away.
func (t *Turn) EndSilence(d *memory.Device, at measure.Instant, why alarm.Ending, cause string) error {
	d.State.SilentSince = 0
	t.WakeAt(d, at)
	t.seeAgain(d, at)
	for _, b := range d.Members {
		if b.State.SilentSince != 0 && b.State.AlarmID == nil {
			b.State.SilentSince, b.State.CountedFrom = 0, at
			t.WakeAt(b, at)
		}
	}
	return t.EndDeviceAlarm(d, &d.State.AlarmID, at, why, cause)
}

// judge sees whether a device or one of its signals has fallen silent, and when to look again.
// Silence is counted in arrival time while the ways in were up (docs/semantics.md 11).
func (t *Turn) judge(d *memory.Device, upSince measure.Instant) error {
	from := max(upSince, d.State.CountedFrom)
	var next *measure.Instant
	// silentAt gives the instant at which a thing fell silent; 0: it has not.
	silentAt := func(heard measure.Instant, limit time.Duration) measure.Instant {
		if limit == 0 || heard == 0 {
			return 0
		}
		at := max(heard, from).Add(limit)
		if at <= t.Now {
			return at
		}
		if next == nil || at < *next {
			next = &at
		}
		return 0
	}
	for _, s := range d.Signals {
		limit := memory.SilenceLimit(s.EffectiveInterval())
		switch {
		case s.Derived != nil && s.Interval == 0: // it falls silent with what it is made of
		case s.State.SilentAt != 0 && limit == 0: // nothing is expected of it any more
			s.State.SilentAt = 0
			t.Changed(s)
			t.Reconsider(s.Suppresses, t.Now)
		case s.State.SilentAt == 0:
			if at := silentAt(s.State.ReceivedAt, limit); at != 0 {
				t.silence(s, at)
			}
		}
	}
	if d.State.SilentSince == 0 {
		if at := silentAt(d.Heard, memory.SilenceLimit(d.Interval)); at != 0 {
			if err := t.goSilent(d, at); err != nil {
				return err
			}
		}
	}
	for _, s := range d.Signals {
		for _, g := range s.Guards {
			if g.When.Kind != alarm.Silent || g.State.SilentSince != 0 {
				continue
			}
			if at := silentAt(s.State.ReceivedAt, time.Duration(g.When.Length())); at != 0 {
				t.Step(g, alarm.Event{Kind: alarm.Silence, At: at - s.State.Lag()}, "")
			}
		}
	}
	if until := d.State.AbsentUntil; until != 0 {
		if at := until.Add(d.Patience()); at <= t.Now {
			t.resume(d, at)
			d.State.AbsentUntil = 0
		} else if next == nil || at < *next {
			next = &at
		}
	}
	d.State.DueAt = next
	t.DeviceChanged(d)
	return nil
}

// silence lets the delays of a signal's guards stand still, and of all that is derived from it.
func (t *Turn) silence(s *memory.Signal, at measure.Instant) {
	s.State.SilentAt = at
	t.Changed(s)
	for _, f := range s.Feeds {
		if into := f.Derived.Into; into.State.SilentAt == 0 && into.State.At != 0 {
			t.silence(into, at)
		}
	}
	for _, g := range s.Guards {
		if g.When.Kind != alarm.Silent { // it has a limit of its own
			t.Step(g, alarm.Event{Kind: alarm.Silence, At: at - s.State.Lag()}, "")
		}
	}
	t.StepInterlocks(s, alarm.Event{Kind: alarm.Silence, At: at - s.State.Lag()})
	t.Reconsider(s.Suppresses, at-s.State.Lag())
}

// goSilent makes a device silent. One behind a gateway that is silent too is told with the gateway.
func (t *Turn) goSilent(d *memory.Device, at measure.Instant) error {
	d.State.SilentSince = at
	t.DeviceChanged(d)
	t.seeAgain(d, at)
	gateway := d.Gateway
	if gateway != nil && gateway.SilenceAlarm {
		if gateway.State.AlarmID == nil && t.GatewayQuiet(gateway) {
			gateway.State.SilentSince = at
			if err := t.raiseSilence(gateway, at); err != nil {
				return err
			}
		}
		if gateway.State.AlarmID != nil {
			return t.enterDevice("device silent", d, "Device "+d.Name+" is silent behind "+gateway.Name)
		}
	}
	if !d.SilenceAlarm {
		return t.enterDevice("device silent", d, "Device "+d.Name+" is silent")
	}
	return t.raiseSilence(d, at)
}

// seeAgain has what goes by the text and data of a device look again: they are silent only as long as the device is.
func (t *Turn) seeAgain(d *memory.Device, at measure.Instant) {
	for _, s := range d.Signals {
		if s.Worded() && s.State.SilentAt == 0 {
			t.Reconsider(s.Suppresses, at)
			if d.State.SilentSince != 0 {
				t.StepInterlocks(s, alarm.Event{Kind: alarm.Silence, At: at - s.State.Lag()})
			}
		}
	}
}

func (t *Turn) raiseSilence(d *memory.Device, at measure.Instant) error {
	title := site.Title(d.Title, d.Name)
	sentence := title + " is silent"
	if n := len(d.Members); n == 1 {
		sentence += " with the device behind it"
	} else if n > 1 {
		sentence += fmt.Sprintf(" with the %d devices behind it", n)
	}
	a := alarm.Alarm{Kind: alarm.BySilence, Value: at.Sub(d.Heard).Seconds(), Unit: "s", Sentence: sentence,
		When:   "silent",
		Advice: "Look whether it has power and network."}
	if d.Interval != 0 {
		a.When = "silent for " + measure.Duration(memory.SilenceLimit(d.Interval)).String()
	}
	return t.RaiseDeviceAlarm(d, &d.State.AlarmID, a, at)
}

func (t *Turn) enterDevice(kind string, d *memory.Device, text string) error {
	return t.Enter(kind, d.Name, "", text)
}
