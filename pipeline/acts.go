package pipeline

import (
	"context"
	"errors"
	"fmt"
	"math"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
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
	entry := t.live.guards[g.ID]
	kind := "guard added"
	if g.ID != 0 {
		if entry == nil {
			return store.ErrNotFound
		}
		if entry.signal != s {
			return &measure.Fault{Field: "signal", Reason: fmt.Sprintf("a guard stays with its signal, %s; add another guard for %s", entry.signal.Path(), g.Signal)}
		}
		kind, g.FromKit = "guard changed", entry.FromKit
		t.step(entry, alarm.Event{Kind: alarm.DueInstant, At: t.Now - s.state.Lag()}, "")
	}
	if err := t.Tx.SaveGuard(t.ctx, g, s.ID); err != nil {
		return err
	}
	t.touched = true
	if entry == nil {
		entry = t.live.guard(*g, s)
	}
	entry.Guard = *g
	entry.state.Held, entry.state.HeldAt = s.held(g)
	t.step(entry, alarm.Event{Kind: alarm.Begin, At: t.Now}, who)
	entry.begunAt = entry.state.Stepped
	if s.state.SilentAt != 0 {
		t.step(entry, alarm.Event{Kind: alarm.Silence, At: entry.begunAt}, "")
	}
	return t.Enter(kind, g.Name, who, fmt.Sprintf("Guard %s: %s %s, %s", g.Name, g.Signal, g.When, g.Severity))
}

// fitGuard checks a guard against its signal and the other guards, and names it if it has no name.
func (t *Turn) fitGuard(g *alarm.Guard, s *signalLive) error {
	if s.Kind == site.KindText || s.Kind == site.KindData {
		return &measure.Fault{Field: "signal", Reason: fmt.Sprintf("%s holds %s; a guard needs numbers, or on and off", g.Signal, s.Kind)}
	}
	if convert, err := unitOf(g.Unit, s); err != nil {
		return err
	} else if g.Unit != "" {
		g.Deadband = math.Abs(convert(g.Deadband) - convert(0)) // a width
		g.When, g.Unit = g.When.In(convert), ""
	}
	if g.When.Switched() != (s.Kind == site.KindSwitch) {
		if s.Kind == site.KindSwitch {
			return &measure.Fault{Field: "when", Reason: fmt.Sprintf("'%s' needs numbers, but %s is on or off; write 'is on' or 'is off'", g.When, g.Signal)}
		}
		return &measure.Fault{Field: "when", Reason: fmt.Sprintf("'%s' needs a signal that is on or off, but %s holds numbers", g.When, g.Signal)}
	}
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

// Acknowledge marks an alarm as somebody's. An alarm that is over can be acknowledged too; one that
// was acknowledged before stays as it was.
func (p *Pipeline) Acknowledge(ctx context.Context, id int64, who string) (alarm.Alarm, error) {
	var out alarm.Alarm
	err := p.Do(ctx, func(t *Turn) error {
		a, err := t.Tx.Alarm(t.ctx, id)
		if errors.Is(err, store.ErrNotFound) {
			return fmt.Errorf("there is no alarm %d: %w", id, err)
		}
		if err != nil || a.AcknowledgedAt != nil {
			out = a
			return err
		}
		if g := t.standing(id); g != nil {
			t.step(g, alarm.Event{Kind: alarm.Acknowledge, At: t.Now}, who)
			if err := t.tellAll(); err != nil {
				return err
			}
		} else if err := t.markAcknowledged(a, happening{Transition: alarm.Transition{Kind: alarm.Acknowledged, At: t.Now, Value: a.Value}, who: who}); err != nil {
			return err
		}
		out, err = t.Tx.Alarm(t.ctx, id)
		return err
	})
	return out, err
}

// standing gives the guard whose standing alarm this is; nil when it is over.
func (t *Turn) standing(id int64) *guardLive {
	for _, g := range t.live.guards {
		if g.alarmID == id {
			return g
		}
	}
	return nil
}

func (t *Turn) deviceNames() []string {
	names := make([]string, 0, len(t.live.byName))
	for name := range t.live.byName {
		names = append(names, name)
	}
	return names
}
