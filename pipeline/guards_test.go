package pipeline_test

import (
	"context"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/quality"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/credential"
	"jauntylark/pipeline/evidence"
	"jauntylark/pipeline/reading"
	"jauntylark/pipeline/respond"
	"jauntylark/store"
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
	notices, err := b.store.Notices(context.Background(), store.NoticeQuery{Alarm: id, Limit: 1000})
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
	g := b.guard(alarm.Guard{Signal: "d/temp", Rung: above(40, 2, alarm.Critical), Rungs: alarm.Rungs{above(30, 2, alarm.Warning), below(5, 1, alarm.Advisory)}})
	b.stream("temp", 1, 31)
	first := b.newest()
	if first.Level != "high" || first.Severity != alarm.Warning {
		t.Fatalf("at 31: %+v", first)
	}
	if _, err := respond.Acknowledge(ctx, b.Pipeline, first.ID, "the vent", "Orla"); err != nil {
		t.Fatal(err)
	}
	b.stream("temp", 2, 45)
	if a := b.newest(); a.ID != first.ID || a.Level != "high-high" || a.Severity != alarm.Critical || a.AcknowledgedAt != nil || a.Comment != "the vent" || !strings.Contains(a.Sentence, "above 40") {
		t.Errorf("at 45: %+v", a)
	}
	worse, err := b.store.Notices(ctx, store.NoticeQuery{Alarm: first.ID, Limit: 1})
	if err != nil || !strings.Contains(worse[0].Text, "It reads 45, and the limit is 40.") {
		t.Errorf("told: %+v %v", worse, err)
	}
	b.stream("temp", 3, 36)
	if a := b.newest(); a.ID != first.ID || a.Level != "high" || a.Severity != alarm.Warning || a.Worst != alarm.Critical || a.State != alarm.StateRaised {
		t.Errorf("at 36: %+v", a)
	}
	b.stream("temp", 4, 2)
	all := b.alarms()
	if len(all) != 2 || all[0].State != alarm.StateOver || all[0].Extreme != 45 || all[1].Level != "low" || all[1].Severity != alarm.Advisory {
		t.Errorf("straight to low: %+v", all)
	}
	if got := b.told(first.ID); got != "raise taken worsen ease return" {
		t.Errorf("told: %s", got)
	}
	later := process(t, b.store, b.now) // what it was goes through storage
	later.stream("temp", 5, 41, 8)
	if all = b.alarms(); len(all) != 3 || all[1].State != alarm.StateOver || all[2].Level != "high-high" || all[2].State != alarm.StateOver || all[2].Guard != g.Name {
		t.Errorf("in another process: %+v", all)
	}
}

