package pipeline_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/pipeline/evidence"
	"jauntylark/store/config"
	"jauntylark/store/events"
	"jauntylark/store/storetest"
)

func (b *bench) replay(o evidence.ReplayOrder) evidence.Replayed {
	b.t.Helper()
	found, err := evidence.Replay(context.Background(), b.Pipeline, o, nil)
	if err != nil {
		b.t.Fatal(err)
	}
	return found
}

func (b *bench) fahrenheit(at, value float64) {
	b.t.Helper()
	b.clock(at)
	if out := b.send(measure.Sample{Name: "temp", At: b.at(at), Value: value, Unit: "[degF]"}); len(out.Refused) > 0 {
		b.t.Fatal(reason(out))
	}
}

// A guard whose limit was given in °F, over a signal in °C, clears at what its limit less its deadband is in °F; so it
// does after it was saved again as it is told, and after another process has read it.
func TestAGuardInFahrenheitClearsByItsOwnFigures(t *testing.T) {
	b := fresh(t)
	b.send(measure.Sample{Name: "temp", At: b.at(-10), Value: 0, Unit: "Cel"})
	g := b.guard(alarm.Guard{Name: "hot", Signal: "d/temp", Unit: "[degF]", Rung: above(49, 10, alarm.Warning)})
	if g.When.A != 9.444444444 || g.Clears.String() != "at most 3.888888889" || g.Deadband != 5.555555556 {
		t.Fatalf("%v, deadband %v, clears %v", g.When, g.Deadband, g.Clears)
	}
	over := func(what string, at float64) {
		t.Helper()
		b.fahrenheit(at, 49)
		if a := b.alarms(); len(a) > 0 && a[len(a)-1].State == alarm.StateRaised {
			t.Errorf("%s: exactly the limit is not above it", what)
		}
		b.fahrenheit(at+1, 49.1)
		b.fahrenheit(at+2, 39.1)
		if b.newest().State != alarm.StateRaised {
			t.Errorf("%s: over at 39.1 °F", what)
		}
		b.fahrenheit(at+3, 39)
		if a := b.newest(); a.State != alarm.StateOver || a.ClearedAt == nil || *a.ClearedAt != b.at(at+3) {
			t.Errorf("%s: not over at 39 °F: %+v", what, a)
		}
	}
	over("saved", 1)
	g.Advice = "Open the vent."
	g.Clears = alarm.Test{} // as a client sends it, in the signal's unit
	g = b.guard(g)
	over("saved again", 11)
	b = process(t, b.store, b.now)
	over("by another process", 21)
	// What came there and back, as a console sends it.
	g.When.A, g.Deadband, g.Unit = 48.999999999, 10.0000000008, "[degF]"
	g = b.guard(g)
	over("there and back", 31)
	g.Deadband = 5
	g.Clears = alarm.Test{}
	if g = b.guard(g); g.Clears.String() != "at most 4.444444444" {
		t.Errorf("another deadband: %v", g.Clears)
	}
}

// A correction is decimal too: 0.2 corrected by 0.1 is 0.3, which is not above 0.3.
func TestACorrectedValueAtTheLimit(t *testing.T) {
	b := fresh(t)
	b.stream("temp", -10, 0)
	b.calibrate("d/temp", nil, 0.1, 0.2)
	b.guard(alarm.Guard{Signal: "d/temp", Rung: above(0.3, 0, alarm.Warning)})
	b.stream("temp", 1, 0.2)
	if got := b.alarms(); len(got) != 0 {
		t.Errorf("0.2 + 0.1 is above 0.3: %+v", got)
	}
}

// A device whose clock is ahead, by less than would be corrected.
func TestADeviceWhoseClockIsAhead(t *testing.T) {
	storetest.Long(t)
	b := fresh(t)
	const ahead = 90
	at := func(seconds float64) measure.Instant { return b.at(seconds + ahead) }
	send := func(seconds, value float64) {
		b.send(measure.Sample{Name: "temp", At: at(seconds), Value: value})
	}
	send(-30, 20)
	b.guard(alarm.Guard{Name: "hot", Signal: "d/temp", Rung: above(30, 1, alarm.Warning)})
	for n := 1.0; n <= 20; n++ {
		b.clock(n)
		send(n, map[bool]float64{true: 35, false: 20}[n == 12 || n == 20])
	}
	b.clock(21)
	send(5.2, 40) // late, and past now; over with what came at 6
	b.clock(40)
	storetest.Eventually(t, "the late one is learned", func() bool { return len(b.alarms()) == 3 })
	if a := b.newest(); !a.LearnedLate || a.RaisedAt != at(5.2) || a.ClearedAt == nil || *a.ClearedAt != at(6) {
		t.Errorf("%+v", a)
	}
	guards, err := config.Guards(context.Background(), b.store)
	if err != nil {
		t.Fatal(err)
	}
	if found := b.replay(evidence.ReplayOrder{Guard: guards[0], WithEvents: true}); len(found.Alarms) != 2 ||
		found.Alarms[1].RaisedAt != at(20) || found.Until < at(20) {
		t.Errorf("as it was: %+v", found)
	}
}

