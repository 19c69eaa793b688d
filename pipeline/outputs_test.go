package pipeline_test

import (
	"context"
	"encoding/json"
	"errors"
	"math/rand/v2"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"jauntylark/clock"
	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/credential"
	"jauntylark/pipeline/evidence"
	"jauntylark/pipeline/respond"
	"jauntylark/store"
	"jauntylark/store/storetest"
)

func (b *bench) output(path string, s drive.Spec) {
	b.t.Helper()
	device, name, _ := strings.Cut(path, "/")
	if s.Kind == "" {
		s.Kind = drive.KindSwitch
	}
	if err := configure.SaveOutput(context.Background(), b.Pipeline, device, name, s, tester); err != nil {
		b.t.Fatal(err)
	}
}

func (b *bench) interlock(i drive.Interlock) {
	b.t.Helper()
	if err := configure.SaveInterlock(context.Background(), b.Pipeline, &i, tester); err != nil {
		b.t.Fatal(err)
	}
}

func (b *bench) stands(path string) drive.Output {
	b.t.Helper()
	device, name, _ := strings.Cut(path, "/")
	o, err := b.store.Output(context.Background(), device, name)
	if err != nil {
		b.t.Fatal(err)
	}
	return o
}

// is sees that an output is ordered something by somebody.
func (b *bench) is(what, path string, want drive.Value, by drive.Rank) drive.Output {
	b.t.Helper()
	o := b.stands(path)
	if o.Ordered != want || o.By != by {
		b.t.Errorf("%s: %s is at %s by %s (%s), not at %s by %s", what, path, o.Ordered, o.By, o.Why, want, by)
	}
	return o
}

func (b *bench) confirm(path, says string) error {
	device, name, _ := strings.Cut(path, "/")
	return configure.ConfirmOutput(context.Background(), b.Pipeline, credential.Sender{Key: b.key}, device, name, drive.OutputReport{Value: json.RawMessage(says)})
}

func (b *bench) must(err error) {
	b.t.Helper()
	if err != nil {
		b.t.Fatal(err)
	}
}

// journal gives the newest entry of a kind.
func (b *bench) journal(kind string) site.Entry {
	b.t.Helper()
	entries, err := b.store.Journal(context.Background(), store.JournalQuery{Limit: 200})
	if err != nil {
		b.t.Fatal(err)
	}
	for _, e := range entries {
		if e.Kind == kind {
			return e
		}
	}
	b.t.Fatalf("nothing in the journal is a %q", kind)
	return site.Entry{}
}

func TestAnOutputFollowsTheAlarmOfAnotherDevice(t *testing.T) {
	b := fresh(t)
	b.add(site.Device{Name: "fan"})
	b.output("fan/relay", drive.Spec{})
	b.stream("temp", -10, 20)
	g := b.guard(alarm.Guard{Signal: "d/temp", Rung: above(30, 2, alarm.Warning), Rungs: alarm.Rungs{above(40, 2, alarm.Critical)}})
	b.interlock(drive.Interlock{Name: "cool", Output: "fan/relay", Alarm: g.Name + " critical"})
	b.is("at first", "fan/relay", "off", drive.Rested)
	b.stream("temp", 1, 35)
	b.is("a warning", "fan/relay", "off", drive.Rested)
	b.stream("temp", 2, 45)
	o := b.is("critical", "fan/relay", "on", drive.Driven)
	if o.Interlock != "cool" || !strings.Contains(o.Why, "D temp is above 40") || o.OrderedAt != b.at(2) {
		t.Errorf("%+v", o.State)
	}
	if e := b.journal("output ordered"); e.Subject != "fan/relay" || e.Text != "Fan relay goes on: D temp is above 40 (interlock cool)" {
		t.Errorf("%+v", e)
	}
	before := o.No
	b.stream("temp", 3, 46, 47)
	if again := b.stands("fan/relay"); again.No != before {
		t.Error("the same again is another order")
	}
	b.stream("temp", 5, 36)
	b.is("eased", "fan/relay", "off", drive.Rested)
	if err := configure.RemoveGuard(context.Background(), b.Pipeline, g.Name, "test"); !errors.Is(err, commit.ErrNotNow) {
		t.Error("a guard that drives an output of another device was removed:", err)
	}
	g.Name = "other-name"
	b.guard(g)
	b.stream("temp", 6, 50)
	b.is("the guard has another name", "fan/relay", "on", drive.Driven)
}

func TestAnInterlockOfAConditionHasDelaysAndADeadband(t *testing.T) {
	b := fresh(t)
	b.output("d/relay", drive.Spec{})
	b.stream("temp", -10, 20)
	b.interlock(drive.Interlock{Name: "cool", Output: "d/relay", Signal: "d/temp", When: "above 30", Deadband: 2, OnDelay: *lasting(10), OffDelay: *lasting(5)})
	b.stream("temp", 1, 31)
	b.is("the on-delay runs", "d/relay", "off", drive.Rested)
	b.later(12.2, "the on-delay is over", func() bool { return b.stands("d/relay").Ordered == "on" })
	b.stream("temp", 13, 29)
	b.later(20, "nothing is due", func() bool { return true })
	b.is("in the deadband", "d/relay", "on", drive.Driven)
	b.stream("temp", 21, 27)
	b.is("the off-delay runs", "d/relay", "on", drive.Driven)
	b.later(27.2, "the off-delay is over", func() bool { return b.stands("d/relay").Ordered == "off" })
}

