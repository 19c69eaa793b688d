package pipeline_test

import (
	"context"
	"errors"
	"strings"
	"testing"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/derive"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/pipeline/configure"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/storetest"
)

// watch adds a guard over something computed from its signal.
func (b *bench) watch(g alarm.Guard, r derive.Recipe) alarm.Guard {
	b.t.Helper()
	r.Of = []derive.Input{{As: "of", Signal: g.Signal}}
	g.Tell = []string{"orla"}
	b.must(g.Check())
	if err := configure.SaveWatch(context.Background(), b.Pipeline, &g, r, "test"); err != nil {
		b.t.Fatal(err)
	}
	return g
}

func (b *bench) turns(at float64, on bool) {
	v := 0.0
	if on {
		v = 1
	}
	b.clock(max(at-300, float64(b.Now()-start)/1000)) // a day between two passes at once
	b.watchedTo(at)
	b.send(measure.Sample{Name: "running", At: b.at(at), Value: v, Form: measure.FormBool})
}

// A guard over something computed is about the signal that it watches: in its sentence, in its record, in its end.
func TestAGuardOverSomethingComputed(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.contact("orla", roster.Text)
	b.turns(0, false)
	g := b.watch(alarm.Guard{Name: "busy", Signal: "d/running", Rung: above(2, 0, alarm.Warning)},
		derive.Recipe{Kind: "cycles", Window: measure.Duration(time.Hour)})
	if g.Watches != "d/running" || g.Signal != "d/running-cycles-1h" {
		t.Fatalf("%+v", g)
	}
	known := func() bool {
		_, err := config.Signal(ctx, b.store, "d", "running-cycles-1h")
		return err == nil
	}
	if !known() {
		t.Fatal("what is computed is not there")
	}
	for i := range 3 {
		b.turns(float64(10+20*i), true)
		b.turns(float64(20+20*i), false)
	}
	storetest.Eventually(t, "the alarm", func() bool { return len(b.alarms()) == 1 })
	if a := b.newest(); a.Sentence != "D ran 3 times in the last hour, more than 2" {
		t.Errorf("%+v", a)
	}
	if n := b.last(roster.Raise,
		roster.Text); n.Text != "Warning: D ran 3 times in the last hour, more than 2. Reply 1 if you have it." {
		t.Errorf("%s", n.Text)
	}
	guards, err := config.Guards(ctx, b.store)
	if err != nil || guards[0].Watches != "d/running" {
		t.Errorf("%+v %v", guards, err)
	}
	b.must(configure.RemoveGuard(ctx, b.Pipeline, "busy", "test"))
	if n := b.last(roster.Return, roster.Text); !strings.HasPrefix(n.Text,
		"No longer watched: the guard was removed. It ran 3 times in the last hour. D ran 3 times in the last hour, "+
			"more than 2") {
		t.Errorf("%s", n.Text)
	}
	if known() {
		t.Error("what was computed for the guard stays")
	}
}

// What two guards look at by one recipe is computed once, and goes with the last of them.
func TestTwoGuardsOverOneThingComputed(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.contact("orla", roster.Text)
	b.turns(0, false)
	cycles := derive.Recipe{Kind: "cycles", Window: measure.Duration(time.Hour)}
	first := b.watch(alarm.Guard{Name: "busy", Signal: "d/running", Rung: above(2, 0, alarm.Warning)}, cycles)
	second := b.watch(alarm.Guard{Name: "mad", Signal: "d/running", Rung: above(9, 0, alarm.Critical)}, cycles)
	if first.Signal != second.Signal {
		t.Errorf("%s and %s", first.Signal, second.Signal)
	}
	b.must(configure.RemoveGuard(ctx, b.Pipeline, "busy", "test"))
	if _, err := config.Signal(ctx, b.store, "d", "running-cycles-1h"); err != nil {
		t.Errorf("it is needed still: %v", err)
	}
	b.must(configure.RemoveGuard(ctx, b.Pipeline, "mad", "test"))
	if _, err := config.Signal(ctx, b.store, "d", "running-cycles-1h"); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("nobody needs it: %v", err)
	}
	// One that a person declared stays.
	b.must(configure.Derive(ctx, b.Pipeline, "d/starts", "",
		derive.Recipe{Kind: "cycles", Window: measure.Duration(time.Hour),
			Of: []derive.Input{{As: "of", Signal: "d/running"}}}, tester))
	b.guard(alarm.Guard{Name: "own", Signal: "d/starts", Rung: above(2, 0, alarm.Warning)})
	b.must(configure.RemoveGuard(ctx, b.Pipeline, "own", "test"))
	if _, err := config.Signal(ctx, b.store, "d", "starts"); err != nil {
		t.Error(err)
	}
}

// The newest run of a switch stands with it, and in what is told of it.
func TestTheNewestRun(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.contact("orla", roster.Text)
	ran := func() string {
		s, err := config.Signal(ctx, b.store, "d", "running")
		b.must(err)
		return s.RanWords(&s.Ran, b.Now(), time.UTC)
	}
	b.turns(0, false)
	if got := ran(); got != "" {
		t.Errorf("it never ran: %s", got)
	}
	test, _ := alarm.ParseTest("is on")
	b.guard(alarm.Guard{Name: "on", Signal: "d/running", Rung: alarm.Rung{When: test, Severity: alarm.Warning,
		OnDelay: minutes(1)}, Tell: []string{"orla"}})
	for i := range 3 {
		b.turns(float64(10+20*i), true)
		b.turns(float64(14+20*i), false)
	}
	b.watchedTo(114)
	if got := ran(); got != "ran for 4 seconds, 1 minute ago; 3 times today" {
		t.Error(got)
	}
	b.turns(120, true)
	b.watchedTo(150)
	if got := ran(); got != "has run for 30 seconds; 4 times today" {
		t.Error(got)
	}
	b.watchedTo(182)
	b.later(182, "the alarm", b.count(1))
	if n := b.last(roster.Raise,
		roster.Text); n.Text != "Warning: D running is on. It has run for 1 minute 2 seconds; 4 times today. Reply 1 "+
		"if you have it." {
		t.Error(n.Text)
	}
	b.turns(200, false)
	if n := b.last(roster.Return, roster.Text); !strings.HasSuffix(n.Text,
		"D running was on. It ran for 1 minute 20 seconds, less than a second ago; 4 times today.") {
		t.Error(n.Text)
	}
	b.turns(86400+10, true) // on the next day
	b.turns(86400+11, false)
	b.clock(86400 + 71)
	if got := ran(); got != "ran for 1 second, 1 minute ago; 1 time today" {
		t.Error(got)
	}
	b.clock(3 * 86400)
	if got := ran(); !strings.HasSuffix(got, "; not today") {
		t.Error(got)
	}
	b.must(configure.RemoveDevice(ctx, b.Pipeline, "d", tester))
}
