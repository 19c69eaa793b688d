package pipeline_test

import (
	"context"
	"slices"
	"strings"
	"testing"
	"time"

	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/quality"
	"jauntylark/core/site"
	"jauntylark/pipeline/configure"
	"jauntylark/store/events"
	"jauntylark/store/storetest"
)

func (b *bench) signal(path string, c act.SignalChange) {
	b.t.Helper()
	if err := configure.SetSignal(context.Background(), b.Pipeline, path, c, tester); err != nil {
		b.t.Fatal(err)
	}
}

// stream sends values of one signal, a second apart, each when it is measured.
func (b *bench) stream(name string, from float64, values ...float64) {
	b.t.Helper()
	for i, v := range values {
		b.clock(from + float64(i))
		if out := b.send(measure.Sample{Name: name, At: b.Now(), Value: v}); len(out.Refused) > 0 {
			b.t.Fatal(reason(out))
		}
	}
}

func (b *bench) marks(name string) (marks []measure.Quality) {
	b.t.Helper()
	for _, r := range b.readings(name) {
		marks = append(marks, r.Quality)
	}
	return marks
}

func lasting(n float64) *measure.Duration {
	d := measure.Duration(n * float64(time.Second))
	return &d
}

func repeat(v float64, n int) []float64 { return slices.Repeat([]float64{v}, n) }

// A probe that is lifted out reads 0. That is no low level, but after a while a fault of the sensor, as severe as the
// signal's guards; the first reading that can be believed ends it.
func TestALiftedProbe(t *testing.T) {
	b := fresh(t)
	b.stream("oxygen", 1, 80)
	low := quality.Low
	b.signal("d/oxygen", act.SignalChange{Span: &site.Span{Low: 0.5, High: 200}, FailsTo: &low, FaultAfter: lasting(5)})
	b.guard(alarm.Guard{Signal: "d/oxygen", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Below, A: 55},
		Severity: alarm.Critical}})
	b.stream("oxygen", 2, repeat(0, 5)...)
	if got := b.alarms(); len(got) != 0 {
		t.Fatalf("before the set time: %+v", got)
	}
	b.stream("oxygen", 7, 0, 0)
	got := b.alarms()
	if len(got) != 1 || got[0].Kind != alarm.BySensor || got[0].Severity != alarm.Critical ||
		got[0].RaisedAt != b.at(7) {
		t.Fatalf("after it: %+v", got)
	}
	if want := "D Oxygen is not to be believed: it reads 0, which the instrument cannot truly give"; !strings.EqualFold(
		got[0].Sentence, want) {
		t.Errorf("it says %q", got[0].Sentence)
	}
	b.stream("oxygen", 9, 79)
	got = b.alarms()
	if len(got) != 1 || got[0].ClearedAt == nil || *got[0].ClearedAt != b.at(9) {
		t.Errorf("back in the water: %+v", got)
	}
	if marks := b.marks("oxygen"); marks[1] != measure.Implausible || marks[8] != 0 {
		t.Errorf("marks %v", marks)
	}
	notices, err := events.Notices(context.Background(), b.store, events.NoticeQuery{Limit: 10})
	if err != nil || len(notices) != 2 || notices[0].Address != "orla@hollowbrook.example" {
		t.Errorf("%+v %v", notices, err)
	}
	// Truly low oxygen is an alarm of the guard.
	b.stream("oxygen", 10, 20)
	if got := b.alarms(); len(got) != 2 || got[1].Kind != alarm.ByGuard || got[1].Value != 20 {
		t.Errorf("truly low: %+v", got)
	}
}

// A gas sensor at the end of what it can give is beyond the limit, whatever the limit's side of the span; it is no
// fault then, and what comes back into the span ends it.
func TestASaturatedSensorAlarms(t *testing.T) {
	storetest.Long(t)
	b := fresh(t)
	b.stream("gas", 1, 3)
	b.signal("d/gas", act.SignalChange{Span: &site.Span{Low: 0, High: 500}, FaultAfter: lasting(3)})
	b.guard(alarm.Guard{Name: "gas-high", Signal: "d/gas", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 500},
		OnDelay: *lasting(2), Severity: alarm.Critical}})
	b.guard(alarm.Guard{Name: "gas-none", Signal: "d/gas",
		Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Below, A: -10}}})
	b.stream("gas", 2, repeat(900, 10)...)
	got := b.alarms()
	if len(got) != 1 || got[0].Guard != "gas-high" || got[0].RaisedAt != b.at(4) {
		t.Fatalf("saturated: %+v", got)
	}
	if marks := b.marks("gas"); marks[5] != measure.Implausible {
		t.Errorf("marks %v", marks)
	}
	b.guard(alarm.Guard{Name: "gas-some", Signal: "d/gas",
		Rung: alarm.Rung{When: alarm.Test{Kind: alarm.AtLeast, A: 950}}})
	if got := b.alarms(); len(got) != 2 || got[1].Guard != "gas-some" || got[1].RaisedAt != b.at(11) {
		t.Errorf("a guard that is added meanwhile: %+v", got)
	}
	if err := configure.RemoveGuard(context.Background(), b.Pipeline, "gas-some", "test"); err != nil {
		t.Fatal(err)
	}
	// A second process holds what the first has stepped.
	other := process(t, b.store, b.now)
	other.clock(12)
	other.send(measure.Sample{Name: "gas", At: other.Now(), Value: 3})
	if got := b.alarms(); len(got) != 2 || got[0].ClearedAt == nil {
		t.Errorf("after it: %+v", got)
	}
	b.stream("gas", 13, repeat(-4, 5)...)
	if got := b.alarms(); len(got) != 3 || got[2].Guard != "gas-none" || got[2].Value >= -10 {
		t.Errorf("below the span, where another guard looks: %+v", got)
	}
	if err := configure.RemoveGuard(context.Background(), b.Pipeline, "gas-none", "test"); err != nil {
		t.Fatal(err)
	}
	b.stream("gas", 20, repeat(-4, 5)...)
	if got := b.alarms(); len(got) != 4 || got[3].Kind != alarm.BySensor {
		t.Errorf("where no guard looks, it is a fault: %+v", got)
	}
}

