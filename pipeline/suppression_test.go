package pipeline_test

import (
	"context"
	"slices"
	"strings"
	"testing"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/pipeline"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/credential"
	"jauntylark/pipeline/reading"
	"jauntylark/pipeline/respond"
	"jauntylark/store/config"
	"jauntylark/store/storetest"
)

func TestSuppression(t *testing.T) {
	b := fresh(t)
	b.expect("d", 100*time.Second)
	b.stream("temp", -10, 20)
	b.send(measure.Sample{Name: "here", At: b.at(-9), Value: 0, Form: measure.FormBool})
	master := b.guard(alarm.Guard{Name: "master", Signal: "d/temp", Rung: above(60, 0, alarm.Critical)})
	b.guard(alarm.Guard{Name: "when-away", Signal: "d/temp", Rung: above(30, 0, alarm.Warning),
		Suppressed: "d/here is on"})
	b.guard(alarm.Guard{Name: "lesser", Signal: "d/temp", Rung: above(50, 0, alarm.Warning), Suppressed: "alarm " +
		master.Name})
	here := func(at, v float64) {
		b.send(measure.Sample{Name: "here", At: b.at(at), Value: v, Form: measure.FormBool})
	}
	here(1, 1)
	b.stream("temp", 2, 31)
	if len(b.alarms()) != 0 {
		t.Fatalf("while they are here: %+v", b.alarms())
	}
	here(3, 0)
	if a := b.newest(); a.Guard != "when-away" || a.RaisedAt != b.at(3) {
		t.Errorf("when they have gone: %+v", a)
	}
	here(4, 1)
	if a := b.newest(); a.State != alarm.StateOver || a.Ending != alarm.EndUnwatched ||
		a.Cause != "the guard is suppressed while d/here is on" {
		t.Errorf("when they come back: %+v", a)
	}
	b.stream("temp", 5, 70)
	later := process(t, b.store, b.now)
	later.stream("temp", 6, 55)
	got := map[string]string{}
	for _, a := range b.alarms() {
		got[a.Guard] += a.State + " "
	}
	if got["lesser"] != "over raised " && got["lesser"] != "raised " || got["master"] != "over " {
		t.Errorf("suppressed by an alarm: %v", got)
	}
	_, err := b.Submit(context.Background(), &reading.Pack{Sender: credential.Sender{Key: b.key}, Arrived: b.Now(),
		Samples: nil})
	if err != nil {
		t.Fatal(err)
	}
	for field, g := range map[string]alarm.Guard{
		"suppressed_while: there is no signal":      {Suppressed: "d/heer is on"},
		"suppressed_while: 'above 3' does not suit": {Suppressed: "d/here above 3"},
		"suppressed_while: there is no guard":       {Suppressed: "alarm mastre"},
	} {
		g.Signal, g.Rung = "d/temp", above(1, 0, alarm.Warning)
		if err := configure.SaveGuard(context.Background(), b.Pipeline, &g, "test"); err == nil ||
			!strings.Contains(err.Error(), field) {
			t.Errorf("%s: %v", g.Suppressed, err)
		}
	}
}

// What suppresses a guard may go, or get another name: the guard looks again, or goes on not to.
func TestWhatSuppressesMayGo(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.stream("temp", -10, 70)
	r := recipe("on-off", map[string]string{"of": "d/temp"}, "")
	r.When = "above 50"
	if err := configure.Derive(ctx, b.Pipeline, "d/hot", "", r, pipeline.Actor{Called: "test"}); err != nil {
		t.Fatal(err)
	}
	b.guard(alarm.Guard{Name: "by-signal", Signal: "d/temp", Rung: above(30, 0, alarm.Warning),
		Suppressed: "d/hot is on"})
	master := b.guard(alarm.Guard{Name: "master", Signal: "d/temp", Rung: above(60, 0, alarm.Warning)})
	b.guard(alarm.Guard{Name: "by-alarm", Signal: "d/temp", Rung: above(30, 0, alarm.Warning),
		Suppressed: "alarm master"})
	b.stream("temp", 1, 71)
	standing := func() string {
		var names []string
		for _, a := range b.alarms() {
			if a.State == alarm.StateRaised {
				names = append(names, a.Guard)
			}
		}
		slices.Sort(names)
		return strings.Join(names, " ")
	}
	if got := standing(); got != "master" {
		t.Fatalf("at first %q stand", got)
	}
	b.clock(2)
	if err := configure.RemoveDerived(ctx, b.Pipeline, "d/hot", pipeline.Actor{Called: "test"}); err != nil {
		t.Fatal(err)
	}
	if got := standing(); got != "by-signal master" {
		t.Errorf("without the signal %q stand", got)
	}
	b.clock(3)
	master.Name = "renamed"
	if err := configure.SaveGuard(ctx, b.Pipeline, &master, "test"); err != nil {
		t.Fatal(err)
	}
	if got := standing(); got != "by-alarm by-signal renamed" {
		t.Errorf("by another name %q stand", got)
	}
	b.clock(4)
	if err := configure.RemoveGuard(ctx, b.Pipeline, master.Name, "test"); err != nil {
		t.Fatal(err)
	}
	if got := standing(); got != "by-alarm by-signal" {
		t.Errorf("without the guard %q stand", got)
	}
}