func TestALatchedInterlockWaitsForAPersonThroughRestarts(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.output("d/relay", drive.Spec{})
	b.stream("temp", -10, 20)
	b.interlock(drive.Interlock{Name: "cool", Output: "d/relay", Signal: "d/temp", When: "above 30", Latch: true})
	b.stream("temp", 1, 31)
	if err := configure.ResetInterlock(ctx, b.Pipeline, "cool", tester); !errors.Is(err, commit.ErrNotNow) || !strings.Contains(err.Error(), "D temp is above 30") {
		t.Error("reset while it is driven:", err)
	}
	b.stream("temp", 2, 20)
	if o := b.is("latched", "d/relay", "on", drive.Driven); !strings.HasSuffix(o.Why, "D temp was above 30, and it goes on until somebody resets it") {
		t.Error(o.Why)
	}
	other := process(t, b.store, b.now)
	other.stream("temp", 3, 21, 19)
	other.is("latched, in another process", "d/relay", "on", drive.Driven)
	b.interlock(drive.Interlock{Name: "cool", Output: "d/relay", Signal: "d/temp", When: "above 31", Latch: true})
	b.is("latched, the interlock was changed", "d/relay", "on", drive.Driven)
	b.must(configure.ResetInterlock(ctx, other.Pipeline, "cool", tester))
	b.is("reset", "d/relay", "off", drive.Rested)
	if err := configure.ResetInterlock(ctx, b.Pipeline, "cool", tester); !errors.Is(err, commit.ErrNotNow) {
		t.Error("reset twice:", err)
	}
}

// One relay that two latched interlocks hold needs one reset; while one of them cannot be reset, none is.
func TestAnOutputIsResetAsAWhole(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	refused := func(state, says string) {
		t.Helper()
		if err := configure.ResetOutput(ctx, b.Pipeline, "d/relay", tester); !errors.Is(err, commit.ErrNotNow) || !strings.Contains(err.Error(), says) {
			t.Errorf("reset %s: %v", state, err)
		}
	}
	b.output("d/relay", drive.Spec{})
	b.stream("temp", -10, 20)
	b.stream("damp", -10, 50)
	b.interlock(drive.Interlock{Name: "cool", Output: "d/relay", Signal: "d/temp", When: "above 30", Latch: true})
	b.interlock(drive.Interlock{Name: "dry", Output: "d/relay", Signal: "d/damp", When: "above 80", Latch: true})
	b.interlock(drive.Interlock{Name: "light", Output: "d/relay", Signal: "d/temp", When: "below 0"})
	refused("before anything was driven", "no latched interlock holds d/relay")
	b.stream("temp", 1, 31)
	b.stream("damp", 1, 90)
	b.stream("temp", 2, 20)
	refused("while one is driven", "dry: it is still so that D damp is above 80")
	b.is("one is driven", "d/relay", "on", drive.Driven)
	b.stream("damp", 2, 50)
	b.is("both wait", "d/relay", "on", drive.Driven)
	b.must(configure.ResetOutput(ctx, b.Pipeline, "d/relay", tester))
	b.is("both are reset", "d/relay", "off", drive.Rested)
	refused("twice", "nothing to reset")
	if err := configure.ResetOutput(ctx, b.Pipeline, "d/rely", tester); !errors.Is(err, store.ErrNotFound) || !strings.Contains(err.Error(), "did you mean d/relay?") {
		t.Error(err)
	}
}

func TestAnInterlockThatCannotSeeGoesToTheSafeState(t *testing.T) {
	b := fresh(t)
	b.add(site.Device{Name: "fan"})
	b.output("fan/relay", drive.Spec{Safe: drive.On, Rest: drive.Off})
	b.send(measure.Sample{Name: "temp", At: b.Now(), Value: 20})
	b.signal("d/temp", act.SignalChange{Span: &site.Span{Low: -40, High: 80}, FaultAfter: lasting(3), WarmUp: lasting(10)})
	b.interlock(drive.Interlock{Name: "cool", Output: "fan/relay", Signal: "d/temp", When: "below 30", Set: "off", Safety: true})
	b.stream("temp", 1, 20)
	b.is("it sees", "fan/relay", "off", drive.Safety)
	b.stream("temp", 2, 500)
	b.is("one reading that cannot be believed", "fan/relay", "off", drive.Safety)
	b.stream("temp", 3, 500, 500, 500, 500)
	if o := b.is("a sensor fault", "fan/relay", "on", drive.Safety); o.Why != "D temp is not to be believed" {
		t.Error(o.Why)
	}
	b.stream("temp", 7, 20)
	b.is("it sees again", "fan/relay", "off", drive.Safety)
	b.must(configure.PowerOn(context.Background(), b.Pipeline, "d", b.at(8), tester))
	b.stream("temp", 9, 20)
	if o := b.is("warming", "fan/relay", "on", drive.Safety); o.Why != "D temp still warms up" {
		t.Error(o.Why)
	}
	b.moveTo(19)
	b.stream("temp", 20, 20)
	b.is("warm", "fan/relay", "off", drive.Safety)
	b.expect("d", 2*time.Second)
	b.moveTo(28)
	if o := b.is("silent", "fan/relay", "on", drive.Safety); o.Why != "D temp is silent" {
		t.Error(o.Why)
	}
	b.stream("temp", 29, 20)
	b.is("heard again", "fan/relay", "off", drive.Safety)
	b.interlock(drive.Interlock{Name: "never", Output: "fan/relay", Alarm: "d/*"})
	if err := configure.SaveInterlock(context.Background(), b.Pipeline, &drive.Interlock{Name: "x", Output: "fan/relay", Alarm: "no-such"}, tester); err == nil {
		t.Error("an interlock of a guard that is not there")
	}
}

