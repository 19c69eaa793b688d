package pipeline_test

import (
	"context"
	"crypto/sha256"
	"strings"
	"testing"
	"time"

	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/credential"
	"jauntylark/pipeline/reading"
	"jauntylark/store/config"
	"jauntylark/store/events"
	"jauntylark/store/storetest"
)

var tester = pipeline.Actor{Called: "test", Email: "orla@hollowbrook.example"}

// add adds a device with a key of its own, and gives the key's hash.
func (b *bench) add(d site.Device) [32]byte {
	b.t.Helper()
	key := sha256.Sum256([]byte("key of " + d.Name))
	if err := configure.AddDevice(context.Background(), b.Pipeline, &d, configure.Secret{Hash: key},
		tester); err != nil {
		b.t.Fatal(err)
	}
	return key
}

func (b *bench) set(device string, c act.DeviceChange) {
	b.t.Helper()
	if err := configure.SetDevice(context.Background(), b.Pipeline, device, c, tester); err != nil {
		b.t.Fatal(err)
	}
}

func (b *bench) expect(device string, every time.Duration) {
	b.t.Helper()
	interval := measure.Duration(every)
	b.set(device, act.DeviceChange{Interval: &interval})
}

// sendAs sends one reading of a signal named v, measured now, by a key.
func (b *bench) sendAs(key [32]byte, name string) {
	b.t.Helper()
	out, err := b.Submit(context.Background(), &reading.Pack{Sender: credential.Sender{Key: key}, Arrived: b.Now(),
		Samples: []measure.Sample{{Name: name, Value: 1}}})
	if err != nil || len(out.Refused) > 0 {
		b.t.Fatal(out, err)
	}
}

func (b *bench) device(name string) site.Device {
	b.t.Helper()
	d, err := config.Device(context.Background(), b.store, name, b.Now())
	if err != nil {
		b.t.Fatal(err)
	}
	return d
}

// moveTo moves the clock on in steps, so that the ways in count as up, and lets the sweeper look.
func (b *bench) moveTo(seconds float64) {
	b.t.Helper()
	b.watchedTo(seconds)
	b.swept()
}

// watchedTo moves the clock on in steps, so that nobody takes it for an absence of ours.
func (b *bench) watchedTo(seconds float64) {
	b.t.Helper()
	for now := float64(b.Now()-start) / 1000; now < seconds; {
		now = min(now+1, seconds)
		b.clock(now)
		if _, err := events.Beat(context.Background(), b.store, b.Moment(), 2500); err != nil {
			b.t.Fatal(err)
		}
	}
}

// swept waits until nothing is due any more.
func (b *bench) swept() {
	b.t.Helper()
	storetest.Eventually(b.t, "all that is due is done", func() bool { return !b.due().Any() })
}

// due is what there is to do now.
func (b *bench) due() events.Due {
	due, err := events.WhatIsDue(context.Background(), b.store, b.Now()-1000)
	b.must(err)
	return due
}

func standing(alarms []alarm.Alarm) (out []string) {
	for _, a := range alarms {
		if a.ClearedAt == nil {
			out = append(out, a.Sentence)
		}
	}
	return out
}

