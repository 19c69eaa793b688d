package configure

import (
	"context"
	"fmt"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/reading"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// SaveGuard stores a new guard (ID 0) or changes one. The guard steps the value that holds at once
// (semantics 16).
func SaveGuard(ctx context.Context, p *pipeline.Pipeline, g *alarm.Guard, who string) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		if err := StoreGuard(t, g, who); err != nil {
			return err
		}
		return nil
	})
}

// StoreGuard stores a guard, new or in place of the one of its number, checked by FitGuardIn.
func StoreGuard(t *reading.Turn, g *alarm.Guard, who string) error {
	s, err := t.Site.FindSignal(g.Signal)
	if err != nil {
		return err
	}
	if err := FitGuardIn(t, g, s); err != nil {
		return err
	}
	if err := nameGuard(t, g); err != nil {
		return err
	}
	entry := t.Site.Guards[g.ID]
	kind := "guard added"
	if g.ID != 0 {
		if entry == nil {
			return store.ErrNotFound
		}
		if entry.Subject != s {
			return &measure.Fault{Field: "signal",
				Reason: fmt.Sprintf("a guard stays with its signal, %s; add another guard for %s", entry.Subject.Path(),
					g.Signal)}
		}
		kind, g.FromKit, g.OutOfUse, g.Shelved = "guard changed", entry.FromKit, entry.OutOfUse, entry.Shelved
		t.Step(entry, alarm.Event{Kind: alarm.DueInstant, At: t.Now - s.State.Lag()}, "")
		if err := t.TellAll(); err != nil { // in the words that the guard had
			return err
		}
	}
	if entry != nil && entry.Name != g.Name {
		if err := config.RenameGuard(t.Ctx, t.Tx, entry.Name, g.Name, t.CommitNo); err != nil {
			return err
		}
		if err := renameDriver(t, entry.Name, g.Name); err != nil {
			return err
		}
	}
	g.MadeAt = t.Now
	t.ConfigChanged(s.Home.Change())
	if err := config.SaveGuard(t.Ctx, t.Tx, g, s.ID); err != nil {
		return err
	}
	if entry == nil {
		entry = t.Site.AddGuard(*g, s)
	}
	otherSilence := (entry.When.Kind == alarm.Silent) != (g.When.Kind == alarm.Silent) // each kind counts its own
	entry.Guard = *g
	if err := t.Site.Prepare(t.Ctx, t.Tx, entry); err != nil {
		return err
	}
	startGuard(t, entry, otherSilence, who)
	t.ReconsiderAll()
	if err := t.TellAll(); err != nil {
		return err
	}
	if g.When.Kind == alarm.Faulty {
		if err := t.EndSignalAlarm(&s.State.FaultAlarm, t.Now, s.State.Value, alarm.EndChanged, "guard "+g.Name+
			" looks for it now"); err != nil {
			return err
		}
		t.Changed(s)
	}
	if err := t.Restate(entry, who); err != nil {
		return err
	}
	return t.Enter(kind, g.Name, who, fmt.Sprintf("Guard %s: %s", g.Name, guardSays(g)))
}

