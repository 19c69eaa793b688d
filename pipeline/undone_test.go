package pipeline_test

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"testing"
	"time"

	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/calibrate"
	"jauntylark/core/derive"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/credential"
	"jauntylark/pipeline/reading"
	"jauntylark/pipeline/record"
	"jauntylark/pipeline/respond"
	"jauntylark/store/storetest"
)

// What a commit that failed had changed in memory is as if it had not been: the same reading again is new, is stepped,
// and raises the alarm, once.
func TestAFailedCommitLeavesNothingInMemory(t *testing.T) {
	b := fresh(t)
	b.stream("temp", -10, 20)
	b.guard(alarm.Guard{Name: "hot", Signal: "d/temp", Rung: above(50, 1, alarm.Warning)})
	b.exec(`create function refuse() returns trigger language plpgsql as $$ begin raise exception 'no more alarms'; end $$;
		create trigger refuse before insert on alarm for each row execute function refuse()`)
	pack := func() *reading.Pack {
		return &reading.Pack{Sender: credential.Sender{Key: b.key, Protocol: "HTTP"}, Arrived: b.Now(),
			Samples: []measure.Sample{{Name: "temp", At: b.at(1), Value: 60}}}
	}
	b.clock(1)
	if _, err := b.Submit(context.Background(), pack()); !errors.Is(err, commit.ErrFailed) {
		t.Fatalf("an alarm that cannot be written: %v", err)
	}
	if n := len(b.readings("temp")); n != 1 {
		t.Errorf("%d readings of a pack that was not taken", n)
	}
	b.exec(`drop trigger refuse on alarm`)
	for range 2 {
		if out, err := b.Submit(context.Background(), pack()); err != nil || out.Accepted != 1 ||
			len(out.Refused) > 0 {
			t.Fatalf("the same again: %+v %v", out, err)
		}
	}
	if all := b.alarms(); len(all) != 1 || all[0].State != alarm.StateRaised || all[0].RaisedAt != b.at(1) ||
		all[0].LearnedLate {
		t.Errorf("%+v", all)
	}
	if n := len(b.readings("temp")); n != 2 {
		t.Errorf("%d readings, not 2", n)
	}
}

