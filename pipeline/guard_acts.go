package pipeline

import (
	"context"
	"fmt"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/store"
)

// SaveGuard stores a new guard (ID 0) or changes one. The guard steps the value that holds at once
// (semantics 16).
func (p *Pipeline) SaveGuard(ctx context.Context, g *alarm.Guard, who string) error {
	return p.Do(ctx, func(t *Turn) error {
		if err := t.saveGuard(g, who); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

func (t *Turn) saveGuard(g *alarm.Guard, who string) error {
	s, err := t.live.find(g.Signal)
	if err != nil {
		return err
	}
	if err := t.fitGuard(g, s); err != nil {
		return err
	}
	if err := t.nameGuard(g); err != nil {
		return err
	}
	entry := t.live.guards[g.ID]
	kind := "guard added"
	if g.ID != 0 {
		if entry == nil {
			return store.ErrNotFound
		}
		if entry.signal != s {
			return &measure.Fault{Field: "signal", Reason: fmt.Sprintf("a guard stays with its signal, %s; add another guard for %s", entry.signal.Path(), g.Signal)}
		}
		kind, g.FromKit, g.OutOfUse, g.Shelved = "guard changed", entry.FromKit, entry.OutOfUse, entry.Shelved
		t.step(entry, alarm.Event{Kind: alarm.DueInstant, At: t.Now - s.state.Lag()}, "")
		if err := t.tellAll(); err != nil { // in the words that the guard had
			return err
		}
	}
	if entry != nil && entry.Name != g.Name {
		if err := t.Tx.RenameGuard(t.ctx, entry.Name, g.Name, t.CommitNo); err != nil {
			return err
		}
		if err := t.renameDriver(entry.Name, g.Name); err != nil {
			return err
		}
	}
	g.MadeAt = t.Now
	if err := t.Tx.SaveGuard(t.ctx, g, s.ID); err != nil {
		return err
	}
	t.touched = true
	if entry == nil {
		entry = t.live.guard(*g, s)
	}
	otherSilence := (entry.When.Kind == alarm.Silent) != (g.When.Kind == alarm.Silent) // each kind counts its own
	entry.Guard = *g
	if err := t.live.prepare(t.ctx, t.Tx, entry); err != nil {
		return err
	}
	t.startGuard(entry, otherSilence, who)
	t.reconsiderAll()
	if err := t.tellAll(); err != nil {
		return err
	}
	if g.When.Kind == alarm.Faulty {
		if err := t.endSignalAlarm(&s.state.FaultAlarm, t.Now, s.state.Value, alarm.EndChanged, "guard "+g.Name+" looks for it now"); err != nil {
			return err
		}
		t.changed(s)
	}
	if err := t.restate(entry, who); err != nil {
		return err
	}
	return t.Enter(kind, g.Name, who, fmt.Sprintf("Guard %s: %s", g.Name, guardSays(g)))
}

// startGuard lets a guard step the value that holds; anew: the silence that it counted is another one's.
func (t *Turn) startGuard(g *guardLive, anew bool, who string) {
	s := g.signal
	g.state.Held, g.state.HeldAt = s.held(&g.Guard)
	begin := alarm.Event{Kind: alarm.Begin, At: t.Now, Off: t.live.off(g)}
	if anew {
		begin.Value = 1
	}
	t.step(g, begin, who)
	g.begunAt = g.state.Stepped
	if s.state.SilentAt != 0 && g.When.Kind != alarm.Silent {
		t.step(g, alarm.Event{Kind: alarm.Silence, At: g.begunAt}, "")
	}
	if g.When.Kind == alarm.Silent {
		due := t.Now
		s.device.state.DueAt = &due
		t.lifeChanged(s.device)
	}
}

// guardSays tells what a guard looks for.
func guardSays(g *alarm.Guard) string {
	text := ""
	for i := range g.Count() {
		text += fmt.Sprintf("%s %s, %s; ", g.Signal, g.At(i).When, g.At(i).Severity)
	}
	return strings.TrimSuffix(text, "; ")
}

// fitGuard checks a guard against its signal, and brings what it says into the signal's unit.
func (t *Turn) fitGuard(g *alarm.Guard, s *signalLive) error {
	convert, err := unitOf(g.Unit, s)
	if err != nil {
		return err
	}
	for i := range g.Count() {
		r := g.At(i)
		if r.When, err = s.understood(r.When); err != nil {
			return err
		}
		if !r.When.Suits(s.Kind) {
			return &measure.Fault{Field: "when", Reason: fmt.Sprintf("'%s' does not suit %s, which %s", r.When, g.Signal, suits[s.Kind])}
		}
		r.Clears = alarm.Test{}
		if g.Unit != "" {
			r.In(convert)
		}
		if known := s.clearsOf(r); known.Kind != 0 {
			r.Clears = known
		}
	}
	g.Unit = ""
	if err := g.Check(); err != nil {
		return err
	}
	if err := roster.CheckTemplates(g.Templates); err != nil {
		return err
	}
	if err := t.checkTell("tell", g.Tell); err != nil {
		return err
	}
	if s.derived != nil && (g.When.Kind == alarm.Stuck || g.When.Kind == alarm.Faulty) {
		return &measure.Fault{Field: "when", Reason: fmt.Sprintf("%s is computed and has no instrument; guard what it is computed from", g.Signal)}
	}
	return t.fitSuppression(g)
}

// clearsOf gives when a rung clears that asks what a saved guard of the signal does: that one's limits may have been given in
// another unit, in which they were computed, and this one's may have come there and back. Of others it is found out anew.
func (s *signalLive) clearsOf(r *alarm.Rung) alarm.Test {
	for _, g := range s.guards {
		for i := range g.Count() {
			if saved := g.At(i); saved.When == r.When && saved.Deadband == r.Deadband {
				return saved.Clears
			}
		}
	}
	return alarm.Test{}
}

// suits says what tests suit a signal of a kind.
var suits = map[string]string{
	site.KindNumber: "holds numbers; write 'above X', 'below X', 'outside A..B' and the like",
	site.KindSwitch: "is on or off; write 'is on' or 'is off'",
	site.KindText:   "holds text; write 'is \"WORD\"' or 'is not \"WORD\"'",
	site.KindData:   "holds data; 'silent for 10m' is what can be asked of it",
}

// fitSuppression checks that what suppresses a guard is there and can be asked.
func (t *Turn) fitSuppression(g *alarm.Guard) error {
	if g.Suppressed == "" {
		return nil
	}
	by, err := alarm.ParseSuppression(g.Suppressed)
	if err != nil {
		return err
	}
	if by.Guard != "" {
		other, err := t.guardNamed(by.Guard)
		switch {
		case err != nil:
			return &measure.Fault{Field: "suppressed_while", Reason: strings.TrimSuffix(err.Error(), ": "+store.ErrNotFound.Error())}
		case other.ID == g.ID && g.ID != 0:
			return &measure.Fault{Field: "suppressed_while", Reason: "a guard's own alarm cannot suppress it"}
		}
		return nil
	}
	s, err := t.live.find(by.Signal)
	if err != nil {
		return &measure.Fault{Field: "suppressed_while", Reason: strings.TrimPrefix(err.Error(), "signal: ")}
	}
	if by.When, err = s.understood(by.When); err != nil {
		return &measure.Fault{Field: "suppressed_while", Reason: strings.TrimPrefix(err.Error(), "when: ")}
	}
	g.Suppressed = by.String()
	if !by.When.Suits(s.Kind) {
		return &measure.Fault{Field: "suppressed_while", Reason: fmt.Sprintf("'%s' does not suit %s, which %s", by.When, by.Signal, suits[s.Kind])}
	}
	return nil
}

// nameGuard names a guard that has no name, and sees that no other has it.
func (t *Turn) nameGuard(g *alarm.Guard) error {
	names := map[string]bool{}
	for _, other := range t.live.guards {
		names[other.Name] = other.ID != g.ID
	}
	if g.Name == "" {
		stem := site.NameFrom(g.Signal + " " + g.When.String())
		stem = strings.TrimRight(stem[:min(len(stem), 60)], "-")
		g.Name = stem
		for n := 2; names[g.Name]; n++ {
			g.Name = fmt.Sprintf("%s-%d", stem, n)
		}
	}
	if names[g.Name] {
		return fmt.Errorf("guard %s %w", g.Name, store.ErrTaken)
	}
	return nil
}

// RemoveGuard removes a guard by name. A standing alarm of it is over with that as its cause.
func (p *Pipeline) RemoveGuard(ctx context.Context, name, who string) error {
	return p.Do(ctx, func(t *Turn) error {
		g, err := t.guardNamed(name)
		if err != nil {
			return err
		}
		if i := t.live.drivenByGuard(name, nil); i != nil {
			return fmt.Errorf("guard %s drives %s by interlock %s; remove that first: %w", name, i.Output, i.Name, ErrNotNow)
		}
		if err := t.keepGuard(g, who); err != nil {
			return err
		}
		t.endGuard(g, who, "")
		if err := t.Tx.RemoveGuard(t.ctx, g.ID); err != nil {
			return err
		}
		if err := t.Enter("guard removed", name, who, "Guard "+name+" was removed"); err != nil {
			return err
		}
		if err := t.tellAll(); err != nil {
			return err
		}
		if err := t.dropHelper(g.signal, who); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

// endGuard lets a guard that is about to be removed make its last step. A why says what took it along; empty: it was
// removed itself.
func (t *Turn) endGuard(g *guardLive, who, why string) {
	t.step(g, alarm.Event{Kind: alarm.DueInstant, At: t.Now - g.signal.state.Lag()}, "")
	t.because(why, func() { t.step(g, alarm.Event{Kind: alarm.End, At: t.Now}, who) })
	t.touched, t.alarmsMoved = true, true
	delete(t.live.guards, g.ID)
}

func (t *Turn) guardNamed(name string) (*guardLive, error) {
	names := make([]string, 0, len(t.live.guards))
	for _, g := range t.live.guards {
		if g.Name == name {
			return g, nil
		}
		names = append(names, g.Name)
	}
	return nil, fmt.Errorf("%s: %w", site.Unknown("guard", name, names), store.ErrNotFound)
}

// Missed notes that something went wrong at an instant and a guard raised no alarm.
func (p *Pipeline) Missed(ctx context.Context, name string, at measure.Instant, note, who string) error {
	return p.Do(ctx, func(t *Turn) error {
		g, err := t.guardNamed(name)
		if err != nil {
			return err
		}
		if at > t.Now || at <= 0 {
			return &measure.Fault{Field: "at", Reason: fmt.Sprintf("%s is not in the past", at)}
		}
		if err := t.Tx.AddMissed(t.ctx, g.Name, at, strings.TrimSpace(note), who, t.Now); err != nil {
			return err
		}
		return t.Enter("alarm missed", g.Name, who, fmt.Sprintf("Guard %s missed something at %s", g.Name, at))
	})
}

func (t *Turn) deviceNames() []string {
	names := make([]string, 0, len(t.live.byName))
	for name := range t.live.byName {
		names = append(names, name)
	}
	return names
}
