package pipeline_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"jauntylark/core/alarm"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/pipeline/respond"
	"jauntylark/store/events"
	"jauntylark/store/storetest"
)

// flood raises so many advisories of d that orla is told too much.
func (b *bench) flood(carrier string) {
	b.contact("orla", carrier)
	b.stream("temp", -10, 20)
	for i := range 12 {
		b.guard(alarm.Guard{Name: fmt.Sprintf("g%d", i), Signal: "d/temp",
			Rung: above(30+float64(i)/10, 1, alarm.Warning), Tell: []string{"orla"}, Advice: "Open the vents."})
	}
	b.clock(1)
	b.stream("temp", 1, 35)
}

func (b *bench) waiting() (n int) {
	for _, one := range b.notices() {
		if one.State == roster.Waiting {
			n++
		}
	}
	return n
}

func TestAFloodDelaysNoFirstWord(t *testing.T) {
	b := fresh(t)
	b.flood(roster.Text)
	if n := b.waiting(); n != 8 {
		t.Fatalf("%d of 12 are told at once", n)
	}
	e := b.add(site.Device{Name: "pump"})
	b.sendAs(e, "x")
	b.guard(alarm.Guard{Name: "pump-x", Signal: "pump/x", Rung: above(0.5, 0, alarm.Warning), Tell: []string{"orla"},
		Advice: "Look at the pump."})
	n := b.last(roster.Raise, roster.Text)
	if n.Held != roster.HeldFlood || n.DueAt > b.at(11) {
		t.Fatalf("the first word of another device: %+v", n)
	}
	b.later(12, "it is told", func() bool { return b.waiting() == 9 })
	digest := b.last(roster.Summary, roster.Text)
	if !strings.HasPrefix(digest.Text, "Warning: D temp is above 30.8 (worst of 5 that stand). It reads 35. ") ||
		!strings.Contains(digest.Text, "Pump X") && !strings.Contains(digest.Text, "more stand") {
		t.Errorf("%s", digest.Text)
	}
	if digest.Severity != alarm.Warning || digest.AlarmID == 0 {
		t.Errorf("%+v", digest)
	}
	// "1" takes the alarm that the digest leads with.
	b.must(events.RecordAttempts(context.Background(), b.store,
		[]events.Attempt{{Delivery: roster.Delivery{NoticeID: digest.ID, At: b.Now(), OK: true, Answer: "taken"},
			State: roster.Sent, DueAgain: b.Now(), Carrier: roster.Text}}))
	if taken, err := respond.TakeReply(context.Background(), b.Pipeline,
		respond.Reply{Carrier: roster.Text, From: digest.Address, Text: "1"}); err != nil || !taken {
		t.Fatal(taken, err)
	}
	for _, a := range b.alarms() {
		if (a.AcknowledgedAt != nil) != (a.ID == digest.AlarmID) {
			t.Errorf("%+v", a)
		}
	}
}

// What was held and is told by itself after all says what it reads by then; what is over by then is told as over.
func TestWhatWasHeldIsTrueWhenItIsTold(t *testing.T) {
	b := fresh(t)
	b.save(roster.Contact{Name: "orla", Quiet: "daily 14:00-15:00",
		Addresses: roster.Addresses{{Carrier: roster.Text, To: "+353861234567"}}})
	b.stream("temp", -10, 20)
	b.guard(alarm.Guard{Name: "hot", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Tell: []string{"orla"}})
	b.stream("temp", 1, 31)
	if n := b.last(roster.Raise, roster.Text); n.Held != roster.HeldQuiet || !strings.Contains(n.Text, "It reads 31.") {
		t.Fatalf("%+v", n)
	}
	b.clock(600)
	b.stream("temp", 600, 38)
	b.later(2900, "the quiet hours end", func() bool { return b.waiting() == 1 })
	if n := b.last(roster.Raise, roster.Text); !strings.Contains(n.Text, "It reads 38.") {
		t.Errorf("%s", n.Text)
	}
}

