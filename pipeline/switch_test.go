package pipeline_test

import (
	"context"
	"strings"
	"testing"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/configure"
	"jauntylark/store/config"
)

// A number that is only ever 0 and 1 is offered to become a switch, and becomes one with its readings and guards.
func TestANumberBecomesASwitch(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	for i := range 12 {
		b.stream("pump", float64(i-20), float64(i%2))
	}
	b.stream("still", -20, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0)
	b.stream("level", -20, 0, 1, 0, 1, 0, 1, 0, 1, 0, 1, 0.5, 1)
	signal := func(name string) site.Signal {
		s, err := config.Signal(ctx, b.store, "d", name)
		b.must(err)
		return s
	}
	offered := func(name string) bool {
		s := signal(name)
		may, err := configure.MayBeSwitch(ctx, b.Pipeline, &s)
		b.must(err)
		return may
	}
	if !offered("pump") || offered("level") || offered("still") {
		t.Fatalf("offered: pump %v, level %v, still %v", offered("pump"), offered("level"), offered("still"))
	}
	b.guard(alarm.Guard{Name: "runs", Signal: "d/pump", Rung: above(0.5, 0.2, alarm.Warning)})
	if err := configure.MakeSwitch(ctx, b.Pipeline, "d/level", tester); err == nil ||
		!strings.Contains(err.Error(), "is no switch: it read 0.5 at") {
		t.Errorf("%v", err)
	}
	odd := b.guard(alarm.Guard{Name: "odd", Signal: "d/pump", Rung: above(7, 0, alarm.Warning)})
	if err := configure.MakeSwitch(ctx, b.Pipeline, "d/pump", tester); err == nil ||
		!strings.Contains(err.Error(), "guard odd asks 'above 7'") {
		t.Errorf("%v", err)
	}
	b.must(configure.RemoveGuard(ctx, b.Pipeline, odd.Name, "test"))
	b.must(configure.MakeSwitch(ctx, b.Pipeline, "d/pump", tester))
	if s := signal("pump"); s.Kind != site.KindSwitch || len(b.readings("pump")) != 12 || offered("pump") {
		t.Errorf("%+v", s)
	}
	guards, err := config.Guards(ctx, b.store)
	b.must(err)
	if g := guards[0]; g.When.String() != "is on" || g.Deadband != 0 {
		t.Errorf("%+v", g)
	}
	// It goes on taking what its sender always sent.
	b.clock(2)
	if out := b.send(measure.Sample{Name: "pump", At: b.at(1), Value: 0}, measure.Sample{Name: "pump", At: b.at(2),
		Value: 1}); out.Accepted != 2 {
		t.Errorf("%+v", out)
	}
	if a := b.newest(); a.Sentence != "D pump is on" || a.State != alarm.StateRaised {
		t.Errorf("%+v", a)
	}
	if out := b.send(measure.Sample{Name: "pump", At: b.at(3), Value: 0.5}); len(out.Refused) != 1 {
		t.Errorf("%+v", out)
	}
}
