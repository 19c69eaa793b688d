package pipeline_test

import (
	"context"
	"encoding/json"
	"errors"
	"strings"
	"testing"
	"time"

	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/evidence"
	"jauntylark/store"
	"jauntylark/store/events"
)

func TestAnInterlockOfAConditionHasDelaysAndADeadband(t *testing.T) {
	b := fresh(t)
	b.output("d/relay", drive.Spec{})
	b.stream("temp", -10, 20)
	b.interlock(drive.Interlock{Name: "cool", Output: "d/relay", Signal: "d/temp", When: "above 30", Deadband: 2,
		OnDelay: *lasting(10), OffDelay: *lasting(5)})
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
	if err := configure.ResetInterlock(ctx, b.Pipeline, "cool", tester); !errors.Is(err, commit.ErrNotNow) ||
		!strings.Contains(err.Error(), "D temp is above 30") {
		t.Error("reset while it is driven:", err)
	}
	b.stream("temp", 2, 20)
	if o := b.is("latched", "d/relay", "on", drive.Driven); !strings.HasSuffix(o.Why,
		"D temp was above 30, and it goes on until somebody resets it") {
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
		if err := configure.ResetOutput(ctx, b.Pipeline, "d/relay", tester); !errors.Is(err, commit.ErrNotNow) ||
			!strings.Contains(err.Error(), says) {
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
	if err := configure.ResetOutput(ctx, b.Pipeline, "d/rely", tester); !errors.Is(err, store.ErrNotFound) ||
		!strings.Contains(err.Error(), "did you mean d/relay?") {
		t.Error(err)
	}
}

func TestAnInterlockThatCannotSeeGoesToTheSafeState(t *testing.T) {
	b := fresh(t)
	b.add(site.Device{Name: "fan"})
	b.output("fan/relay", drive.Spec{Safe: drive.On, Rest: drive.Off})
	b.send(measure.Sample{Name: "temp", At: b.Now(), Value: 20})
	b.signal("d/temp", act.SignalChange{Span: &site.Span{Low: -40, High: 80}, FaultAfter: lasting(3),
		WarmUp: lasting(10)})
	b.interlock(drive.Interlock{Name: "cool", Output: "fan/relay", Signal: "d/temp", When: "below 30", Set: "off",
		Safety: true})
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
	if err := configure.SaveInterlock(context.Background(), b.Pipeline, &drive.Interlock{Name: "x", Output: "fan/relay",
		Alarm: "no-such"}, tester); err == nil {
		t.Error("an interlock of a guard that is not there")
	}
}

// An interlock of a guard's alarm cannot see when the signal that the guard looks at, or what that is computed from,
// cannot be believed.
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
	if o := b.is("silent", "fan/relay", "on", drive.Driven); o.Why != "D twice is silent" &&
		o.Why != "D temp is silent" {
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
	if orders, err := events.Journal(context.Background(), one.store, events.JournalQuery{Kind: "output ordered",
		Limit: 100}); err != nil || len(orders) != 3 {
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

// An interlock whose formula makes no sense any more, since a signal has got another unit, asks for the safe state; all
// else goes on.
func TestAnInterlockThatCannotWorkAnyMore(t *testing.T) {
	b := fresh(t)
	b.stream("a", 0, 1)
	b.stream("b", 1, 1)
	b.output("d/relay", drive.Spec{Safe: drive.On, Rest: drive.Off})
	b.interlock(drive.Interlock{Name: "sum", Output: "d/relay", Formula: "a + b > 5.0",
		Of: drive.Inputs{{As: "a", Signal: "d/a"}, {As: "b", Signal: "d/b"}}})
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
	b.interlock(drive.Interlock{Name: "lamp", Output: "d/lamp", Signal: "d/temp",
		Bands: drive.Bands{{To: &edge, Set: "green"}, {Set: "red"}}, Deadband: 1})
	b.interlock(drive.Interlock{Name: "vent", Output: "d/vent", Formula: "(t - 20.0) * 10.0",
		Of: drive.Inputs{{As: "t", Signal: "d/temp"}}})
	b.interlock(drive.Interlock{Name: "mist", Output: "d/mist", Formula: "t > 25.0 && h < 60.0",
		Of: drive.Inputs{{As: "t", Signal: "d/temp"}, {As: "h", Signal: "d/humidity"}}})
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
		"output":  {Name: "x", Output: "d/pmup", Hours: "daily"},
		"signal":  {Name: "x", Output: "d/pump", Signal: "d/tmep", When: "above 3"},
		"when":    {Name: "x", Output: "d/pump", Signal: "d/temp", When: "is on"},
		"formula": {Name: "x", Output: "d/pump", Formula: "t +", Of: drive.Inputs{{As: "t", Signal: "d/temp"}}},
		"name":    {Name: "X Y", Output: "d/pump", Hours: "daily"},
		"alarm":   {Name: "x", Output: "d/pump", Alarm: "e/*"},
	} {
		var f *measure.Fault
		if err := configure.SaveInterlock(context.Background(), b.Pipeline, &i, tester); !errors.As(err, &f) ||
			f.Field != field {
			t.Errorf("%+v: %v, not a fault of %s", i, err, field)
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
		"condition": {Signal: "d/temp", When: "above 30"}, "alarm": {Alarm: g.Name}, "any alarm": {Alarm: "any"},
		"formula": {Formula: "t > 30.0", Of: drive.Inputs{{As: "t", Signal: "d/temp"}}},
	} {
		i.Output = "d/relay"
		tried, err := evidence.TryInterlock(ctx, b.Pipeline, i, start, b.at(199.5))
		if err != nil {
			t.Fatal(what, err)
		}
		// at 40, 90 and 140 for ten seconds each, then from 181 on
		if tried.Starts != 4 || tried.Running.String() != "48.5s" || tried.Stretches[0].From != b.at(40) ||
			tried.Stretches[3].Until != nil {
			text, _ := json.Marshal(tried)
			t.Errorf("%s: %s", what, text)
		}
	}
	b.output("d/lamp", drive.Spec{Kind: drive.KindColour})
	edge := 30.0
	tried, err := evidence.TryInterlock(ctx, b.Pipeline, drive.Interlock{Output: "d/lamp", Signal: "d/temp",
		Bands: drive.Bands{{To: &edge, Set: "green"}, {Set: "red"}}}, start, b.at(199.5))
	if err != nil || len(tried.Stretches) != 8 || tried.Stretches[1].Value != "#ff0000" || tried.Starts != 0 {
		t.Errorf("%+v %v", tried, err)
	}
	tried, err = evidence.TryInterlock(ctx, b.Pipeline, drive.Interlock{Output: "d/relay", Hours: "mon 14:14-14:15"},
		start, b.at(199.5))
	if err != nil || len(tried.Stretches) != 1 || tried.Stretches[0].From != b.at(40) ||
		*tried.Stretches[0].Until != b.at(100) {
		t.Errorf("%+v %v", tried, err)
	}
	// Two signals: one reads something before the trial begins, and then once more between the readings of the other.
	b.stream("wet", 0.5, 80)
	b.stream("wet", 100.25, 10)
	both := drive.Interlock{Output: "d/relay", Formula: "t > 30.0 && w > 50.0",
		Of: drive.Inputs{{As: "t", Signal: "d/temp"}, {As: "w", Signal: "d/wet"}}}
	tried, err = evidence.TryInterlock(ctx, b.Pipeline, both, b.at(20), b.at(199.5))
	if err != nil || tried.Starts != 2 || tried.Running.String() != "20s" || tried.Stretches[0].From != b.at(40) ||
		tried.Stretches[1].From != b.at(90) || tried.Blind != 0 {
		t.Errorf("%+v %v", tried, err)
	}
	both.Formula = "t > 30.0 || w > 50.0"
	tried, err = evidence.TryInterlock(ctx, b.Pipeline, both, b.at(20.5), b.at(199.5))
	if err != nil || tried.Starts != 3 || tried.Stretches[0].From != b.at(20.5) ||
		*tried.Stretches[0].Until != b.at(100.25) {
		t.Errorf("what was read before the trial: %+v %v", tried, err)
	}
	if n := len(b.alarms()); n != 1 { // that of the guard that was saved
		t.Errorf("trying raised alarms: %d", n)
	}
}
