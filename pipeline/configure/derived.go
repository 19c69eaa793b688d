package configure

import (
	"context"
	"fmt"
	"strings"

	"jauntylark/core/derive"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/reading"
	"jauntylark/store/config"
	"jauntylark/store/timeseries"
)

// Derive declares a signal that is computed from others, or changes how it is. It is computed from the first
// reading of its inputs on, in the background.
func Derive(ctx context.Context, p *pipeline.Pipeline, path, title string, r derive.Recipe, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		if _, err := declare(t, path, title, r, false, who.Called); err != nil {
			return err
		}
		return nil
	})
}

func declare(t *reading.Turn, path, title string, r derive.Recipe, helper bool, who string) (*memory.Signal, error) {
	s, d, m, err := fitRecipe(t, path, r)
	if err != nil {
		return nil, err
	}
	t.ConfigChanged(s.Home.Change())
	kind := "signal derived"
	if s.ID == 0 {
		home := s.Home
		s.Helper = helper
		if err := config.AddSignal(t.Ctx, t.Tx, home.ID, &s.Signal, t.CommitNo, t.Now); err != nil {
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
	// it was not said of it itself
	if step == 0 || s.Derived != nil && step == s.Derived.Recipe.StepIn(s.Unit, s.Derived.Sources()) {
		s.Step = m.Step
	}
	if err := config.SaveSignal(t.Ctx, t.Tx, &s.Signal); err != nil {
		return nil, err
	}
	if err := t.StepFollows(s, step); err != nil {
		return nil, err
	}
	d.Signal = s.ID
	if err := config.SaveDerivation(t.Ctx, t.Tx, d, sourcesOf(d, t.Site), m); err != nil {
		return nil, err
	}
	if err := timeseries.NoteAllStale(t.Ctx, t.Tx, s.ID, t.Now); err != nil {
		return nil, err
	}
	if err := timeseries.NoteTouched(t.Ctx, t.Tx, s.ID, 0, 1<<61); err != nil {
		return nil, err
	}
	if err := timeseries.NoteAmended(t.Ctx, t.Tx, s.ID, 0, 1<<61); err != nil {
		return nil, err
	}
	return s, t.Enter(kind, path, who, fmt.Sprintf("Signal %s is computed: %s", path, r.Words()))
}

// TryRecipe tells what a recipe would give, and changes nothing.
func TryRecipe(ctx context.Context, p *pipeline.Pipeline, path string, r derive.Recipe) (out site.Signal, err error) {
	err = p.Do(ctx, func(t *reading.Turn) error {
		s, _, _, err := fitRecipe(t, path, r)
		if err == nil {
			out = s.Signal
			out.MadeOf = r.Words()
		}
		return err
	})
	return out, err
}

func sourcesOf(d *config.Derivation, l *memory.Site) []derive.Source {
	entry := memory.Derived{Derivation: *d}
	for _, id := range d.Inputs {
		entry.From = append(entry.From, l.Signals[id])
	}
	return entry.Sources()
}

// fitRecipe finds the signal that a recipe is of, new or not, and its inputs, and checks all of it.
func fitRecipe(t *reading.Turn, path string,
	r derive.Recipe) (*memory.Signal, *config.Derivation, *derive.Machine, error) {
	fault := func(field, format string, args ...any) (*memory.Signal, *config.Derivation, *derive.Machine, error) {
		return nil, nil, nil, &measure.Fault{Field: field, Reason: fmt.Sprintf(format, args...)}
	}
	device, name, err := site.SplitPath(path)
	if err != nil {
		return fault("signal", "%v", err)
	}
	home, err := t.Site.FindDevice(device)
	if err != nil {
		return nil, nil, nil, err
	}
	if err := site.CheckName(name); err != nil {
		return fault("signal", "%v", err)
	}
	s := home.Signals[name]
	if s != nil && s.Derived == nil {
		return fault("signal", "%s is measured; a derived signal needs a name of its own", path)
	}
	d := &config.Derivation{Recipe: r}
	of := map[string][]string{}
	for _, in := range r.Of {
		of[path] = append(of[path], in.Signal)
		if in.Signal == path {
			break // a circle, of which Order tells
		}
		input, err := t.Site.FindSignal(in.Signal)
		if err != nil {
			return fault("of", "%s", strings.TrimPrefix(err.Error(), "signal: "))
		}
		d.Inputs = append(d.Inputs, input.ID)
	}
	for _, other := range t.Site.Signals {
		if other.Derived != nil && other.Path() != path {
			for _, in := range other.Derived.From {
				of[other.Path()] = append(of[other.Path()], in.Path())
			}
		}
	}
	if _, err := derive.Order(of); err != nil {
		return nil, nil, nil, err
	}
	m, err := r.Build(sourcesOf(d, t.Site))
	if err != nil {
		return nil, nil, nil, err
	}
	switch {
	case s == nil:
		s = &memory.Signal{Home: home, Signal: site.Signal{Device: home.Name, Name: name, Kind: m.Kind, Unit: m.Unit,
			Quantity: m.Quantity, Bands: site.Bands{}}}
	case s.Kind != m.Kind || s.Unit != m.Unit:
		return fault("kind", "%s is a %s in %q, and would be a %s in %q; give what is another thing another name", path,
			s.Kind, s.Unit, m.Kind, m.Unit)
	}
	return s, d, m, nil
}

// RemoveDerived removes a derived signal with its guards.
func RemoveDerived(ctx context.Context, p *pipeline.Pipeline, path string, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		s, err := t.Site.FindSignal(path)
		if err != nil {
			return err
		}
		if s.Derived == nil {
			return &measure.Fault{Field: "signal", Reason: path + " is measured; it goes with its device"}
		}
		if err := s.Needed(nil); err != nil {
			return err
		}
		s.Helper = false // who removes it by itself gets it back by itself
		if err := removeDerived(t, s, who.Called); err != nil {
			return err
		}
		t.ConfigChanged(s.Home.Change())
		return nil
	})
}

