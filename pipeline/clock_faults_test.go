package pipeline_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/store/events"
	"jauntylark/store/storetest"
)

// A delay ends by the device's own time: one whose clock is an hour behind, or that sends a backlog,
// gets no alarm before its own readings had the time to end it (docs/semantics.md 14).
func TestDelaysRunByTheDevicesOwnTime(t *testing.T) {
	storetest.Long(t)
	b := fresh(t)
	b.send(measure.Sample{Name: "v", At: b.at(-3600), Value: 1})
	b.guard(alarm.Guard{Signal: "d/v", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 5},
		OnDelay: measure.Duration(10 * time.Second)}})
	b.moveTo(3700) // past the guard's beginning, in the device's time too
	b.send(measure.Sample{Name: "v", At: b.at(100), Value: 9})
	b.moveTo(3705)
	b.send(measure.Sample{Name: "v", At: b.at(105), Value: 2})
	b.moveTo(3715)
	if got := b.alarms(); len(got) != 0 {
		t.Fatalf("the value was back after five seconds: %+v", got)
	}
	b.send(measure.Sample{Name: "v", At: b.at(115), Value: 9})
	b.moveTo(3724)
	if got := b.alarms(); len(got) != 0 {
		t.Fatalf("nine seconds in: %+v", got)
	}
	b.moveTo(3728)
	storetest.Eventually(t, "the alarm is raised", func() bool { return len(b.alarms()) == 1 })
	if got := b.alarms(); got[0].RaisedAt != b.at(125) {
		t.Errorf("raised at %v", seconds(b, got))
	}
}

func TestNothingButLateReadingsIsAClockFault(t *testing.T) {
	b := fresh(t)
	b.moveTo(1)
	b.send(measure.Sample{Name: "v", At: b.at(1), Value: 1})
	b.expect("d", 10*time.Second)
	for now := 10.0; now < 60; now += 10 { // its clock has gone back an hour
		b.moveTo(now)
		b.send(measure.Sample{Name: "v", At: b.at(now - 3600), Value: 1})
	}
	got := standing(b.alarms())
	if len(got) != 1 || !strings.Contains(got[0], "old readings alone") {
		t.Fatalf("%v", got)
	}
	if a := b.alarms()[0]; a.Kind != alarm.ByClock || a.RaisedAt != b.at(40) {
		t.Errorf("%s at %v", a.Kind, seconds(b, b.alarms()))
	}
	b.send(measure.Sample{Name: "v", At: b.at(61), Value: 1})
	if got := standing(b.alarms()); len(got) != 0 {
		t.Errorf("its clock is right again: %v", got)
	}
}

// A backlog, however long it takes to send it, is no fault of the clock.
func TestABacklogIsNoClockFault(t *testing.T) {
	b := fresh(t)
	b.expect("d", 10*time.Second)
	b.moveTo(1)
	b.send(measure.Sample{Name: "v", At: b.at(1), Value: 1})
	for i := range 120 { // two minutes: a kept reading each second, of every ten seconds
		b.clock(float64(2 + i))
		b.send(measure.Sample{Name: "v", At: b.at(float64(-3000 + 10*i)), Value: 1})
	}
	for _, a := range b.alarms() {
		if a.Kind == alarm.ByClock {
			t.Errorf("%+v", a)
		}
	}
}

func TestAFixedOffsetCorrectsAClock(t *testing.T) {
	b := fresh(t)
	offset := 3600.0
	b.set("d", act.DeviceChange{ClockOffset: &offset})
	b.send(measure.Sample{Name: "v", At: b.at(-3600), Value: 1}, measure.Sample{Name: "w", Value: 2})
	if got := b.readings("v"); len(got) != 1 || got[0].At != b.at(0) || got[0].Quality != measure.Clock {
		t.Errorf("%+v", got)
	}
	if got := b.readings("w"); len(got) != 1 || got[0].At != b.at(0) || got[0].Quality != 0 {
		t.Errorf("without a time: %+v", got)
	}
}

// A device that catches up holds its notices back; what still stands then is told as usual, the rest in
// one summary (docs/semantics.md 5).
func TestNoticesOfADeviceThatCatchesUp(t *testing.T) {
	b := fresh(t)
	b.moveTo(1)
	b.send(measure.Sample{Name: "v", At: b.at(1), Value: 1})
	b.expect("d", 10*time.Second)
	off := false
	b.set("d", act.DeviceChange{SilenceAlarm: &off})
	b.guard(alarm.Guard{Signal: "d/v", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 5}}})
	b.moveTo(1000)
	var backlog []measure.Sample
	for i := 10; i < 600; i += 10 { // two alarms come and go, a third stands at the end
		value := 1.0
		if i == 100 || i == 200 || i >= 580 {
			value = 9
		}
		backlog = append(backlog, measure.Sample{Name: "v", At: b.at(float64(i)), Value: value})
	}
	b.send(backlog...)
	if got := b.alarms(); len(got) != 3 {
		t.Fatalf("%d alarms", len(got))
	}
	states := func() map[string]int {
		notices, err := events.Notices(context.Background(), b.store, events.NoticeQuery{Limit: 100})
		if err != nil {
			t.Fatal(err)
		}
		count := map[string]int{}
		for _, n := range notices {
			count[n.Kind+" "+n.State]++
		}
		return count
	}
	if got := states(); got["raise held"] != 3 || got["return held"] != 2 {
		t.Fatalf("while it catches up: %v", got)
	}
	b.moveTo(1061)
	storetest.Eventually(t, "the notices go", func() bool { return states()["raise held"] == 0 })
	if got := states(); got["raise waiting"] != 1 || got["raise summed up"] != 2 || got["return summed up"] != 2 ||
		got["summary waiting"] != 1 {
		t.Errorf("after a minute: %v", got)
	}
	notices, _ := events.Notices(context.Background(), b.store, events.NoticeQuery{Limit: 1})
	if n := notices[0]; !strings.HasPrefix(n.Subject,
		"D caught up. 2 alarms came and went, the worst: D V was above 5") ||
		!strings.Contains(n.Text, "D V was above 5") {
		t.Errorf("%s: %s", n.Subject, n.Text)
	}
}