// An interlock of a guard's alarm cannot see when the signal that the guard looks at, or what that is computed from, cannot be believed.
func TestAnInterlockOfAnAlarmIsBlindWithItsGuard(t *testing.T) {
	b := fresh(t)
	b.moveTo(1)
	fan := b.add(site.Device{Name: "fan"})
	b.output("fan/relay", drive.Spec{Safe: drive.On, Rest: drive.Off})
	b.stream("temp", 2, 20)
	b.derive("d/twice", "formula", map[string]string{"t": "d/temp"}, "t * 2.0")
	b.stream("temp", 3, 20)
	g := b.guard(alarm.Guard{Signal: "d/twice", Rung: above(80, 1, alarm.Warning)})
	b.interlock(drive.Interlock{Name: "cool", Output: "fan/relay", Alarm: g.Name})
	b.is("it sees", "fan/relay", "off", drive.Rested)
	b.expect("d", 2*time.Second)
	b.moveTo(20)
	if o := b.is("silent", "fan/relay", "on", drive.Driven); o.Why != "D twice is silent" && o.Why != "D temp is silent" {
		t.Error(o.Why)
	}
	b.sendAs(fan, "x") // another device's readings change nothing
	b.is("still silent", "fan/relay", "on", drive.Driven)
	b.stream("temp", 21, 20)
	b.is("heard again", "fan/relay", "off", drive.Rested)
	b.signal("d/temp", act.SignalChange{WarmUp: lasting(5)})
	b.must(configure.PowerOn(context.Background(), b.Pipeline, "d", b.at(21.5), tester))
	b.stream("temp", 22, 20)
	if o := b.is("warming, which is no alarm", "fan/relay", "on", drive.Driven); o.Why != "D temp still warms up" {
		t.Error(o.Why)
	}
	b.stream("temp", 27, 20)
	b.is("warm", "fan/relay", "off", drive.Rested)
	b.stream("temp", 28, 50)
	b.is("the alarm stands", "fan/relay", "on", drive.Driven)
}

// What one process has raised drives in the other, and what it has ended does no more.
func TestAnAlarmOfAnotherProcessDrives(t *testing.T) {
	one := fresh(t)
	two := process(t, one.store, one.now)
	one.stream("temp", 0, 20)
	g := one.guard(alarm.Guard{Signal: "d/temp", Rung: above(30, 1, alarm.Warning)})
	one.output("d/relay", drive.Spec{})
	one.interlock(drive.Interlock{Name: "cool", Output: "d/relay", Alarm: g.Name})
	two.stream("temp", 1, 21)
	one.stream("temp", 2, 35)
	two.stream("temp", 3, 36)
	two.is("raised by the other", "d/relay", "on", drive.Driven)
	one.stream("temp", 4, 20)
	two.stream("temp", 5, 21)
	two.is("over by the other", "d/relay", "off", drive.Rested)
	if orders, err := one.store.Journal(context.Background(), store.JournalQuery{Kind: "output ordered", Limit: 100}); err != nil || len(orders) != 3 {
		t.Errorf("%+v %v", orders, err)
	}
}

func TestAConditionOnAWord(t *testing.T) {
	b := fresh(t)
	say := func(seconds float64, word string) {
		b.clock(seconds)
		b.send(measure.Sample{Name: "state", At: b.Now(), Text: word, Form: measure.FormText})
	}
	say(0, "shut")
	b.output("d/lamp", drive.Spec{})
	b.interlock(drive.Interlock{Name: "open", Output: "d/lamp", Signal: "d/state", When: `is "open"`})
	b.is("another word", "d/lamp", "off", drive.Rested)
	say(1, "open")
	b.is("the word", "d/lamp", "on", drive.Driven)
	other := process(t, b.store, b.now)
	other.clock(2)
	other.send(measure.Sample{Name: "state", At: b.Now(), Text: "shut", Form: measure.FormText})
	other.is("another word, in another process", "d/lamp", "off", drive.Rested)
}

