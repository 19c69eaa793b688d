package drive

import (
	"encoding/json"
	"errors"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
)

func fan() *Output {
	return &Output{Device: "boiler-room", Name: "fan", Spec: Spec{Kind: KindSwitch, Safe: On, Rest: Off,
		LeastOn: measure.Duration(5 * time.Minute), LeastOff: measure.Duration(2 * time.Minute), Starts: 3}}
}

func at(seconds float64) measure.Instant { return measure.Instant(1_700_000_000_000 + seconds*1000) }

func TestStatesHaveOneSpelling(t *testing.T) {
	level := &Output{Spec: Spec{Kind: KindLevel}}
	valve := &Output{Spec: Spec{Kind: KindLevel, Low: -10, High: 40, Step: 2.5, Unit: "Cel"}}
	coarse := &Output{Spec: Spec{Kind: KindLevel, High: 9, Step: 4, Unit: "V"}}
	colour := &Output{Spec: Spec{Kind: KindColour}}
	text := &Output{Spec: Spec{Kind: KindText, Length: 5}}
	for _, c := range []struct {
		o          *Output
		text, want string // empty: refused
		words      string
		sends      string
	}{
		{fan(), " ON ", "on", "on", "1"}, {fan(), "off", "off", "off", "0"}, {fan(), "1", "", "", ""},
		{level, "55", "55", "55 %", "55"}, {level, "54.6 %", "55", "55 %", "55"}, {level, "101", "", "", ""},
		{level, "NaN", "", "", ""}, {level, "-1", "", "", ""},
		{valve, "20", "20", "20 °C", "20"}, {valve, "21.3", "22.5", "22.5 °C", "22.5"},
		{valve, "40", "40", "40 °C", "40"}, {valve, "-10", "-10", "-10 °C", "-10"},
		{coarse, "9", "9", "9 V", "9"}, {coarse, "5", "4", "4 V", "4"},
		{colour, "Red", "#ff0000", "red", `"#ff0000"`}, {colour, "#FF8001", "#ff8001", "#ff8001", `"#ff8001"`},
		{colour, "pinkish", "", "", ""}, {colour, "#ff80", "", "", ""},
		{text, "Löw", "Löw", "“Löw”", `"Löw"`}, {text, "longer", "", "", ""}, {text, "", "", "no text", `""`},
	} {
		got, err := c.o.Parse(c.text)
		if c.want == "" && c.words == "" {
			if err == nil {
				t.Errorf("%s %q: taken as %q", c.o.Kind, c.text, got)
			}
			continue
		}
		if c.o.Kind == KindText && c.o.Goes(got) != "shows "+c.words || c.o.Kind == KindColour &&
			c.o.Goes(got) != "turns "+c.words || c.o.Kind == KindLevel && c.o.Be(got) != "at "+c.words ||
			c.o.Kind == KindSwitch && c.o.Goes(got) != "goes "+c.o.Be(got) {
			t.Errorf("%s %q: it %s, it is %s", c.o.Kind, got, c.o.Goes(got), c.o.Be(got))
		}
		if err != nil || string(got) != c.want || c.o.Words(got) != c.words || string(c.o.Sends(got)) != c.sends {
			t.Errorf("%s %q: %q %q %s %v, not %q %q %s", c.o.Kind, c.text, got, c.o.Words(got), c.o.Sends(got), err,
				c.want, c.words, c.sends)
		}
	}
}

func TestWhatIsSentIsHeard(t *testing.T) {
	for _, spec := range []Spec{{Kind: KindSwitch}, {Kind: KindSwitch, OnSends: "0", OffSends: "1"},
		{Kind: KindSwitch, OnSends: "open", OffSends: "shut"}, {Kind: KindSwitch, OnSends: "true", OffSends: "false"},
		{Kind: KindLevel}, {Kind: KindColour}, {Kind: KindText}} {
		o := &Output{Spec: spec}
		if err := o.Check(); err != nil {
			t.Fatal(err)
		}
		some := map[string][]Value{KindSwitch: {On, Off}, KindLevel: {"0", "37", "100"}, KindColour: {"#12ab34"},
			KindText: {"", "7", `say "hi"`, "true"}}[spec.Kind]
		for _, v := range some {
			if heard, err := o.Hears(string(o.Sends(v))); err != nil || heard != v {
				t.Errorf("%+v: %q is sent as %s and heard as %q, %v", spec, v, o.Sends(v), heard, err)
			}
		}
	}
	inverted := &Output{Spec: Spec{Kind: KindSwitch, OnSends: "0", OffSends: "1"}}
	if string(inverted.Sends(On)) != "0" || string(inverted.Sends(Off)) != "1" {
		t.Error("an inverted switch is sent the wrong way round")
	}
	if _, err := inverted.Hears("on"); err == nil || !strings.Contains(err.Error(), "what on sends (0)") {
		t.Error(err)
	}
}