// A guard that is changed while its alarm stands: the alarm stays if it would still stand, and says what the guard says now.
func TestAGuardIsChangedWhileItsAlarmStands(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.stream("temp", -10, 20)
	g := b.guard(alarm.Guard{Signal: "d/temp", Rung: above(30, 0, alarm.Warning), Rungs: alarm.Rungs{above(50, 0, alarm.Critical)}})
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
	if a := change(2, above(35, 0, alarm.Warning), above(50, 0, alarm.Critical)); a.ID != first.ID || a.When != "above 35" || a.Advice == "" || a.AcknowledgedAt == nil || b.told(a.ID) != "raise taken" {
		t.Errorf("another limit: %+v, told %q", a, b.told(a.ID))
	}
	if a := change(3, above(35, 0, alarm.Critical)); a.ID != first.ID || a.Severity != alarm.Critical || a.AcknowledgedAt != nil || b.told(a.ID) != "raise taken worsen" {
		t.Errorf("more severe: %+v, told %q", a, b.told(a.ID))
	}
	if a := change(4, above(35, 0, alarm.Warning), above(40, 0, alarm.Critical)); a.ID != first.ID || a.Level != "high-high" || a.Severity != alarm.Critical || a.State != alarm.StateRaised {
		t.Errorf("a rung that is reached: %+v", a)
	}
	if a := change(5, below(10, 0, alarm.Warning)); a.ID != first.ID || a.State != alarm.StateOver || a.Cause != "the guard was changed" {
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
	if _, err := respond.ResetAlarm(ctx, b.Pipeline, a.ID, "Orla"); err == nil || !strings.Contains(err.Error(), "while it is so") {
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
	if _, err := respond.ResetAlarm(ctx, later.Pipeline, a.ID, "Tadhg"); err == nil || !strings.Contains(err.Error(), "over already") {
		t.Errorf("reset twice: %v", err)
	}
}

func TestShelvingIsOfTheGuardAndYieldsToWhatIsWorse(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.stream("temp", -10, 20)
	g := b.guard(alarm.Guard{Signal: "d/temp", Rung: above(30, 0, alarm.Warning), Rungs: alarm.Rungs{above(40, 0, alarm.Critical)}})
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
	guards, err := b.store.Guards(ctx)
	if err != nil || guards[0].Shelved != nil {
		t.Errorf("after its time: %+v %v", guards[0].Shelved, err)
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
	hours := b.guard(alarm.Guard{Name: "at-night", Signal: "d/temp", Rung: above(30, 0, alarm.Warning), Armed: "daily 00:00-" + edge.Format("15:04")})
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

func TestSuppression(t *testing.T) {
	b := fresh(t)
	b.expect("d", 100*time.Second)
	b.stream("temp", -10, 20)
	b.send(measure.Sample{Name: "here", At: b.at(-9), Value: 0, Form: measure.FormBool})
	master := b.guard(alarm.Guard{Name: "master", Signal: "d/temp", Rung: above(60, 0, alarm.Critical)})
	b.guard(alarm.Guard{Name: "when-away", Signal: "d/temp", Rung: above(30, 0, alarm.Warning), Suppressed: "d/here is on"})
	b.guard(alarm.Guard{Name: "lesser", Signal: "d/temp", Rung: above(50, 0, alarm.Warning), Suppressed: "alarm " + master.Name})
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
	if a := b.newest(); a.State != alarm.StateOver || a.Ending != alarm.EndUnwatched || a.Cause != "the guard is suppressed while d/here is on" {
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
	_, err := b.Submit(context.Background(), &reading.Pack{Sender: credential.Sender{Key: b.key}, Arrived: b.Now(), Samples: nil})
	if err != nil {
		t.Fatal(err)
	}
	for field, g := range map[string]alarm.Guard{
		"suppressed_while: there is no signal": {Suppressed: "d/heer is on"}, "suppressed_while: 'above 3' does not suit": {Suppressed: "d/here above 3"},
		"suppressed_while: there is no guard": {Suppressed: "alarm mastre"},
	} {
		g.Signal, g.Rung = "d/temp", above(1, 0, alarm.Warning)
		if err := configure.SaveGuard(context.Background(), b.Pipeline, &g, "test"); err == nil || !strings.Contains(err.Error(), field) {
			t.Errorf("%s: %v", g.Suppressed, err)
		}
	}
}

func TestGuardsOfTextMarksAndSilence(t *testing.T) {
	b := fresh(t)
	say := func(at float64, word string) {
		b.send(measure.Sample{Name: "valve", At: b.at(at), Text: word, Form: measure.FormText})
	}
	say(-10, "shut")
	b.stream("temp", -10, 20)
	b.signal("d/temp", act.SignalChange{Span: &site.Span{Low: 0, High: 100}, FailsTo: both()})
	b.guard(alarm.Guard{Name: "open", Signal: "d/valve", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.IsWord, Word: "open"}}})
	b.guard(alarm.Guard{Name: "faulty", Signal: "d/temp", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Faulty}, OnDelay: measure.Duration(2e9)}})
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
	b.guard(alarm.Guard{Name: "by-signal", Signal: "d/temp", Rung: above(30, 0, alarm.Warning), Suppressed: "d/hot is on"})
	master := b.guard(alarm.Guard{Name: "master", Signal: "d/temp", Rung: above(60, 0, alarm.Warning)})
	b.guard(alarm.Guard{Name: "by-alarm", Signal: "d/temp", Rung: above(30, 0, alarm.Warning), Suppressed: "alarm master"})
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
	b.guard(alarm.Guard{Name: "when-away", Signal: "d/temp", Rung: above(10, 0, alarm.Warning), Suppressed: "d/here is on"})
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
	if device.Kind != alarm.BySilence || quiet.Guard != "quiet" || quiet.ToldWith == nil || *quiet.ToldWith != device.ID || b.told(quiet.ID) != "" || b.told(device.ID) != "raise" {
		t.Errorf("%+v\n%+v, told %q and %q", device, quiet, b.told(device.ID), b.told(quiet.ID))
	}
}

func TestLateReadingsAreLearnedFrom(t *testing.T) {
	b := fresh(t)
	b.stream("temp", -100, 20)
	b.guard(alarm.Guard{Name: "hot", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Rungs: alarm.Rungs{above(40, 1, alarm.Critical)}})
	b.guard(alarm.Guard{Name: "younger", Signal: "d/temp", Rung: above(35, 1, alarm.Warning)})
	b.stream("temp", 1, 20)
	b.stream("temp", 500, 31, 20) // known
	b.moveTo(600)
	b.stream("temp", 600, 20)
	// two alarms that nobody knows, and one that meets a known one
	b.stream("temp", 100, 33, 45, 20)
	b.stream("temp", 200, 32, 20)
	b.stream("temp", 499, 32)
	b.moveTo(620)
	storetest.Eventually(t, "what was learned late", func() bool { return len(b.alarms()) == 4 })
	var learned []string
	for _, a := range b.alarms() {
		if a.LearnedLate {
			learned = append(learned, a.Guard+" "+a.Level+" "+string(a.Severity)+" "+a.RaisedAt.Sub(start).String()+" "+a.State)
		}
	}
	want := "hot high-high critical 1m40s over, hot high warning 3m20s over, younger high warning 1m41s over"
	for _, w := range strings.Split(want, ", ") {
		if !strings.Contains(strings.Join(learned, ", "), w) {
			t.Errorf("learned %q, want %q", learned, want)
		}
	}
	if len(learned) != 3 {
		t.Errorf("learned %d: %v", len(learned), learned)
	}
	if got := b.told(0); got != "raise return summary" {
		t.Errorf("told %q", got)
	}
	b.stream("temp", 101.5, 44) // into what is known by now
	b.moveTo(650)
	storetest.Eventually(t, "the second look", func() bool {
		left, err := b.store.LateStretches(context.Background(), b.at(1e6))
		return err == nil && len(left) == 0
	})
	if n := len(b.alarms()); n != 4 {
		t.Errorf("%d alarms after the second look", n)
	}
	notices, _ := b.store.Notices(context.Background(), store.NoticeQuery{Limit: 10})
	if !strings.Contains(notices[0].Text, "hot") && !strings.Contains(notices[0].Text, "above 40") || notices[0].Kind != roster.Summary {
		t.Errorf("the summary: %+v", notices[0])
	}
}

// Over all that happened to a guard, in the order in which it happened, a replay gives exactly the alarms that were
// raised: whatever came late, was acted on, changed or was silent meanwhile, and by whichever process.
func TestAReplayWithEventsIsWhatHappened(t *testing.T) {
	rounds := 8
	if testing.Short() {
		rounds = 3
	}
	found := 0
	for seed := range rounds {
		t.Run(strconv.Itoa(seed), func(t *testing.T) { found += replayWithEvents(t, seed) })
	}
	if found < 10*rounds {
		t.Errorf("only %d alarms in %d rounds", found, rounds)
	}
}

func replayWithEvents(t *testing.T, seed int) (found int) {
	ctx := context.Background()
	r := rand.New(rand.NewPCG(uint64(seed), 21))
	now := new(atomic.Int64)
	now.Store(int64(start))
	records := storetest.Store(t)
	processes := []*bench{process(t, records, now), process(t, records, now)}
	first := processes[0]
	if err := configure.AddDevice(ctx, first.Pipeline, deviceD(), configure.Secret{Hash: first.key}, pipeline.Actor{Called: "test"}); err != nil {
		t.Fatal(err)
	}
	first.expect("d", 4*time.Second)
	first.send(measure.Sample{Name: "temp", At: start, Value: 0})
	first.send(measure.Sample{Name: "here", At: start, Value: 0, Form: measure.FormBool})
	version := func() alarm.Guard {
		delay := func() measure.Duration { return measure.Duration(r.IntN(3)) * measure.Duration(time.Second) }
		g := alarm.Guard{Name: "g", Signal: "d/temp", Latch: r.IntN(3) == 0, Rung: above(4+float64(r.IntN(3)), 1, alarm.Warning), Rungs: alarm.Rungs{above(8, 1, alarm.Critical), below(1, 0, alarm.Advisory)}}
		for i := range g.Count() {
			g.At(i).OnDelay, g.At(i).OffDelay = delay(), delay()
		}
		if r.IntN(2) == 0 {
			g.Suppressed = "d/here is on"
		}
		if r.IntN(3) == 0 {
			edge := start.Time().UTC().Truncate(time.Minute)
			g.Armed = "daily " + edge.Format("15:04") + "-" + edge.Add(2*time.Minute).Format("15:04")
		}
		return g
	}
	g := version()
	g = first.guard(g)
	at := start
	for range 150 {
		b := processes[r.IntN(2)]
		at += measure.Instant(200 + r.IntN(2500))
		now.Store(int64(at))
		switch r.IntN(12) {
		case 0:
			next := version()
			next.ID, next.Tell = g.ID, []string{}
			if err := configure.SaveGuard(ctx, b.Pipeline, &next, "test"); err != nil {
				t.Fatal(err)
			}
		case 1:
			why := "a test"
			if _, err := respond.PutOutOfService(ctx, b.Pipeline, "g", &why, "test"); err == nil && r.IntN(2) == 0 {
				_, _ = respond.PutOutOfService(ctx, b.Pipeline, "g", nil, "test")
			}
		case 2:
			_, _ = respond.PutOutOfService(ctx, b.Pipeline, "g", nil, "test")
		case 3:
			for _, a := range b.alarms() {
				_, _ = respond.ResetAlarm(ctx, b.Pipeline, a.ID, "test")
				_, _ = respond.Acknowledge(ctx, b.Pipeline, a.ID, "", "test")
			}
		case 4:
			b.send(measure.Sample{Name: "here", At: at, Value: float64(r.IntN(2)), Form: measure.FormBool})
		case 5:
			at += 15_000 // silent; a sweeper may see it
			now.Store(int64(at))
			time.Sleep(time.Duration(r.IntN(2)) * 450 * time.Millisecond)
		case 6:
			b.send(measure.Sample{Name: "temp", At: at - measure.Instant(r.IntN(8000)), Value: float64(r.IntN(10)) + 0.25})
		default:
			b.send(measure.Sample{Name: "temp", At: at, Value: float64(r.IntN(10))})
		}
	}
	now.Store(int64(at + 60_000))
	var raised []alarm.Alarm
	for _, a := range first.alarms() {
		if a.Kind == alarm.ByGuard && !a.LearnedLate {
			raised = append(raised, a)
		}
	}
	replayed, err := evidence.Replay(ctx, first.Pipeline, evidence.ReplayOrder{Guard: guardOf(t, records), Until: at, WithEvents: true}, nil)
	if err != nil {
		t.Fatal(err)
	}
	if len(replayed.Alarms) < len(raised) {
		t.Errorf("seed %d: %d replayed, %d raised", seed, len(replayed.Alarms), len(raised))
	}
	for i, a := range raised {
		if i >= len(replayed.Alarms) {
			break
		}
		o := replayed.Alarms[i]
		if o.RaisedAt != a.RaisedAt || o.Side != a.Side || o.Value != a.Value || a.ClearedAt != nil && (o.ClearedAt == nil || *o.ClearedAt != *a.ClearedAt || o.Extreme != a.Extreme || o.Severity != a.Worst) {
			t.Fatalf("seed %d: alarm %d was %+v\nreplayed %+v", seed, i, a, o)
		}
	}
	return len(raised)
}

func guardOf(t *testing.T, s *store.Store) alarm.Guard {
	guards, err := s.Guards(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	return guards[0]
}

func both() *quality.Side { side := quality.Both; return &side }
