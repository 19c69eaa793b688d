package pipeline

import (
	"context"
	"fmt"
	"reflect"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/derive"
	"jauntylark/core/roster"
	"jauntylark/core/site"
)

// SaveWatch stores a new guard over something that is computed from the signal which it names. What is computed is a signal of its
// own, to be charted, and goes with the guard.
func (p *Pipeline) SaveWatch(ctx context.Context, g *alarm.Guard, r derive.Recipe, who string) error {
	return p.Do(ctx, func(t *Turn) error {
		if err := t.watch(g, r, who); err != nil {
			return err
		}
		if err := t.saveGuard(g, who); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

// watch has a guard look at what a recipe computes: a signal that is made for it, or one that was made for another guard by the
// same recipe.
func (t *Turn) watch(g *alarm.Guard, r derive.Recipe, who string) error {
	of, err := t.live.find(g.Signal)
	if err != nil {
		return err
	}
	stem := site.NameFrom(strings.TrimSpace(of.Name + " " + r.Kind + " " + windowWord(r)))
	stem = strings.Trim(stem[:min(len(stem), 56)], "-")
	name := stem
	for n := 2; of.device.signals[name] != nil; n++ {
		if s := of.device.signals[name]; s.Helper && s.derived != nil && reflect.DeepEqual(s.derived.Recipe, r) {
			g.Signal = s.Path()
			return nil
		}
		name = fmt.Sprintf("%s-%d", stem, n)
	}
	path := of.device.Name + "/" + name
	s, err := t.declare(path, "", r, true, who)
	if err != nil {
		return err
	}
	t.live.add(s.Signal, of.device)
	g.Signal, g.Watches = path, of.Path()
	return nil
}

func windowWord(r derive.Recipe) string {
	if r.Window == 0 {
		return ""
	}
	return r.Window.String()
}

// dropHelper removes what was computed for a guard that has gone, unless something else needs it. It gives the signal whose readings
// are to go; 0: none.
func (t *Turn) dropHelper(s *signalLive, who string) error {
	for _, g := range t.live.guards {
		if g.signal == s {
			return nil
		}
	}
	if !s.Helper || s.needed(nil) != nil {
		return nil
	}
	s.guards = nil
	return t.removeDerived(s, who)
}

// watched gives what is computed for a guard; nil: it looks at the signal itself.
func (t *Turn) watched(s *signalLive) *roster.Watched {
	if !s.Helper || s.derived == nil {
		return nil
	}
	w := &roster.Watched{Recipe: s.derived.Recipe, Units: t.live.site.Units}
	for _, in := range s.derived.inputs {
		w.Of = append(w.Of, roster.Part{Device: in.deviceTitle(), Signal: site.Title(in.Title, in.Name), Unit: in.Unit, Step: in.Step, Switch: in.Kind == site.KindSwitch})
	}
	return w
}
