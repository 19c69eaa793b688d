package pipeline_test

import (
	"context"
	"strings"
	"testing"

	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/pipeline/configure"
	"jauntylark/store/storetest"
)

// How bad faults are and who is told can be said of a device and of a signal; the signal's word comes first.
func TestFaultsAreAsBadAsSomebodySaid(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.contact("orla", roster.Mail)
	b.contact("tadhg", roster.Text)
	b.stream("temp", -10, 20)
	b.guard(alarm.Guard{Name: "hot", Signal: "d/temp", Rung: above(30, 1, alarm.Critical), Tell: []string{"orla"}})
	mild, tell := alarm.Advisory, []string{"tadhg"}
	b.set("d", act.DeviceChange{FaultsChange: site.FaultsChange{Severity: &mild, Tell: &tell}})
	b.expect("d", 10_000_000_000)
	b.moveTo(60)
	storetest.Eventually(t, "silence", func() bool { return len(b.alarms()) == 1 })
	if a := b.newest(); a.Kind != alarm.BySilence || a.Severity != alarm.Advisory {
		t.Errorf("%+v", a)
	}
	b.outboxIs("the technician alone", "raise tadhg text")
	warn, nobody := alarm.Warning, []string{"nobody"}
	b.signal("d/temp", act.SignalChange{FaultsChange: site.FaultsChange{Severity: &warn},
		Span: &site.Span{Low: 0, High: 100}, FaultAfter: lasting(5)})
	for i := range 4 {
		b.clock(70 + 3*float64(i))
		b.stream("temp", 70+3*float64(i), -500)
	}
	if a := b.newest(); a.Kind != alarm.BySensor || a.Severity != alarm.Warning {
		t.Errorf("%+v", a)
	}
	if n := b.last(roster.Raise, roster.Text); n.Contact != "tadhg" ||
		!strings.Contains(n.Text, "is not to be believed") {
		t.Errorf("%+v", n)
	}
	if err := configure.SetSignal(ctx, b.Pipeline, "d/temp",
		act.SignalChange{FaultsChange: site.FaultsChange{Tell: &nobody}}, tester); err == nil ||
		!strings.Contains(err.Error(), "faults.tell: there is no roster or contact") {
		t.Errorf("%v", err)
	}
}

// A guard of one's own that looks for faults takes the place of the built-in alarm.
func TestOnesOwnGuardForFaults(t *testing.T) {
	b := fresh(t)
	b.contact("orla", roster.Mail)
	b.stream("temp", -10, 20)
	b.signal("d/temp", act.SignalChange{Span: &site.Span{Low: 0, High: 100}, FaultAfter: lasting(5)})
	faulty := func(from float64) {
		for i := range 4 {
			b.clock(from + 3*float64(i))
			b.stream("temp", from+3*float64(i), 500)
		}
	}
	faulty(1)
	if a := b.newest(); a.Kind != alarm.BySensor || a.State != alarm.StateRaised {
		t.Fatalf("%+v", a)
	}
	test, _ := alarm.ParseTest("faulty")
	b.guard(alarm.Guard{Name: "own", Signal: "d/temp", Rung: alarm.Rung{When: test, Severity: alarm.Advisory},
		Tell: []string{"orla"}})
	all := b.alarms()
	if all[0].State != alarm.StateOver || all[0].Ending != alarm.EndChanged ||
		all[0].Cause != "guard own looks for it now" {
		t.Errorf("%+v", all[0])
	}
	b.clock(20)
	b.stream("temp", 20, 21)
	faulty(21)
	for _, a := range b.alarms()[1:] {
		if a.Kind == alarm.BySensor {
			t.Errorf("both: %+v", a)
		}
	}
}

// 'is "WORD"' is understood where the signal has the word for a state, and messages say it.
func TestStatesByTheirWords(t *testing.T) {
	b := fresh(t)
	b.contact("orla", roster.Text)
	b.turns(0, true)
	b.stream("level", -10, 2000)
	one, dry, full := 1.0, 1150.0, 2900.0
	b.signal("d/running", act.SignalChange{Bands: &site.Bands{{Name: "dark", To: &one}, {Name: "flame", From: &one}}})
	b.signal("d/level", act.SignalChange{Bands: &site.Bands{{Name: "dry", To: &dry},
		{Name: "fine", From: &dry, To: &full}, {Name: "low", To: &full}}})
	for text, want := range map[string]string{`is "dark"`: "is off", `is "Flame"`: "is on", `is not "flame"`: "is off",
		`is "on"`: "is on"} {
		test, err := alarm.ParseTest(text)
		b.must(err)
		if g := b.guard(alarm.Guard{Signal: "d/running", Rung: alarm.Rung{When: test, Severity: alarm.Warning},
			Tell: []string{"orla"}}); g.When.String() != want {
			t.Errorf("%s: %s, want %s", text, g.When, want)
		}
	}
	for text, want := range map[string]string{`is "dry"`: "below 1150", `is "fine"`: "inside 1150..2900",
		`is not "fine"`: "outside 1150..2900", `is not "dry"`: "at least 1150"} {
		test, err := alarm.ParseTest(text)
		b.must(err)
		if g := b.guard(alarm.Guard{Signal: "d/level",
			Rung: alarm.Rung{When: test, Severity: alarm.Warning}}); g.When.String() != want {
			t.Errorf("%s: %s, want %s", text, g.When, want)
		}
	}
	test, _ := alarm.ParseTest(`is "flmae"`)
	g := alarm.Guard{Signal: "d/running", Rung: alarm.Rung{When: test, Severity: alarm.Warning}, Tell: []string{}}
	if err := configure.SaveGuard(context.Background(), b.Pipeline, &g, "test"); err == nil ||
		!strings.Contains(err.Error(), `did you mean flame?`) {
		t.Errorf("%v", err)
	}
	b.turns(5, false)
	if n := b.last(roster.Raise, roster.Text); !strings.HasPrefix(n.Text, "Warning: D running is dark.") {
		t.Errorf("%s", n.Text)
	}
}
