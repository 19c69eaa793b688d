package record

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/asset"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/reading"
	"jauntylark/store/config"
)

// errTried ends an act that was to change nothing.
var errTried = errors.New("tried")

// PutUnderGuard puts an asset under guard, all or nothing.
func PutUnderGuard(ctx context.Context, p *pipeline.Pipeline, name string, o act.WatchOrder,
	who pipeline.Actor) (w act.Watch, err error) {
	err = onAsset(ctx, p, name, func(t *reading.Turn, a *asset.Asset) error {
		s, err := t.Site.FindSignal(o.Guard.Signal)
		if err != nil {
			return &measure.Fault{Field: "guard.signal", Reason: err.(*measure.Fault).Reason}
		}
		g := o.Guard
		for _, other := range t.Site.Guards {
			if other.Name == g.Name && g.Name != "" {
				g.ID = other.ID
			}
		}
		settings, err := o.Settings(s.Home.Settings)
		if err != nil {
			return err
		}
		if err := configure.FitGuardIn(t, &g, s); err != nil {
			return inGuard(err)
		}
		w = act.Watch{Guard: g, Device: s.Home.Name, Sentence: watchSays(t, a, s, &g, settings)}
		if o.Try {
			return errTried
		}
		if !a.Has(s.Path()) {
			a.Signals = append(a.Signals, s.Path())
			if err := config.SaveAsset(t.Ctx, t.Tx, a); err != nil {
				return err
			}
		}
		if !settings.Equal(s.Home.Settings) {
			if err := configure.GiveSettings(t, s.Home, settings, who.Called); err != nil {
				return err
			}
		}
		if err := configure.StoreGuard(t, &g, who.Called); err != nil {
			return inGuard(err)
		}
		w.Guard, w.Saved = g, true
		if err := t.Enter("under guard", memory.AssetSubject(a.Name), who.Called, w.Sentence); err != nil {
			return err
		}
		t.ConfigChanged(s.Home.Change())
		return nil
	})
	if errors.Is(err, errTried) {
		err = nil
	}
	return w, err
}

// inGuard names the field of the order that a fault of its guard is in.
func inGuard(err error) error {
	var f *measure.Fault
	if errors.As(err, &f) && !strings.HasPrefix(f.Field, "guard.") {
		return &measure.Fault{Field: "guard." + f.Field, Reason: f.Reason}
	}
	return err
}

// watchSays sums up how an asset is guarded.
func watchSays(t *reading.Turn, a *asset.Asset, s *memory.Signal, g *alarm.Guard, settings site.Settings) string {
	var b strings.Builder
	device, signal := site.Title(s.Home.Title, s.Home.Name), site.Title(s.Title, s.Name)
	interval := settings.Interval
	if interval == 0 {
		interval = s.EffectiveInterval()
	}
	fmt.Fprintf(&b, "%s of %s is measured by %s", signal, a.Called(), device)
	if interval != 0 {
		fmt.Fprintf(&b, " every %s", prose.Length(time.Duration(interval)))
	}
	if settings.Sparing != 0 {
		fmt.Fprintf(&b, ", and every %s when its battery is low", prose.Length(time.Duration(settings.Sparing)))
	}
	units := t.Site.Settings.Units
	for i := range g.Count() {
		r := g.At(i)
		test, unit := roster.Shown(r.When, s.Unit, units)
		join := ". When it is"
		if i > 0 {
			join = "; when it is"
		}
		fmt.Fprintf(&b, "%s %s", join, test.Words(unit))
		if r.OnDelay != 0 {
			fmt.Fprintf(&b, " for %s", prose.Length(time.Duration(r.OnDelay)))
		}
		fmt.Fprintf(&b, ", that is %s", map[alarm.Severity]string{alarm.Advisory: "an advisory",
			alarm.Warning: "a warning", alarm.Critical: "critical"}[r.Severity])
	}
	b.WriteString(". ")
	if len(g.Tell) == 0 {
		b.WriteString("Nobody is told; it stands on the page alone.")
	} else {
		fmt.Fprintf(&b, "Then %s %s told, and told again when all is well.", peopleCalled(t, g.Tell), is(len(g.Tell)))
	}
	if g.Armed != "" {
		fmt.Fprintf(&b, " It looks at these hours: %s.", g.Armed)
	}
	return b.String()
}

func is(n int) string {
	if n == 1 {
		return "is"
	}
	return "are"
}

// peopleCalled says who is told, as people call them.
func peopleCalled(t *reading.Turn, tell []string) string {
	names := slices.Clone(tell)
	for i, name := range names {
		if c := t.Site.Contacts[name]; c != nil {
			names[i] = c.Called()
		} else if t.Site.Rosters[name] != nil {
			names[i] = "the roster " + name
		}
	}
	return prose.List(names)
}
