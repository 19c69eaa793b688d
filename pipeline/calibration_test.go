package pipeline_test

import (
	"context"
	"errors"
	"math"
	"strings"
	"testing"

	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/calibrate"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/record"
	"jauntylark/store"
	"jauntylark/store/config"
)

// calibrate puts pairs of shown and reference in force from an instant on; nil: from now.
func (b *bench) calibrate(path string, from *measure.Instant, numbers ...float64) act.Fitted {
	b.t.Helper()
	o := act.CalibrationOrder{From: from}
	for i := 0; i < len(numbers); i += 2 {
		o.Pairs = append(o.Pairs, calibrate.Pair{Shown: numbers[i], Reference: numbers[i+1]})
	}
	f, err := record.Calibrate(context.Background(), b.Pipeline, path, o, tester)
	if err != nil {
		b.t.Fatal(err)
	}
	return f
}

func (b *bench) values(name string) (values []float64) {
	b.t.Helper()
	for _, r := range b.readings(name) {
		values = append(values, math.Round(r.Value*1e6)/1e6)
	}
	return values
}

func same(a []float64, b ...float64) bool {
	for i := range b {
		if len(a) != len(b) || a[i] != b[i] {
			return false
		}
	}
	return len(a) == len(b)
}

// A correction holds from its instant on, over what is there and what comes; earlier ones are kept, and taking one
// back brings the one before it back. Raw values never change, so the same reading again is a duplicate.
func TestACorrectionHoldsFromItsInstantOn(t *testing.T) {
	b := fresh(t)
	b.stream("v", 1, 10, 20, 30, 40)
	at := b.at(3)
	if f := b.calibrate("d/v", &at, 30, 33); !f.Past || f.Curve.Offset != 3 {
		t.Errorf("%+v", f)
	}
	if got := b.values("v"); !same(got, 10, 20, 33, 43) {
		t.Errorf("corrected: %v", got)
	}
	// A pair is of what is shown now, which is corrected: 53 shown is 50 raw.
	at = b.at(4)
	b.calibrate("d/v", &at, 3, 0, 53, 100)
	b.stream("v", 5, 50)
	if got := b.values("v"); !same(got, 10, 20, 33, 80, 100) {
		t.Errorf("corrected twice: %v", got)
	}
	b.clock(6)
	if out := b.send(measure.Sample{Name: "v", At: b.at(5), Value: 50},
		measure.Sample{Name: "v", At: b.at(5), Value: 100}); out.Accepted != 1 ||
		!strings.Contains(reason(out), "holds 50 at") {
		t.Errorf("the raw value again, and the corrected one: %+v", out)
	}
	corners := b.at(2)
	if _, err := record.Calibrate(context.Background(), b.Pipeline, "d/v",
		act.CalibrationOrder{From: &corners, Method: calibrate.Corners,
			Pairs: calibrate.Pairs{{Shown: b.shows(5), Reference: 3}, {Shown: b.shows(15), Reference: 10},
				{Shown: b.shows(25), Reference: 40}}}, tester); err != nil {
		t.Fatal(err)
	}
	if got := b.values("v"); !same(got, 10, 25, 33, 80, 100) || !same(b.withSQL("v"), got...) {
		t.Errorf("here %v, by SQL %v", got, b.withSQL("v"))
	}
	other := process(t, b.store, b.now)
	list, err := config.Calibrations(context.Background(), b.store, b.id("d/v"))
	if list = list[1:]; err != nil || len(list) != 2 || list[0].Who != "test" ||
		list[0].Pairs[1] != (calibrate.Pair{Shown: 50, Reference: 100}) {
		t.Fatalf("%+v %v", list, err)
	}
	if _, err := record.Uncalibrate(context.Background(), other.Pipeline, "d/v", list[0].ID, tester); err != nil {
		t.Fatal(err)
	}
	if got := b.values("v"); !same(got, 10, 25, 33, 43, 53) {
		t.Errorf("taken back: %v", got)
	}
	if _, err := record.Uncalibrate(context.Background(), b.Pipeline, "d/v", list[0].ID, tester); !errors.Is(err,
		store.ErrNotFound) {
		t.Errorf("taken back twice: %v", err)
	}
	if err := record.BringCalibrationBack(context.Background(), b.Pipeline, "d/v", list[0].ID, tester); err != nil {
		t.Fatal(err)
	}
	if got := b.values("v"); !same(got, 10, 25, 33, 80, 100) {
		t.Errorf("in force again: %v", got)
	}
	if err := record.BringCalibrationBack(context.Background(), b.Pipeline, "d/v", list[0].ID, tester); !errors.Is(err,
		store.ErrNotFound) {
		t.Errorf("in force again twice: %v", err)
	}
	if _, err := record.Uncalibrate(context.Background(), b.Pipeline, "d/v", list[0].ID, tester); err != nil {
		t.Fatal(err)
	}
	s, err := config.Signal(context.Background(), b.store, "d", "v")
	if err != nil || *s.Value != 53 || !s.Calibrated {
		t.Errorf("it reads %v %v", *s.Value, err)
	}
}