// The span judges raw values; a correction that turns the scale round turns the dangerous side as well.
func TestTheSpanJudgesRawValues(t *testing.T) {
	b := fresh(t)
	b.stream("depth", 1, 300)
	b.signal("d/depth", act.SignalChange{Span: &site.Span{Low: 100, High: 900}})
	b.calibrate("d/depth", nil, 100, 80, 900, 0) // a high raw value is a low level
	b.guard(alarm.Guard{Signal: "d/depth", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Below, A: -5}}})
	b.stream("depth", 2, 50)
	if got := b.alarms(); len(got) != 0 {
		t.Errorf("beyond the low end: %+v", got)
	}
	b.stream("depth", 3, 901)
	if got := b.alarms(); len(got) != 1 {
		t.Errorf("beyond the high end: %+v", got)
	}
}

// Warming follows power-on, which an uptime signal or a person tells, never mere silence.
func TestWarmingFollowsPowerOn(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.stream("vapour", 1, 100)
	b.stream("uptime", 1, 5000)
	b.signal("d/vapour", act.SignalChange{WarmUp: lasting(180)})
	uptime := "uptime"
	b.set("d", act.DeviceChange{Uptime: &uptime})
	b.guard(alarm.Guard{Signal: "d/vapour", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 500}}})
	b.clock(1000) // a long silence
	b.send(measure.Sample{Name: "vapour", At: b.Now(), Value: 120})
	if marks := b.marks("vapour"); marks[1] != 0 {
		t.Errorf("silence alone: %v", marks)
	}
	b.clock(1010)
	b.send(measure.Sample{Name: "uptime", At: b.Now(), Value: 3}, measure.Sample{Name: "vapour", At: b.Now(),
		Value: 900})
	b.clock(1186)
	b.send(measure.Sample{Name: "uptime", At: b.Now(), Value: 179}, measure.Sample{Name: "vapour", At: b.Now(),
		Value: 900})
	b.clock(1188)
	b.send(measure.Sample{Name: "vapour", At: b.Now(), Value: 130})
	if marks := b.marks("vapour"); !slices.Equal(marks, []measure.Quality{0, 0, measure.Warming, measure.Warming, 0}) {
		t.Errorf("after power-on: %v", marks)
	}
	if got := b.alarms(); len(got) != 0 {
		t.Errorf("a cold sensor raised %+v", got)
	}
	if err := configure.PowerOn(ctx, b.Pipeline, "d", b.at(1200), tester); err != nil {
		t.Fatal(err)
	}
	other := process(t, b.store, b.now)
	other.clock(1300)
	other.send(measure.Sample{Name: "vapour", At: other.Now(), Value: 900})
	if marks := b.marks("vapour"); marks[5] != measure.Warming {
		t.Errorf("a person said so: %v", marks)
	}
}

// A value that does not move is passed over, and becomes a fault; what is derived from it has no value meanwhile.
func TestAStuckSensor(t *testing.T) {
	b := fresh(t)
	b.stream("v", 1, 7)
	b.signal("d/v", act.SignalChange{StuckAfter: lasting(3), FaultAfter: lasting(4)})
	b.derive("d/twice", "formula", map[string]string{"v": "d/v"}, "v * 2.0")
	b.stream("v", 2, repeat(7, 6)...)
	if got := b.alarms(); len(got) != 0 {
		t.Errorf("too early: %+v", got)
	}
	b.stream("v", 8, 7, 8)
	got := b.alarms()
	if len(got) != 1 || got[0].RaisedAt != b.at(8) || got[0].ClearedAt == nil ||
		!strings.Contains(got[0].Sentence, "has not moved from 7") {
		t.Errorf("%+v", got)
	}
	var at []measure.Instant
	for _, r := range b.readings("twice") {
		at = append(at, r.At)
	}
	if !slices.Equal(at, []measure.Instant{b.at(1), b.at(2), b.at(3), b.at(9)}) {
		t.Errorf("computed at %v", at)
	}
}

// Past readings are judged as they would have been live, and rules that cannot be are refused by the field.
func TestRulesOfAnInstrument(t *testing.T) {
	storetest.Long(t)
	b := fresh(t)
	b.stream("v", 100, 1)
	b.signal("d/v", act.SignalChange{Span: &site.Span{Low: 0, High: 10}})
	if err := b.imported(past("d/v", 1, 5, 2, 11)); err != nil {
		t.Fatal(err)
	}
	if marks := b.marks("v"); !slices.Equal(marks, []measure.Quality{0, measure.Implausible, 0}) {
		t.Errorf("imported: %v", marks)
	}
	up := quality.Side("up")
	for says, c := range map[string]act.SignalChange{
		"fails_to":       {FailsTo: &up},
		"warm_gap":       {WarmGap: lasting(5)},
		"span: goes":     {Span: &site.Span{Low: 5, High: 5}},
		"stuck_after: -": {StuckAfter: lasting(-1)},
		"band":           {Bands: &site.Bands{{Name: "low", Colour: "grren"}}},
	} {
		if err := configure.SetSignal(context.Background(), b.Pipeline, "d/v", c, tester); err == nil ||
			!strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
}