func TestOutputsAreChecked(t *testing.T) {
	for _, c := range []struct {
		field string
		spec  Spec
	}{
		{"kind", Spec{Kind: "relay"}}, {"on_sends", Spec{Kind: KindLevel, OnSends: "1"}},
		{"off_sends", Spec{Kind: KindSwitch, OnSends: "0"}}, {"low", Spec{Kind: KindSwitch, High: 5}},
		{"high", Spec{Kind: KindLevel, Low: 5, High: 5}}, {"step", Spec{Kind: KindLevel, Step: 200}},
		{"unit", Spec{Kind: KindLevel, Unit: "furlong"}}, {"length", Spec{Kind: KindColour, Length: 3}},
		{"least_on", Spec{Kind: KindText, LeastOn: 5e9}},
		{"least_off", Spec{Kind: KindSwitch, LeastOff: measure.Duration(48 * time.Hour)}},
		{"expires", Spec{Kind: KindSwitch, Expires: 1e9}},
		{"safe", Spec{Kind: KindSwitch, Safe: "open"}}, {"rest", Spec{Kind: KindLevel, Rest: "250"}},
		{"hand_holds", Spec{Kind: KindSwitch, HandHolds: 5}}, {"confirm_within", Spec{Kind: KindSwitch, Within: 1}},
		{"starts_per_hour", Spec{Kind: KindSwitch, Starts: -1}},
		{"on_sends", Spec{Kind: KindSwitch, OnSends: strings.Repeat("x", 41)}},
	} {
		var f *measure.Fault
		if err := c.spec.Check(); !errors.As(err, &f) || f.Field != c.field {
			t.Errorf("%+v: %v, not a fault of %s", c.spec, err, c.field)
		}
	}
	s := Spec{Kind: KindLevel, Low: 10, High: 90, Rest: "33.4"}
	if err := s.Check(); err != nil || s.Safe != "10" || s.Rest != "33" {
		t.Errorf("%+v %v", s, err)
	}
}

func TestInterlocksAreChecked(t *testing.T) {
	lamp := &Output{Device: "d", Name: "lamp", Spec: Spec{Kind: KindColour}}
	vent := &Output{Device: "d", Name: "vent", Spec: Spec{Kind: KindLevel}}
	edge := func(v float64) *float64 { return &v }
	for _, c := range []struct {
		field string
		o     *Output
		i     Interlock
	}{
		{"when", fan(), Interlock{}}, {"when", fan(), Interlock{Alarm: "any", Hours: "daily"}},
		{"signal", fan(), Interlock{When: "above 3"}}, {"signal", fan(), Interlock{Hours: "daily", Signal: "a/b"}},
		{"of", fan(), Interlock{Formula: "true"}}, {"on_delay", fan(), Interlock{Hours: "daily", OnDelay: 1e9}},
		{"deadband", fan(), Interlock{Alarm: "any", Deadband: 1}},
		{"safety", fan(), Interlock{Hours: "daily", Safety: true}},
		{"latch", fan(), Interlock{Hours: "daily", Latch: true}}, {"alarm", fan(), Interlock{Alarm: "critical"}},
		{"when", fan(), Interlock{Signal: "a/b", When: "silent for 5m"}},
		{"when", fan(), Interlock{Signal: "a/b", When: "hot"}}, {"hours", fan(), Interlock{Hours: "sometimes"}},
		{"bands", lamp, Interlock{Signal: "a/b", Bands: Bands{{Set: "red"}, {Set: "blue"}}}},
		{"bands", lamp, Interlock{Signal: "a/b", Bands: Bands{{To: edge(4), Set: "red"}}}},
		{"bands", lamp, Interlock{Signal: "a/b", Bands: Bands{{To: edge(4), Set: "red"}, {To: edge(3), Set: "red"},
			{Set: "blue"}}}}, {"bands", lamp, Interlock{Signal: "a/b", Bands: Bands{{Set: "reddish"}}}},
		{"set", lamp, Interlock{Alarm: "any"}}, {"set", fan(), Interlock{Alarm: "any", Set: "maybe"}},
		{"set", lamp, Interlock{Signal: "a/b", Bands: Bands{{Set: "red"}}, Set: "red"}},
		{"deadband", fan(), Interlock{Signal: "a/b", When: "above 3", Deadband: -1}},
	} {
		var f *measure.Fault
		if err := c.i.Check(c.o, false); !errors.As(err, &f) || f.Field != c.field {
			t.Errorf("%+v: %v, not a fault of %s", c.i, err, c.field)
		}
	}
	number := Interlock{Formula: "x", Of: Inputs{{"x", "a/b"}}}
	if err := number.Check(fan(), true); err == nil {
		t.Error("a switch follows a number")
	}
	if err := number.Check(vent, true); err != nil {
		t.Error(err)
	}
}

