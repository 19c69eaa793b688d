package pipeline_test

import (
	"context"
	"testing"
	"time"

	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/evidence"
	"jauntylark/pipeline/reading"
	"jauntylark/store/config"
	"jauntylark/store/storetest"
)

// away begins with a guard "above 30" with delays of 10 s over d/temp, which reads what readings say, a second apart
// from 0 on; then the service is away from the second after the last of them until until.
func away(t *testing.T, interval time.Duration, until float64, readings ...float64) *bench {
	t.Helper()
	b := fresh(t)
	if interval != 0 {
		b.expect("d", interval)
	}
	b.stream("temp", -5, 20)
	rung := above(30, 1, alarm.Critical)
	rung.OnDelay, rung.OffDelay = *lasting(10), *lasting(10)
	b.guard(alarm.Guard{Name: "hot", Signal: "d/temp", Rung: rung})
	for i, v := range readings {
		b.moveTo(float64(i))
		b.stream("temp", float64(i), v)
	}
	b.moveTo(float64(len(readings)))
	b.halt()
	b.clock(until)
	return process(t, b.store, b.now)
}

// sweeps lets a process that has just begun find out that the service was away.
func (b *bench) sweeps() {
	b.must(b.Do(context.Background(), func(*reading.Turn) error { return nil }))
}

func (b *bench) heard(v float64) {
	b.t.Helper()
	b.send(measure.Sample{Name: "temp", Value: v})
}

// A delay that ran when the service went down is not ended by the time of the absence.
func TestOurAbsenceEndsNoDelay(t *testing.T) {
	s := away(t, 0, 300, 20, 35, 35) // beyond since 1; away from 3 to 300
	s.heard(20)
	s.moveTo(330)
	if got := s.alarms(); len(got) != 0 {
		t.Errorf("the value was back when the device was heard again: %+v", got)
	}
}

// It goes on where it stood still when the device is heard again.
func TestADelayGoesOnWhenTheDeviceIsHeardAgain(t *testing.T) {
	s := away(t, 0, 300, 20, 35, 35)
	s.heard(35)
	s.moveTo(307)
	if got := s.alarms(); len(got) != 0 {
		t.Fatalf("after 2 s before the absence and 7 after: %+v", got)
	}
	s.moveTo(312)
	if got := s.alarms(); len(got) != 1 || got[0].RaisedAt < s.at(307.5) || got[0].RaisedAt > s.at(309) ||
		got[0].Value != 35 {
		t.Errorf("2 s before the absence and 8 after it: %+v", got)
	}
}

// The mirror: an alarm is not over because of the absence.
func TestOurAbsenceEndsNoAlarm(t *testing.T) {
	readings := []float64{35, 35, 35, 35, 35, 35, 35, 35, 35, 35, 35, 35, 20, 20}
	s := away(t, 0, 400, readings...)
	s.heard(35)
	s.moveTo(430)
	if got := s.alarms(); len(got) != 1 || got[0].State != alarm.StateRaised {
		t.Errorf("beyond the limit before and after: %+v", got)
	}
}

// Where nothing is heard for a minute, or three intervals, the delay goes on without.
func TestADelayGoesOnWhereNothingIsHeard(t *testing.T) {
	storetest.Long(t)
	s := away(t, 0, 300, 20, 35, 35)
	s.sweeps()
	s.moveTo(365)
	if got := s.alarms(); len(got) != 0 {
		t.Fatalf("within a minute and the rest of the delay: %+v", got)
	}
	s.moveTo(375)
	got := s.alarms()
	if len(got) != 1 || got[0].RaisedAt < s.at(367) || got[0].RaisedAt > s.at(369) {
		t.Fatalf("a minute after the return it goes on, for 8 s: %+v", got)
	}
	// What the device kept comes late, and shows that the value was back at 5 s: the alarm never was.
	for at := 4.0; at < 12; at++ {
		s.send(measure.Sample{Name: "temp", At: s.at(at), Value: map[bool]float64{true: 35, false: 20}[at < 5]})
	}
	s.moveTo(420)
	storetest.Eventually(t, "the alarm is disproved",
		func() bool { a := s.alarms()[0]; return a.State == alarm.StateOver })
	if a := s.alarms()[0]; a.Cause != "readings that came late disprove it" {
		t.Errorf("%+v", a)
	}
	guards, err := config.Guards(context.Background(), s.store)
	if err != nil {
		t.Fatal(err)
	}
	saved := guards[0]
	found, err := evidence.Replay(context.Background(), s.Pipeline,
		evidence.ReplayOrder{Guard: saved, WithEvents: true}, nil)
	if err != nil || len(found.Alarms) != 1 || found.Alarms[0].RaisedAt != got[0].RaisedAt ||
		found.Alarms[0].Cause == "" {
		t.Errorf("as it was: %+v %v", found, err)
	}
}

