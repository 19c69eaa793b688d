package pipeline_test

import (
	"context"
	"slices"
	"strings"
	"testing"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/pipeline/evidence"
	"jauntylark/pipeline/respond"
	"jauntylark/store/config"
	"jauntylark/store/events"
	"jauntylark/store/storetest"
)

func TestADrillGoesTheWholeWayAndMovesNothing(t *testing.T) {
	storetest.Long(t)
	b := fresh(t)
	ctx := context.Background()
	b.contact("orla", roster.Mail)
	b.contact("tadhg", roster.Text)
	b.roster("house", 0, "orla", "tadhg after 5m")
	b.stream("temp", -10, 20)
	b.guard(alarm.Guard{Name: "g", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Armed: "holidays",
		Tell: []string{"house"}, LeastGap: minutes(60), Advice: "Open the vents."})
	before, err := config.Signal(ctx, b.store, "d", "temp")
	if err != nil {
		t.Fatal(err)
	}
	d, err := respond.StartDrill(ctx, b.Pipeline, "g", false, "Orla")
	if err != nil || d.Guard != "g" || !slices.Equal(d.Rosters, []string{"house"}) {
		t.Fatal(d, err)
	}
	if len(b.alarms()) != 0 {
		t.Errorf("the drill is among the alarms: %+v", b.alarms())
	}
	b.later(310, "the second step", b.count(2))
	for _, n := range b.notices() {
		if !strings.HasPrefix(n.Subject+n.Text, "Drill") {
			t.Errorf("does not begin with Drill: %s", n.Subject)
		}
	}
	// A true alarm meanwhile is one of its own.
	b.stream("temp", 320, 31)
	if a, err := respond.Acknowledge(ctx, b.Pipeline, d.AlarmID, "", "Tadhg"); err != nil ||
		a.State != alarm.StateOver || a.Cause != "Tadhg has it" {
		t.Fatal(a, err)
	}
	b.outboxIs("taken", "raise orla e-mail", "raise tadhg text", "taken orla e-mail")
	rosters, err := config.Rosters(ctx, b.store)
	if err != nil || rosters[0].DrilledAt == nil {
		t.Errorf("%+v %v", rosters, err)
	}
	after, err := config.Signal(ctx, b.store, "d", "temp")
	if err != nil || *after.At == *before.At || *after.Value != 31 {
		t.Errorf("%+v %v", after, err)
	}
	if health, err := evidence.HealthOf(ctx, b.Pipeline, 0, b.Now()); err != nil || health.Alarms != 0 {
		t.Errorf("the drill counts: %+v %v", health, err)
	}
	for what, guard := range map[string]string{"there is no guard": "gg", "tells nobody": "mute"} {
		if guard == "mute" {
			b.guard(alarm.Guard{Name: "mute", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Tell: []string{}})
		}
		if _, err := respond.StartDrill(ctx, b.Pipeline, guard, false, "Orla"); err == nil ||
			!strings.Contains(err.Error(), what) {
			t.Errorf("%s: %v", guard, err)
		}
	}
	// One that nobody takes ends by itself.
	again, err := respond.StartDrill(ctx, b.Pipeline, "g", false, "Orla")
	if err != nil {
		t.Fatal(err)
	}
	b.clock(310 + 31*60)
	storetest.Eventually(t, "the drill ends", func() bool {
		d, err := events.Drill(ctx, b.store, again.ID)
		return err == nil && d.EndedAt != nil && d.Ended == "nobody took it"
	})
}

// A drill is no alarm that is known: what late readings would have raised meanwhile is learned.
func TestADrillHidesNoLateAlarm(t *testing.T) {
	storetest.Long(t)
	b := fresh(t)
	ctx := context.Background()
	b.contact("orla", roster.Mail)
	b.stream("temp", -60, 20)
	b.guard(alarm.Guard{Name: "g", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Tell: []string{"orla"}})
	b.clock(1)
	d, err := respond.StartDrill(ctx, b.Pipeline, "g", false, "Orla")
	if err != nil {
		t.Fatal(err)
	}
	b.clock(10)
	if _, err := respond.Acknowledge(ctx, b.Pipeline, d.AlarmID, "", "Orla"); err != nil {
		t.Fatal(err)
	}
	b.stream("temp", 20, 20)
	b.clock(21)
	b.send(measure.Sample{Name: "temp", At: b.at(2), Value: 35}, measure.Sample{Name: "temp", At: b.at(4), Value: 20})
	b.clock(40)
	storetest.Eventually(t, "the late alarm is learned", func() bool {
		return len(b.alarms()) == 1 && b.alarms()[0].LearnedLate
	})
}

func TestARosterThatWasNotDrilled(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.contact("orla", roster.Mail)
	b.roster("house", 0, "orla")
	b.roster("unused", 0, "orla")
	b.stream("temp", -10, 20)
	b.guard(alarm.Guard{Name: "g", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Tell: []string{"house"}})
	remind := func(days int) []alarm.Alarm {
		t.Helper()
		b.clock(float64(days) * 24 * 3600)
		if err := respond.RemindOfDrills(ctx, b.Pipeline); err != nil {
			t.Fatal(err)
		}
		return b.alarms()
	}
	if all := remind(89); len(all) != 0 {
		t.Errorf("too early: %+v", all)
	}
	all := remind(91)
	if len(all) != 1 || all[0].Kind != alarm.ByDrills ||
		!strings.Contains(all[0].Sentence, "Roster House is not proven") ||
		all[0].Advice != "Drill a guard that tells it: jaunty drill start g" {
		t.Fatalf("%+v", all)
	}
	d, err := respond.StartDrill(ctx, b.Pipeline, "g", false, "Orla")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := respond.Acknowledge(ctx, b.Pipeline, d.AlarmID, "", "Orla"); err != nil {
		t.Fatal(err)
	}
	if all := remind(92); len(all) != 1 || all[0].State != alarm.StateOver {
		t.Errorf("after the drill: %+v", all)
	}
}