func TestWhichAlarmsDrive(t *testing.T) {
	a := alarm.Alarm{Guard: "co-high", Signal: "boiler-room/co", Severity: alarm.Warning, Level: "high"}
	for text, want := range map[string]bool{"any": true, "any warning": true, "any critical": false, "co-high": true,
		"co-high advisory": true, "other, co-high": true, "boiler-room/*": true,
		"boiler-room/* critical": false, "boiler/*": false, "other": false, "co-high high": true,
		"co-high high-high": false, "co-high low": false} {
		alarms, err := ParseAlarms(text)
		if err != nil || alarms.Match(a) != want {
			t.Errorf("%q: %v, %v", text, !want, err)
		}
	}
	a.Level = "high-high"
	if alarms, _ := ParseAlarms("co-high high"); !alarms.Match(a) {
		t.Error("what stands at high-high stands at high too")
	}
	silence := alarm.Alarm{Kind: alarm.BySilence, Signal: "boiler-room", Severity: alarm.Critical}
	if alarms, _ := ParseAlarms("boiler-room/*"); !alarms.Match(silence) {
		t.Error("the silence of a device is one of its alarms")
	}
}

// An interlock that cannot see asks for the safe state, and asks for what it did before once it sees again.
func TestAnInterlockThatCannotSeeIsSafe(t *testing.T) {
	o := fan()
	o.Safe = Off
	i := Interlock{Signal: "a/b", When: "above 3", Latch: true}
	if err := i.Check(o, false); err != nil {
		t.Fatal(err)
	}
	see := func(s Sight) Memory { i.Memory = i.Look(o, s); return i.Memory }
	if m := see(Sight{At: at(0)}); m.Asks {
		t.Errorf("%+v", m)
	}
	if m := see(Sight{At: at(1), Driven: true, Why: "it is high"}); !m.Asks || m.Value != On || m.Since != at(1) {
		t.Errorf("%+v", m)
	}
	if m := see(Sight{At: at(2), Blind: "it is silent"}); !m.Asks || m.Value != Off || m.Since != at(2) || !m.Latched {
		t.Errorf("%+v", m)
	}
	if d, _ := i.Demand(); d.Why != "it is silent" {
		t.Error(d.Why)
	}
	if m := see(Sight{At: at(3)}); !m.Asks || m.Value != On || !m.Latched { // latched all the while
		t.Errorf("%+v", m)
	}
	if d, _ := i.Demand(); d.Why != "it was high, and it goes on until somebody resets it" {
		t.Error(d.Why)
	}
	i.Latched = false
	if m := see(Sight{At: at(4)}); m.Asks {
		t.Errorf("%+v", m)
	}
}

func TestBandsHaveADeadband(t *testing.T) {
	lamp := &Output{Spec: Spec{Kind: KindColour}}
	edge := func(v float64) *float64 { return &v }
	i := Interlock{Signal: "a/b", Bands: Bands{{To: edge(45), Set: "blue"}, {To: edge(65), Set: "green"}, {Set: "red"}},
		Deadband: 1}
	if err := i.Check(lamp, false); err != nil {
		t.Fatal(err)
	}
	for n, c := range []struct {
		value float64
		want  string
	}{{44, "blue"}, {45.9, "blue"}, {46.1, "green"}, {44.2, "green"}, {43.9, "blue"}, {80, "red"}, {64.5, "red"},
		{63.9, "green"}, {20, "blue"}} {
		i.Memory = i.Look(lamp, Sight{At: at(float64(n)), Value: c.value, Number: true})
		if got := lamp.Words(i.Value); got != c.want {
			t.Errorf("%v after the ones before: %s, not %s", c.value, got, c.want)
		}
	}
	i.Memory = i.Look(lamp, Sight{At: at(100), Blind: "it is silent"})
	if i.Value != "#000000" && i.Value != "" {
		t.Error(i.Value)
	}
}

// A formula that gives a number sets a level, within its range.
func TestAFormulaSetsALevel(t *testing.T) {
	vent := &Output{Spec: Spec{Kind: KindLevel}}
	if err := vent.Check(); err != nil {
		t.Fatal(err)
	}
	i := Interlock{Formula: "x", Of: Inputs{{"x", "a/b"}}}
	for value, want := range map[float64]Value{33.4: "33", -5: "0", 250: "100"} {
		if m := i.Look(vent, Sight{At: at(0), Value: value, Number: true}); m.Value != want || !m.Asks {
			t.Errorf("%v: %+v", value, m)
		}
	}
}