// An interlock whose formula makes no sense any more, since a signal has got another unit, asks for the safe state; all else goes on.
func TestAnInterlockThatCannotWorkAnyMore(t *testing.T) {
	b := fresh(t)
	b.stream("a", 0, 1)
	b.stream("b", 1, 1)
	b.output("d/relay", drive.Spec{Safe: drive.On, Rest: drive.Off})
	b.interlock(drive.Interlock{Name: "sum", Output: "d/relay", Formula: "a + b > 5.0", Of: drive.Inputs{{As: "a", Signal: "d/a"}, {As: "b", Signal: "d/b"}}})
	b.is("it works", "d/relay", "off", drive.Rested)
	volts, celsius := measure.Unit("V"), measure.Unit("Cel")
	b.signal("d/a", act.SignalChange{Unit: &volts})
	b.signal("d/b", act.SignalChange{Unit: &celsius})
	b.stream("a", 3, 1)
	b.stream("c", 4, 7)
	if o := b.stands("d/relay"); o.Ordered != "on" || !strings.HasPrefix(o.Why, "it cannot work any more: ") {
		t.Errorf("%s: %s", o.Ordered, o.Why)
	}
	b.must(configure.RemoveInterlock(context.Background(), b.Pipeline, "sum", tester))
	b.is("it is gone", "d/relay", "off", drive.Rested)
}

// A saturated sensor counts as beyond the limit for interlocks as it does for guards.
func TestASaturatedSensorDrives(t *testing.T) {
	b := fresh(t)
	b.output("d/relay", drive.Spec{})
	b.send(measure.Sample{Name: "gas", At: b.Now(), Value: 2})
	b.signal("d/gas", act.SignalChange{Span: &site.Span{Low: 0, High: 500}, FaultAfter: lasting(3)})
	b.interlock(drive.Interlock{Name: "vent", Output: "d/relay", Signal: "d/gas", When: "above 100"})
	b.stream("gas", 1, 600)
	b.is("saturated", "d/relay", "on", drive.Driven)
	b.stream("gas", 2, 600, 600, 600, 600, 600)
	b.is("for long", "d/relay", "on", drive.Driven)
	other := process(t, b.store, b.now)
	other.stream("gas", 8, 600)
	other.is("in another process", "d/relay", "on", drive.Driven)
	b.stream("gas", 9, 3)
	b.is("over", "d/relay", "off", drive.Rested)
}

func TestBandsScheduleAndFormulaDrive(t *testing.T) {
	b := fresh(t)
	b.output("d/lamp", drive.Spec{Kind: drive.KindColour})
	b.output("d/vent", drive.Spec{Kind: drive.KindLevel})
	b.output("d/pump", drive.Spec{})
	b.output("d/mist", drive.Spec{})
	b.stream("temp", -10, 20)
	b.stream("humidity", -9, 50)
	edge := 30.0
	b.interlock(drive.Interlock{Name: "lamp", Output: "d/lamp", Signal: "d/temp", Bands: drive.Bands{{To: &edge, Set: "green"}, {Set: "red"}}, Deadband: 1})
	b.interlock(drive.Interlock{Name: "vent", Output: "d/vent", Formula: "(t - 20.0) * 10.0", Of: drive.Inputs{{As: "t", Signal: "d/temp"}}})
	b.interlock(drive.Interlock{Name: "mist", Output: "d/mist", Formula: "t > 25.0 && h < 60.0", Of: drive.Inputs{{As: "t", Signal: "d/temp"}, {As: "h", Signal: "d/humidity"}}})
	b.stream("temp", 1, 27.5)
	b.is("bands", "d/lamp", "#00ff00", drive.Driven)
	b.is("a formula with a number", "d/vent", "75", drive.Driven)
	b.is("a formula that is true", "d/mist", "on", drive.Driven)
	b.stream("humidity", 2, 70)
	b.is("a formula that is false", "d/mist", "off", drive.Rested)
	b.stream("temp", 3, 31.5)
	if o := b.is("another band", "d/lamp", "#ff0000", drive.Driven); o.Why != "D temp reads 31.5" {
		t.Error(o.Why)
	}
	b.is("beyond the range", "d/vent", "100", drive.Driven)
	// 1 790 000 000 is 14:13:20 UTC on a Monday.
	b.interlock(drive.Interlock{Name: "pump", Output: "d/pump", Hours: "mon 14:14-14:15"})
	b.is("before the hours", "d/pump", "off", drive.Rested)
	b.later(41.5, "the hours begin", func() bool { return b.stands("d/pump").Ordered == "on" })
	b.is("in the hours", "d/pump", "on", drive.Scheduled)
	b.later(101.5, "the hours are over", func() bool { return b.stands("d/pump").Ordered == "off" })
	for field, i := range map[string]drive.Interlock{
		"output": {Name: "x", Output: "d/pmup", Hours: "daily"}, "signal": {Name: "x", Output: "d/pump", Signal: "d/tmep", When: "above 3"}, "when": {Name: "x", Output: "d/pump", Signal: "d/temp", When: "is on"},
		"formula": {Name: "x", Output: "d/pump", Formula: "t +", Of: drive.Inputs{{As: "t", Signal: "d/temp"}}}, "name": {Name: "X Y", Output: "d/pump", Hours: "daily"}, "alarm": {Name: "x", Output: "d/pump", Alarm: "e/*"},
	} {
		var f *measure.Fault
		if err := configure.SaveInterlock(context.Background(), b.Pipeline, &i, tester); !errors.As(err, &f) || f.Field != field {
			t.Errorf("%+v: %v, not a fault of %s", i, err, field)
		}
	}
}

