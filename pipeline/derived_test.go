package pipeline_test

import (
	"context"
	"slices"
	"strings"
	"testing"

	"jauntylark/core/alarm"
	"jauntylark/core/derive"
	"jauntylark/core/measure"
	"jauntylark/pipeline"
)

// derive declares a derived signal.
func (b *bench) derive(path, kind string, of map[string]string, formula string) {
	b.t.Helper()
	if err := b.tryDerive(path, recipe(kind, of, formula)); err != nil {
		b.t.Fatal(err)
	}
}

func recipe(kind string, of map[string]string, formula string) derive.Recipe {
	r := derive.Recipe{Kind: kind, Formula: formula}
	for as, signal := range of {
		r.Of = append(r.Of, derive.Input{As: as, Signal: signal})
	}
	slices.SortFunc(r.Of, func(a, b derive.Input) int { return strings.Compare(a.As, b.As) })
	return r
}

func (b *bench) tryDerive(path string, r derive.Recipe) error {
	return b.Derive(context.Background(), path, "", r, tester)
}

// What is derived, over two steps, steps its guards in the commit of the reading that it follows from, in whichever
// process that is, and also what came before it was declared is computed.
func TestDerivedInTheSameCommit(t *testing.T) {
	b := fresh(t)
	b.stream("a", 1, 1, 2)
	b.stream("b", 2.5, 10)
	b.derive("d/sum", "formula", map[string]string{"x": "d/a", "y": "d/b"}, "x + y")
	b.derive("d/twice", "formula", map[string]string{"s": "d/sum"}, "s * 2.0")
	if got := b.values("twice"); !same(got, 24) {
		t.Errorf("what was there: %v", got)
	}
	b.guard(alarm.Guard{Signal: "d/twice", When: alarm.Test{Kind: alarm.Above, A: 30}})
	b.stream("a", 4, 6)
	if got := b.alarms(); len(got) != 1 || got[0].Value != 32 || got[0].RaisedAt != b.at(4) {
		t.Fatalf("%+v", got)
	}
	other := process(t, b.store, b.now)
	other.stream("b", 5, 3)
	if got := b.alarms(); got[0].ClearedAt == nil || *got[0].ClearedAt != b.at(5) || *got[0].ClearedValue != 18 {
		t.Errorf("by another process: %+v", got)
	}
	b.clock(6)
	b.send(measure.Sample{Name: "a", At: b.at(6), Value: 7}, measure.Sample{Name: "b", At: b.at(6), Value: 9})
	if got := b.values("twice"); !same(got, 24, 32, 18, 32) {
		t.Errorf("both at one instant give one value: %v", got)
	}
	if s, err := b.store.Signal(context.Background(), "d", "twice"); err != nil || *s.Value != 32 || s.MadeOf != "s * 2.0, with s = d/sum" {
		t.Errorf("%+v %v", s, err)
	}
}

// A late input changes what was derived and steps no guard; what is computed has the late reading at once.
func TestALateInput(t *testing.T) {
	b := fresh(t)
	b.stream("v", 1, 10, 20)
	if err := b.tryDerive("d/mean", derive.Recipe{Kind: "moving-mean", Window: *lasting(100), Of: []derive.Input{{As: "of", Signal: "d/v"}}}); err != nil {
		t.Fatal(err)
	}
	b.guard(alarm.Guard{Signal: "d/mean", When: alarm.Test{Kind: alarm.Above, A: 100}})
	b.stream("v", 4, 30)
	b.clock(5)
	b.send(measure.Sample{Name: "v", At: b.at(3), Value: 900})
	if got := b.values("mean"); !same(got, 10, 15, 310, 240) {
		t.Errorf("%v", got)
	}
	if got := b.alarms(); len(got) != 0 {
		t.Errorf("a late reading raised %+v", got)
	}
	b.stream("v", 6, 40) // the window knows the late one
	if got := b.alarms(); len(got) != 1 || got[0].Value != 200 {
		t.Errorf("%+v", got)
	}
}

// Inputs of other instants hold no longer than their silence limit.
func TestInputsHoldNoLongerThanTheirSilence(t *testing.T) {
	b := fresh(t)
	b.stream("slow", 1, 5)
	b.stream("fast", 1, 1)
	b.signal("d/slow", intervalOf(10))
	b.derive("d/sum", "formula", map[string]string{"f": "d/fast", "s": "d/slow"}, "f + s")
	for _, at := range []float64{20, 31, 31.001, 40} {
		b.stream("fast", at, 1)
	}
	b.stream("slow", 41, 6)
	if got := b.values("sum"); !same(got, 6, 6, 6, 7) {
		t.Errorf("%v", got)
	}
}

// Circles are refused by name, and so is removing what is needed, or deriving what is measured.
func TestDerivationsAreChecked(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.stream("v", 1, 1)
	b.derive("d/a", "formula", map[string]string{"v": "d/v"}, "v + 1.0")
	b.derive("d/b", "formula", map[string]string{"a": "d/a"}, "a + 1.0")
	for says, err := range map[string]error{
		"d/a from d/b from d/a goes in a circle": b.tryDerive("d/a", recipe("formula", map[string]string{"b": "d/b"}, "b + 1.0")),
		"d/c from d/c goes in a circle":          b.tryDerive("d/c", recipe("formula", map[string]string{"c": "d/c"}, "c + 1.0")),
		"d/v is measured":                        b.tryDerive("d/v", recipe("formula", map[string]string{"a": "d/a"}, "a + 1.0")),
		"would be a switch":                      b.tryDerive("d/b", recipe("formula", map[string]string{"a": "d/a"}, "a > 1.0")),
		"d/a is what d/b is computed from":       b.RemoveDerived(ctx, "d/a", tester),
		"is measured; it goes with its device":   b.RemoveDerived(ctx, "d/v", tester),
	} {
		if err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
	if out := b.send(measure.Sample{Name: "a", Value: 3}); len(out.Rejected) != 1 || !strings.Contains(reason(out), "d/a is derived here") {
		t.Errorf("sent by a device: %+v", out)
	}
	b.guard(alarm.Guard{Signal: "d/b", When: alarm.Test{Kind: alarm.Above, A: 2}})
	b.stream("v", 2, 5)
	if err := b.RemoveDerived(ctx, "d/b", tester); err != nil {
		t.Fatal(err)
	}
	if got := b.alarms(); len(got) != 1 || got[0].ClearedAt == nil || got[0].Cause == "" {
		t.Errorf("removed under its alarm: %+v", got)
	}
	b.stream("v", 3, 6)
	if got := b.values("a"); !same(got, 2, 6, 7) {
		t.Errorf("the other goes on: %v", got)
	}
}

func intervalOf(s float64) pipeline.SignalChange { return pipeline.SignalChange{Interval: lasting(s)} }