// startGuard lets a guard step the value that holds; anew: the silence that it counted is another one's.
func startGuard(t *reading.Turn, g *memory.Guard, anew bool, who string) {
	s := g.Subject
	g.State.Held, g.State.HeldAt = s.HeldBy(&g.Guard)
	begin := alarm.Event{Kind: alarm.Begin, At: t.Now, Off: t.Site.Off(g)}
	if anew {
		begin.Value = 1
	}
	t.Step(g, begin, who)
	g.BegunAt = g.State.Stepped
	if s.State.SilentAt != 0 && g.When.Kind != alarm.Silent {
		t.Step(g, alarm.Event{Kind: alarm.Silence, At: g.BegunAt}, "")
	}
	if g.When.Kind == alarm.Silent {
		due := t.Now
		s.Home.State.DueAt = &due
		t.DeviceChanged(s.Home)
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

// FitGuardIn checks a guard against its signal, and brings what it says into the signal's unit.
func FitGuardIn(t *reading.Turn, g *alarm.Guard, s *memory.Signal) error {
	convert, err := UnitOf(g.Unit, s)
	if err != nil {
		return err
	}
	for i := range g.Count() {
		r := g.At(i)
		if r.When, err = s.Understood(r.When); err != nil {
			return err
		}
		if !r.When.Suits(s.Kind) {
			return &measure.Fault{Field: "when", Reason: fmt.Sprintf("'%s' does not suit %s, which %s", r.When,
				g.Signal, memory.Suits[s.Kind])}
		}
		r.Clears = alarm.Test{}
		if g.Unit != "" {
			r.In(convert)
		}
		if known := s.ClearsOf(r); known.Kind != 0 {
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
	if err := t.Site.CheckTell("tell", g.Tell); err != nil {
		return err
	}
	if s.Derived != nil && (g.When.Kind == alarm.Stuck || g.When.Kind == alarm.Faulty) {
		return &measure.Fault{Field: "when",
			Reason: fmt.Sprintf("%s is computed and has no instrument; guard what it is computed from", g.Signal)}
	}
	return fitSuppression(t, g)
}

// fitSuppression checks that what suppresses a guard is there and can be asked.
func fitSuppression(t *reading.Turn, g *alarm.Guard) error {
	if g.Suppressed == "" {
		return nil
	}
	by, err := alarm.ParseSuppression(g.Suppressed)
	if err != nil {
		return err
	}
	if by.Guard != "" {
		other, err := t.Site.FindGuard(by.Guard)
		switch {
		case err != nil:
			return &measure.Fault{Field: "suppressed_while", Reason: strings.TrimSuffix(err.Error(), ": "+
				store.ErrNotFound.Error())}
		case other.ID == g.ID && g.ID != 0:
			return &measure.Fault{Field: "suppressed_while", Reason: "a guard's own alarm cannot suppress it"}
		}
		return nil
	}
	s, err := t.Site.FindSignal(by.Signal)
	if err != nil {
		return &measure.Fault{Field: "suppressed_while", Reason: strings.TrimPrefix(err.Error(), "signal: ")}
	}
	if by.When, err = s.Understood(by.When); err != nil {
		return &measure.Fault{Field: "suppressed_while", Reason: strings.TrimPrefix(err.Error(), "when: ")}
	}
	g.Suppressed = by.String()
	if !by.When.Suits(s.Kind) {
		return &measure.Fault{Field: "suppressed_while", Reason: fmt.Sprintf("'%s' does not suit %s, which %s", by.When,
			by.Signal, memory.Suits[s.Kind])}
	}
	return nil
}

// nameGuard names a guard that has no name, and sees that no other has it.
func nameGuard(t *reading.Turn, g *alarm.Guard) error {
	names := map[string]bool{}
	for _, other := range t.Site.Guards {
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
func RemoveGuard(ctx context.Context, p *pipeline.Pipeline, name, who string) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		g, err := t.Site.FindGuard(name)
		if err != nil {
			return err
		}
		if i := t.Site.DrivenByGuard(name, nil); i != nil {
			return fmt.Errorf("guard %s drives %s by interlock %s; remove that first: %w", name, i.Output, i.Name,
				commit.ErrNotNow)
		}
		if err := keepGuard(t, g, who); err != nil {
			return err
		}
		endGuard(t, g, who, "")
		if err := config.RemoveGuard(t.Ctx, t.Tx, g.ID); err != nil {
			return err
		}
		if err := t.Enter("guard removed", name, who, "Guard "+name+" was removed"); err != nil {
			return err
		}
		if err := t.TellAll(); err != nil {
			return err
		}
		if err := dropHelper(t, g.Subject, who); err != nil {
			return err
		}
		t.ConfigChanged(g.Subject.Home.Change())
		return nil
	})
}

// endGuard lets a guard that is about to be removed make its last step. A why says what took it along; empty: it was
// removed itself.
func endGuard(t *reading.Turn, g *memory.Guard, who, why string) {
	t.Step(g, alarm.Event{Kind: alarm.DueInstant, At: t.Now - g.Subject.State.Lag()}, "")
	t.Because(why, func() { t.Step(g, alarm.Event{Kind: alarm.End, At: t.Now}, who) })
	t.Alter(g.Subject.Home)
	t.AlarmsMoved = true
	delete(t.Site.Guards, g.ID)
}

// Missed notes that something went wrong at an instant and a guard raised no alarm.
func Missed(ctx context.Context, p *pipeline.Pipeline, name string, at measure.Instant, note, who string) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		g, err := t.Site.FindGuard(name)
		if err != nil {
			return err
		}
		if at > t.Now || at <= 0 {
			return &measure.Fault{Field: "at", Reason: fmt.Sprintf("%s is not in the past", at)}
		}
		if err := events.AddMissed(t.Ctx, t.Tx, g.Name, at, strings.TrimSpace(note), who, t.Now); err != nil {
			return err
		}
		return t.Enter("alarm missed", g.Name, who, fmt.Sprintf("Guard %s missed something at %s", g.Name, at))
	})
}

// UnitOf gives what brings values in a unit into a signal's.
func UnitOf(unit measure.Unit, s *memory.Signal) (func(float64) float64, error) {
	same := func(v float64) float64 { return v }
	if unit == "" || unit == s.Unit {
		return same, nil
	}
	if !unit.Known() {
		return nil, &measure.Fault{Field: "unit", Reason: site.UnknownUnit(unit)}
	}
	convert, err := measure.Converter(unit, s.Unit)
	if err != nil {
		return nil, &measure.Fault{Field: "unit", Reason: fmt.Sprintf("%s is in %q, and %v", s.Path(), s.Unit, err)}
	}
	return convert, nil
}