func TestAHandHoldsForAWhile(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.stream("temp", -10, 20)
	b.output("d/relay", drive.Spec{HandHolds: *lasting(60), Dangerous: true})
	b.interlock(drive.Interlock{Name: "cool", Output: "d/relay", Signal: "d/temp", When: "above 30"})
	orla := pipeline.Actor{Called: "Orla"}
	var f *measure.Fault
	if err := configure.SetOutput(ctx, b.Pipeline, "d/relay", act.HandOrder{To: "on"}, orla); !errors.As(err, &f) || f.Field != "sure" {
		t.Error("a dangerous output was set by one who is not sure:", err)
	}
	if err := configure.SetOutput(ctx, b.Pipeline, "d/relay", act.HandOrder{To: "half", Sure: true}, orla); !errors.As(err, &f) || f.Field != "to" {
		t.Error(err)
	}
	b.clock(0)
	b.must(configure.SetOutput(ctx, b.Pipeline, "d/relay", act.HandOrder{To: "on", Why: "to try it", Sure: true}, orla))
	if o := b.is("set by hand", "d/relay", "on", drive.ByHand); o.Why != "Orla set it by hand until 14:14:20: to try it" || o.Who != "Orla" {
		t.Errorf("%q by %q", o.Why, o.Who)
	}
	if e := b.journal("output ordered"); e.Who != "Orla" {
		t.Errorf("%+v", e)
	}
	b.later(61.2, "the setting is over", func() bool { return b.stands("d/relay").Ordered == "off" })
	b.must(configure.SetOutput(ctx, b.Pipeline, "d/relay", act.HandOrder{To: "off", For: *lasting(600), Sure: true}, orla))
	b.stream("temp", 63, 31)
	b.is("a hand wins over an interlock", "d/relay", "off", drive.ByHand)
	b.must(configure.ReleaseOutput(ctx, b.Pipeline, "d/relay", orla))
	b.is("released", "d/relay", "on", drive.Driven)
	if err := configure.ReleaseOutput(ctx, b.Pipeline, "d/relay", orla); !errors.Is(err, commit.ErrNotNow) {
		t.Error("released twice:", err)
	}
	b.interlock(drive.Interlock{Name: "safety", Output: "d/relay", Signal: "d/temp", When: "above 30", Safety: true, Set: "off"})
	if err := configure.SetOutput(ctx, b.Pipeline, "d/relay", act.HandOrder{To: "on", Sure: true}, orla); !errors.Is(err, commit.ErrNotNow) || !strings.Contains(err.Error(), "safety interlock safety holds d/relay at off (D temp is above 30)") {
		t.Error("a hand against a safety interlock:", err)
	}
	b.output("d/relay", drive.Spec{HandsOff: true})
	if err := configure.SetOutput(ctx, b.Pipeline, "d/relay", act.HandOrder{To: "on"}, orla); !errors.Is(err, commit.ErrNotNow) {
		t.Error(err)
	}
}

func TestLeastTimesAreWaitedFor(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.output("d/relay", drive.Spec{LeastOn: *lasting(30), LeastOff: *lasting(20)})
	b.must(configure.SetOutput(ctx, b.Pipeline, "d/relay", act.HandOrder{To: "on"}, tester))
	b.clock(5)
	b.must(configure.ReleaseOutput(ctx, b.Pipeline, "d/relay", tester))
	o := b.is("it is to run for a while", "d/relay", "on", drive.ByHand)
	if o.Waiting == nil || o.Waiting.To != "off" || o.Waiting.Until != b.at(30) || o.Waiting.Why != "it is to run for 30s at least" {
		t.Errorf("%+v", o.Waiting)
	}
	b.later(31.2, "the least time is over", func() bool { return b.stands("d/relay").Ordered == "off" })
	b.clock(33)
	b.must(configure.SetOutput(ctx, b.Pipeline, "d/relay", act.HandOrder{To: "on"}, tester))
	b.is("it is to stand still for a while", "d/relay", "off", drive.Rested)
	b.must(configure.AllSafe(ctx, b.Pipeline, "a test", tester))
	b.later(60, "nothing is due", func() bool { return true })
	b.is("the emergency holds", "d/relay", "off", drive.Emergency)
}