func TestASilentDeviceRaisesAnAlarmAndItsNextReadingEndsIt(t *testing.T) {
	b := fresh(t)
	b.moveTo(1)
	b.sendAs(b.key, "v")
	b.moveTo(60)
	if got := b.alarms(); len(got) != 0 || b.device("d").Life != site.LifeHeard {
		t.Fatalf("without a stated interval: %+v, %s", got, b.device("d").Life)
	}
	b.guard(alarm.Guard{Signal: "d/v", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 5},
		Severity: alarm.Critical}})
	b.expect("d", 10*time.Second)
	b.moveTo(72)
	if got := b.device("d").Life; got != site.LifeOverdue {
		t.Errorf("after twelve seconds it is %s", got)
	}
	b.moveTo(89.5)
	if got := b.alarms(); len(got) != 0 {
		t.Fatalf("before the third interval has passed: %+v", got)
	}
	b.moveTo(91)
	got := b.alarms()
	if len(got) != 1 || got[0].Kind != alarm.BySilence || got[0].Sentence != "D is silent" ||
		got[0].Severity != alarm.Critical || got[0].Signal != "d" {
		t.Fatalf("after three intervals: %+v", got)
	}
	if d := b.device("d"); d.Life != site.LifeSilent || d.SilentSince == nil {
		t.Errorf("it lives as %s", d.Life)
	}
	b.moveTo(200)
	b.sendAs(b.key, "v")
	got = b.alarms()
	if len(got) != 1 || got[0].ClearedAt == nil || *got[0].ClearedAt != b.at(200) ||
		b.device("d").Life != site.LifeOnline {
		t.Errorf("heard again: %+v", got)
	}
	notices, err := events.Notices(context.Background(), b.store, events.NoticeQuery{Limit: 10})
	if err != nil || len(notices) != 2 || notices[1].Address != "orla@hollowbrook.example" ||
		!strings.Contains(notices[1].Text, "Nothing has come for 1 minute 29") || notices[0].Kind != roster.Return {
		t.Errorf("notices %+v %v", notices, err)
	}
	off := false
	b.set("d", act.DeviceChange{SilenceAlarm: &off})
	b.moveTo(300)
	if got := b.alarms(); len(got) != 1 || b.device("d").Life != site.LifeSilent {
		t.Errorf("switched off: %+v", got)
	}
}

// Our own absence silences nobody: silence is counted while the ways in were up.
func TestOurOwnAbsenceSilencesNobody(t *testing.T) {
	storetest.Long(t)
	b := fresh(t)
	b.moveTo(1)
	b.sendAs(b.key, "v")
	b.expect("d", 10*time.Second)
	b.moveTo(15)
	b.clock(3600) // as if the service had been away for an hour
	if _, err := events.Beat(context.Background(), b.store, b.Moment(), 2500); err != nil {
		t.Fatal(err)
	}
	b.swept()
	b.moveTo(3628)
	if got := b.alarms(); len(got) != 0 {
		t.Fatalf("silent although we were away: %+v", got)
	}
	b.moveTo(3632)
	if got := standing(b.alarms()); len(got) != 1 {
		t.Errorf("silent since we are back: %v", got)
	}
}

// Devices behind a silent gateway are told as one; one that is silent by itself is told by itself.
func TestDevicesBehindASilentGatewayAreToldAsOne(t *testing.T) {
	storetest.Long(t)
	b := fresh(t)
	hub := b.add(site.Device{Name: "hub", Title: "Attic hub"})
	for _, name := range []string{"a", "b", "c"} {
		b.add(site.Device{Name: name, Behind: "hub"})
	}
	b.moveTo(1)
	for _, name := range []string{"a", "b", "c"} {
		b.sendAs(hub, name+"/v")
		b.expect(name, 10*time.Second)
	}
	for now := 10.0; now <= 60; now += 10 { // c alone is silent
		b.moveTo(now)
		b.sendAs(hub, "a/v")
		b.sendAs(hub, "b/v")
	}
	if got := standing(b.alarms()); len(got) != 1 || got[0] != "C is silent" {
		t.Fatalf("one behind the hub: %v", got)
	}
	b.sendAs(hub, "c/v")
	b.moveTo(120)
	if got := standing(b.alarms()); len(got) != 1 || got[0] != "Attic hub is silent with the 3 devices behind it" {
		t.Fatalf("the hub: %v", got)
	}
	if d := b.device("b"); d.Life != site.LifeSilent {
		t.Errorf("b is %s", d.Life)
	}
	b.sendAs(hub, "a/v")
	if got := standing(b.alarms()); len(got) != 0 {
		t.Errorf("heard through the hub again: %v", got)
	}
	b.moveTo(145)
	b.sendAs(hub, "a/v")
	b.moveTo(152)
	if got := standing(b.alarms()); len(got) != 2 {
		t.Errorf("b and c stay away although the hub is back: %v", got)
	}
}

