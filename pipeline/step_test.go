package pipeline_test

import (
	"context"
	"os"
	"strings"
	"testing"

	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/derive"
	"jauntylark/core/measure"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// What is computed is told in the step of what it is computed from, follows that when it changes, and keeps one that
// was said of it.
func TestWhatIsDerivedHasTheStepOfItsInputs(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	step := func(v float64) act.SignalChange { return act.SignalChange{Step: &v} }
	for _, name := range []string{"air", "glass", "damp"} {
		b.stream(name, 1, 20, 33.333)
	}
	unit := measure.Unit("Cel")
	for path, at := range map[string]float64{"d/air": 0.1, "d/glass": 0.5} {
		b.signal(path, act.SignalChange{Unit: &unit})
		b.signal(path, step(at))
	}
	two := 2
	for name, r := range map[string]derive.Recipe{
		"margin": {Kind: "difference", Of: []derive.Input{{As: "a", Signal: "d/air"}, {As: "b", Signal: "d/glass"}}},
		"mean":   {Kind: "moving-mean", Window: *lasting(100), Of: []derive.Input{{As: "of", Signal: "d/air"}}},
		"fine": {Kind: "moving-mean", Window: *lasting(100), Decimals: &two,
			Of: []derive.Input{{As: "of", Signal: "d/air"}}},
		"wet": {Kind: "moving-mean", Window: *lasting(100), Of: []derive.Input{{As: "of", Signal: "d/damp"}}},
	} {
		b.must(b.tryDerive("d/"+name, r))
	}
	b.must(b.tryDerive("d/slow", derive.Recipe{Kind: "moving-mean", Window: *lasting(200),
		Of: []derive.Input{{As: "of", Signal: "d/mean"}}}))
	are := func(when string, want map[string]float64) {
		t.Helper()
		for name, at := range want {
			if s, err := config.Signal(ctx, b.store, "d", name); err != nil || s.Step != at {
				t.Errorf("%s: %s has the step %v, want %v (%v)", when, name, s.Step, at, err)
			}
		}
	}
	are("at first", map[string]float64{"margin": 0.1, "mean": 0.1, "slow": 0.1, "fine": 0.01, "wet": 0})
	b.signal("d/slow", step(0.2))
	b.signal("d/air", step(1))
	are("after the step of air was changed", map[string]float64{"margin": 0.5, "mean": 1, "slow": 0.2, "fine": 0.01,
		"wet": 0})
	one := 1
	b.must(b.tryDerive("d/fine", derive.Recipe{Kind: "moving-mean", Window: *lasting(100), Decimals: &one,
		Of: []derive.Input{{As: "of", Signal: "d/air"}}}))
	are("after the decimals of fine were changed", map[string]float64{"fine": 0.1})
	b.must(b.tryDerive("d/fine", derive.Recipe{Kind: "moving-mean", Window: *lasting(100),
		Of: []derive.Input{{As: "of", Signal: "d/air"}}}))
	b.must(b.tryDerive("d/slow", derive.Recipe{Kind: "moving-mean", Window: *lasting(300),
		Of: []derive.Input{{As: "of", Signal: "d/mean"}}}))
	are("without decimals, and of one that has a step of its own", map[string]float64{"fine": 1, "slow": 0.2})
	b.guard(alarm.Guard{Signal: "d/mean", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 20}},
		Tell: []string{"orla@b.example"}})
	b.stream("air", 3, 34.3)
	notices, err := events.Notices(ctx, b.store, events.NoticeQuery{Limit: 10})
	if b.must(err); len(notices) != 1 || !strings.Contains(notices[0].Text, "It reads 29 °C") {
		t.Errorf("the message does not tell the mean in steps of 1: %+v", notices)
	}
}

// The migration gives what was derived before it the steps that it would get now, over any number of signals behind it.
func TestTheMigrationOfSteps(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	at, unit, two := 0.1, measure.Unit("Cel"), 2
	for _, name := range []string{"air", "glass", "other"} {
		b.stream(name, 1, 20, 21)
		b.signal("d/"+name, act.SignalChange{Unit: &unit})
	}
	b.signal("d/air", act.SignalChange{Step: &at})
	mean := func(of string, decimals *int) derive.Recipe {
		return derive.Recipe{Kind: "moving-mean", Window: *lasting(100), Decimals: decimals,
			Of: []derive.Input{{As: "of", Signal: "d/" + of}}}
	}
	b.must(b.tryDerive("d/mean", mean("air", nil)))
	b.must(b.tryDerive("d/slow", mean("mean", nil)))
	b.must(b.tryDerive("d/fine", mean("glass", &two)))
	b.must(b.tryDerive("d/none", mean("other", nil)))
	b.must(b.tryDerive("d/margin", derive.Recipe{Kind: "difference", Of: []derive.Input{{As: "a", Signal: "d/air"},
		{As: "b", Signal: "d/glass"}}}))
	want := map[string]float64{}
	for _, name := range []string{"mean", "slow", "fine", "none", "margin"} {
		s, err := config.Signal(ctx, b.store, "d", name)
		b.must(err)
		want[name] = s.Step
	}
	tx, err := b.store.Begin(ctx)
	b.must(err)
	_, err = tx.Exec(ctx, `update signal set step = 0 where recipe is not null`)
	b.must(err)
	text, err := os.ReadFile("../store/migrations/00013_plain.sql")
	b.must(err)
	for _, statement := range strings.Split(string(text), "-- +goose StatementBegin") {
		_, err = tx.Exec(ctx, statement)
		b.must(err)
	}
	b.must(tx.Commit())
	for name, step := range want {
		if s, err := config.Signal(ctx, b.store, "d", name); err != nil || s.Step != step {
			t.Errorf("%s has the step %v, and had %v when it was derived (%v)", name, s.Step, step, err)
		}
	}
	if want["slow"] != 0.1 || want["fine"] != 0.01 || want["none"] != 0 || want["margin"] != 0.1 {
		t.Errorf("derived: %v", want)
	}
}
