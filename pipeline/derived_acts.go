package pipeline

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"jauntylark/core/derive"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/store"
)

// Derive declares a signal that is computed from others, or changes how it is. It is computed from the first
// reading of its inputs on, in the background.
func (p *Pipeline) Derive(ctx context.Context, path, title string, r derive.Recipe, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		if _, err := t.declare(path, title, r, false, who.Called); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

func (t *Turn) declare(path, title string, r derive.Recipe, helper bool, who string) (*signalLive, error) {
	s, d, m, err := t.fitRecipe(path, r)
	if err != nil {
		return nil, err
	}
	t.touched = true
	kind := "signal derived"
	if s.ID == 0 {
		home := s.device
		s.Helper = helper
		if err := t.Tx.AddSignal(t.ctx, home.ID, &s.Signal, t.CommitNo, t.Now); err != nil {
			return nil, err
		}
	} else {
		kind = "derivation changed"
	}
	if title = strings.TrimSpace(title); title != "" {
		s.Title = title
	}
	if s.Quantity == "" {
		s.Quantity = m.Quantity
	}
	step := s.Step
	if step == 0 || s.derived != nil && step == s.derived.Recipe.StepIn(s.Unit, s.derived.sources()) { // it was not said of it itself
		s.Step = m.Step
	}
	if err := t.Tx.SaveSignal(t.ctx, &s.Signal); err != nil {
		return nil, err
	}
	if err := t.stepFollows(s, step); err != nil {
		return nil, err
	}
	d.Signal = s.ID
	if err := t.Tx.SaveDerivation(t.ctx, d, sourcesOf(d, t.live), m); err != nil {
		return nil, err
	}
	if err := t.Tx.NoteAllStale(t.ctx, s.ID, t.Now); err != nil {
		return nil, err
	}
	if err := t.Tx.NoteTouched(t.ctx, s.ID, 0, 1<<61); err != nil {
		return nil, err
	}
	return s, t.Enter(kind, path, who, fmt.Sprintf("Signal %s is computed: %s", path, r.Words()))
}

// TryRecipe tells what a recipe would give, and changes nothing.
func (p *Pipeline) TryRecipe(ctx context.Context, path string, r derive.Recipe) (out site.Signal, err error) {
	err = p.Do(ctx, func(t *Turn) error {
		s, _, _, err := t.fitRecipe(path, r)
		if err == nil {
			out = s.Signal
			out.MadeOf = r.Words()
		}
		return err
	})
	return out, err
}

func sourcesOf(d *store.Derivation, l *live) []derive.Source {
	entry := derivedLive{Derivation: *d}
	for _, id := range d.Inputs {
		entry.inputs = append(entry.inputs, l.signals[id])
	}
	return entry.sources()
}

// fitRecipe finds the signal that a recipe is of, new or not, and its inputs, and checks all of it.
func (t *Turn) fitRecipe(path string, r derive.Recipe) (*signalLive, *store.Derivation, *derive.Machine, error) {
	fault := func(field, format string, args ...any) (*signalLive, *store.Derivation, *derive.Machine, error) {
		return nil, nil, nil, &measure.Fault{Field: field, Reason: fmt.Sprintf(format, args...)}
	}
	device, name, err := site.SplitPath(path)
	if err != nil {
		return fault("signal", "%v", err)
	}
	home, err := t.deviceNamed(device)
	if err != nil {
		return nil, nil, nil, err
	}
	if err := site.CheckName(name); err != nil {
		return fault("signal", "%v", err)
	}
	s := home.signals[name]
	if s != nil && s.derived == nil {
		return fault("signal", "%s is measured; a derived signal needs a name of its own", path)
	}
	d := &store.Derivation{Recipe: r}
	of := map[string][]string{}
	for _, in := range r.Of {
		of[path] = append(of[path], in.Signal)
		if in.Signal == path {
			break // a circle, of which Order tells
		}
		input, err := t.live.find(in.Signal)
		if err != nil {
			return fault("of", "%s", strings.TrimPrefix(err.Error(), "signal: "))
		}
		d.Inputs = append(d.Inputs, input.ID)
	}
	for _, other := range t.live.signals {
		if other.derived != nil && other.Path() != path {
			for _, in := range other.derived.inputs {
				of[other.Path()] = append(of[other.Path()], in.Path())
			}
		}
	}
	if _, err := derive.Order(of); err != nil {
		return nil, nil, nil, err
	}
	m, err := r.Build(sourcesOf(d, t.live))
	if err != nil {
		return nil, nil, nil, err
	}
	switch {
	case s == nil:
		s = &signalLive{device: home, Signal: site.Signal{Device: home.Name, Name: name, Kind: m.Kind, Unit: m.Unit, Quantity: m.Quantity, Bands: site.Bands{}}}
	case s.Kind != m.Kind || s.Unit != m.Unit:
		return fault("kind", "%s is a %s in %q, and would be a %s in %q; give what is another thing another name", path, s.Kind, s.Unit, m.Kind, m.Unit)
	}
	return s, d, m, nil
}

// RemoveDerived removes a derived signal with its guards.
func (p *Pipeline) RemoveDerived(ctx context.Context, path string, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		s, err := t.live.find(path)
		if err != nil {
			return err
		}
		if s.derived == nil {
			return &measure.Fault{Field: "signal", Reason: path + " is measured; it goes with its device"}
		}
		if err := s.needed(nil); err != nil {
			return err
		}
		s.Helper = false // who removes it by itself gets it back by itself
		if err := t.removeDerived(s, who.Called); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

func (t *Turn) removeDerived(s *signalLive, who string) error {
	for _, g := range s.guards {
		t.endGuard(g, who, "the signal was removed")
	}
	if err := t.tellAll(); err != nil {
		return err
	}
	if err := t.endAlarmsOf(s, "the signal was removed"); err != nil {
		return err
	}
	delete(t.signals, s.ID)
	delete(s.device.signals, s.Name)
	t.reconsiderAll()
	if !s.Helper { // it is kept with its guard
		if err := t.KeepRemoved("signal", s.Path(), s.Title, who, "signal", "id", s.ID); err != nil {
			return err
		}
	}
	if err := t.Tx.RemoveSignal(t.ctx, s.ID); err != nil {
		return err
	}
	return t.Enter("signal removed", s.Path(), who, "Signal "+s.Path()+" was removed")
}

// needed tells which derived signals of other devices than one need a signal: nil or a *measure.Fault.
func (s *signalLive) needed(besides *deviceLive) error {
	var by []string
	for _, f := range s.feeds {
		if f.derived.signal.device != besides {
			by = append(by, f.derived.signal.Path())
		}
	}
	for _, i := range s.locks {
		if i.output.device != besides {
			return &measure.Fault{Field: "signal", Reason: fmt.Sprintf("%s drives %s by interlock %s; remove that first", s.Path(), i.Output, i.Name)}
		}
	}
	if len(by) == 0 {
		return nil
	}
	slices.Sort(by)
	return &measure.Fault{Field: "signal", Reason: fmt.Sprintf("%s is what %s is computed from; remove that first", s.Path(), strings.Join(slices.Compact(by), " and "))}
}

// PowerOn says that a device got power at an instant: its sensors warm up from then on.
func (p *Pipeline) PowerOn(ctx context.Context, device string, at measure.Instant, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		d, err := t.deviceNamed(device)
		if err != nil {
			return err
		}
		t.powerOn(d, at)
		return t.Enter("device powered on", device, who.Called, fmt.Sprintf("Device %s got power at %s", device, at))
	})
}
