package pipeline_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/respond"
	"jauntylark/store/events"
	"jauntylark/store/storetest"
)

func above(limit, deadband float64, s alarm.Severity) alarm.Rung {
	return alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: limit}, Deadband: deadband, Severity: s}
}

func below(limit, deadband float64, s alarm.Severity) alarm.Rung {
	return alarm.Rung{When: alarm.Test{Kind: alarm.Below, A: limit}, Deadband: deadband, Severity: s}
}

// told gives the kinds of the notices of an alarm, oldest first; of all alarms when id is 0.
func (b *bench) told(id int64) string {
	b.t.Helper()
	notices, err := events.Notices(context.Background(), b.store, events.NoticeQuery{Alarm: id, Limit: 1000})
	if err != nil {
		b.t.Fatal(err)
	}
	var kinds []string
	for i := len(notices) - 1; i >= 0; i-- {
		kinds = append(kinds, notices[i].Kind)
	}
	return strings.Join(kinds, " ")
}

// newest gives the alarm that was raised last.
func (b *bench) newest() alarm.Alarm {
	b.t.Helper()
	all := b.alarms()
	if len(all) == 0 {
		b.t.Fatal("no alarm was raised")
	}
	return all[len(all)-1]
}

func TestOneAlarmRisesAndFallsBetweenRungs(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.stream("temp", -10, 20)
	g := b.guard(alarm.Guard{Signal: "d/temp", Rung: above(40, 2, alarm.Critical),
		Rungs: alarm.Rungs{above(30, 2, alarm.Warning), below(5, 1, alarm.Advisory)}})
	b.stream("temp", 1, 31)
	first := b.newest()
	if first.Level != "high" || first.Severity != alarm.Warning {
		t.Fatalf("at 31: %+v", first)
	}
	if _, err := respond.Acknowledge(ctx, b.Pipeline, first.ID, "the vent", "Orla"); err != nil {
		t.Fatal(err)
	}
	b.stream("temp", 2, 45)
	if a := b.newest(); a.ID != first.ID || a.Level != "high-high" || a.Severity != alarm.Critical ||
		a.AcknowledgedAt != nil || a.Comment != "the vent" || !strings.Contains(a.Sentence, "above 40") {
		t.Errorf("at 45: %+v", a)
	}
	worse, err := events.Notices(ctx, b.store, events.NoticeQuery{Alarm: first.ID, Limit: 1})
	if err != nil || !strings.Contains(worse[0].Text, "It reads 45, and the limit is 40.") {
		t.Errorf("told: %+v %v", worse, err)
	}
	b.stream("temp", 3, 36)
	if a := b.newest(); a.ID != first.ID || a.Level != "high" || a.Severity != alarm.Warning ||
		a.Worst != alarm.Critical || a.State != alarm.StateRaised {
		t.Errorf("at 36: %+v", a)
	}
	b.stream("temp", 4, 2)
	all := b.alarms()
	if len(all) != 2 || all[0].State != alarm.StateOver || all[0].Extreme != 45 || all[1].Level != "low" ||
		all[1].Severity != alarm.Advisory {
		t.Errorf("straight to low: %+v", all)
	}
	if got := b.told(first.ID); got != "raise taken worsen ease return" {
		t.Errorf("told: %s", got)
	}
	later := process(t, b.store, b.now) // what it was goes through storage
	later.stream("temp", 5, 41, 8)
	if all = b.alarms(); len(all) != 3 || all[1].State != alarm.StateOver || all[2].Level != "high-high" ||
		all[2].State != alarm.StateOver || all[2].Guard != g.Name {
		t.Errorf("in another process: %+v", all)
	}
}