// What is critical is told at once in a flood, also what was held and rises to critical, and it is not told again as
// what it was.
func TestWhatIsCriticalIsToldAtOnce(t *testing.T) {
	b := fresh(t)
	b.flood(roster.Text)
	b.guard(alarm.Guard{Name: "two", Signal: "d/temp", Rung: above(30, 1, alarm.Warning),
		Rungs: alarm.Rungs{above(50, 1, alarm.Critical)}, Tell: []string{"orla"}, Advice: "Leave the house."})
	held := b.last(roster.Raise, roster.Text)
	if held.Held != roster.HeldFlood {
		t.Fatalf("%+v", held)
	}
	b.stream("temp", 2, 60)
	n := b.last(roster.Worsen, roster.Text)
	if n.State != roster.Waiting || n.Held != "" ||
		!strings.HasPrefix(n.Text,
			"Worse, critical: D temp is above 50. It reads 60. What to do: Leave the house. Reply 1 if you have it.") {
		t.Errorf("%+v", n)
	}
	b.guard(alarm.Guard{Name: "bad", Signal: "d/temp", Rung: above(40, 1, alarm.Critical), Tell: []string{"orla"},
		Advice: "Run."})
	if n := b.last(roster.Raise, roster.Text); n.State != roster.Waiting ||
		!strings.Contains(n.Text, "What to do: Run. Reply 1") {
		t.Errorf("%+v", n)
	}
	b.later(200, "the digest", func() bool {
		return slices.ContainsFunc(b.notices(), func(n roster.Notice) bool { return n.Kind == roster.Summary })
	})
	if digest := b.last(roster.Summary, roster.Text); strings.Contains(digest.Text, "above 50") {
		t.Errorf("told twice: %s", digest.Text)
	}
}

// What was held alone, and what somebody has by then, is not told any more.
func TestWhatSomebodyHasIsNotToldAfterTheFlood(t *testing.T) {
	b := fresh(t)
	b.contact("orla", roster.Text)
	b.stream("temp", -10, 20)
	for i := range 8 { // as many as make a flood
		b.guard(alarm.Guard{Name: fmt.Sprintf("g%d", i), Signal: "d/temp",
			Rung: above(30+float64(i)/10, 1, alarm.Warning), Tell: []string{"orla"}})
	}
	b.clock(1)
	b.stream("temp", 1, 35)
	b.guard(alarm.Guard{Name: "late", Signal: "d/temp", Rung: above(33, 1, alarm.Warning), Tell: []string{"orla"}})
	held := b.last(roster.Raise, roster.Text)
	if held.Held != roster.HeldFlood || held.AlarmID != b.newest().ID {
		t.Fatalf("%+v", held)
	}
	if _, err := respond.Acknowledge(context.Background(), b.Pipeline, held.AlarmID, "", "Tadhg"); err != nil {
		t.Fatal(err)
	}
	b.later(200, "it is let go", func() bool { return b.last(roster.Raise, roster.Text).State == roster.SummedUp })
	if n := b.waiting(); n != 8 {
		t.Errorf("%d are told: %v", n, b.outbox())
	}
}

// A guard that raises again and again is held by itself: another one's alarm does not wait.
func TestANoisyGuardIsHeldByItself(t *testing.T) {
	b := fresh(t)
	b.contact("orla", roster.Text)
	b.stream("temp", -10, 20)
	b.stream("calm", -10, 0)
	b.guard(alarm.Guard{Name: "noisy", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Tell: []string{"orla"}})
	b.guard(alarm.Guard{Name: "calm", Signal: "d/calm", Rung: above(1, 0, alarm.Warning), Tell: []string{"orla"}})
	for i := range 6 {
		b.clock(float64(10 * i))
		b.stream("temp", float64(10*i), 31, 20)
	}
	if n := b.waiting(); n != 4 {
		t.Fatalf("%d messages of six alarms: %v", n, b.outbox())
	}
	if n := b.last(roster.Raise, roster.Text); n.Held != roster.HeldNoisy {
		t.Fatalf("%+v", n)
	}
	b.clock(61)
	b.stream("calm", 61, 2)
	if n := b.last(roster.Raise, roster.Text); n.State != roster.Waiting || n.Held != "" {
		t.Errorf("the other guard waits: %+v", n)
	}
	b.stream("temp", 70, 33) // and it stands
	b.clock(165)
	b.stream("temp", 165, 20, 33) // what comes shortly before the digest goes with it
	if n := b.last(roster.Raise, roster.Text); n.Held != roster.HeldNoisy || n.DueAt != b.at(180) {
		t.Errorf("%+v", n)
	}
	b.later(185, "the digest", func() bool {
		return slices.ContainsFunc(b.notices(), func(n roster.Notice) bool { return n.Kind == roster.Summary })
	})
	if n := b.last(roster.Summary, roster.Text); !strings.HasPrefix(n.Text,
		"Warning: D temp is above 30. It reads 33. 5 are over") {
		t.Errorf("%s", n.Text)
	}
}