func TestAnEmergencyIsForAllOutputs(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.stream("temp", -10, 40)
	b.output("d/relay", drive.Spec{LeastOn: *lasting(3600)})
	b.output("d/fan", drive.Spec{Safe: drive.On, Rest: drive.Off})
	b.output("d/other", drive.Spec{})
	b.interlock(drive.Interlock{Name: "cool", Output: "d/relay", Signal: "d/temp", When: "above 30", Safety: true})
	b.must(configure.SetOutput(ctx, b.Pipeline, "d/other", act.HandOrder{To: "on"}, tester))
	b.is("before", "d/relay", "on", drive.Safety)
	b.must(configure.AllSafe(ctx, b.Pipeline, "smoke", pipeline.Actor{Called: "Orla"}))
	if o := b.is("in the emergency", "d/relay", "off", drive.Emergency); o.Why != "Orla put all outputs into the safe state: smoke" || o.Who != "Orla" {
		t.Errorf("%q %q", o.Why, o.Who)
	}
	b.is("in the emergency", "d/fan", "on", drive.Emergency)
	b.is("in the emergency", "d/other", "off", drive.Emergency)
	other := process(t, b.store, b.now)
	other.stream("temp", 1, 45)
	other.is("in another process", "d/relay", "off", drive.Emergency)
	if err := configure.SetOutput(ctx, other.Pipeline, "d/other", act.HandOrder{To: "on"}, tester); !errors.Is(err, commit.ErrNotNow) {
		t.Error("a hand in an emergency:", err)
	}
	if err := configure.AllSafe(ctx, b.Pipeline, "", tester); !errors.Is(err, commit.ErrNotNow) {
		t.Error("twice:", err)
	}
	b.must(configure.EndAllSafe(ctx, other.Pipeline, tester))
	b.is("afterwards", "d/relay", "on", drive.Safety)
	b.is("afterwards", "d/fan", "off", drive.Rested)
	b.is("afterwards a hand has to set it anew", "d/other", "off", drive.Rested)
	if err := configure.EndAllSafe(ctx, b.Pipeline, tester); !errors.Is(err, commit.ErrNotNow) {
		t.Error("ended twice:", err)
	}
}

func TestADeviceThatDoesNotFollowIsAnAlarm(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.stream("temp", -10, 20)
	b.guard(alarm.Guard{Signal: "d/temp", Rung: above(90, 1, alarm.Critical)})
	b.output("d/relay", drive.Spec{OnSends: "0", OffSends: "1"})
	b.moveTo(60)
	if len(b.alarms()) != 0 {
		t.Fatal("a device that was never asked for anything raised an alarm")
	}
	b.must(b.confirm("d/relay", "1"))
	if o := b.stands("d/relay"); *o.Confirmed != "off" || o.DiffersSince != nil {
		t.Errorf("%+v", o.State)
	}
	b.must(configure.SetOutput(ctx, b.Pipeline, "d/relay", act.HandOrder{To: "on", For: *lasting(3600)}, tester))
	b.must(b.confirm("d/relay", `"1"`)) // it lies, or is stuck
	b.later(95, "it is an alarm", func() bool { return len(b.alarms()) == 1 })
	a := b.newest()
	if a.Kind != alarm.ByOutput || a.Signal != "d/relay" || a.Severity != alarm.Critical || a.RaisedAt != b.at(60) ||
		a.Sentence != "D relay is not as ordered: it was told to be on, and its device says that it is off" || b.told(a.ID) != "raise" {
		t.Errorf("%+v, told %s", a, b.told(a.ID))
	}
	b.must(b.confirm("d/relay", "0"))
	if a := b.newest(); a.State != alarm.StateOver || b.told(a.ID) != "raise return" || len(b.alarms()) != 1 {
		t.Errorf("%+v", a)
	}
	// It falls silent: what it said holds no longer than an order does.
	b.later(95+60+31.5, "it is an alarm again", func() bool { return len(b.alarms()) == 2 })
	if a := b.newest(); a.RaisedAt != b.at(155) || !strings.Contains(a.Sentence, "has said nothing since") {
		t.Errorf("%+v", a)
	}
	for what, err := range map[string]error{"a word that is neither": b.confirm("d/relay", "7"), "an output that is not there": b.confirm("d/raley", "0"), "an order that was never given": configure.ConfirmOutput(ctx, b.Pipeline, credential.Sender{Key: b.key}, "d", "relay", drive.OutputReport{Value: json.RawMessage("0"), No: 1 << 40})} {
		var f *measure.Fault
		if !errors.As(err, &f) {
			t.Errorf("%s: %v", what, err)
		}
	}
	b.must(configure.RemoveOutput(ctx, b.Pipeline, "d/relay", tester))
	if a := b.newest(); a.State != alarm.StateOver || a.Cause != "the output was removed" {
		t.Errorf("%+v", a)
	}
}

