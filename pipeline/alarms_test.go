package pipeline_test

import (
	"context"
	"errors"
	"strings"
	"testing"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/respond"
	"jauntylark/store"
	"jauntylark/store/events"
)

func TestAlarmNoticesAndAcknowledge(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.send(measure.Sample{Name: "temp", At: b.at(-1), Value: 20, Unit: "Cel"})
	b.guard(alarm.Guard{Signal: "d/temp", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 30}, Deadband: 1},
		Advice: "Open the vents."})
	b.send(measure.Sample{Name: "temp", At: b.at(1), Value: 31}, measure.Sample{Name: "temp", At: b.at(2), Value: 35},
		measure.Sample{Name: "temp", At: b.at(3), Value: 32})
	a := b.alarms()[0]
	if a.Sentence != "D temp is above 30 °C" || a.Value != 31 || a.Extreme != 35 {
		t.Errorf("%+v", a)
	}
	b.clock(5)
	acked, err := respond.Acknowledge(ctx, b.Pipeline, a.ID, "", "Orla")
	if err != nil || acked.AcknowledgedBy != "Orla" || *acked.AcknowledgedAt != b.at(5) {
		t.Fatalf("%+v %v", acked, err)
	}
	b.clock(6)
	if again, err := respond.Acknowledge(ctx, b.Pipeline, a.ID, "", "Tadhg"); err != nil ||
		again.AcknowledgedBy != "Orla" {
		t.Errorf("a second acknowledgement: %+v %v", again, err)
	}
	b.send(measure.Sample{Name: "temp", At: b.at(63), Value: 28.5})
	over := b.alarms()[0]
	if over.State != alarm.StateOver || over.Extreme != 35 || *over.ClearedValue != 28.5 ||
		over.AcknowledgedBy != "Orla" {
		t.Errorf("over: %+v", over)
	}
	notices, err := events.Notices(ctx, b.store, events.NoticeQuery{Alarm: a.ID, Limit: 10})
	if err != nil || len(notices) != 3 || notices[1].Kind != roster.Taken ||
		!strings.Contains(notices[1].Text, "Orla has it") {
		t.Fatalf("%v %v", notices, err)
	}
	for _, says := range []string{"D temp is above 30 °C.", "It reads 31 °C, and the limit is 30 °C.",
		"Severity: warning", "What to do: Open the vents."} {
		if !strings.Contains(notices[2].Text, says) {
			t.Errorf("the raise does not say %q: %s", says, notices[2].Text)
		}
	}
	for _, says := range []string{"It is over after 1 minute 2 seconds. D temp was above 30 °C.",
		"as far as 35 °C, and reads 28.5 °C now", "Orla had it."} {
		if !strings.Contains(notices[0].Text, says) {
			t.Errorf("the return does not say %q: %s", says, notices[0].Text)
		}
	}
	if late, err := respond.Acknowledge(ctx, b.Pipeline, a.ID+1, "", "Orla"); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("an alarm that is not there: %+v %v", late, err)
	}
}

func TestChangingAndRemovingAGuardWhileItsAlarmStands(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.send(measure.Sample{Name: "temp", At: b.at(-1), Value: 31})
	g := b.guard(alarm.Guard{Signal: "d/temp", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 30}}})
	if got := b.alarms(); len(got) != 1 || got[0].RaisedAt != b.at(0) {
		t.Fatalf("a guard begins with the value that holds: %+v", got)
	}
	b.clock(10)
	g.When.A = 25
	b.guard(g)
	if got := b.alarms(); len(got) != 1 || got[0].State != alarm.StateRaised {
		t.Errorf("a limit under which it still stands: %+v", got)
	}
	b.clock(20)
	g.When.A = 40
	b.guard(g)
	if got := b.alarms(); len(got) != 1 || got[0].State != alarm.StateOver {
		t.Errorf("a limit under which it does not: %+v", got)
	}
	b.clock(30)
	g.When.A = 30
	b.guard(g)
	if err := configure.RemoveGuard(ctx, b.Pipeline, g.Name, "Orla"); err != nil {
		t.Fatal(err)
	}
	if got := b.alarms(); len(got) != 2 || got[1].State != alarm.StateOver || got[1].Cause == "" {
		t.Errorf("removed: %+v", got)
	}
	if err := configure.RemoveGuard(ctx, b.Pipeline, g.Name, "Orla"); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("removed twice: %v", err)
	}
}

func TestGuardFaultsNameTheField(t *testing.T) {
	b := fresh(t)
	b.send(measure.Sample{Name: "temp", Value: 1}, measure.Sample{Name: "door", Value: 1, Form: measure.FormBool})
	above := alarm.Test{Kind: alarm.Above, A: 3}
	for _, c := range []struct {
		guard alarm.Guard
		says  string
	}{
		{alarm.Guard{Signal: "d/tmp", Rung: alarm.Rung{When: above}}, "did you mean d/temp?"},
		{alarm.Guard{Signal: "temp", Rung: alarm.Rung{When: above}}, "not DEVICE/SIGNAL"},
		{alarm.Guard{Signal: "d/door", Rung: alarm.Rung{When: above}}, "is on or off"},
		{alarm.Guard{Signal: "d/temp", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.IsOn}}}, "holds numbers"},
	} {
		if err := configure.SaveGuard(context.Background(), b.Pipeline, &c.guard, "test"); err == nil ||
			!strings.Contains(err.Error(), c.says) {
			t.Errorf("%+v: %v, want %q", c.guard, err, c.says)
		}
	}
	one, two := b.guard(alarm.Guard{Signal: "d/temp", Rung: alarm.Rung{When: above}}),
		b.guard(alarm.Guard{Signal: "d/temp", Rung: alarm.Rung{When: above}})
	if one.Name != "d-temp-above-3" || two.Name != "d-temp-above-3-2" {
		t.Errorf("names made: %s, %s", one.Name, two.Name)
	}
	if err := configure.SaveGuard(context.Background(), b.Pipeline, &alarm.Guard{Name: one.Name, Signal: "d/temp",
		Rung: alarm.Rung{When: above, Severity: alarm.Warning}}, "test"); !errors.Is(err, store.ErrTaken) {
		t.Errorf("a name that is taken: %v", err)
	}
}
