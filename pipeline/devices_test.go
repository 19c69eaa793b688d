package pipeline_test

import (
	"context"
	"crypto/sha256"
	"errors"
	"math"
	"slices"
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
	"jauntylark/pipeline/reading"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/events"
	"jauntylark/store/timeseries"
)

func (b *bench) submit(s credential.Sender, samples ...measure.Sample) (reading.Outcome, error) {
	for i := range samples {
		samples[i].Index = i
	}
	return b.Submit(context.Background(), &reading.Pack{Sender: s, Arrived: b.Now(), Samples: samples})
}

func TestAClosedDeviceGetsNoNewSignals(t *testing.T) {
	b := fresh(t)
	b.send(measure.Sample{Name: "temp", Value: 1})
	yes := true
	b.set("d", act.DeviceChange{Closed: &yes})
	out := b.send(measure.Sample{Name: "temp", Value: 2}, measure.Sample{Name: "tmep", Value: 3})
	if out.Accepted != 1 || !strings.Contains(reason(out), "did you mean temp?") {
		t.Errorf("%+v", out)
	}
}

func TestAGatewaySpeaksForThoseBehindIt(t *testing.T) {
	b := fresh(t)
	hub := b.add(site.Device{Name: "hub"})
	b.add(site.Device{Name: "leaf", Behind: "hub"})
	out, err := b.submit(credential.Sender{Key: hub}, measure.Sample{Name: "leaf/temp", Value: 1},
		measure.Sample{Name: "temp", Value: 2}, measure.Sample{Name: "d/temp", Value: 3})
	if err != nil || out.Accepted != 2 || out.Refused[0].Index != 2 {
		t.Errorf("%+v %v", out, err)
	}
	if out, err := b.submit(credential.Sender{Key: hub, Name: "leaf"},
		measure.Sample{Name: "temp", Value: 4}); err != nil || out.Accepted != 1 {
		t.Errorf("as the leaf: %+v %v", out, err)
	}
	if s, err := config.Signal(context.Background(), b.store, "leaf", "temp"); err != nil || *s.Value != 4 {
		t.Errorf("%+v %v", s, err)
	}
	ctx := context.Background()
	for gateway, says := range map[string]string{"leaf": "stands behind hub itself", "nub": "did you mean hub?",
		"d": ""} {
		err := configure.AddDevice(ctx, b.Pipeline, &site.Device{Name: "behind-" + gateway, Behind: gateway},
			configure.Secret{}, tester)
		if (err == nil) != (says == "") || err != nil && !strings.Contains(err.Error(), says) {
			t.Errorf("behind %s: %v", gateway, err)
		}
	}
	behind := "d"
	if err := configure.SetDevice(ctx, b.Pipeline, "hub", act.DeviceChange{Behind: &behind}, tester); err == nil ||
		!strings.Contains(err.Error(), "1 device stands behind it") {
		t.Errorf("a gateway behind another: %v", err)
	}
}

func TestARotatedKeyEndsWhenTheNewOneIsUsed(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	second := sha256.Sum256([]byte("second"))
	if n, err := configure.RotateKey(ctx, b.Pipeline, "d", configure.Secret{Hash: second}, nil, tester); n != 2 ||
		err != nil {
		t.Fatal(n, err)
	}
	send := func(key [32]byte) error {
		_, err := b.submit(credential.Sender{Key: key}, measure.Sample{Name: "v", Value: 1})
		return err
	}
	if err := send(b.key); err != nil {
		t.Errorf("the old key before the new one was used: %v", err)
	}
	if err := send(second); err != nil {
		t.Errorf("the new key: %v", err)
	}
	if err := send(b.key); !errors.Is(err, credential.ErrKeyUnknown) {
		t.Errorf("the old key after the new one was used: %v", err)
	}
	third, hour := sha256.Sum256([]byte("third")), time.Hour
	if _, err := configure.RotateKey(ctx, b.Pipeline, "d", configure.Secret{Hash: third}, &hour, tester); err != nil {
		t.Fatal(err)
	}
	b.clock(3599)
	if err := errors.Join(send(third), send(second)); err != nil {
		t.Errorf("within the overlap: %v", err)
	}
	b.clock(3601)
	if err := send(second); !errors.Is(err, credential.ErrKeyUnknown) {
		t.Errorf("after the overlap: %v", err)
	}
	keys, err := config.DeviceKeys(ctx, b.store, b.device("d").ID, "d")
	if err != nil || len(keys) != 2 || keys[1].Identity != "d.3" {
		t.Fatalf("%+v %v", keys, err)
	}
	if err := configure.RevokeKey(ctx, b.Pipeline, "d", keys[1].ID, tester); err != nil {
		t.Fatal(err)
	}
	if err := send(third); !errors.Is(err, credential.ErrKeyUnknown) {
		t.Errorf("revoked: %v", err)
	}
	if err := configure.RevokeKey(ctx, b.Pipeline, "d", keys[1].ID, tester); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("revoked twice: %v", err)
	}
}