// A device that is away for an hour is one alarm, however often it was ordered something else meanwhile, and is over when it is back and
// does what was ordered last.
func TestADeviceThatIsAwayForAnHour(t *testing.T) {
	b := fresh(t)
	b.stream("temp", 0, 20)
	b.guard(alarm.Guard{Signal: "d/temp", Rung: above(90, 1, alarm.Critical)})
	b.output("d/relay", drive.Spec{})
	b.interlock(drive.Interlock{Name: "cool", Output: "d/relay", Signal: "d/temp", When: "above 30"})
	b.clock(10)
	b.must(b.confirm("d/relay", "0"))
	b.later(101.5, "it is an alarm", func() bool { return len(b.alarms()) == 1 })
	for i := range 8 {
		b.stream("temp", float64(400*(i+1)), map[bool]float64{true: 40, false: 20}[i%2 == 0])
	}
	b.stream("temp", 3500, 45)
	b.later(3600, "nothing more is due", func() bool { return true })
	o := b.is("ordered last", "d/relay", "on", drive.Driven)
	if all := b.alarms(); len(all) != 1 || all[0].State != alarm.StateRaised || b.told(all[0].ID) != "raise" || *o.DiffersSince != b.at(70) {
		t.Errorf("%d alarms, told %s, differs since %v", len(all), b.told(0), o.DiffersSince)
	}
	b.must(b.confirm("d/relay", "0")) // what it did before it has heard anything
	if a := b.newest(); a.State != alarm.StateRaised {
		t.Error("it is back, and does not do what it was ordered")
	}
	b.must(b.confirm("d/relay", "1"))
	if a := b.newest(); a.State != alarm.StateOver || b.told(a.ID) != "raise return" {
		t.Errorf("%s, told %s", a.State, b.told(a.ID))
	}
}

func TestDrillsPassOutputsBy(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.stream("temp", -10, 20)
	g := b.guard(alarm.Guard{Signal: "d/temp", Rung: above(30, 1, alarm.Warning)})
	b.output("d/relay", drive.Spec{})
	b.interlock(drive.Interlock{Name: "cool", Output: "d/relay", Alarm: g.Name})
	d, err := respond.StartDrill(ctx, b.Pipeline, g.Name, false, "Orla")
	b.must(err)
	b.is("a drill", "d/relay", "off", drive.Rested)
	b.must(respond.StopDrill(ctx, b.Pipeline, d.AlarmID, "Orla"))
	d, err = respond.StartDrill(ctx, b.Pipeline, g.Name, true, "Orla")
	b.must(err)
	if o := b.is("a drill that is to move outputs", "d/relay", "on", drive.Driven); !strings.HasPrefix(o.Why, "Drill: ") {
		t.Error(o.Why)
	}
	b.must(respond.StopDrill(ctx, b.Pipeline, d.AlarmID, "Orla"))
	b.is("the drill is over", "d/relay", "off", drive.Rested)
}

func TestOutputsComeFromKitsAndGoWithDevices(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	kit := site.Kit{Name: "fan", Outputs: []site.KitOutput{{Name: "relay", Spec: drive.Spec{Kind: drive.KindSwitch, Safe: drive.On}}}}
	b.must(kit.Check())
	_, err := configure.SaveKit(ctx, b.Pipeline, &kit, tester)
	b.must(err)
	b.add(site.Device{Name: "f", Kit: "fan"})
	b.is("made from a kit", "f/relay", "on", drive.Rested)
	kit.Outputs[0].Rest = drive.Off
	offers, err := configure.SaveKit(ctx, b.Pipeline, &kit, tester)
	if b.must(err); len(offers) != 1 || offers[0].What != "output relay" {
		t.Errorf("%+v", offers)
	}
	_, err = configure.ApplyKit(ctx, b.Pipeline, "fan", nil, tester)
	b.must(err)
	b.is("the kit was applied", "f/relay", "off", drive.Rested)
	b.stream("temp", 1, 20)
	b.interlock(drive.Interlock{Name: "cool", Output: "f/relay", Signal: "d/temp", When: "above 30"})
	var f *measure.Fault
	if err := configure.RemoveDevice(ctx, b.Pipeline, "d", tester); !errors.As(err, &f) {
		t.Error("a device that drives an output of another was removed:", err)
	}
	if err := configure.SaveOutput(ctx, b.Pipeline, "f", "relay", drive.Spec{Kind: drive.KindColour}, tester); !errors.As(err, &f) || f.Field != "kind" {
		t.Error("an output that an interlock drives became another kind:", err)
	}
	b.must(configure.RemoveDevice(ctx, b.Pipeline, "f", tester))
	if locks, err := b.store.Interlocks(ctx); err != nil || len(locks) != 0 {
		t.Error(locks, err)
	}
	b.must(configure.RemoveDevice(ctx, b.Pipeline, "d", tester))
}

