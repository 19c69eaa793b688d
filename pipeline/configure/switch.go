package configure

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/reading"
	"jauntylark/store/config"
	"jauntylark/store/timeseries"
)

// errOther ends a look at readings: one is neither 0 nor 1.
var errOther = errors.New("neither 0 nor 1")

// MakeSwitch makes a signal of numbers that are only ever 0 and 1 one that is on or off, its readings with it. Its
// guards that ask on which side of a limit between them it is ask whether it is on, or off.
func MakeSwitch(ctx context.Context, p *pipeline.Pipeline, path string, who pipeline.Actor) error {
	if err := onlyOnOff(ctx, p, path); err != nil {
		return err
	}
	return p.Do(ctx, func(t *reading.Turn) error {
		s, err := t.Site.FindSignal(path)
		if err != nil {
			return err
		}
		guards, err := asSwitch(t, s)
		if err != nil {
			return err
		}
		t.ConfigChanged(s.Home.Change())
		s.Kind = site.KindSwitch
		if err := config.SaveSignal(t.Ctx, t.Tx, &s.Signal); err != nil {
			return err
		}
		for i := range guards {
			if err := StoreGuard(t, &guards[i], who.Called); err != nil {
				return err
			}
		}
		if err := t.Enter("signal set", path, who.Called,
			fmt.Sprintf("Signal %s is on or off from now on, its readings with it", path)); err != nil {
			return err
		}
		return nil
	})
}

// onlyOnOff sees that all readings of a signal are 0 or 1.
func onlyOnOff(ctx context.Context, p *pipeline.Pipeline, path string) error {
	device, name, err := site.SplitPath(path)
	if err != nil {
		return &measure.Fault{Field: "signal", Reason: err.Error()}
	}
	s, err := config.Signal(ctx, p.Store, device, name)
	if err != nil {
		return err
	}
	tx, err := p.Store.Look(ctx)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	err = timeseries.EachReading(ctx, tx, s.ID, 0, p.Now().Add(memory.AheadIsFault),
		func(some []measure.Reading) error {
			for _, r := range some {
				if r.Value != 0 && r.Value != 1 {
					return fmt.Errorf("%w: %s at %s", errOther, measure.Figure(r.Value, s.Unit), r.At)
				}
			}
			return nil
		})
	if errors.Is(err, errOther) {
		return &measure.Fault{Field: "kind", Reason: fmt.Sprintf("%s is no switch: it read %s", path,
			strings.TrimPrefix(err.Error(), errOther.Error()+": "))}
	}
	return err
}

// asSwitch sees that a signal can become one that is on or off, and gives its guards as they ask then.
func asSwitch(t *reading.Turn, s *memory.Signal) (guards []alarm.Guard, err error) {
	fault := func(format string, args ...any) error {
		return &measure.Fault{Field: "kind", Reason: fmt.Sprintf(format, args...)}
	}
	switch {
	case s.Kind != site.KindNumber:
		return nil, fault("%s %s already", s.Path(), memory.Suits[s.Kind])
	case s.Derived != nil:
		return nil, fault("%s is computed; compute what is on or off (kind on-off)", s.Path())
	case s.State.At != 0 && s.State.Raw != 0 && s.State.Raw != 1:
		return nil, fault("%s is no switch: it reads %s", s.Path(), measure.Figure(s.State.Raw, s.Unit))
	case s.Unit != "" || s.Calibrated:
		return nil, fault("%s has a unit or is corrected; a switch has neither", s.Path())
	case len(s.Feeds) > 0 || len(s.Interlocks) > 0:
		return nil, fault("something is computed from %s, or driven by it; remove that first", s.Path())
	}
	for _, live := range s.Guards {
		g := live.Guard
		kind := alarm.Kind(0)
		switch a := g.When.A; {
		case g.When.Kind == alarm.Silent || g.When.Kind == alarm.Stuck || g.When.Kind == alarm.Faulty:
			continue
		case g.Count() > 1:
		case g.When.Kind == alarm.Above && a >= 0 && a < 1, g.When.Kind == alarm.AtLeast && a > 0 && a <= 1:
			kind = alarm.IsOn
		case g.When.Kind == alarm.Below && a > 0 && a <= 1, g.When.Kind == alarm.AtMost && a >= 0 && a < 1:
			kind = alarm.IsOff
		}
		if kind == 0 {
			return nil, fault("guard %s asks '%s', which cannot be asked of a switch; change or remove it first",
				g.Name, g.When)
		}
		g.When, g.Deadband, g.Clears = alarm.Test{Kind: kind}, 0, alarm.Test{}
		guards = append(guards, g)
	}
	return guards, nil
}

// switchLook is how many readings are looked at to tell whether a signal may be a switch, and switchFrom how many it
// takes.
const (
	switchLook = 1000
	switchFrom = 10
)

// MayBeSwitch tells whether a signal of numbers has only read 0 and 1 of late, and both, so that it is offered to
// become a switch.
func MayBeSwitch(ctx context.Context, p *pipeline.Pipeline, s *site.Signal) (bool, error) {
	if s.Kind != site.KindNumber || s.MadeOf != "" || s.Unit != "" || s.Calibrated || s.Value == nil || *s.Value != 0 &&
		*s.Value != 1 {
		return false, nil
	}
	tx, err := p.Store.Look(ctx)
	if err != nil {
		return false, err
	}
	defer tx.Rollback()
	readings, err := timeseries.Newest(ctx, tx, s.ID, p.Now().Add(memory.AheadIsFault), switchLook)
	if err != nil || len(readings) < switchFrom {
		return false, err
	}
	seen := [2]bool{}
	for _, r := range readings {
		if r.Value != 0 && r.Value != 1 {
			return false, nil
		}
		seen[int(r.Value)] = true
	}
	return seen[0] && seen[1], nil
}
