package pipeline_test

import (
	"context"
	"strings"
	"testing"

	"jauntylark/core/alarm"
	"jauntylark/core/derive"
	"jauntylark/core/measure"
	"jauntylark/pipeline"
	"jauntylark/store"
)

// What is computed is told in the step of what it is computed from, follows that when it changes, and keeps one that was said of it.
func TestWhatIsDerivedHasTheStepOfItsInputs(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	step := func(v float64) pipeline.SignalChange { return pipeline.SignalChange{Step: &v} }
	for _, name := range []string{"air", "glass", "damp"} {
		b.stream(name, 1, 20, 33.333)
	}
	unit := measure.Unit("Cel")
	for path, at := range map[string]float64{"d/air": 0.1, "d/glass": 0.5} {
		b.signal(path, pipeline.SignalChange{Unit: &unit})
		b.signal(path, step(at))
	}
	two := 2
	for name, r := range map[string]derive.Recipe{
		"margin": {Kind: "difference", Of: []derive.Input{{As: "a", Signal: "d/air"}, {As: "b", Signal: "d/glass"}}},
		"mean":   {Kind: "moving-mean", Window: *lasting(100), Of: []derive.Input{{As: "of", Signal: "d/air"}}},
		"fine":   {Kind: "moving-mean", Window: *lasting(100), Decimals: &two, Of: []derive.Input{{As: "of", Signal: "d/air"}}},
		"wet":    {Kind: "moving-mean", Window: *lasting(100), Of: []derive.Input{{As: "of", Signal: "d/damp"}}},
	} {
		b.must(b.tryDerive("d/"+name, r))
	}
	b.must(b.tryDerive("d/slow", derive.Recipe{Kind: "moving-mean", Window: *lasting(200), Of: []derive.Input{{As: "of", Signal: "d/mean"}}}))
	are := func(when string, want map[string]float64) {
		t.Helper()
		for name, at := range want {
			if s, err := b.store.Signal(ctx, "d", name); err != nil || s.Step != at {
				t.Errorf("%s: %s has the step %v, want %v (%v)", when, name, s.Step, at, err)
			}
		}
	}
	are("at first", map[string]float64{"margin": 0.1, "mean": 0.1, "slow": 0.1, "fine": 0.01, "wet": 0})
	b.signal("d/slow", step(0.2))
	b.signal("d/air", step(1))
	are("after the step of air was changed", map[string]float64{"margin": 0.5, "mean": 1, "slow": 0.2, "fine": 0.01, "wet": 0})
	b.guard(alarm.Guard{Signal: "d/mean", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 20}}, Tell: []string{"orla@b.example"}})
	b.stream("air", 3, 34.3)
	notices, err := b.store.Notices(ctx, store.NoticeQuery{Limit: 10})
	if b.must(err); len(notices) != 1 || !strings.Contains(notices[0].Text, "It reads 29 °C") {
		t.Errorf("the message does not tell the mean in steps of 1: %+v", notices)
	}
}