func removeDerived(t *reading.Turn, s *memory.Signal, who string) error {
	for _, g := range s.Guards {
		endGuard(t, g, who, "the signal was removed")
	}
	if err := t.TellAll(); err != nil {
		return err
	}
	if err := t.EndAlarmsOf(s, "the signal was removed"); err != nil {
		return err
	}
	t.RemoveSignal(s)
	t.ReconsiderAll()
	if !s.Helper { // it is kept with its guard
		if err := KeepRemoved(t, "signal", s.Path(), s.Title, who, "signal", "id", s.ID); err != nil {
			return err
		}
	}
	if err := config.RemoveSignal(t.Ctx, t.Tx, s.ID); err != nil {
		return err
	}
	return t.Enter("signal removed", s.Path(), who, "Signal "+s.Path()+" was removed")
}

// PowerOn says that a device got power at an instant: its sensors warm up from then on.
func PowerOn(ctx context.Context, p *pipeline.Pipeline, device string, at measure.Instant, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		d, err := t.Site.FindDevice(device)
		if err != nil {
			return err
		}
		t.PowerOn(d, at)
		return t.Enter("device powered on", device, who.Called, fmt.Sprintf("Device %s got power at %s", device, at))
	})
}

// Renew makes the newest value of a derived signal what its inputs say, once these were changed. Guards are
// not stepped again.
func Renew(ctx context.Context, p *pipeline.Pipeline, signal int64) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		s := t.Site.Signals[signal]
		if s == nil || s.Derived == nil {
			return nil
		}
		newest := measure.Instant(0)
		for _, in := range s.Derived.From {
			newest = max(newest, in.State.At)
		}
		before := s.State
		s.State.MadeIn = 0
		if err := t.Renew(s.Derived, newest); err != nil {
			return err
		}
		if st := &s.State; st.At != before.At || st.Value != before.Value || st.Quality != before.Quality {
			s.Derived.Machine = nil
			t.ForgetPast(s)
		}
		return nil
	})
}
