package pipeline

import (
	"context"
	"fmt"
	"math"
	"strings"
	"time"

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
	entry.state.Held, entry.state.HeldAt = s.held(&entry.Guard)
	begin := alarm.Event{Kind: alarm.Begin, At: t.Now, Off: t.live.off(entry)}
	if otherSilence {
		begin.Value = 1
	}
	t.step(entry, begin, who)
	entry.begunAt = entry.state.Stepped
	if s.state.SilentAt != 0 && g.When.Kind != alarm.Silent {
		t.step(entry, alarm.Event{Kind: alarm.Silence, At: entry.begunAt}, "")
	}
	t.reconsiderAll()
	if g.When.Kind == alarm.Silent {
		due := t.Now
		s.device.state.DueAt = &due
		t.lifeChanged(s.device)
	}
	if err := t.tellAll(); err != nil {
		return err
	}
	if err := t.restate(entry, who); err != nil {
		return err
	}
	return t.Enter(kind, g.Name, who, fmt.Sprintf("Guard %s: %s", g.Name, guardSays(g)))
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
		if !r.When.Suits(s.Kind) {
			return &measure.Fault{Field: "when", Reason: fmt.Sprintf("'%s' does not suit %s, which %s", r.When, g.Signal, suits[s.Kind])}
		}
		if g.Unit != "" {
			r.Deadband = math.Abs(convert(r.Deadband) - convert(0)) // a width
			r.When = r.When.In(convert)
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
		t.endGuard(g, who)
		if err := t.Tx.RemoveGuard(t.ctx, g.ID); err != nil {
			return err
		}
		if err := t.Enter("guard removed", name, who, "Guard "+name+" was removed"); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

// endGuard lets a guard that is about to be removed make its last step.
func (t *Turn) endGuard(g *guardLive, who string) {
	t.step(g, alarm.Event{Kind: alarm.DueInstant, At: t.Now - g.signal.state.Lag()}, "")
	t.step(g, alarm.Event{Kind: alarm.End, At: t.Now}, who)
	t.touched = true
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

// PutOutOfService takes a guard out of service, with why, or puts it back (why nil). What stands is over with that as its cause.
func (p *Pipeline) PutOutOfService(ctx context.Context, name string, why *string, who string) (alarm.Guard, error) {
	return p.pause(ctx, name, func(t *Turn, g *guardLive) (string, string, error) {
		if why == nil {
			if g.OutOfUse == nil {
				return "", "", fmt.Errorf("guard %s is in service: %w", name, ErrNotNow)
			}
			g.OutOfUse = nil
			return "guard in service", fmt.Sprintf("Guard %s is in service again", name), nil
		}
		if strings.TrimSpace(*why) == "" {
			return "", "", &measure.Fault{Field: "why", Reason: "is missing; say why, for who finds the guard silent"}
		}
		g.OutOfUse = &alarm.Pause{By: who, Why: strings.TrimSpace(*why), At: t.Now}
		return "guard out of service", fmt.Sprintf("Guard %s is out of service: %s", name, g.OutOfUse.Why), nil
	}, who)
}

// The bounds of shelving.
const (
	minShelf = time.Minute
	maxShelf = 30 * 24 * time.Hour
)

// Shelve keeps a guard's alarms from being told until an instant, but for those that are worse than what stands now, or
// than its first rung where nothing stands (docs/semantics.md 19).
func (p *Pipeline) Shelve(ctx context.Context, name string, until measure.Instant, why, who string) (alarm.Guard, error) {
	return p.pause(ctx, name, func(t *Turn, g *guardLive) (string, string, error) {
		switch length := until.Sub(t.Now); {
		case strings.TrimSpace(why) == "":
			return "", "", &measure.Fault{Field: "why", Reason: "is missing; say why, for who finds the alarm shelved"}
		case length < minShelf || length > maxShelf:
			return "", "", &measure.Fault{Field: "until", Reason: fmt.Sprintf("%s is not between a minute and 30 days from now", until)}
		}
		severity := g.Severity
		for side, id := range g.alarms {
			if id == 0 {
				continue
			}
			a, err := t.Tx.Alarm(t.ctx, id)
			if err != nil {
				return "", "", err
			}
			if g.alarms[1-side] == 0 || a.Severity.Above(severity) {
				severity = a.Severity
			}
			a.Shelved = true
			if err := t.Tx.SaveAlarm(t.ctx, &a, t.CommitNo); err != nil {
				return "", "", err
			}
			if err := t.Tx.EndEscalation(t.ctx, id); err != nil {
				return "", "", err
			}
		}
		g.Shelved = &alarm.Pause{By: who, Why: strings.TrimSpace(why), At: t.Now, Until: &until, Severity: severity}
		return "guard shelved", fmt.Sprintf("Guard %s is shelved until %s: %s", name, until, g.Shelved.Why), nil
	}, who)
}

// Unshelve ends a guard's shelving now.
func (p *Pipeline) Unshelve(ctx context.Context, name, who string) (alarm.Guard, error) {
	return p.pause(ctx, name, func(t *Turn, g *guardLive) (string, string, error) {
		if g.Shelved == nil {
			return "", "", fmt.Errorf("guard %s is not shelved: %w", name, ErrNotNow)
		}
		g.Shelved = nil
		return "guard unshelved", fmt.Sprintf("Guard %s is shelved no more", name), t.tellUnshelved(g)
	}, who)
}

// pause changes whether a guard is heard, and writes that down.
func (p *Pipeline) pause(ctx context.Context, name string, change func(*Turn, *guardLive) (kind, text string, err error), who string) (out alarm.Guard, err error) {
	err = p.Do(ctx, func(t *Turn) error {
		g, err := t.guardNamed(name)
		if err != nil {
			return err
		}
		t.touched = true
		t.step(g, alarm.Event{Kind: alarm.DueInstant, At: t.Now - g.signal.state.Lag()}, "")
		if err := t.tellAll(); err != nil {
			return err
		}
		kind, text, err := change(t, g)
		if err != nil {
			return err
		}
		if err := t.Tx.PauseGuard(t.ctx, g.ID, g.OutOfUse, g.Shelved); err != nil {
			return err
		}
		if err := t.Enter(kind, name, who, text); err != nil {
			return err
		}
		t.reconsider([]*guardLive{g}, t.Now)
		out = g.Guard
		return t.ConfigChanged()
	})
	return out, err
}

// endShelves ends the shelving of guards whose time has come.
func (t *Turn) endShelves() error {
	ids, err := t.Tx.ShelvesDue(t.ctx, t.Now)
	if err != nil || len(ids) == 0 {
		return err
	}
	for _, id := range ids {
		g := t.live.guards[id]
		t.touched = true
		g.Shelved = nil
		if err := t.Tx.PauseGuard(t.ctx, id, g.OutOfUse, nil); err != nil {
			return err
		}
		if err := t.Enter("guard unshelved", g.Name, "", fmt.Sprintf("Guard %s is shelved no more: its time is over", g.Name)); err != nil {
			return err
		}
		if err := t.tellUnshelved(g); err != nil {
			return err
		}
	}
	return t.ConfigChanged()
}

// tellUnshelved tells of the alarms of a guard that stand and were shelved.
func (t *Turn) tellUnshelved(g *guardLive) error {
	for _, id := range g.alarms {
		if id == 0 {
			continue
		}
		a, err := t.Tx.Alarm(t.ctx, id)
		if err != nil {
			return err
		}
		a.Shelved = false
		if err := t.Tx.SaveAlarm(t.ctx, &a, t.CommitNo); err != nil {
			return err
		}
		test, err := alarm.ParseTest(a.When)
		if err != nil {
			return err
		}
		if a.AcknowledgedAt != nil || a.ToldWith != nil {
			continue
		}
		a.Value = g.state.Held // what it reads now
		if err := t.tellAnew(story{Alarm: a, test: test, device: g.signal.device, guard: g, kind: roster.Raise}, g.Tell); err != nil {
			return err
		}
	}
	return nil
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
