package pipeline_test

import (
	"context"
	"errors"
	"strings"
	"testing"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/derive"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/credential"
	"jauntylark/store"
	"jauntylark/store/archive"
	"jauntylark/store/config"
	"jauntylark/store/events"
	"jauntylark/store/storetest"
	"jauntylark/store/timeseries"
)

func (b *bench) back(kind, name string) error {
	return configure.BringBack(context.Background(), b.Pipeline, kind, name, tester)
}

// A guard that was removed comes back as it was, with what people made of its alarms, and looks at what holds at once.
func TestAGuardIsBroughtBack(t *testing.T) {
	b := fresh(t)
	b.clock(1)
	b.stream("v", 0, 9)
	g := b.guard(alarm.Guard{Name: "high", Signal: "d/v", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 5}},
		Advice: "open the vent"})
	b.must(configure.Missed(context.Background(), b.Pipeline, "high", b.Now(), "", "test"))
	before, err := config.Guards(context.Background(), b.store)
	b.must(err)
	b.must(configure.RemoveGuard(context.Background(), b.Pipeline, "high", "test"))
	if a := b.newest(); a.ClearedAt == nil {
		t.Fatal("its alarm goes on without it")
	}
	b.clock(60)
	b.must(b.back("guard", "high"))
	after, err := config.Guards(context.Background(), b.store)
	b.must(err)
	if len(after) != 1 || after[0].ID != g.ID || after[0].Advice != before[0].Advice ||
		after[0].When != before[0].When {
		t.Errorf("it came back as %+v", after)
	}
	if a := b.newest(); a.ClearedAt != nil || a.Guard != "high" {
		t.Errorf("it does not look at what holds: %+v", a)
	}
	if err := b.back("guard", "high"); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a second time: %v", err)
	}
	if e := b.journal("guard brought back"); e.Who != tester.Called {
		t.Errorf("the journal: %+v", e)
	}
}

// A device comes back with its signals, readings, guards, outputs, interlocks and totals; what it has sent meanwhile is
// taken.
func TestADeviceIsBroughtBackWithAllThatItHad(t *testing.T) {
	storetest.Long(t)
	b := fresh(t)
	key := b.add(site.Device{Name: "e", Title: "The shed"})
	from := credential.Sender{Key: key}
	say := func(at, v float64) {
		t.Helper()
		b.clock(at)
		out, err := b.submit(from, measure.Sample{Name: "v", At: b.at(at), Value: v})
		if err != nil || len(out.Refused) > 0 {
			t.Fatal(out, err)
		}
	}
	for at := 1.; at <= 5; at++ {
		say(at, at)
	}
	b.guard(alarm.Guard{Name: "high", Signal: "e/v", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 50}}})
	b.output("e/fan", drive.Spec{Kind: drive.KindSwitch})
	b.interlock(drive.Interlock{Name: "fan", Output: "e/fan", Signal: "e/v", When: "above 4", Set: "on"})
	b.derive("e/double", "formula", map[string]string{"v": "e/v"}, "v * 2.0")
	b.is("driven", "e/fan", "on", drive.Driven)
	b.must(configure.RemoveDevice(context.Background(), b.Pipeline, "e", tester))
	if _, err := config.Device(context.Background(), b.store, "e", b.Now()); !errors.Is(err, store.ErrNotFound) {
		t.Fatal("it is still there")
	}
	b.must(timeseries.DropOrphans(context.Background(), b.store))
	b.clock(100)
	_, err := b.submit(from, measure.Sample{Name: "v", At: b.at(99), Value: 60}) // waits as an arrival
	if err != nil {
		t.Fatal(err)
	}
	b.must(b.back("device", "e"))
	if d := b.device("e"); d.Title != "The shed" || d.Signals != 2 {
		t.Errorf("it came back as %+v", d)
	}
	v, err := config.Signal(context.Background(), b.store, "e", "v")
	b.must(err)
	r, _, err := timeseries.Readings(context.Background(), b.store, &v, 0, b.Now()+1, 100)
	if err != nil || len(r) != 6 {
		t.Errorf("%d readings came back: %v", len(r), err)
	}
	if got := standing(b.alarms()); len(got) != 1 {
		t.Errorf("what it sent meanwhile was not looked at: %v", got)
	}
	b.is("driven again", "e/fan", "on", drive.Driven)
	say(101, 3)
	b.is("and not any more", "e/fan", "off", drive.Rested)
	arrivals, err := events.Arrivals(context.Background(), b.store)
	if err != nil || len(arrivals) != 0 {
		t.Errorf("it still waits: %+v %v", arrivals, err)
	}
}