// While a signal is silent its delays stand still; a standing alarm stays (docs/semantics.md 12).
func TestDelaysStandStillWhileASignalIsSilent(t *testing.T) {
	storetest.Long(t)
	b := fresh(t)
	b.moveTo(1)
	b.send(measure.Sample{Name: "v", Value: 1})
	off := false
	b.set("d", act.DeviceChange{SilenceAlarm: &off})
	b.expect("d", 10*time.Second)
	b.guard(alarm.Guard{Signal: "d/v", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 5},
		OnDelay: measure.Duration(time.Minute)}})
	b.send(measure.Sample{Name: "v", At: b.at(1.5), Value: 9})
	b.moveTo(200) // silent from about 31 on, with 29 s of the delay gone
	if got := b.alarms(); len(got) != 0 {
		t.Fatalf("the delay has run on in silence: %+v", got)
	}
	b.send(measure.Sample{Name: "v", At: b.at(200), Value: 9})
	for now := 209.0; now < 240; now += 9 {
		b.moveTo(now)
		b.send(measure.Sample{Name: "v", At: b.at(now), Value: 9})
	}
	got := b.alarms()
	if len(got) != 1 || got[0].RaisedAt < b.at(225) || got[0].RaisedAt > b.at(235) {
		t.Fatalf("raised %v s in, want about 231", seconds(b, got))
	}
	b.moveTo(400)
	if got := standing(b.alarms()); len(got) != 1 {
		t.Errorf("the alarm did not stay: %v", got)
	}
}

func seconds(b *bench, alarms []alarm.Alarm) (out []float64) {
	for _, a := range alarms {
		out = append(out, float64(a.RaisedAt-b.at(0))/1000)
	}
	return out
}

// Text is said when it changes: as long as its device is heard it holds, however old it is, and is not silent.
func TestTextThatSeldomChangesIsNotSilent(t *testing.T) {
	storetest.Long(t)
	b := fresh(t)
	other := b.add(site.Device{Name: "e"})
	b.moveTo(1)
	b.send(measure.Sample{Name: "mode", Form: measure.FormText, Text: "service"}, measure.Sample{Name: "v", Value: 1})
	b.sendAs(other, "v")
	b.expect("d", 10*time.Second)
	b.guard(alarm.Guard{Name: "high", Signal: "e/v", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above}},
		Suppressed: `d/mode is "service"`})
	limits := func() (n int) {
		for _, a := range b.alarms() {
			if a.Kind == alarm.ByGuard && a.ClearedAt == nil {
				n++
			}
		}
		return n
	}
	for at := 10.; at <= 100; at += 10 {
		b.moveTo(at)
		b.sendAs(b.key, "v")
	}
	if s, err := config.Signal(context.Background(), b.store, "d", "mode"); err != nil || s.SilentSince != nil {
		t.Errorf("text of 99 seconds ago, of a device that sends every ten: %v %v", s.SilentSince, err)
	}
	if limits() != 0 {
		t.Error("it suppresses no longer")
	}
	b.moveTo(131) // with its device it cannot be trusted any more
	if limits() != 1 || b.device("d").Life != site.LifeSilent {
		t.Errorf("the device is %s, %d alarms by limits", b.device("d").Life, limits())
	}
	b.sendAs(b.key, "v")
	if limits() != 0 {
		t.Error("the device is heard again, and its text does not suppress")
	}
	every := measure.Duration(20 * time.Second)
	b.signal("d/mode", act.SignalChange{Interval: &every})
	for at := 140.; at <= 200; at += 10 {
		b.moveTo(at)
		b.sendAs(b.key, "v")
	}
	if s, err := config.Signal(context.Background(), b.store, "d", "mode"); err != nil || s.SilentSince == nil {
		t.Errorf("text that is expected every 20 seconds, of 199 seconds ago, is not silent: %v", err)
	}
	none := measure.Duration(0)
	b.signal("d/mode", act.SignalChange{Interval: &none})
	b.moveTo(211)
	b.sendAs(b.key, "v")
	b.moveTo(220)
	b.swept()
	if s, err := config.Signal(context.Background(), b.store, "d", "mode"); err != nil || s.SilentSince != nil {
		t.Errorf("nothing is expected of it any more: %v %v", s.SilentSince, err)
	}
}
