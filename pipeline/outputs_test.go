package pipeline_test

import (
	"context"
	"encoding/json"
	"errors"
	"strings"
	"testing"

	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/credential"
	"jauntylark/pipeline/respond"
	"jauntylark/store/config"
	"jauntylark/store/events"
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
	o, err := config.Output(context.Background(), b.store, device, name)
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
	return configure.ConfirmOutput(context.Background(), b.Pipeline, credential.Sender{Key: b.key}, device, name,
		drive.OutputReport{Value: json.RawMessage(says)})
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
	entries, err := events.Journal(context.Background(), b.store, events.JournalQuery{Limit: 200})
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
	g := b.guard(alarm.Guard{Signal: "d/temp", Rung: above(30, 2, alarm.Warning),
		Rungs: alarm.Rungs{above(40, 2, alarm.Critical)}})
	b.interlock(drive.Interlock{Name: "cool", Output: "fan/relay", Alarm: g.Name + " critical"})
	b.is("at first", "fan/relay", "off", drive.Rested)
	b.stream("temp", 1, 35)
	b.is("a warning", "fan/relay", "off", drive.Rested)
	b.stream("temp", 2, 45)
	o := b.is("critical", "fan/relay", "on", drive.Driven)
	if o.Interlock != "cool" || !strings.Contains(o.Why, "D temp is above 40") || o.OrderedAt != b.at(2) {
		t.Errorf("%+v", o.State)
	}
	if e := b.journal("output ordered"); e.Subject != "fan/relay" ||
		e.Text != "Fan relay goes on: D temp is above 40 (interlock cool)" {
		t.Errorf("%+v", e)
	}
	before := o.No
	b.stream("temp", 3, 46, 47)
	if again := b.stands("fan/relay"); again.No != before {
		t.Error("the same again is another order")
	}
	b.stream("temp", 5, 36)
	b.is("eased", "fan/relay", "off", drive.Rested)
	if err := configure.RemoveGuard(context.Background(), b.Pipeline, g.Name, "test"); !errors.Is(err,
		commit.ErrNotNow) {
		t.Error("a guard that drives an output of another device was removed:", err)
	}
	g.Name = "other-name"
	b.guard(g)
	b.stream("temp", 6, 50)
	b.is("the guard has another name", "fan/relay", "on", drive.Driven)
}

func TestAHandHoldsForAWhile(t *testing.T) {
	storetest.Long(t)
	b := fresh(t)
	ctx := context.Background()
	b.stream("temp", -10, 20)
	b.output("d/relay", drive.Spec{HandHolds: *lasting(60), Dangerous: true})
	b.interlock(drive.Interlock{Name: "cool", Output: "d/relay", Signal: "d/temp", When: "above 30"})
	orla := pipeline.Actor{Called: "Orla"}
	var f *measure.Fault
	if err := configure.SetOutput(ctx, b.Pipeline, "d/relay", act.HandOrder{To: "on"}, orla); !errors.As(err, &f) ||
		f.Field != "sure" {
		t.Error("a dangerous output was set by one who is not sure:", err)
	}
	if err := configure.SetOutput(ctx, b.Pipeline, "d/relay", act.HandOrder{To: "half", Sure: true},
		orla); !errors.As(err, &f) || f.Field != "to" {
		t.Error(err)
	}
	b.clock(0)
	b.must(configure.SetOutput(ctx, b.Pipeline, "d/relay", act.HandOrder{To: "on", Why: "to try it", Sure: true}, orla))
	if o := b.is("set by hand", "d/relay", "on",
		drive.ByHand); o.Why != "Orla set it by hand until 14:14:20: to try it" || o.Who != "Orla" {
		t.Errorf("%q by %q", o.Why, o.Who)
	}
	if e := b.journal("output ordered"); e.Who != "Orla" {
		t.Errorf("%+v", e)
	}
	b.later(61.2, "the setting is over", func() bool { return b.stands("d/relay").Ordered == "off" })
	b.must(configure.SetOutput(ctx, b.Pipeline, "d/relay", act.HandOrder{To: "off", For: *lasting(600), Sure: true},
		orla))
	b.stream("temp", 63, 31)
	b.is("a hand wins over an interlock", "d/relay", "off", drive.ByHand)
	b.must(configure.ReleaseOutput(ctx, b.Pipeline, "d/relay", orla))
	b.is("released", "d/relay", "on", drive.Driven)
	if err := configure.ReleaseOutput(ctx, b.Pipeline, "d/relay", orla); !errors.Is(err, commit.ErrNotNow) {
		t.Error("released twice:", err)
	}
	b.interlock(drive.Interlock{Name: "safety", Output: "d/relay", Signal: "d/temp", When: "above 30", Safety: true,
		Set: "off"})
	if err := configure.SetOutput(ctx, b.Pipeline, "d/relay", act.HandOrder{To: "on", Sure: true},
		orla); !errors.Is(err, commit.ErrNotNow) ||
		!strings.Contains(err.Error(), "safety interlock safety holds d/relay at off (D temp is above 30)") {
		t.Error("a hand against a safety interlock:", err)
	}
	b.output("d/relay", drive.Spec{HandsOff: true})
	if err := configure.SetOutput(ctx, b.Pipeline, "d/relay", act.HandOrder{To: "on"}, orla); !errors.Is(err,
		commit.ErrNotNow) {
		t.Error(err)
	}
}