// A device that nobody knows waits; what it sent is taken in when it is let in.
func TestAnArrivalIsLetInWithWhatItSent(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	enrolment := sha256.Sum256([]byte("enrolment"))
	stranger := credential.Sender{Key: enrolment, Name: "stranger", Protocol: "MQTT", Address: "192.0.2.7"}
	if _, err := b.submit(stranger, measure.Sample{Name: "v", Value: 1}); !errors.Is(err, credential.ErrKeyUnknown) {
		t.Fatalf("without enrolment: %v", err)
	}
	if err := configure.SetEnrolment(ctx, b.Pipeline, &configure.Secret{Hash: enrolment}, tester); err != nil {
		t.Fatal(err)
	}
	for i := range 3 {
		b.clock(float64(i))
		out, err := b.submit(stranger, measure.Sample{Name: "v", Value: float64(i)},
			measure.Sample{Name: "stranger/w", At: b.at(float64(i)), Value: 1, Unit: "Cel"})
		if err != nil || !out.Arrival || out.Accepted != 2 {
			t.Fatalf("%+v %v", out, err)
		}
	}
	for sender, want := range map[credential.Sender]error{{Key: enrolment}: credential.ErrNoName,
		{Key: enrolment, Name: "d"}: credential.ErrOwnKey} {
		if _, err := b.submit(sender, measure.Sample{Name: "v", Value: 1}); !errors.Is(err, want) {
			t.Errorf("%q: %v, want %v", sender.Name, err, want)
		}
	}
	arrivals, err := events.Arrivals(ctx, b.store)
	if err != nil || len(arrivals) != 1 || arrivals[0].Readings != 6 || arrivals[0].Address != "192.0.2.7" ||
		arrivals[0].State != site.ArrivalWaiting {
		t.Fatalf("%+v %v", arrivals, err)
	}
	b.clock(60)
	if err := configure.AddDevice(ctx, b.Pipeline, &site.Device{Name: "stranger"}, configure.Secret{},
		tester); err == nil || !strings.Contains(err.Error(), "waits as an arrival") {
		t.Errorf("added by hand while it waits: %v", err)
	}
	if _, err := configure.LetIn(ctx, b.Pipeline, "stranger", site.Device{Title: "Second bench"}, tester); err != nil {
		t.Fatal(err)
	}
	s, err := config.Signal(ctx, b.store, "stranger", "v")
	if err != nil {
		t.Fatal(err)
	}
	got, _, err := timeseries.Readings(ctx, b.store, &s, 0, b.at(100), 10)
	if err != nil || len(got) != 3 || got[2].At != b.at(2) || got[2].Value != 2 {
		t.Errorf("what it sent before: %+v %v", got, err)
	}
	if out, err := b.submit(stranger, measure.Sample{Name: "v", Value: 9}); err != nil || out.Arrival ||
		out.Accepted != 1 {
		t.Errorf("once it is in: %+v %v", out, err)
	}
	own := sha256.Sum256([]byte("its own"))
	if _, err := configure.RotateKey(ctx, b.Pipeline, "stranger", configure.Secret{Hash: own}, nil,
		tester); err != nil {
		t.Fatal(err)
	}
	if _, err := b.submit(credential.Sender{Key: own}, measure.Sample{Name: "v", Value: 10}); err != nil {
		t.Error(err)
	}
	if _, err := b.submit(stranger, measure.Sample{Name: "v", Value: 11}); !errors.Is(err, credential.ErrOwnKey) {
		t.Errorf("with the enrolment key after its own was used: %v", err)
	}
}

func TestAnArrivalIsTurnedAwayAndBounded(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	enrolment := sha256.Sum256([]byte("enrolment"))
	if err := configure.SetEnrolment(ctx, b.Pipeline, &configure.Secret{Hash: enrolment}, tester); err != nil {
		t.Fatal(err)
	}
	s := credential.Sender{Key: enrolment, Name: "flood"}
	many := make([]measure.Sample, 4000)
	for i := range many {
		many[i] = measure.Sample{Name: "v", At: b.at(float64(i) / 1000), Value: 1}
	}
	for range 3 {
		if _, err := b.submit(s, many...); err != nil {
			t.Fatal(err)
		}
	}
	if a, err := events.Arrivals(ctx, b.store); err != nil || a[0].Readings != 8000 || a[0].Dropped != 4000 {
		t.Errorf("%+v %v", a, err)
	}
	if err := configure.TurnAway(ctx, b.Pipeline, "flood", tester); err != nil {
		t.Fatal(err)
	}
	if _, err := b.submit(s, many[0]); !errors.Is(err, credential.ErrTurnedAway) {
		t.Errorf("turned away: %v", err)
	}
	if _, err := configure.LetIn(ctx, b.Pipeline, "flood", site.Device{}, tester); err != nil {
		t.Errorf("let in after all: %v", err)
	}
}