// A guard that is changed while its alarm stands: the alarm stays if it would still stand, and says what the guard says
// now.
func TestAGuardIsChangedWhileItsAlarmStands(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.stream("temp", -10, 20)
	g := b.guard(alarm.Guard{Signal: "d/temp", Rung: above(30, 0, alarm.Warning),
		Rungs: alarm.Rungs{above(50, 0, alarm.Critical)}})
	b.stream("temp", 1, 45)
	first := b.newest()
	if _, err := respond.Acknowledge(ctx, b.Pipeline, first.ID, "", "Orla"); err != nil {
		t.Fatal(err)
	}
	change := func(at float64, rungs ...alarm.Rung) alarm.Alarm {
		t.Helper()
		b.clock(at)
		g.Rung, g.Rungs, g.Advice = rungs[0], rungs[1:], "Open the vents."
		if err := configure.SaveGuard(ctx, b.Pipeline, &g, "Tadhg"); err != nil {
			t.Fatal(err)
		}
		return b.newest()
	}
	if a := change(2, above(35, 0, alarm.Warning), above(50, 0, alarm.Critical)); a.ID != first.ID ||
		a.When != "above 35" || a.Advice == "" || a.AcknowledgedAt == nil || b.told(a.ID) != "raise taken" {
		t.Errorf("another limit: %+v, told %q", a, b.told(a.ID))
	}
	if a := change(3, above(35, 0, alarm.Critical)); a.ID != first.ID || a.Severity != alarm.Critical ||
		a.AcknowledgedAt != nil || b.told(a.ID) != "raise taken worsen" {
		t.Errorf("more severe: %+v, told %q", a, b.told(a.ID))
	}
	if a := change(4, above(35, 0, alarm.Warning), above(40, 0, alarm.Critical)); a.ID != first.ID ||
		a.Level != "high-high" || a.Severity != alarm.Critical || a.State != alarm.StateRaised {
		t.Errorf("a rung that is reached: %+v", a)
	}
	if a := change(5, below(10, 0, alarm.Warning)); a.ID != first.ID || a.State != alarm.StateOver ||
		a.Cause != "the guard was changed" {
		t.Errorf("no rung on that side any more: %+v", a)
	}
	if a := change(6, above(30, 0, alarm.Advisory)); a.ID == first.ID || a.RaisedAt != b.at(6) {
		t.Errorf("the value that holds: %+v", a)
	}
	later := process(t, b.store, b.now)
	later.stream("temp", 7, 20)
	if a := b.newest(); a.State != alarm.StateOver || a.Severity != alarm.Advisory {
		t.Errorf("in another process: %+v", a)
	}
}

func TestALatchedAlarmWaitsToBeReset(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.stream("temp", -10, 20)
	b.guard(alarm.Guard{Signal: "d/temp", Rung: above(30, 0, alarm.Warning), Latch: true})
	b.stream("temp", 1, 31)
	a := b.newest()
	if _, err := respond.ResetAlarm(ctx, b.Pipeline, a.ID, "Orla"); err == nil ||
		!strings.Contains(err.Error(), "while it is so") {
		t.Errorf("reset while it stands: %v", err)
	}
	b.stream("temp", 2, 20)
	if a = b.newest(); !a.Latched || a.State != alarm.StateRaised {
		t.Fatalf("back in order: %+v", a)
	}
	later := process(t, b.store, b.now)
	if _, err := respond.Acknowledge(ctx, later.Pipeline, a.ID, "", "Orla"); err != nil {
		t.Fatal(err)
	}
	later.stream("temp", 3, 35)
	if a = b.newest(); a.Latched || a.AcknowledgedAt != nil || a.Extreme != 35 || len(b.alarms()) != 1 {
		t.Errorf("it recurs: %+v", a)
	}
	later.stream("temp", 4, 20, 40, 20) // nobody had it: it chatters without a word
	b.clock(8)
	over, err := respond.ResetAlarm(ctx, later.Pipeline, a.ID, "Tadhg")
	if err != nil || over.State != alarm.StateOver || over.Cause != "Tadhg reset it" || *over.ClearedAt != b.at(8) {
		t.Errorf("reset: %+v %v", over, err)
	}
	if got := b.told(0); got != "raise latched taken raise latched return" {
		t.Errorf("told: %s", got)
	}
	if _, err := respond.ResetAlarm(ctx, later.Pipeline, a.ID, "Tadhg"); err == nil ||
		!strings.Contains(err.Error(), "over already") {
		t.Errorf("reset twice: %v", err)
	}
}

func TestGuardsOfTextMarksAndSilence(t *testing.T) {
	b := fresh(t)
	say := func(at float64, word string) {
		b.send(measure.Sample{Name: "valve", At: b.at(at), Text: word, Form: measure.FormText})
	}
	say(0, "shut")
	b.stream("temp", 0, 20)
	b.signal("d/temp", act.SignalChange{Span: &site.Span{Low: 0, High: 100}, FailsTo: both()})
	b.guard(alarm.Guard{Name: "open", Signal: "d/valve",
		Rung: alarm.Rung{When: alarm.Test{Kind: alarm.IsWord, Word: "open"}}})
	b.guard(alarm.Guard{Name: "faulty", Signal: "d/temp", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Faulty},
		OnDelay: measure.Duration(2e9)}})
	say(1, "open")
	if a := b.newest(); a.Guard != "open" || a.Sentence != `D valve is "open"` {
		t.Errorf("text: %+v", a)
	}
	later := process(t, b.store, b.now)
	later.send(measure.Sample{Name: "valve", At: b.at(2), Text: "ajar", Form: measure.FormText})
	if a := b.newest(); a.State != alarm.StateOver {
		t.Errorf("another word, in another process: %+v", a)
	}
	b.stream("temp", 3, 200, 201, 202, 203)
	if a := b.newest(); a.Guard != "faulty" || a.RaisedAt != b.at(5) {
		t.Errorf("readings that cannot be: %+v", a)
	}
	b.stream("temp", 8, 20)
	if a := b.newest(); a.State != alarm.StateOver {
		t.Errorf("a good one: %+v", a)
	}
	b.clock(9)
	b.guard(alarm.Guard{Name: "quiet", Signal: "d/temp", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Silent, A: 60}}})
	b.stream("temp", 10, 21)
	b.moveTo(72)
	defer func() {
		if t.Failed() {
			t.Logf("the newest alarm: %+v; what is due: %+v", b.newest(), b.due())
		}
	}()
	storetest.Eventually(t, "the silence", func() bool { a := b.newest(); return a.Guard == "quiet" })
	a := b.newest()
	if !strings.Contains(a.Sentence, "silent: nothing for 1 minute") {
		t.Errorf("silent: %+v", a)
	}
	b.stream("temp", 73, 22)
	if a := b.newest(); a.State != alarm.StateOver {
		t.Errorf("heard again: %+v", a)
	}
	next := 150.0
	storetest.Eventually(t, "the next silence", func() bool {
		b.moveTo(next)
		next += 20
		return b.newest().State == alarm.StateRaised
	})
}

