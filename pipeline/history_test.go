package pipeline_test

import (
	"context"
	"errors"
	"strings"
	"testing"
	"time"

	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/credential"
	"jauntylark/pipeline/record"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/events"
	"jauntylark/store/timeseries"
)

func (b *bench) imported(p *record.Past) error {
	_, err := record.Import(context.Background(), b.Pipeline, p)
	return err
}

func past(signal string, pairs ...float64) *record.Past {
	p := &record.Past{Signal: signal, Kind: site.KindNumber}
	for i := 0; i+1 < len(pairs); i += 2 {
		p.Readings = append(p.Readings, measure.Reading{At: start + measure.Instant(pairs[i]*1000), Value: pairs[i+1]})
	}
	return p
}

// What is imported is there, converted and without doubles, and no guard has looked at it.
func TestAnImportIsStoredBesideTheLiveState(t *testing.T) {
	b := fresh(t)
	b.send(measure.Sample{Name: "temp", At: b.at(-100), Value: 20, Unit: "Cel"})
	if err := configure.SaveGuard(context.Background(), b.Pipeline, &alarm.Guard{Name: "hot", Signal: "d/temp",
		Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 30}, Severity: alarm.Warning}, Tell: []string{}},
		"test"); err != nil {
		t.Fatal(err)
	}
	hot := past("d/temp", -90, 104, -80, 104, -200, 50, -100, 68) // the last is 20 °C, and is there
	hot.Unit = "[degF]"
	told, err := record.Import(context.Background(), b.Pipeline, hot)
	if err != nil || told.Added != 3 || told.Same != 1 {
		t.Fatalf("%+v %v", told, err)
	}
	if got := b.readings("temp"); len(got) != 4 || got[3].Value < 39.9 || got[3].Value > 40.1 {
		t.Errorf("%+v", got)
	}
	if alarms, err := events.Alarms(context.Background(), b.store, events.AlarmQuery{Limit: 10}); err != nil ||
		len(alarms) != 0 {
		t.Errorf("%+v %v", alarms, err)
	}
	s, err := config.Signal(context.Background(), b.store, "d", "temp")
	if err != nil || *s.At != b.at(-80) {
		t.Errorf("the newest reading is %v, %v", s.At, err)
	}
	// A live reading between what was stepped and what was imported is not late: it is stepped.
	b.send(measure.Sample{Name: "temp", At: b.at(-85), Value: 35, Unit: "Cel"})
	if got := b.readings("temp"); len(got) != 5 || got[3].Quality != 0 {
		t.Errorf("%+v", got)
	}
	b.clock(5)
	b.send(measure.Sample{Name: "temp", At: b.at(1), Value: 36, Unit: "Cel"}, measure.Sample{Name: "temp", At: b.at(2),
		Value: 37, Unit: "Cel"})
	if alarms, err := events.Alarms(context.Background(), b.store, events.AlarmQuery{Limit: 10}); err != nil ||
		len(alarms) != 1 {
		t.Errorf("%+v %v", alarms, err)
	}
	// What was imported is known when it is sent, and the other way around.
	if out := b.send(measure.Sample{Name: "temp", At: b.at(-90), Value: told0(b, -90)}); out.Accepted != 1 ||
		len(b.readings("temp")) != 7 {
		t.Errorf("%+v", out)
	}
	if out := b.send(measure.Sample{Name: "temp", At: b.at(-90), Value: -5}); len(out.Refused) != 1 ||
		!strings.Contains(reason(out), "conflict") {
		t.Errorf("%+v", out)
	}
}

// told0 is the value that is stored at an instant.
func told0(b *bench, seconds float64) float64 {
	for _, r := range b.readings("temp") {
		if r.At == b.at(seconds) {
			return r.Value
		}
	}
	b.t.Fatal("there is none")
	return 0
}