// shows gives what is shown now for a raw value of d/v.
func (b *bench) shows(raw float64) float64 {
	b.t.Helper()
	list, err := config.Calibrations(context.Background(), b.store, b.id("d/v"))
	if err != nil {
		b.t.Fatal(err)
	}
	return calibrate.NewTimeline(list).At(b.Now()).Apply(raw)
}

// withSQL gives the values of a signal as somebody sees them who reads with SQL.
func (b *bench) withSQL(name string) (values []float64) {
	b.t.Helper()
	tx, err := b.store.Begin(context.Background())
	if err != nil {
		b.t.Fatal(err)
	}
	defer tx.Rollback()
	if err := tx.Select(context.Background(), &values,
		`select round(value::numeric, 6)::float8 from analysis.reading where device = 'd' and signal = $1 order by at`,
		name); err != nil {
		b.t.Fatal(err)
	}
	return values
}

func (b *bench) id(path string) int64 {
	b.t.Helper()
	device, name, _ := site.SplitPath(path)
	s, err := config.Signal(context.Background(), b.store, device, name)
	if err != nil {
		b.t.Fatal(err)
	}
	return s.ID
}

// Guards look at corrected values. When they are corrected, guards look at what holds anew; alarms of the past stay as
// they were, and are marked.
func TestGuardsOfACorrectedSignal(t *testing.T) {
	b := fresh(t)
	b.stream("v", 1, 10)
	b.guard(alarm.Guard{Signal: "d/v", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 50}}})
	b.stream("v", 2, 60, 10, 49)
	b.clock(5)
	if got := b.alarms(); len(got) != 1 || got[0].CorrectedAt != nil {
		t.Fatalf("%+v", got)
	}
	at := b.at(2)
	if f := b.calibrate("d/v", &at, 50, 52); f.Corrected != 1 {
		t.Errorf("%d alarms were marked", f.Corrected)
	}
	got := b.alarms()
	if len(got) != 2 || got[0].CorrectedAt == nil || got[0].Value != 60 || got[1].Value != 51 ||
		got[1].RaisedAt != b.at(4) || got[1].CorrectedAt != nil {
		t.Errorf("held 49 is 51 now: %+v", got)
	}
	b.stream("v", 6, 48)
	if got := b.alarms(); got[1].ClearedAt == nil || *got[1].ClearedValue != 50 {
		t.Errorf("50 is not above 50: %+v", got[1])
	}
}

