package pipeline_test

import (
	"context"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"jauntylark/store/storetest"

	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/derive"
	"jauntylark/core/measure"
	"jauntylark/pipeline/configure"
	"jauntylark/store/config"
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
	return configure.Derive(context.Background(), b.Pipeline, path, "", r, tester)
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
	b.guard(alarm.Guard{Signal: "d/twice", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 30}}})
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
	if s, err := config.Signal(context.Background(), b.store, "d", "twice"); err != nil || *s.Value != 32 ||
		s.MadeOf != "s * 2.0, with s = d/sum" {
		t.Errorf("%+v %v", s, err)
	}
}

// A late input changes what was derived and steps no guard; what is computed has the late reading at once.
func TestALateInput(t *testing.T) {
	b := fresh(t)
	b.stream("v", 1, 10, 20)
	if err := b.tryDerive("d/mean", derive.Recipe{Kind: "moving-mean", Window: *lasting(100),
		Of: []derive.Input{{As: "of", Signal: "d/v"}}}); err != nil {
		t.Fatal(err)
	}
	b.guard(alarm.Guard{Signal: "d/mean", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 100}}})
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
		"d/a from d/b from d/a goes in a circle": b.tryDerive("d/a", recipe("formula", map[string]string{"b": "d/b"},
			"b + 1.0")),
		"d/c from d/c goes in a circle": b.tryDerive("d/c", recipe("formula", map[string]string{"c": "d/c"},
			"c + 1.0")),
		"d/v is measured": b.tryDerive("d/v", recipe("formula", map[string]string{"a": "d/a"},
			"a + 1.0")),
		"would be a switch": b.tryDerive("d/b", recipe("formula", map[string]string{"a": "d/a"},
			"a > 1.0")),
		"d/a is what d/b is computed from":     configure.RemoveDerived(ctx, b.Pipeline, "d/a", tester),
		"is measured; it goes with its device": configure.RemoveDerived(ctx, b.Pipeline, "d/v", tester),
	} {
		if err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
	if out := b.send(measure.Sample{Name: "a", Value: 3}); len(out.Refused) != 1 ||
		!strings.Contains(reason(out), "d/a is derived here") {
		t.Errorf("sent by a device: %+v", out)
	}
	b.guard(alarm.Guard{Signal: "d/b", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 2}}})
	b.stream("v", 2, 5)
	if err := configure.RemoveDerived(ctx, b.Pipeline, "d/b", tester); err != nil {
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

func intervalOf(s float64) act.SignalChange { return act.SignalChange{Interval: lasting(s)} }

// Inputs of one instant, or nearly so, that come one after the other: the newest value is what all of them give, guards
// see it, and what was passed through on the way neither begins nor ends a delay.
func TestInputsThatComeOneAfterTheOther(t *testing.T) {
	b := fresh(t)
	b.stream("x", 1, 3)
	b.stream("y", 1, 1)
	b.derive("d/sum", "formula", map[string]string{"x": "d/x", "y": "d/y"}, "x + y")
	b.derive("d/gap", "formula", map[string]string{"x": "d/x", "y": "d/y"}, "x - y")
	b.derive("d/twice", "formula", map[string]string{"s": "d/sum"}, "s * 2.0")
	b.guard(alarm.Guard{Name: "high", Signal: "d/twice", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 25}}})
	b.guard(alarm.Guard{Name: "apart", Signal: "d/gap", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 3},
		OnDelay: *lasting(3)}})
	b.guard(alarm.Guard{Name: "together", Signal: "d/gap", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Below, A: 1},
		OnDelay: *lasting(5)}})
	for i := range 8 {
		b.stream("x", 10+float64(i), float64(8+i)*10)
		b.clock(10 + float64(i) + 0.4)
		b.send(measure.Sample{Name: "y", At: b.at(10 + float64(i) - 0.3*float64(i%2)), Value: float64(8+i) * 10})
		if i == 0 {
			if got := b.alarms(); len(got) != 1 || got[0].Guard != "high" || got[0].RaisedAt != b.at(10) ||
				got[0].Extreme != 320 {
				t.Errorf("the first of both: %+v", got)
			}
		}
	}
	raised := map[string]measure.Instant{}
	for _, a := range b.alarms() {
		raised[a.Guard] = a.RaisedAt
	}
	if len(raised) != 2 || raised["together"] != b.at(15) {
		t.Errorf("raised %v", raised)
	}
	for name, want := range map[string]float64{"sum": 300, "gap": 0, "twice": 600} {
		all := b.values(name)
		s, err := config.Signal(context.Background(), b.store, "d", name)
		if err != nil || *s.Value != want || all[len(all)-1] != want {
			t.Errorf("%s reads %v, its newest reading %v: %v", name, *s.Value, all[len(all)-1], err)
		}
	}
}