// A least gap of a guard counts from whatever was last told of it; that of a step from whatever was told by it.
func TestGapsCountMessages(t *testing.T) {
	storetest.Long(t)
	b := fresh(t)
	b.contact("orla", roster.Mail)
	b.stream("temp", -10, 20)
	b.guard(alarm.Guard{Name: "g", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Tell: []string{"orla"},
		LeastGap: minutes(5)})
	b.clock(1)
	b.stream("temp", 1, 31)
	b.clock(200)
	b.stream("temp", 200, 20) // its return counts
	b.clock(310)
	b.stream("temp", 310, 31)
	if n := b.last(roster.Raise, roster.Mail); n.Held != roster.HeldGap || n.DueAt != b.at(500) {
		t.Errorf("%+v", n)
	}
	b.later(501, "it is told", func() bool { return b.waiting() == 3 })
	if got := b.last(roster.Raise, roster.Mail); got.State != roster.Waiting {
		t.Errorf("%+v", got)
	}

	b = fresh(t) // what is more severe than all that was told does not wait
	b.contact("orla", roster.Mail)
	b.stream("temp", -10, 20)
	b.guard(alarm.Guard{Name: "g", Signal: "d/temp", Rung: above(30, 1, alarm.Advisory),
		Rungs: alarm.Rungs{above(50, 1, alarm.Warning)}, Tell: []string{"orla"}, LeastGap: minutes(5)})
	for i, v := range []float64{31, 20, 60, 20, 31} {
		b.clock(float64(1 + 10*i))
		b.stream("temp", float64(1+10*i), v)
		if n := b.last(roster.Raise, roster.Mail); v > 30 && (n.Held == "") != (i < 4) {
			t.Errorf("%v: %+v", v, n)
		}
	}

	b = fresh(t)
	b.contact("orla", roster.Mail, roster.Text)
	b.roster("house", 0, "orla by e-mail gap 1m", "orla by text")
	b.stream("temp", -10, 20)
	for i := range 3 {
		b.guard(alarm.Guard{Name: fmt.Sprintf("g%d", i), Signal: "d/temp",
			Rung: above(30+10*float64(i), 1, alarm.Warning), Tell: []string{"house"}})
	}
	b.clock(1)
	b.stream("temp", 1, 35)
	b.clock(10)
	b.stream("temp", 10, 45)
	b.clock(20)
	b.stream("temp", 20, 55)
	held := 0
	for _, n := range b.notices() {
		if n.Carrier == roster.Text && n.State != roster.Waiting {
			t.Errorf("the other step waits: %+v", n)
		}
		if n.Held == roster.HeldStep {
			held++
		}
	}
	if held != 2 {
		t.Errorf("%d are held: %v", held, b.outbox())
	}
	b.later(62, "the others in one message", func() bool { return b.waiting() == 5 })
	if n := b.last(roster.Summary, roster.Mail); !strings.HasPrefix(n.Subject,
		"Warning: D temp is above 40 (worst of 2 that stand). It reads 55") ||
		!strings.Contains(n.Text, "You are told by e-mail once in 1 minute at most") {
		t.Errorf("%s\n%s", n.Subject, n.Text)
	}
}