// Each act that changes the configuration fails as it commits, and is done again: after each, this process and one that
// looks on know what the database has, and nothing else.
func TestMemoryFollowsEachAct(t *testing.T) {
	storetest.Long(t)
	b := fresh(t)
	ctx, p := context.Background(), b.Pipeline
	b.contact("orla", roster.Mail)
	for _, name := range []string{"temp", "damp", "door"} {
		b.stream(name, 1, 20)
	}
	b.add(site.Device{Name: "gate"})
	b.output("gate/fan", drive.Spec{Kind: drive.KindSwitch})
	hot := b.guard(alarm.Guard{Name: "hot", Signal: "d/temp", Rung: above(30, 1, alarm.Warning)})
	b.must(b.tryDerive("gate/mean", derive.Recipe{Kind: "moving-mean", Window: *lasting(100),
		Of: []derive.Input{{As: "of", Signal: "d/temp"}}}))
	title, behind, unit, step := "Cellar", "gate", measure.Unit("Cel"), 0.5
	changed, wet := hot, alarm.Guard{Name: "wet", Signal: "d/damp", Rung: above(80, 1, alarm.Warning),
		Tell: []string{"orla"}}
	changed.Name, changed.Suppressed, changed.Rung = "too-hot", "d/door above 25", above(40, 1, alarm.Critical)
	why, tries := "the probe is away", 0
	acts := []struct {
		name string
		do   func() error
	}{
		{"a device is changed", func() error {
			return configure.SetDevice(ctx, p, "d", act.DeviceChange{Title: &title, Behind: &behind}, tester)
		}},
		{"a signal is changed", func() error {
			return configure.SetSignal(ctx, p, "d/temp", act.SignalChange{Unit: &unit, Step: &step}, tester)
		}},
		{"an interlock by an alarm", func() error {
			return configure.SaveInterlock(ctx, p, &drive.Interlock{Name: "air", Output: "gate/fan", Alarm: "hot"},
				tester)
		}},
		{"an interlock by a condition", func() error {
			return configure.SaveInterlock(ctx, p, &drive.Interlock{Name: "dry", Output: "gate/fan", Signal: "d/damp",
				When: "above 70"}, tester)
		}},
		{"a guard is renamed and suppressed", func() error {
			g := changed
			return configure.SaveGuard(ctx, p, &g, "test")
		}},
		{"a guard is added", func() error { g := wet; return configure.SaveGuard(ctx, p, &g, "test") }},
		{"a calibration", func() error {
			_, err := record.Calibrate(ctx, p, "d/temp", act.CalibrationOrder{Method: calibrate.Offset,
				Pairs: []calibrate.Pair{{Shown: 20, Reference: 21}}}, tester)
			return err
		}},
		{"something is derived", func() error {
			return configure.Derive(ctx, p, "d/gap", "",
				derive.Recipe{Kind: "difference", Of: []derive.Input{{As: "a", Signal: "gate/mean"},
					{As: "b", Signal: "d/temp"}}}, tester)
		}},
		{"a guard out of service", func() error {
			_, err := respond.PutOutOfService(ctx, p, "wet", &why, "Orla")
			return err
		}},
		{"a new key", func() error {
			_, err := configure.RotateKey(ctx, p, "gate", configure.Secret{Hash: sha256.Sum256([]byte("other"))}, nil,
				tester)
			return err
		}},
		{"everything safe", func() error { return configure.AllSafe(ctx, p, "smoke", tester) }},
		{"not any more", func() error { return configure.EndAllSafe(ctx, p, tester) }},
		{"a new device", func() error {
			return configure.AddDevice(ctx, p, &site.Device{Name: "shed", Behind: "gate"},
				configure.Secret{Hash: sha256.Sum256([]byte("shed"))}, tester)
		}},
		{"a new signal", func() error {
			tries++
			_, err := p.Submit(ctx, &reading.Pack{Sender: credential.Sender{Key: b.key, Protocol: "HTTP"},
				Arrived: b.Now(), Samples: []measure.Sample{{Name: fmt.Sprint("light", tries), Value: 5}}})
			return err
		}},
		{"the derived one goes", func() error { return configure.RemoveDerived(ctx, p, "d/gap", tester) }},
		{"an interlock goes", func() error { return configure.RemoveInterlock(ctx, p, "air", tester) }},
		{"a guard goes", func() error { return configure.RemoveGuard(ctx, p, "wet", "test") }},
		{"an output goes", func() error { return configure.RemoveOutput(ctx, p, "gate/fan", tester) }},
		{"a device goes that had nothing", func() error { return configure.RemoveDevice(ctx, p, "shed", tester) }},
		{"a gateway goes with what it had derived",
			func() error { return configure.RemoveDevice(ctx, p, "gate", tester) }},
		{"and comes back", func() error { return configure.BringBack(ctx, p, "device", "gate", tester) }},
		{"the site", func() error {
			return respond.SetSite(ctx, p, site.Site{Name: "Weir", Zone: "Europe/Vienna", Currency: "EUR",
				KeepReadings: measure.Duration(time.Hour * 9000)}, "test")
		}},
		{"somebody who is told goes", func() error { return respond.RemoveContact(ctx, p, "orla", "test") }},
	}
	b.exec(`create function refuse() returns trigger language plpgsql as $$ begin raise exception 'not this time'; end $$`)
	for _, a := range acts {
		b.exec(`create trigger refuse before insert on journal for each row execute function refuse()`)
		if err := a.do(); err == nil && a.name != "a new signal" {
			t.Errorf("%s: it failed half way, and nobody was told", a.name)
		}
		b.exec(`drop trigger refuse on journal`)
		b.remembersRight()
		b.exec(`create constraint trigger refuse after insert on config_change deferrable initially deferred for each row execute function refuse()`)
		if err := a.do(); err == nil {
			t.Errorf("%s: it failed as it committed, and nobody was told", a.name)
		}
		b.exec(`drop trigger refuse on config_change`)
		b.remembersRight()
		if err := a.do(); err != nil {
			t.Errorf("%s: %v", a.name, err)
		}
		b.remembersRight()
		if t.Failed() {
			t.Fatal(a.name)
		}
	}
}