// A deleted device that sends again is an arrival, and its old key is good again when it is let in
// (docs/semantics.md 27).
func TestADeletedDeviceThatSendsAgainIsAnArrival(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.send(measure.Sample{Name: "v", Value: 9})
	b.guard(alarm.Guard{Signal: "d/v", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 5}}})
	if err := configure.RemoveDevice(ctx, b.Pipeline, "d", tester); err != nil {
		t.Fatal(err)
	}
	if got := b.alarms(); len(got) != 1 || got[0].ClearedAt == nil {
		t.Errorf("its alarm: %+v", got)
	}
	if _, err := config.Device(ctx, b.store, "d", b.Now()); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("the device: %v", err)
	}
	b.clock(5)
	out, err := b.submit(credential.Sender{Key: b.key}, measure.Sample{Name: "v", Value: 3})
	if err != nil || !out.Arrival {
		t.Fatalf("it sends again: %+v %v", out, err)
	}
	if _, err := configure.LetIn(ctx, b.Pipeline, "d", site.Device{}, tester); err != nil {
		t.Fatal(err)
	}
	if out, err := b.submit(credential.Sender{Key: b.key}, measure.Sample{Name: "v", Value: 4}); err != nil ||
		out.Arrival || b.device("d").Enrolled {
		t.Errorf("with its old key: %+v %v", out, err)
	}
	if got := b.readings("v"); len(got) != 2 || got[0].Value != 3 {
		t.Errorf("%+v", got)
	}
}

func TestOrdersAndWhatTheDeviceRuns(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.send(measure.Sample{Name: "v", Value: 9})
	b.expect("d", time.Minute)
	five := site.Settings{Interval: measure.Duration(5 * time.Minute), Values: map[string]string{"led": "off"}}
	if err := configure.Order(ctx, b.Pipeline, "d", five, tester); err != nil {
		t.Fatal(err)
	}
	sender := credential.Sender{Key: b.key}
	if err := configure.Confirm(ctx, b.Pipeline, sender, "d", site.Report{Version: 2}); err == nil ||
		!strings.Contains(err.Error(), "newest that was ordered is 1") {
		t.Errorf("a version that was never ordered: %v", err)
	}
	if d := b.device("d"); d.Version != 1 || d.RunningAt != nil || d.Interval != measure.Duration(time.Minute) {
		t.Errorf("ordered: %+v", d)
	}
	if err := configure.Confirm(ctx, b.Pipeline, sender, "", site.Report{Version: 1}); err != nil {
		t.Fatal(err)
	}
	if d := b.device("d"); d.RunningNo != 1 || !d.Running.Equal(five) || d.Interval != five.Interval {
		t.Errorf("confirmed, and expected as often from then on: %+v", d)
	}
	if err := configure.Confirm(ctx, b.Pipeline, sender, "d", site.Report{Version: 1, Interval: 1800}); err != nil ||
		b.device("d").Interval != measure.Duration(30*time.Minute) {
		t.Errorf("its battery is low: %v %v", err, b.device("d").Interval)
	}
	hub := b.add(site.Device{Name: "hub"})
	if err := configure.Confirm(ctx, b.Pipeline, credential.Sender{Key: hub}, "d",
		site.Report{Version: 1}); err == nil {
		t.Error("another device confirmed for d")
	}
}

func TestTextAndDataSignals(t *testing.T) {
	b := fresh(t)
	text := func(at float64, words string) measure.Sample {
		return measure.Sample{Name: "state", At: b.at(at), Form: measure.FormText, Text: words}
	}
	out := b.send(text(-3, "idle"), text(-2, "running"), text(-1, "idle"),
		measure.Sample{Name: "blob", Form: measure.FormData, Text: "AAE"})
	if out.Accepted != 4 {
		t.Fatalf("%+v", out)
	}
	if out := b.send(text(-3, "idle"), text(-2, "stuck"), measure.Sample{Name: "state", Value: 4}); out.Accepted != 1 ||
		!strings.Contains(reason(out), "another text") ||
		!strings.Contains(reason(out), "is a number, but the signal holds text") {
		t.Errorf("the same, another one, a number: %+v", out)
	}
	s, err := config.Signal(context.Background(), b.store, "d", "state")
	if err != nil || s.Kind != site.KindText || s.Text == nil || *s.Text != "idle" {
		t.Errorf("%+v %v", s, err)
	}
	got := b.readings("state")
	if len(got) != 3 || got[0].Value != got[2].Value || got[0].Value == got[1].Value {
		t.Errorf("words are kept once: %+v", got)
	}
	g := alarm.Guard{Signal: "d/state", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above}, Severity: alarm.Warning}}
	if err := configure.SaveGuard(context.Background(), b.Pipeline, &g, "test"); err == nil {
		t.Error("a guard over text was saved")
	}
}