func TestAnImportThatDoesNotFit(t *testing.T) {
	b := fresh(t)
	b.send(measure.Sample{Name: "temp", Value: 20, Unit: "Cel"},
		measure.Sample{Name: "door", Value: 1, Form: measure.FormBool}, measure.Sample{Name: "state", Text: "idle",
			Form: measure.FormText})
	volts := past("d/temp", -9, 1)
	volts.Unit = "V"
	unknown := past("d/new", -9, 1)
	unknown.Unit = "celsius"
	worded := past("d/temp", -9, 1)
	worded.Texts = []string{"x"}
	for says, p := range map[string]*record.Past{
		"did you mean d/temp": past("d/tepm/x", -9, 1),
		"no device":           past("e/temp", -9, 1),
		"is in Cel":           volts,
		"perhaps":             unknown,
		"holds numbers":       worded,
		"on or off":           past("d/door", -9, 0.5),
		"holds text":          past("d/state", -9, 1),
		"more than a day":     past("d/temp", 90_000, 1),
	} {
		var fault *measure.Fault
		if err := b.imported(p); !errors.As(err, &fault) {
			t.Errorf("%s: %v", says, err)
		} else if says != "no device" && says != "did you mean d/temp" && says != "perhaps" &&
			!strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
	if got := b.readings("temp"); len(got) != 1 {
		t.Errorf("something was kept: %+v", got)
	}
	state := &record.Past{Signal: "d/state", Kind: site.KindText, Readings: []measure.Reading{{At: b.at(-5)},
		{At: b.at(-4)}}, Texts: []string{"busy", "idle"}}
	if err := b.imported(state); err != nil {
		t.Fatal(err)
	}
	if got := b.readings("state"); len(got) != 3 || got[0].Text != "busy" || got[1].Text != "idle" ||
		got[1].Value != got[2].Value {
		t.Errorf("%+v", got)
	}
	if err := b.imported(past("d/temp")); err != nil {
		t.Errorf("nothing at all: %v", err)
	}
}

// Two readings of one instant in what is imported: the first counts.
func TestAnImportThatContradictsItself(t *testing.T) {
	b := fresh(t)
	told, err := record.Import(context.Background(), b.Pipeline, past("d/x", 3, 1, 1, 5, 3, 2, 3, 1, 1, 5))
	if err != nil || told.Added != 2 || len(told.Conflicts) != 1 || told.Conflicts[0].Value != 2 {
		t.Errorf("%+v %v", told, err)
	}
	other := past("d/x", 3, 9)
	other.Replace = true
	if told, err = record.Import(context.Background(), b.Pipeline, other); err != nil || told.Replaced != 1 {
		t.Errorf("%+v %v", told, err)
	}
	if got := b.readings("x"); len(got) != 2 || got[1].Value != 9 {
		t.Errorf("%+v", got)
	}
}

// After a clearing the newest reading is the newest that is left, and what is older than what guards have
// stepped is late.
func TestWhatIsSentAfterAClearing(t *testing.T) {
	b := fresh(t)
	for i := range 10 {
		b.clock(float64(i))
		b.send(measure.Sample{Name: "temp", At: b.at(float64(i)), Value: float64(i)})
	}
	c := site.Clearing{What: "d/temp", From: b.at(5), Until: b.at(100)}
	if err := record.Clear(context.Background(), b.Pipeline, &c, tester); err != nil {
		t.Fatal(err)
	}
	s, err := config.Signal(context.Background(), b.store, "d", "temp")
	if err != nil || *s.Value != 4 {
		t.Errorf("%+v %v", s.Value, err)
	}
	for more := true; more; {
		if more, err = timeseries.ClearStep(context.Background(), b.store, b.Now()); err != nil {
			t.Fatal(err)
		}
	}
	b.send(measure.Sample{Name: "temp", At: b.at(7), Value: 70})
	b.clock(20)
	b.send(measure.Sample{Name: "temp", At: b.at(20), Value: 20})
	got := b.readings("temp")
	if len(got) != 7 || got[5].Value != 70 || got[5].Quality != measure.Late || got[6].Quality != 0 {
		t.Errorf("%+v", got)
	}
	for what, says := range map[string]string{"e": "device", "d/tepm": "did you mean d/temp"} {
		if err := record.Clear(context.Background(), b.Pipeline, &site.Clearing{What: what}, tester); err == nil ||
			!strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", what, err)
		}
	}
}

// While the disk is full nothing of a pack is taken, and people can still act.
func TestAFullDiskTakesNothing(t *testing.T) {
	b := fresh(t)
	b.Refuse(true)
	_, err := b.submit(credential.Sender{Key: b.key}, measure.Sample{Name: "temp", Value: 1})
	if !errors.Is(err, commit.ErrAway) || !errors.Is(err, commit.ErrNoRoom) {
		t.Error(err)
	}
	if err := configure.SetSignal(context.Background(), b.Pipeline, "d/temp", act.SignalChange{}, tester); err == nil {
		t.Error("the signal was made")
	}
	hour := measure.Duration(time.Hour)
	if err := configure.SetDevice(context.Background(), b.Pipeline, "d", act.DeviceChange{Interval: &hour},
		tester); err != nil {
		t.Error(err)
	}
	b.Refuse(false)
	if out := b.send(measure.Sample{Name: "temp", Value: 1}); out.Accepted != 1 {
		t.Errorf("%+v", out)
	}
}

// What comes in from a file while its signal is being cleared waits until that is done: it is not cleared.
func TestAnImportWaitsForAClearing(t *testing.T) {
	b := fresh(t)
	if err := b.imported(past("d/x", 1, 1, 2, 2)); err != nil {
		t.Fatal(err)
	}
	if err := record.Clear(context.Background(), b.Pipeline, &site.Clearing{What: "d", Until: b.at(100)},
		tester); err != nil {
		t.Fatal(err)
	}
	if err := b.imported(past("d/x", 3, 3)); !errors.Is(err, record.ErrBeingCleared) {
		t.Error(err)
	}
	for more := true; more; {
		var err error
		if more, err = timeseries.ClearStep(context.Background(), b.store, b.Now()); err != nil {
			t.Fatal(err)
		}
	}
	if err := b.imported(past("d/x", 3, 3)); err != nil {
		t.Error(err)
	}
	if got := b.readings("x"); len(got) != 1 || got[0].Value != 3 {
		t.Errorf("%+v", got)
	}
}

// A deletion that is cut off behind its commit leaves readings that nobody sees; they go later.
func TestWhatADeletionLeftBehindGoes(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	if err := b.imported(past("d/x", 1, 1, 2, 2)); err != nil {
		t.Fatal(err)
	}
	left := func() (n int) {
		tx, err := b.store.Begin(ctx)
		if err != nil {
			t.Fatal(err)
		}
		defer tx.Rollback()
		if err := tx.Get(context.Background(), &n, `select count(*) from block`); err != nil {
			t.Fatal(err)
		}
		return n
	}
	tx, err := b.store.Begin(ctx)
	if err != nil {
		t.Fatal(err)
	}
	defer tx.Rollback()
	if _, err := tx.Exec(context.Background(), `delete from device`); err != nil {
		t.Fatal(err)
	}
	if _, err := store.RaiseConfig(ctx, tx, store.Change{Scope: store.OfAll}); err != nil {
		t.Fatal(err)
	}
	if err := tx.Commit(); err != nil {
		t.Fatal(err)
	}
	if left() != 1 {
		t.Fatal("nothing was left behind")
	}
	if err := timeseries.DropOrphans(ctx, b.store); err != nil || left() != 0 {
		t.Error(err, left())
	}
}