// What a guard came too late for is not stepped, by whichever process; and a signal that is silent suppresses nothing.
func TestWhatAGuardCameTooLateFor(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.moveTo(1)
	b.expect("d", 10*time.Second)
	b.stream("temp", 1, 20)
	b.send(measure.Sample{Name: "here", At: b.at(1), Value: 1, Form: measure.FormBool})
	g := b.guard(alarm.Guard{Name: "hot", Signal: "d/temp", Rung: above(30, 0, alarm.Warning)})
	b.moveTo(5)
	why := "a test"
	if _, err := respond.PutOutOfService(ctx, b.Pipeline, g.Name, &why, "test"); err != nil {
		t.Fatal(err)
	}
	if _, err := respond.PutOutOfService(ctx, b.Pipeline, g.Name, nil, "test"); err != nil {
		t.Fatal(err)
	}
	later := process(t, b.store, b.now)
	later.stream("temp", 4, 99)
	b.stream("temp", 6, 20)
	if all := b.alarms(); len(all) != 0 {
		t.Fatalf("stepped before it looked again: %+v", all)
	}
	b.guard(alarm.Guard{Name: "when-away", Signal: "d/temp", Rung: above(10, 0, alarm.Warning),
		Suppressed: "d/here is on"})
	b.stream("temp", 7, 21)
	if all := b.alarms(); len(all) != 0 {
		t.Fatalf("while they are here: %+v", all)
	}
	until := 45.0
	storetest.Eventually(t, "the silence to end the suppression", func() bool {
		b.moveTo(until)
		b.stream("temp", until, 22)
		until += 5
		all := b.alarms()
		return len(all) > 0 && all[len(all)-1].Guard == "when-away"
	})
}

// A guard that comes to look for silence counts it from its own limit, not from what let other delays stand still.
func TestAGuardComesToLookForSilence(t *testing.T) {
	b := fresh(t)
	b.moveTo(1)
	b.stream("temp", 1, 20)
	b.expect("d", 10*time.Second)
	off := false
	b.set("d", act.DeviceChange{SilenceAlarm: &off})
	g := b.guard(alarm.Guard{Name: "g", Signal: "d/temp", Rung: above(30, 0, alarm.Warning)})
	b.moveTo(45) // silent for the delays of others
	g.Rung = alarm.Rung{When: alarm.Test{Kind: alarm.Silent, A: 120}, Severity: alarm.Warning}
	if err := configure.SaveGuard(context.Background(), b.Pipeline, &g, "test"); err != nil {
		t.Fatal(err)
	}
	if all := b.alarms(); len(all) != 0 {
		t.Fatalf("silent for less than its limit: %+v", all)
	}
	until := 125.0
	storetest.Eventually(t, "its own silence", func() bool {
		b.moveTo(until)
		until += 10
		return len(b.alarms()) == 1
	})
}

// While the silence of a device is told, a guard that looks for silence raises no notice of its own.
func TestOneCauseIsToldOnce(t *testing.T) {
	b := fresh(t)
	b.moveTo(1)
	b.stream("temp", 1, 20)
	b.expect("d", 10*time.Second)
	b.guard(alarm.Guard{Name: "quiet", Signal: "d/temp", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Silent, A: 60}}})
	until := 70.0
	storetest.Eventually(t, "both", func() bool {
		b.moveTo(until)
		until += 10
		return len(b.alarms()) == 2
	})
	device, quiet := b.alarms()[0], b.alarms()[1]
	if device.Kind != alarm.BySilence || quiet.Guard != "quiet" || quiet.ToldWith == nil ||
		*quiet.ToldWith != device.ID || b.told(quiet.ID) != "" || b.told(device.ID) != "raise" {
		t.Errorf("%+v\n%+v, told %q and %q", device, quiet, b.told(device.ID), b.told(quiet.ID))
	}
}