// What cannot be calibrated is refused by its field, and trying changes nothing.
func TestCalibrationsAreChecked(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.stream("v", 1, 10)
	if out := b.send(measure.Sample{Name: "door", Form: measure.FormBool, Value: 1},
		measure.Sample{Name: "t", Unit: "Cel", Value: 20}); len(out.Refused) > 0 {
		t.Fatal(reason(out))
	}
	b.derive("d/twice", "formula", map[string]string{"v": "d/v"}, "v * 2.0")
	pair := calibrate.Pairs{{Shown: 1, Reference: 2}}
	late := b.at(2 * 86_400)
	for says, c := range map[string]struct {
		path string
		o    act.CalibrationOrder
	}{
		"did you mean d/v":   {"d/vv", act.CalibrationOrder{Pairs: pair}},
		"d/twice is derived": {"d/twice", act.CalibrationOrder{Pairs: pair}},
		"numbers can be":     {"d/door", act.CalibrationOrder{Pairs: pair}},
		"pairs: there are 0": {"d/v", act.CalibrationOrder{}},
		"from: ":             {"d/v", act.CalibrationOrder{Pairs: pair, From: &late}},
		"unit: d/t is in":    {"d/t", act.CalibrationOrder{Pairs: pair, Unit: "V"}},
		"method: ":           {"d/v", act.CalibrationOrder{Pairs: pair, Method: "cubic"}},
		"must rise or fall": {"d/v", act.CalibrationOrder{Method: calibrate.Corners,
			Pairs: calibrate.Pairs{{Shown: 1, Reference: 1}, {Shown: 2, Reference: 5}, {Shown: 3, Reference: 4}}}},
		"two different places": {"d/v", act.CalibrationOrder{Pairs: calibrate.Pairs{{Shown: 1, Reference: 1},
			{Shown: 1, Reference: 5}}}},
	} {
		if _, err := record.Calibrate(ctx, b.Pipeline, c.path, c.o, tester); err == nil ||
			!strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
	f, err := record.TryCalibration(ctx, b.Pipeline, "d/t",
		act.CalibrationOrder{Pairs: calibrate.Pairs{{Shown: 68, Reference: 70}}, Unit: "[degF]"}, tester)
	if err != nil || math.Abs(f.Curve.Offset-10.0/9) > 1e-9 {
		t.Errorf("2 °F more are %+v %v", f.Curve, err)
	}
	if list, err := config.Calibrations(ctx, b.store, b.id("d/t")); err != nil || len(list) != 0 {
		t.Errorf("trying made %+v %v", list, err)
	}
}

// A verification is kept whatever it says; one that is due reminds until it is done.
func TestVerifications(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.stream("h", 1, 49)
	check := func(o act.VerificationOrder) calibrate.Verification {
		t.Helper()
		v, err := record.Verify(ctx, b.Pipeline, "d/h", o, tester)
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
	if v := check(act.VerificationOrder{Reference: 50, Tolerance: "2%"}); !v.Passed || v.Error != -1 ||
		v.Tolerance != 1 || v.Who != "test" {
		t.Errorf("at the very tolerance: %+v", v)
	}
	shown := 52.0
	if v := check(act.VerificationOrder{Reference: 50, Tolerance: "1.9", Shown: &shown}); v.Passed || v.Error != 2 {
		t.Errorf("beyond it: %+v", v)
	}
	if err := record.VerifyEvery(ctx, b.Pipeline, "d/h", calibrate.Every{Months: 6}, tester); err != nil {
		t.Fatal(err)
	}
	b.clock(180 * 86_400)
	if err := record.Remind(ctx, b.Pipeline); err != nil || len(b.alarms()) != 0 {
		t.Errorf("after 180 days: %v %+v", err, b.alarms())
	}
	b.clock(190 * 86_400)
	for range 2 {
		if err := record.Remind(ctx, b.Pipeline); err != nil {
			t.Fatal(err)
		}
	}
	got := b.alarms()
	if len(got) != 1 || got[0].Kind != alarm.ByDueDate || got[0].Severity != alarm.Advisory ||
		!strings.Contains(got[0].Sentence, "is due for verification since") {
		t.Fatalf("after 190 days: %+v", got)
	}
	if _, err := record.Verify(ctx, b.Pipeline, "d/h", act.VerificationOrder{Reference: 50, Tolerance: "2%"},
		tester); err == nil || !strings.Contains(err.Error(), "is 189 d") && !strings.Contains(err.Error(), "days") {
		t.Errorf("by a reading of half a year ago: %v", err)
	}
	check(act.VerificationOrder{Reference: 50, Tolerance: "2%", Shown: &shown})
	if got := b.alarms(); len(got) != 1 || got[0].ClearedAt == nil {
		t.Errorf("once it is done: %+v", got)
	}
	list, err := config.Verifications(ctx, b.store, b.id("d/h"))
	if err != nil || len(list) != 3 || list[2].Passed != true || list[0].Passed {
		t.Errorf("%+v %v", list, err)
	}
	for says, o := range map[string]act.VerificationOrder{"tolerance: ": {Tolerance: "much"},
		"unit: ": {Tolerance: "1", Unit: "Cell"}} {
		if _, err := record.Verify(ctx, b.Pipeline, "d/h", o, tester); err == nil ||
			!strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
}

// What is due for verification, or not to be believed, and is deleted reminds nobody any more.
func TestNoAlarmOutlivesItsSignal(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.stream("v", 1, 5)
	b.derive("d/twice", "formula", map[string]string{"v": "d/v"}, "v * 2.0")
	b.signal("d/v", act.SignalChange{StuckAfter: lasting(1), FaultAfter: lasting(1)})
	for _, path := range []string{"d/v", "d/twice"} {
		if err := record.VerifyEvery(ctx, b.Pipeline, path, calibrate.Every{Days: 1}, tester); err != nil {
			t.Fatal(err)
		}
	}
	b.stream("v", 100_000, 5, 5, 5, 5)
	if err := record.Remind(ctx, b.Pipeline); err != nil {
		t.Fatal(err)
	}
	if got := standing(b.alarms()); len(got) != 3 {
		t.Fatalf("before: %v", got)
	}
	if err := configure.RemoveDerived(ctx, b.Pipeline, "d/twice", tester); err != nil {
		t.Fatal(err)
	}
	if got := standing(b.alarms()); len(got) != 2 {
		t.Errorf("without the derived signal: %v", got)
	}
	if err := configure.RemoveDevice(ctx, b.Pipeline, "d", tester); err != nil {
		t.Fatal(err)
	}
	if got := standing(b.alarms()); len(got) != 0 {
		t.Errorf("without the device: %v", got)
	}
}