func TestLeastTimesAreWaitedFor(t *testing.T) {
	storetest.Long(t)
	b := fresh(t)
	ctx := context.Background()
	b.output("d/relay", drive.Spec{LeastOn: *lasting(30), LeastOff: *lasting(20)})
	b.must(configure.SetOutput(ctx, b.Pipeline, "d/relay", act.HandOrder{To: "on"}, tester))
	b.clock(5)
	b.must(configure.ReleaseOutput(ctx, b.Pipeline, "d/relay", tester))
	o := b.is("it is to run for a while", "d/relay", "on", drive.ByHand)
	if o.Waiting == nil || o.Waiting.To != "off" || o.Waiting.Until != b.at(30) ||
		o.Waiting.Why != "it is to run for 30s at least" {
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
	storetest.Long(t)
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
	if o := b.is("in the emergency", "d/relay", "off",
		drive.Emergency); o.Why != "Orla put all outputs into the safe state: smoke" || o.Who != "Orla" {
		t.Errorf("%q %q", o.Why, o.Who)
	}
	b.is("in the emergency", "d/fan", "on", drive.Emergency)
	b.is("in the emergency", "d/other", "off", drive.Emergency)
	other := process(t, b.store, b.now)
	other.stream("temp", 1, 45)
	other.is("in another process", "d/relay", "off", drive.Emergency)
	if err := configure.SetOutput(ctx, other.Pipeline, "d/other", act.HandOrder{To: "on"}, tester); !errors.Is(err,
		commit.ErrNotNow) {
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
	storetest.Long(t)
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
		a.Sentence != "D relay is not as ordered: it was told to be on, and its device says that it is off" ||
		b.told(a.ID) != "raise" {
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
	for what, err := range map[string]error{"a word that is neither": b.confirm("d/relay", "7"),
		"an output that is not there": b.confirm("d/raley", "0"),
		"an order that was never given": configure.ConfirmOutput(ctx, b.Pipeline, credential.Sender{Key: b.key}, "d",
			"relay", drive.OutputReport{Value: json.RawMessage("0"), No: 1 << 40})} {
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

// A device that is away for an hour is one alarm, however often it was ordered something else meanwhile, and is over
// when it is back and does what was ordered last.
func TestADeviceThatIsAwayForAnHour(t *testing.T) {
	storetest.Long(t)
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
	if all := b.alarms(); len(all) != 1 || all[0].State != alarm.StateRaised || b.told(all[0].ID) != "raise" ||
		*o.DiffersSince != b.at(70) {
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
	if o := b.is("a drill that is to move outputs", "d/relay", "on", drive.Driven); !strings.HasPrefix(o.Why,
		"Drill: ") {
		t.Error(o.Why)
	}
	b.must(respond.StopDrill(ctx, b.Pipeline, d.AlarmID, "Orla"))
	b.is("the drill is over", "d/relay", "off", drive.Rested)
}

func TestOutputsComeFromKitsAndGoWithDevices(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	kit := site.Kit{Name: "fan", Outputs: []site.KitOutput{{Name: "relay", Spec: drive.Spec{Kind: drive.KindSwitch,
		Safe: drive.On}}}}
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
	if err := configure.SaveOutput(ctx, b.Pipeline, "f", "relay", drive.Spec{Kind: drive.KindColour},
		tester); !errors.As(err, &f) || f.Field != "kind" {
		t.Error("an output that an interlock drives became another kind:", err)
	}
	b.must(configure.RemoveDevice(ctx, b.Pipeline, "f", tester))
	if locks, err := config.Interlocks(ctx, b.store); err != nil || len(locks) != 0 {
		t.Error(locks, err)
	}
	b.must(configure.RemoveDevice(ctx, b.Pipeline, "d", tester))
}
