package configure

import (
	"context"
	"fmt"
	"reflect"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/derive"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/reading"
)

// SaveWatch stores a new guard over something that is computed from the signal which it names. What is computed is a
// signal of its own, to be charted, and goes with the guard.
func SaveWatch(ctx context.Context, p *pipeline.Pipeline, g *alarm.Guard, r derive.Recipe, who string) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		if err := watch(t, g, r, who); err != nil {
			return err
		}
		if err := StoreGuard(t, g, who); err != nil {
			return err
		}
		return nil
	})
}

// watch has a guard look at what a recipe computes: a signal that is made for it, or one that was made for another
// guard by the same recipe.
func watch(t *reading.Turn, g *alarm.Guard, r derive.Recipe, who string) error {
	of, err := t.Site.FindSignal(g.Signal)
	if err != nil {
		return err
	}
	stem := site.NameFrom(strings.TrimSpace(of.Name + " " + r.Kind + " " + windowWord(r)))
	stem = strings.Trim(stem[:min(len(stem), 56)], "-")
	name := stem
	for n := 2; of.Home.Signals[name] != nil; n++ {
		if s := of.Home.Signals[name]; s.Helper && s.Derived != nil && reflect.DeepEqual(s.Derived.Recipe, r) {
			g.Signal = s.Path()
			return nil
		}
		name = fmt.Sprintf("%s-%d", stem, n)
	}
	path := of.Home.Name + "/" + name
	s, err := declare(t, path, "", r, true, who)
	if err != nil {
		return err
	}
	t.Site.AddSignal(s.Signal, of.Home)
	g.Signal, g.Watches = path, of.Path()
	return nil
}

func windowWord(r derive.Recipe) string {
	if r.Window == 0 {
		return ""
	}
	return r.Window.String()
}

// dropHelper removes what was computed for a guard that has gone, unless something else needs it. It gives the signal
// whose readings are to go; 0: none.
func dropHelper(t *reading.Turn, s *memory.Signal, who string) error {
	for _, g := range t.Site.Guards {
		if g.Subject == s {
			return nil
		}
	}
	if !s.Helper || s.Needed(nil) != nil {
		return nil
	}
	s.Guards = nil
	return removeDerived(t, s, who)
}