// What has lost its place, or what it belongs to, stays gone and says why; so does what was removed too long ago.
func TestWhatCannotBeBroughtBack(t *testing.T) {
	b := fresh(t)
	b.clock(1)
	b.stream("v", 0, 1)
	again := func() {
		b.guard(alarm.Guard{Name: "high", Signal: "d/v", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 5}}})
	}
	again()
	b.must(configure.RemoveGuard(context.Background(), b.Pipeline, "high", "test"))
	again()
	if err := b.back("guard", "high"); !errors.Is(err, archive.ErrStaysGone) ||
		!strings.Contains(err.Error(), "another guard has its place now") {
		t.Errorf("beside another of its name: %v", err)
	}
	b.must(configure.RemoveGuard(context.Background(), b.Pipeline, "high", "test"))
	b.must(b.back("guard", "high")) // the newer one
	b.must(configure.RemoveGuard(context.Background(), b.Pipeline, "high", "test"))
	b.must(configure.RemoveDevice(context.Background(), b.Pipeline, "d", tester))
	if err := b.back("guard", "high"); !errors.Is(err, archive.ErrStaysGone) ||
		!strings.Contains(err.Error(), "bring that back first") {
		t.Errorf("without its signal: %v", err)
	}
	b.must(b.back("device", "d"))
	b.must(b.back("guard", "high"))
	b.must(configure.RemoveDevice(context.Background(), b.Pipeline, "d", tester))
	month := float64(site.BringBackFor/time.Second) + 10
	b.clock(month)
	if err := b.back("device", "d"); !errors.Is(err, store.ErrNotFound) ||
		!strings.Contains(err.Error(), "in the last 30 days") {
		t.Errorf("after 30 days: %v", err)
	}
	b.must(archive.ForgetRemoved(context.Background(), b.store, b.Now().Add(-site.BringBackFor)))
	var left int
	tx, err := b.store.Begin(context.Background())
	b.must(err)
	defer tx.Rollback()
	b.must(tx.Get(context.Background(), &left, `select count(*) from reading`))
	if left != 0 {
		t.Errorf("%d readings stay for good", left)
	}
}

// A guard with something made for it alone takes that along, and brings it back.
func TestAWatchingGuardComesBackWithWhatWasMadeForIt(t *testing.T) {
	storetest.Long(t)
	b := fresh(t)
	b.clock(1)
	b.turns(2, false)
	b.turns(3, true)
	b.contact("orla", roster.Text)
	b.watch(alarm.Guard{Name: "busy", Signal: "d/running", Rung: above(2, 0, alarm.Warning)},
		derive.Recipe{Kind: "cycles", Window: measure.Duration(time.Hour)})
	all, err := config.Signals(context.Background(), b.store)
	b.must(err)
	b.must(configure.RemoveGuard(context.Background(), b.Pipeline, "busy", "test"))
	b.must(b.back("guard", "busy"))
	again, err := config.Signals(context.Background(), b.store)
	b.must(err)
	if len(again) != len(all) {
		t.Errorf("%d signals, %d before", len(again), len(all))
	}
	b.must(configure.RemoveGuard(context.Background(), b.Pipeline, "busy", "test"))
	if last, _ := config.Signals(context.Background(), b.store); len(last) != len(all)-1 {
		t.Errorf("what was made for it stays: %d", len(last))
	}
}