func TestOutOfServiceAndArmedHours(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.stream("temp", -10, 20)
	g := b.guard(alarm.Guard{Signal: "d/temp", Rung: above(30, 0, alarm.Warning)})
	b.stream("temp", 1, 31)
	b.clock(2)
	why := "the probe is away"
	if _, err := respond.PutOutOfService(ctx, b.Pipeline, g.Name, &why, "Orla"); err != nil {
		t.Fatal(err)
	}
	if a := b.newest(); a.State != alarm.StateOver || a.Cause != "the guard was put out of service" {
		t.Fatalf("out of service: %+v", a)
	}
	b.stream("temp", 3, 20, 33)
	b.clock(5)
	if len(b.alarms()) != 1 {
		t.Errorf("it raised while out of service: %+v", b.alarms())
	}
	if _, err := respond.PutOutOfService(ctx, b.Pipeline, g.Name, nil, "Orla"); err != nil {
		t.Fatal(err)
	}
	if a := b.newest(); len(b.alarms()) != 2 || a.RaisedAt != b.at(5) || a.Value != 33 {
		t.Errorf("back in service it looks at what holds: %+v", a)
	}

	edge := start.Time().UTC().Truncate(time.Minute).Add(2 * time.Minute)
	until := measure.InstantOf(edge)
	hours := b.guard(alarm.Guard{Name: "at-night", Signal: "d/temp", Rung: above(30, 0, alarm.Warning),
		Armed: "daily 00:00-" + edge.Format("15:04")})
	if a := b.newest(); a.Guard != hours.Name || a.State != alarm.StateRaised {
		t.Fatalf("within its hours: %+v", a)
	}
	b.moveTo(until.Sub(start).Seconds() + 3)
	storetest.Eventually(t, "the hours to end", func() bool { a := b.newest(); return a.State == alarm.StateOver })
	a := b.newest()
	if *a.ClearedAt != until || a.Cause != "the guard's armed hours ended" {
		t.Errorf("at the end of its hours: %+v", a)
	}
}

func TestShelvingIsOfTheGuardAndYieldsToWhatIsWorse(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.stream("temp", -10, 20)
	g := b.guard(alarm.Guard{Signal: "d/temp", Rung: above(30, 0, alarm.Warning),
		Rungs: alarm.Rungs{above(40, 0, alarm.Critical)}})
	for _, bad := range []struct {
		until measure.Instant
		why   string
	}{{b.at(3600), " "}, {b.at(30), "too short"}, {b.at(40 * 86400), "too long"}} {
		if _, err := respond.Shelve(ctx, b.Pipeline, g.Name, bad.until, bad.why, "Orla"); err == nil {
			t.Errorf("shelved: %+v", bad)
		}
	}
	if _, err := respond.Shelve(ctx, b.Pipeline, g.Name, b.at(3600), "the plumber is here", "Orla"); err != nil {
		t.Fatal(err)
	}
	b.stream("temp", 1, 31, 20, 32)
	all := b.alarms()
	if len(all) != 2 || !all[0].Shelved || !all[1].Shelved || b.told(0) != "" {
		t.Fatalf("while shelved: %+v, told %q", all, b.told(0))
	}
	b.stream("temp", 4, 45)
	if a := b.newest(); a.Shelved || a.Severity != alarm.Critical || b.told(a.ID) != "raise" {
		t.Errorf("what is worse: %+v, told %q", a, b.told(a.ID))
	}
	b.stream("temp", 5, 20, 33)
	b.moveTo(3602)
	b.swept()
	storetest.Eventually(t, "the shelf to end", func() bool { a := b.newest(); return !a.Shelved })
	a := b.newest()
	if b.told(a.ID) != "raise" {
		t.Errorf("after its time: told %q", b.told(a.ID))
	}
	guards, err := config.Guards(ctx, b.store)
	if err != nil || guards[0].Shelved != nil {
		t.Errorf("after its time: %+v %v", guards[0].Shelved, err)
	}
}
