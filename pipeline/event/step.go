package event

import (
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/pipeline/memory"
	"jauntylark/store/events"
)

// Happening is one transition with the guard, its state after it, and the person behind it.
type Happening struct {
	Guard *memory.Guard
	alarm.Transition
	Off alarm.Off
	Who string
	Why string // what ended an alarm, where the transition does not say; empty: it does
}

// Turn is a turn in which guards are stepped: what happens is gathered, and written into the journal.
type Turn struct {
	*memory.Turn
	Happened    []Happening
	room        []alarm.Transition
	events      []events.GuardEvent // what happened to guards besides readings
	AlarmsMoved bool                // some alarm was raised, is over or is another now
}

// New makes a turn of what is in memory.
func New(m *memory.Turn) *Turn { return &Turn{Turn: m} }

// Reconsider lets guards look, or look no more, when what suppresses them has changed at an instant.
func (t *Turn) Reconsider(guards []*memory.Guard, at measure.Instant) {
	for _, g := range guards {
		if off := t.Site.Off(g); off != g.State.Off&^alarm.OutOfHours {
			t.Step(g, alarm.Event{Kind: alarm.Arming, At: at, Off: off}, "")
		}
	}
}

// ReconsiderAll does so for all guards that something may suppress: what does may have gone, or have another name.
func (t *Turn) ReconsiderAll() {
	t.Site.LinkSuppressions()
	for _, g := range t.Site.Guards {
		if g.Suppressed != "" {
			t.Reconsider([]*memory.Guard{g}, t.Now)
		}
	}
}

// Step moves a guard by one event.
func (t *Turn) Step(g *memory.Guard, e alarm.Event, who string) {
	before := g.State.Kept
	g.State, t.room = alarm.Step(&g.Guard, g.State, e, t.room[:0])
	for _, tr := range t.room {
		t.Happened = append(t.Happened, Happening{Guard: g, Transition: tr, Off: g.State.Off, Who: who})
	}
	moved := g.State.Kept != before
	// for every process, not this one alone
	if e.Kind != alarm.NewReading && g.State.Stepped > max(g.BegunAt, g.Subject.State.SteppedAt) {
		g.BegunAt, moved = g.State.Stepped, true
	}
	if moved || e.Kind == alarm.Begin {
		t.GuardChanged(g)
	}
	if e.Kind != alarm.NewReading && e.Kind != alarm.Amended && (moved || e.Kind != alarm.DueInstant) {
		event := events.GuardEvent{Guard: g.ID, Event: e, SignalStepped: g.Subject.State.SteppedAt}
		if e.Kind == alarm.Moved { // a replay comes to it before what was stepped next
			event.SignalStepped -= max(0, measure.Instant(e.Value))
		}
		if e.Kind == alarm.Begin {
			version := g.Guard
			event.Version = &version
		}
		t.events = append(t.events, event)
	}
}

// BeginGuard steps a guard whose signal reads another value than it did, or whose hours are others; why says which.
func (t *Turn) BeginGuard(g *memory.Guard, at measure.Instant, who, why string) {
	t.Because(why, func() { t.Step(g, alarm.Event{Kind: alarm.Begin, At: at, Off: t.Site.Off(g)}, who) })
}

// Because lets what happens in do have a cause in words.
func (t *Turn) Because(why string, do func()) {
	before := len(t.Happened)
	do()
	for i := before; i < len(t.Happened); i++ {
		t.Happened[i].Why = why
	}
}

// StepReading lets a guard look at a reading of its signal.
func (t *Turn) StepReading(g *memory.Guard, at measure.Instant, value float64) {
	wasSilent := g.When.Kind == alarm.Silent && g.State.SilentSince != 0
	t.Step(g, alarm.Event{Kind: alarm.NewReading, At: at, Value: value}, "")
	if wasSilent {
		t.WakeAt(g.Subject.Home, t.Now)
	}
}

// SaveEvents writes down what happened to guards besides readings.
func (t *Turn) SaveEvents() error {
	err := events.AddGuardEvents(t.Ctx, t.Tx, t.events)
	t.events = nil
	return err
}

// Ended says why a transition ended an alarm that was raised by a test. What still meets it, and of which nothing has
// come since the guard was changed, is not back.
func (h *Happening) Ended(test alarm.Test) (alarm.Ending, string) {
	why, cause := h.Guard.Ended(h.Transition, h.Off)
	switch {
	case h.Cause == alarm.Reset:
		cause = h.Who + " reset it"
	case h.Why != "" && h.Cause == alarm.End:
		cause = h.Why
	case h.Why != "" && (why == alarm.EndBack || why == alarm.EndChanged):
		why, cause = alarm.EndChanged, h.Why
	case why == alarm.EndBack && test.Met(h.Value) && h.Guard.Unread():
		why, cause = alarm.EndChanged, "the guard was changed"
	}
	return why, cause
}

// SweepAfter is how long after delays have ended they are looked at: readings that are on their way come first.
const SweepAfter = time.Second
