package pipeline

import (
	"context"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/wall"
	"jauntylark/store"
)

type guardLive struct {
	alarm.Guard
	signal     *signalLive
	state      alarm.State
	begunAt    measure.Instant // readings at or before it are not stepped
	alarms     [2]int64        // the standing alarm of each side; 0: none
	suppressor alarm.Suppression
	suppresses []*guardLive // guards that do not look while this one's alarm stands
	newest     newestStep
}

// newestStep is what a guard of a derived signal did at its newest instant, to be done again if another reading of
// that instant is still to come.
type newestStep struct {
	before, after alarm.State
	untold        bool // it came to nothing that was told
}

// happening is one transition with the guard, its state after it, and the person behind it.
type happening struct {
	guard *guardLive
	alarm.Transition
	off alarm.Off
	who string
	why string // what ended an alarm, where the transition does not say; empty: it does
}

// prepare compiles what a guard says in words: its armed hours, what suppresses it, the numbers of its texts.
func (l *live) prepare(ctx context.Context, tx *store.Tx, g *guardLive) error {
	zone, err := time.LoadLocation(l.site.Zone)
	if err != nil {
		zone = time.UTC
	}
	calendar, err := wall.NewCalendar(g.Armed, zone, l.site.Holidays)
	if err != nil {
		return err
	}
	g.In(calendar)
	g.suppressor = alarm.Suppression{}
	if g.Suppressed != "" {
		if g.suppressor, err = alarm.ParseSuppression(g.Suppressed); err != nil {
			return err
		}
	}
	for _, test := range []*alarm.Test{&g.When, &g.suppressor.When} {
		if test.Kind != alarm.IsWord && test.Kind != alarm.IsNotWord {
			continue
		}
		numbers, err := tx.Words(ctx, []string{test.Word})
		if err != nil {
			return err
		}
		test.A = float64(numbers[test.Word])
	}
	return nil
}

// suppressions joins each guard with what suppresses it. What is not there suppresses nothing.
func (l *live) suppressions() {
	byName := map[string]*guardLive{}
	for _, g := range l.guards {
		byName[g.Name], g.suppresses = g, nil
	}
	for _, s := range l.signals {
		s.suppresses = nil
	}
	for _, g := range l.guards {
		if other := byName[g.suppressor.Guard]; other != nil {
			other.suppresses = append(other.suppresses, g)
		}
		if g.suppressor.Signal != "" {
			if s, err := l.find(g.suppressor.Signal); err == nil {
				s.suppresses = append(s.suppresses, g)
			}
		}
	}
}

// off gives the reasons why a guard does not look, but for armed hours. A signal that is silent suppresses nothing.
func (l *live) off(g *guardLive) (off alarm.Off) {
	if g.OutOfUse != nil {
		off |= alarm.OutOfUse
	}
	switch {
	case g.suppressor.Signal != "":
		s, err := l.find(g.suppressor.Signal)
		if err == nil && s.state.HeldAt != 0 && !s.unheard() && g.suppressor.When.Met(s.state.Held) {
			off |= alarm.Suppressed
		}
	case g.suppressor.Guard != "":
		for _, other := range l.guards {
			if other.Name == g.suppressor.Guard && other.state.Raised() {
				off |= alarm.Suppressed
			}
		}
	}
	return off
}

// reconsider lets guards look, or look no more, when what suppresses them has changed at an instant.
func (t *Turn) reconsider(guards []*guardLive, at measure.Instant) {
	for _, g := range guards {
		if off := t.live.off(g); off != g.state.Off&^alarm.OutOfHours {
			t.step(g, alarm.Event{Kind: alarm.Arming, At: at, Off: off}, "")
		}
	}
}

// reconsiderAll does so for all guards that something may suppress: what does may have gone, or have another name.
func (t *Turn) reconsiderAll() {
	t.live.suppressions()
	for _, g := range t.live.guards {
		if g.Suppressed != "" {
			t.reconsider([]*guardLive{g}, t.Now)
		}
	}
}

// step moves a guard by one event.
func (t *Turn) step(g *guardLive, e alarm.Event, who string) {
	before := g.state.Kept
	g.state, t.room = alarm.Step(&g.Guard, g.state, e, t.room[:0])
	for _, tr := range t.room {
		t.happened = append(t.happened, happening{guard: g, Transition: tr, off: g.state.Off, who: who})
	}
	moved := g.state.Kept != before
	if e.Kind != alarm.NewReading && g.state.Stepped > max(g.begunAt, g.signal.state.SteppedAt) { // for every process, not this one alone
		g.begunAt, moved = g.state.Stepped, true
	}
	if moved || e.Kind == alarm.Begin {
		t.keep(g)
	}
	if e.Kind != alarm.NewReading && e.Kind != alarm.Amended && (moved || e.Kind != alarm.DueInstant) {
		event := store.GuardEvent{Guard: g.ID, Event: e, SignalStepped: g.signal.state.SteppedAt}
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

// beginGuard steps a guard whose signal reads another value than it did, or whose hours are others; why says which.
func (t *Turn) beginGuard(g *guardLive, at measure.Instant, who, why string) {
	t.because(why, func() { t.step(g, alarm.Event{Kind: alarm.Begin, At: at, Off: t.live.off(g)}, who) })
}

// because lets what happens in do have a cause in words.
func (t *Turn) because(why string, do func()) {
	before := len(t.happened)
	do()
	for i := before; i < len(t.happened); i++ {
		t.happened[i].why = why
	}
}

// stepReading lets a guard look at a reading of its signal.
func (t *Turn) stepReading(g *guardLive, at measure.Instant, value float64) {
	wasSilent := g.When.Kind == alarm.Silent && g.state.SilentSince != 0
	t.step(g, alarm.Event{Kind: alarm.NewReading, At: at, Value: value}, "")
	if wasSilent {
		t.wakeAt(g.signal.device, t.Now)
	}
}

// keep has the state of a guard saved.
func (t *Turn) keep(g *guardLive) {
	t.touched = true
	if t.guards == nil {
		t.guards = map[int64]*guardLive{}
	}
	t.guards[g.ID] = g
}

func (t *Turn) saveGuards() error {
	kept := make([]store.GuardState, 0, len(t.guards))
	for id, g := range t.guards {
		if t.live.guards[id] != g {
			continue // removed in this turn
		}
		k := store.GuardState{Guard: id, Kept: g.state.Kept, BegunAt: g.begunAt}
		if due := g.state.Due(&g.Guard); due != 0 {
			due += g.signal.state.Lag() // by our clock
			k.DueAt = &due
		}
		if g.alarms[alarm.High] != 0 {
			k.AlarmID = &g.alarms[alarm.High]
		}
		if g.alarms[alarm.Low] != 0 {
			k.LowAlarmID = &g.alarms[alarm.Low]
		}
		kept = append(kept, k)
	}
	if err := t.Tx.SaveGuardStates(t.ctx, kept, t.CommitNo); err != nil {
		return err
	}
	err := t.Tx.AddGuardEvents(t.ctx, t.events)
	t.events = nil
	return err
}