// A device that is made from a kit works at once; a changed kit changes its devices when it is applied.
func TestKits(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	kit := site.Kit{Name: "probe", Interval: measure.Duration(10 * time.Second), Closed: true,
		Signals: []site.KitSignal{
			{Name: "temp", Unit: "Cel", Title: "Air", Span: &site.Span{Low: -40, High: 85}},
			{Name: "door", Kind: site.KindSwitch}},
		Guards: []site.KitGuard{{Name: "hot", Signal: "temp", When: alarm.Test{Kind: alarm.Above, A: 30}, Deadband: 1}}}
	if offers, err := configure.SaveKit(ctx, b.Pipeline, &kit, tester); err != nil || len(offers) != 0 {
		t.Fatal(offers, err)
	}
	key := b.add(site.Device{Name: "shed", Kit: "probe"})
	b.clock(1)
	out, err := b.submit(credential.Sender{Key: key}, measure.Sample{Name: "temp", Value: 95, Unit: "[degF]"},
		measure.Sample{Name: "other", Value: 1}, measure.Sample{Name: "door", Form: measure.FormBool, Value: 1})
	if err != nil || out.Accepted != 2 || !strings.Contains(reason(out), "closed") {
		t.Fatalf("%+v %v", out, err)
	}
	if got := b.alarms(); len(got) != 1 || got[0].Guard != "shed-hot" || math.Abs(got[0].Value-35) > 1e-9 {
		t.Fatalf("its first guard: %+v", got)
	}
	if d := b.device("shed"); d.Interval != kit.Interval || d.Kit != "probe" || !d.Closed {
		t.Errorf("%+v", d)
	}

	kit.Guards[0].When.A, kit.Signals[0].Title, kit.Signals[0].Unit = 40, "Shed air", "K"
	kit.Signals = append(kit.Signals, site.KitSignal{Name: "humidity", Unit: "%RH"})
	offers, err := configure.SaveKit(ctx, b.Pipeline, &kit, tester)
	var words []string
	for _, o := range offers {
		words = append(words, strings.TrimSpace(o.What+" "+o.Field)+map[bool]string{true: " stays"}[o.Kept != ""])
	}
	want := []string{"signal temp unit stays", "signal temp title", "signal humidity", "guard shed-hot"}
	if err != nil || !slices.Equal(words, want) {
		t.Fatalf("offers %q, want %q (%v)", words, want, err)
	}
	if got := standing(b.alarms()); len(got) != 1 {
		t.Errorf("a kit that was saved has changed something: %v", got)
	}
	if _, err := configure.ApplyKit(ctx, b.Pipeline, "probe", nil, tester); err != nil {
		t.Fatal(err)
	}
	if got := standing(b.alarms()); len(got) != 0 {
		t.Errorf("35 is not above 40: %v", got)
	}
	if offers, err := configure.Offers(ctx, b.Pipeline, "probe", nil); err != nil || len(offers) != 1 ||
		offers[0].Kept == "" {
		t.Errorf("applied, it still offers %+v %v", offers, err)
	}
	again, err := configure.KitFrom(ctx, b.Pipeline, "copy", "shed")
	if err != nil || again.Check() != nil || len(again.Signals) != 3 || again.Guards[0].Name != "hot" ||
		again.Guards[0].When.A != 40 {
		t.Errorf("a kit of the device: %+v %v", again, err)
	}
	if err := configure.AddDevice(ctx, b.Pipeline, &site.Device{Name: "x", Kit: "prob"}, configure.Secret{},
		tester); err == nil {
		t.Error("a device of a kit that is not there was added")
	}
	if _, err := config.Device(ctx, b.store, "x", b.Now()); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("and is there: %v", err)
	}
}

// What we fail to store is not answered as if its sender were wrong, so that it is sent again.
func TestAFailureOfOursIsToldAsOurs(t *testing.T) {
	b := fresh(t)
	_, err := b.Submit(context.Background(), &reading.Pack{Sender: credential.Sender{Key: b.key}, Arrived: b.Now(),
		IdempotencyKey: "a\x00b", Samples: []measure.Sample{{Name: "v", Value: 1}}})
	if !errors.Is(err, commit.ErrFailed) || strings.Contains(err.Error(), "SQLSTATE") {
		t.Errorf("%v", err)
	}
	if out := b.send(measure.Sample{Name: "v", Value: 2}); out.Accepted != 1 {
		t.Errorf("afterwards: %+v", out)
	}
}