// What held at the beginning of a replay holds, however old, unless its signal was silent by then.
func TestWhatHoldsAtTheBeginningOfAReplay(t *testing.T) {
	b := fresh(t)
	b.stream("temp", -300*24*3600, 35)
	order := evidence.ReplayOrder{Guard: alarm.Guard{Signal: "d/temp", Rung: above(30, 1, alarm.Warning)},
		From: b.at(-24 * 3600), Until: b.at(0)}
	if found := b.replay(order); len(found.Alarms) != 1 || found.Alarms[0].RaisedAt != order.From {
		t.Errorf("300 days old: %+v", found)
	}
	b.clock(0)
	b.expect("d", 10*time.Minute)
	if found := b.replay(order); len(found.Alarms) != 0 {
		t.Errorf("silent by then: %+v", found)
	}
	order.From = b.at(-300*24*3600 + 1800)
	if found := b.replay(order); len(found.Alarms) != 1 {
		t.Errorf("at the limit, not beyond it: %+v", found)
	}
}

// A gap longer than the silence limit is a silence in a replay over readings, as it was live.
func TestAReplayTakesAGapForASilence(t *testing.T) {
	b := fresh(t)
	b.expect("d", 10*time.Second)
	b.stream("temp", -5, 20)
	rung := above(30, 1, alarm.Warning)
	rung.OnDelay = *lasting(60)
	g := b.guard(alarm.Guard{Name: "hot", Signal: "d/temp", Rung: rung})
	b.moveTo(1)
	b.stream("temp", 1, 35)
	b.moveTo(200) // silent from 31 on, with 30 s of the delay gone
	b.stream("temp", 200, 35)
	for at := 210.0; at <= 250; at += 10 {
		b.moveTo(at)
		b.stream("temp", at, 35)
	}
	b.swept()
	live := b.newest()
	found := b.replay(evidence.ReplayOrder{Guard: g, From: b.at(-1), Until: b.at(250)})
	if live.Guard != "hot" || live.RaisedAt != b.at(230) || len(found.Alarms) != 1 ||
		found.Alarms[0].RaisedAt != live.RaisedAt {
		t.Errorf("live %v, replayed %+v", live.RaisedAt.Sub(start), found)
	}
}

// How far an alarm went counts its on-delay, live, in a replay and in the mail.
func TestHowFarAnAlarmWentCountsItsOnDelay(t *testing.T) {
	b := fresh(t)
	b.stream("temp", -5, 20)
	rung := above(30, 1, alarm.Warning)
	rung.OnDelay = *lasting(3)
	g := b.guard(alarm.Guard{Name: "hot", Signal: "d/temp", Rung: rung})
	b.stream("temp", 1, 35, 50, 36, 36, 36, 20)
	live, found := b.newest(), b.replay(evidence.ReplayOrder{Guard: g, From: b.at(0), Until: b.at(10)})
	if live.RaisedAt != b.at(4) || live.Value != 36 || live.Extreme != 50 || len(found.Alarms) != 1 ||
		found.Alarms[0].Extreme != 50 {
		t.Errorf("live %+v\nreplayed %+v", live, found.Alarms)
	}
	mails, err := events.Notices(context.Background(), b.store, events.NoticeQuery{Alarm: live.ID, Limit: 1})
	if err != nil || len(mails) != 1 || !strings.Contains(mails[0].Text, "It went as far as 50, and reads 20 now.") {
		t.Errorf("%+v %v", mails, err)
	}
}

// An alarm that was raised while its device was catching up ends when late readings show that it never was; one that
// was raised in time stands, whatever comes late.
func TestLateReadingsDisproveWhatWasRaisedCatchingUp(t *testing.T) {
	storetest.Long(t)
	for _, catchingUp := range []bool{true, false} {
		b := fresh(t)
		b.expect("d", 10*time.Second)
		rung := above(30, 1, alarm.Warning)
		rung.OnDelay = *lasting(60)
		b.stream("temp", -5, 20)
		b.guard(alarm.Guard{Name: "hot", Signal: "d/temp", Rung: rung})
		send := func(at, value float64) {
			if !catchingUp {
				b.moveTo(at)
			}
			b.send(measure.Sample{Name: "temp", At: b.at(at), Value: value})
		}
		b.moveTo(5)
		if catchingUp {
			b.moveTo(1000)
		}
		for at := 10.0; at <= 100; at += 10 {
			if at != 50 {
				send(at, 35)
			}
		}
		if got := b.newest(); got.Guard != "hot" || got.RaisedAt != b.at(70) || got.Provisional != catchingUp {
			t.Fatalf("%+v", got)
		}
		b.send(measure.Sample{Name: "temp", At: b.at(50), Value: 20})
		b.moveTo(float64(b.Now()-start)/1000 + 15)
		if !catchingUp {
			time.Sleep(3 * time.Second) // the look at late readings comes every two
			if got := b.newest(); got.State != alarm.StateRaised {
				t.Errorf("raised in time: %+v", got)
			}
			continue
		}
		storetest.Eventually(t, "it is disproved",
			func() bool { a := b.alarms()[len(b.alarms())-1]; return a.Guard == "hot" && a.State == alarm.StateOver })
		for at := 110.0; at <= 130; at += 10 {
			send(at, 35)
		}
		// beyond the limit since 60
		if a := b.newest(); a.Guard != "hot" || a.State != alarm.StateRaised || a.RaisedAt != b.at(120) {
			t.Errorf("raised anew: %+v", a)
		}
	}
}