// A silent device's delays stand still for as long as it is silent.
func TestASilentDeviceIsNotWaitedFor(t *testing.T) {
	s := away(t, 2*time.Second, 300, 20, 35, 35)
	s.sweeps()
	s.moveTo(340)
	got := s.alarms()
	if len(got) != 1 || got[0].Kind != alarm.BySilence {
		t.Errorf("silent three intervals after our return: %+v", got)
	}
	s.heard(35)
	s.moveTo(345)
	if got := s.alarms(); len(got) != 1 {
		t.Errorf("5 s after it was heard: %+v", got)
	}
}

// A device that kept what it could not send shows what happened meanwhile: the alarms are those of a replay, to the
// millisecond.
func TestWhatADeviceKeptFillsTheAbsence(t *testing.T) {
	storetest.Long(t)
	for _, interval := range []time.Duration{0, 2 * time.Second} {
		s := away(t, interval, 300, 20, 35, 35)
		for at := 4.0; at < 300; at++ { // a second after the service was last seen to be up
			s.send(measure.Sample{Name: "temp", At: s.at(at), Value: map[bool]float64{true: 35, false: 20}[at < 60]})
		}
		s.moveTo(302)
		got := s.alarms()
		if len(got) != 1 || got[0].RaisedAt != s.at(11) || got[0].ClearedAt == nil || *got[0].ClearedAt != s.at(70) {
			t.Errorf("interval %v: beyond from 1 to 60: %+v", interval, got)
		}
	}
}

// Kept readings that begin in the middle show nothing of what was before them.
func TestWhatADeviceLostIsNotMadeUp(t *testing.T) {
	s := away(t, 2*time.Second, 300, 20, 35, 35)
	for at := 100.0; at < 300; at += 2 {
		s.send(measure.Sample{Name: "temp", At: s.at(at), Value: 20})
	}
	s.moveTo(302)
	if got := s.alarms(); len(got) != 0 {
		t.Errorf("%+v", got)
	}
}

// Nor does the absence make a device's clock, sensor or output suspect.
func TestOurAbsenceBlamesNoDevice(t *testing.T) {
	b := fresh(t)
	b.expect("d", 5*time.Second)
	b.output("d/relay", drive.Spec{})
	b.stream("temp", -5, 20)
	b.signal("d/temp", act.SignalChange{Span: &site.Span{Low: 0, High: 50}})
	b.moveTo(1)
	b.stream("temp", 1, 80) // implausible
	b.send(measure.Sample{Name: "temp", At: b.at(-3), Value: 20})
	b.moveTo(2)
	b.halt()
	b.clock(3000)
	s := process(t, b.store, b.now)
	s.send(measure.Sample{Name: "temp", At: s.at(-2), Value: 20}) // late, and nothing but late came
	s.heard(80)
	s.moveTo(3002)
	if got := s.alarms(); len(got) != 0 {
		t.Errorf("%+v", got)
	}
}

// An interlock's delay is not ended by the absence either.
func TestOurAbsenceDrivesNoOutput(t *testing.T) {
	b := fresh(t)
	b.output("d/relay", drive.Spec{})
	b.stream("temp", -5, 20)
	b.interlock(drive.Interlock{Name: "cool", Output: "d/relay", Signal: "d/temp", When: "above 30",
		OnDelay: *lasting(10)})
	b.moveTo(0)
	b.stream("temp", 0, 35)
	b.moveTo(2)
	b.halt()
	b.clock(300)
	s := process(t, b.store, b.now)
	s.heard(20)
	s.moveTo(320)
	if o := s.stands("d/relay"); o.Ordered != "off" {
		t.Errorf("%+v", o)
	}
}