// Over several processes that take turns, an output is at any moment what a plain reading of the newest value says, each change is
// ordered once, and each order is told after its commit.
func TestSeveralProcessesOrderOnce(t *testing.T) {
	ctx := context.Background()
	now := new(atomic.Int64)
	now.Store(int64(start))
	records := storetest.Store(t)
	told := make(chan drive.Output, 1000)
	var processes []*bench
	for range 2 {
		b := processTelling(t, records, clock.Following(func() measure.Instant { return measure.Instant(now.Load()) }), func(orders []drive.Output) {
			for _, o := range orders {
				told <- o
			}
		})
		b.now = now
		processes = append(processes, b)
	}
	first := processes[0]
	first.must(configure.AddDevice(ctx, first.Pipeline, deviceD(), configure.Secret{Hash: first.key}, pipeline.Actor{Called: "test"}))
	first.stream("temp", -1, 0)
	first.output("d/relay", drive.Spec{})
	first.interlock(drive.Interlock{Name: "x", Output: "d/relay", Signal: "d/temp", When: "above 5", Deadband: 2})
	r := rand.New(rand.NewPCG(7, 8))
	on, changes := false, 1
	for i := range 150 {
		b := processes[r.IntN(2)]
		v := float64(r.IntN(10))
		b.stream("temp", float64(i), v)
		was := on
		if v > 5 {
			on = true
		} else if v <= 3 {
			on = false
		}
		if was != on {
			changes++
		}
		want := drive.Off
		if on {
			want = drive.On
		}
		if o := b.stands("d/relay"); o.Ordered != want {
			t.Fatalf("round %d, %v: %s, not %s", i, v, o.Ordered, want)
		}
	}
	if len(told) != changes {
		t.Errorf("%d orders were told of %d", len(told), changes)
	}
	last := int64(0)
	for range changes {
		if o := <-told; o.No <= last {
			t.Errorf("order %d after %d", o.No, last)
		} else {
			last = o.No
		}
	}
}

func TestTryReplaysAnInterlock(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.output("d/relay", drive.Spec{LeastOn: *lasting(10)})
	for i := range 200 {
		b.stream("temp", float64(i), map[bool]float64{true: 35, false: 20}[i%50 == 40 || i > 180])
	}
	g := b.guard(alarm.Guard{Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Armed: "daily"})
	for what, i := range map[string]drive.Interlock{
		"condition": {Signal: "d/temp", When: "above 30"}, "alarm": {Alarm: g.Name}, "any alarm": {Alarm: "any"}, "formula": {Formula: "t > 30.0", Of: drive.Inputs{{As: "t", Signal: "d/temp"}}},
	} {
		i.Output = "d/relay"
		tried, err := evidence.TryInterlock(ctx, b.Pipeline, i, start, b.at(199.5))
		if err != nil {
			t.Fatal(what, err)
		}
		// at 40, 90 and 140 for ten seconds each, then from 181 on
		if tried.Starts != 4 || tried.Running.String() != "48.5s" || tried.Stretches[0].From != b.at(40) || tried.Stretches[3].Until != nil {
			text, _ := json.Marshal(tried)
			t.Errorf("%s: %s", what, text)
		}
	}
	b.output("d/lamp", drive.Spec{Kind: drive.KindColour})
	edge := 30.0
	tried, err := evidence.TryInterlock(ctx, b.Pipeline, drive.Interlock{Output: "d/lamp", Signal: "d/temp", Bands: drive.Bands{{To: &edge, Set: "green"}, {Set: "red"}}}, start, b.at(199.5))
	if err != nil || len(tried.Stretches) != 8 || tried.Stretches[1].Value != "#ff0000" || tried.Starts != 0 {
		t.Errorf("%+v %v", tried, err)
	}
	tried, err = evidence.TryInterlock(ctx, b.Pipeline, drive.Interlock{Output: "d/relay", Hours: "mon 14:14-14:15"}, start, b.at(199.5))
	if err != nil || len(tried.Stretches) != 1 || tried.Stretches[0].From != b.at(40) || *tried.Stretches[0].Until != b.at(100) {
		t.Errorf("%+v %v", tried, err)
	}
	// Two signals: one reads something before the trial begins, and then once more between the readings of the other.
	b.stream("wet", 0.5, 80)
	b.stream("wet", 100.25, 10)
	both := drive.Interlock{Output: "d/relay", Formula: "t > 30.0 && w > 50.0", Of: drive.Inputs{{As: "t", Signal: "d/temp"}, {As: "w", Signal: "d/wet"}}}
	tried, err = evidence.TryInterlock(ctx, b.Pipeline, both, b.at(20), b.at(199.5))
	if err != nil || tried.Starts != 2 || tried.Running.String() != "20s" || tried.Stretches[0].From != b.at(40) || tried.Stretches[1].From != b.at(90) || tried.Blind != 0 {
		t.Errorf("%+v %v", tried, err)
	}
	both.Formula = "t > 30.0 || w > 50.0"
	tried, err = evidence.TryInterlock(ctx, b.Pipeline, both, b.at(20.5), b.at(199.5))
	if err != nil || tried.Starts != 3 || tried.Stretches[0].From != b.at(20.5) || *tried.Stretches[0].Until != b.at(100.25) {
		t.Errorf("what was read before the trial: %+v %v", tried, err)
	}
	if n := len(b.alarms()); n != 1 { // that of the guard that was saved
		t.Errorf("trying raised alarms: %d", n)
	}
}