// Several processes take readings in turn, late ones and many of one instant among them: what each derives is what a
// computation of all readings gives, as soon as every input has a new one.
func TestSeveralProcessesDeriveAsOne(t *testing.T) {
	storetest.Long(t)
	b := fresh(t)
	ctx := context.Background()
	b.stream("v", 1, 1)
	b.stream("w", 1, 1)
	b.expect("d", 20*time.Second)
	one := func(of string) []derive.Input { return []derive.Input{{As: "of", Signal: "d/" + of}} }
	names := []string{"on", "mean", "sum", "cycles", "on-for", "off-for", "on-time", "calm", "rising"}
	for i, r := range []derive.Recipe{
		{Kind: "on-off", When: "above 5", Deadband: 4, Of: one("v")}, {Kind: "moving-mean", Window: *lasting(30),
			Of: one("v")},
		{Kind: "formula", Formula: "v + w", Of: []derive.Input{{As: "v", Signal: "d/v"}, {As: "w", Signal: "d/w"}}},
		{Kind: "cycles", Window: *lasting(120), Of: one("on")}, {Kind: "on-for", Of: one("on")},
		{Kind: "off-for", Of: one("on")},
		{Kind: "on-time", Window: *lasting(60), Of: one("on")}, {Kind: "moving-median", Window: *lasting(20),
			Of: one("sum")}, {Kind: "charging", Window: *lasting(40), Deadband: 1, Of: one("mean")},
	} {
		if err := b.tryDerive("d/"+names[i], r); err != nil {
			t.Fatal(err)
		}
	}
	processes := []*bench{b, process(t, b.store, b.now)}
	rng := rand.New(rand.NewPCG(5, 8))
	at := 10.0
	for round := range 90 {
		if round == 50 {
			processes[1] = process(t, b.store, b.now)
		}
		for range 1 + rng.IntN(5) {
			at += float64(rng.IntN(4))
			b.clock(at)
			p := processes[rng.IntN(2)]
			s := measure.Sample{Name: []string{"v", "v", "w"}[rng.IntN(3)], At: b.at(at), Value: float64(rng.IntN(10))}
			if rng.IntN(4) == 0 {
				s.At -= measure.Instant(rng.IntN(40_000))
			}
			p.send(s) // a conflict now and then
		}
		at += 2
		b.clock(at)
		processes[rng.IntN(2)].send(measure.Sample{Name: "v", At: b.at(at), Value: float64(rng.IntN(10))},
			measure.Sample{Name: "w", At: b.at(at), Value: float64(rng.IntN(10))})
		for _, name := range names {
			s, err := config.Signal(ctx, b.store, "d", name)
			if err != nil {
				t.Fatal(err)
			}
			all := b.readings(name)
			if len(all) == 0 {
				continue
			}
			if last := all[len(all)-1]; s.Value == nil || *s.At != last.At || *s.Value != last.Value {
				t.Fatalf("round %d: %s reads %v at %v, computed anew %v", round, name, *s.Value, s.At, last)
			}
		}
	}
}