func TestWhatTheDeviceSays(t *testing.T) {
	o := fan()
	said := On
	moment := func(s float64) *measure.Instant { i := at(s); return &i }
	o.State = State{Ordered: Off, By: Rested, OrderedAt: at(0)}
	if o.Compare(at(1)); o.DiffersSince == nil || o.Overdue(at(1000)) {
		t.Error("a device that never said anything is an alarm before anything is asked of it")
	}
	o.Ordered = On
	if !o.Overdue(at(31)) || o.Overdue(at(30)) || o.Due() != at(31) {
		t.Error("a device that does not say that it does what it was ordered is no alarm", o.Due())
	}
	o.Confirmed, o.ConfirmedAt = &said, moment(10)
	if o.Compare(at(11)); o.DiffersSince != nil || o.Due() != at(70) {
		t.Error("it does what it was ordered", o.DiffersSince, o.Due())
	}
	// It says nothing more: what it said holds no longer than the order would.
	if o.Compare(at(75)); o.DiffersSince == nil || *o.DiffersSince != at(70) || o.Overdue(at(99)) ||
		!o.Overdue(at(100)) {
		t.Error("it may have gone to the safe state by itself", o.DiffersSince)
	}
	said = Off
	if o.Compare(at(101)); *o.DiffersSince != at(70) {
		t.Error("it differs longer than that")
	}
	o.Mute = true
	if o.Compare(at(102)); o.DiffersSince != nil {
		t.Error("nothing is known of a mute device")
	}
}

func TestOrdersAreSentAsADeviceReadsThem(t *testing.T) {
	o := fan()
	o.State = State{Ordered: On, No: 42}
	text, err := json.Marshal(o.OrderAt(at(0)))
	if want := `{"no":42,"value":1,"for":60,"safe":1,"until":"2023-11-14T22:14:20.000Z"}`; err != nil ||
		string(text) != want {
		t.Errorf("%s %v", text, err)
	}
}

// A device that hears nothing goes to the safe state when what it heard last has expired, whatever is lost, repeated or
// comes in the wrong order, and not before; and it does what the newest order says.
func TestADeviceIsSafeInTheBound(t *testing.T) {
	for seed := range uint64(300) {
		r := rand.New(rand.NewPCG(seed, 1))
		now, f := time.Unix(1_700_000_000, 0), Follower{}
		var heardAt time.Time
		var newest OutputOrder
		for no := int64(1); no < 200; no++ {
			now = now.Add(time.Duration(r.IntN(40)) * time.Second)
			if r.IntN(3) == 0 {
				continue // lost
			}
			o := OutputOrder{No: no - int64(r.IntN(3)), Value: json.RawMessage{'0' + byte(r.IntN(2))}, For: 60,
				Safe: json.RawMessage(`"safe"`)}
			expired := heardAt.IsZero() || now.Sub(heardAt) >= time.Minute
			f.Hear(o, now)
			if expired || o.No >= newest.No {
				newest, heardAt = o, now
			}
			if does, _ := f.Does(now); string(does) != string(newest.Value) {
				t.Fatalf("seed %d: it does %s, not %s", seed, does, newest.Value)
			}
			if does, n := f.Does(heardAt.Add(time.Minute)); string(does) != `"safe"` || n != 0 {
				t.Fatalf("seed %d: a minute after it last heard something it does %s", seed, does)
			}
			if does, _ := f.Does(heardAt.Add(time.Minute - 1)); string(does) != string(newest.Value) {
				t.Fatalf("seed %d: it is safe too soon", seed)
			}
		}
	}
	// A service whose records were put back from a backup begins with smaller numbers: they count once what was heard
	// has expired.
	now, restored := time.Unix(1_700_000_000, 0), Follower{}
	restored.Hear(OutputOrder{No: 900, Value: json.RawMessage("1"), For: 60, Safe: json.RawMessage("0")}, now)
	restored.Hear(OutputOrder{No: 3, Value: json.RawMessage("2"), For: 60, Safe: json.RawMessage("0")},
		now.Add(time.Second))
	if does, no := restored.Does(now.Add(2 * time.Second)); string(does) != "1" || no != 900 {
		t.Errorf("it does %s by order %d", does, no)
	}
	restored.Hear(OutputOrder{No: 4, Value: json.RawMessage("2"), For: 60, Safe: json.RawMessage("0")},
		now.Add(time.Minute))
	if does, no := restored.Does(now.Add(61 * time.Second)); string(does) != "2" || no != 4 {
		t.Errorf("it does %s by order %d", does, no)
	}
	var f Follower
	if does, _ := f.Does(time.Now()); does != nil {
		t.Error("one that never heard anything does something")
	}
}
