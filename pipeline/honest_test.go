package pipeline_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/respond"
	"jauntylark/store"
)

// last gives the newest notice of a kind by a carrier.
func (b *bench) last(kind, carrier string) roster.Notice {
	b.t.Helper()
	all := b.notices()
	for i := len(all) - 1; i >= 0; i-- {
		if all[i].Kind == kind && all[i].Carrier == carrier {
			return all[i]
		}
	}
	b.t.Fatalf("there is no %s by %s among %v", kind, carrier, b.outbox())
	return roster.Notice{}
}

func (b *bench) idOf(guard string) int64 {
	b.t.Helper()
	all, err := b.store.Guards(context.Background())
	b.must(err)
	for _, g := range all {
		if g.Name == guard {
			return g.ID
		}
	}
	return 0
}

// Each way in which an alarm ends has words of its own, by every carrier, in the journal and on the alarm.
func TestAnEndingSaysWhy(t *testing.T) {
	ctx := context.Background()
	high := alarm.Guard{Name: "hot", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Tell: []string{"orla"}}
	with := func(change func(*alarm.Guard)) alarm.Guard { g := high; change(&g); return g }
	for name, c := range map[string]struct {
		guard alarm.Guard
		end   func(*bench)
		why   alarm.Ending
		says  string
	}{
		"back":    {high, func(b *bench) { b.stream("temp", 60, 28) }, alarm.EndBack, "Over after 59 seconds: D temp was above 30 °C. It reads 28 °C."},
		"removed": {high, func(b *bench) { b.must(configure.RemoveGuard(ctx, b.Pipeline, "hot", "test")) }, alarm.EndUnwatched, "No longer watched: the guard was removed. It still reads 35 °C."},
		"out of service": {high, func(b *bench) {
			why := "cleaning"
			_, err := respond.PutOutOfService(ctx, b.Pipeline, "hot", &why, "test")
			b.must(err)
		}, alarm.EndUnwatched, "No longer watched: the guard was put out of service. It still reads 35 °C."},
		"disarmed": {with(func(g *alarm.Guard) { g.Armed = "daily 14:00-14:15" }), func(b *bench) { b.moveTo(120) }, alarm.EndUnwatched, "No longer watched: the guard's armed hours ended. It still reads 35 °C."},
		"suppressed": {with(func(g *alarm.Guard) { g.Suppressed = "d/here is on" }), func(b *bench) {
			b.send(measure.Sample{Name: "here", At: b.at(60), Value: 1, Form: measure.FormBool})
		}, alarm.EndUnwatched, "No longer watched: the guard is suppressed while d/here is on. It still reads 35 °C."},
		"limit moved": {high, func(b *bench) {
			g := with(func(g *alarm.Guard) { g.When.A, g.ID = 40, b.idOf("hot") })
			b.must(configure.SaveGuard(ctx, b.Pipeline, &g, "test"))
		}, alarm.EndChanged, "No longer an alarm: the guard was changed. It still reads 35 °C, and the limit is 40 °C now."},
		"limit moved, with an off-delay": {high, func(b *bench) {
			g := with(func(g *alarm.Guard) { g.When.A, g.OffDelay, g.ID = 40, minutes(1), b.idOf("hot") })
			b.must(configure.SaveGuard(ctx, b.Pipeline, &g, "test"))
			b.moveTo(130)
		}, alarm.EndChanged, "No longer an alarm: the guard was changed. It still reads 35 °C, and the limit is 40 °C now. D temp was above 30 °C"},
		"back, and the advice is changed meanwhile": {with(func(g *alarm.Guard) { g.OffDelay = minutes(1) }), func(b *bench) {
			b.stream("temp", 60, 25)
			b.clock(61)
			g := with(func(g *alarm.Guard) { g.OffDelay, g.Advice, g.ID = minutes(1), "Open the vents.", b.idOf("hot") })
			b.must(configure.SaveGuard(ctx, b.Pipeline, &g, "test"))
			b.moveTo(140)
		}, alarm.EndBack, "Over after 2 minutes: D temp was above 30 °C. It reads 25 °C."},
		"corrected": {high, func(b *bench) { from := b.at(-100); b.calibrate("d/temp", &from, 35, 28, 20, 19) }, alarm.EndChanged, "No longer an alarm: the signal's correction was changed. It reads 28 °C."},
		"device removed": {high, func(b *bench) {
			b.must(configure.RemoveDevice(ctx, b.Pipeline, "d", pipeline.Actor{Called: "test"}))
		}, alarm.EndUnwatched, "No longer watched: the device was removed. It still reads 35 °C."},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			b := fresh(t)
			carriers := []string{roster.Mail, roster.Text, roster.Voice, roster.Chat}
			b.contact("orla", carriers...)
			b.send(measure.Sample{Name: "temp", At: b.at(-10), Value: 20, Unit: "Cel"}, measure.Sample{Name: "here", At: b.at(-10), Value: 0, Form: measure.FormBool})
			b.guard(c.guard)
			b.stream("temp", 1, 35)
			b.clock(60)
			c.end(b)
			if a := b.newest(); a.State != alarm.StateOver || a.Ending != c.why {
				t.Fatalf("%+v", a)
			}
			for _, carrier := range carriers {
				n, says := b.last(roster.Return, carrier), c.says
				if carrier == roster.Text {
					says = roster.PlainText(says)
				}
				if carrier == roster.Voice {
					says = strings.TrimSuffix(roster.Spoken(says), ".")
				}
				if text := strings.ReplaceAll(n.Subject+"\n"+n.Text, "\n", " "); carrier != roster.Mail && !strings.Contains(text, says) || c.why != alarm.EndBack && strings.Contains(text, "It is over") {
					t.Errorf("by %s: %s\nwant %s", carrier, text, says)
				}
			}
			if entry := b.journal("alarm over"); !strings.HasPrefix(entry.Text, strings.SplitN(c.says, ".", 2)[0][:20]) {
				t.Errorf("the journal says %q", entry.Text)
			}
		})
	}
}

// While an off-delay runs by a limit that was moved, nothing says that the value is beyond the new one.
func TestAMovedLimitIsNoEase(t *testing.T) {
	b := fresh(t)
	b.contact("orla", roster.Text)
	b.stream("temp", -10, 20)
	g := b.guard(alarm.Guard{Name: "hot", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Rungs: alarm.Rungs{above(60, 1, alarm.Critical)}, Tell: []string{"orla"}})
	b.stream("temp", 1, 65)
	b.clock(2)
	g.When.A, g.OffDelay, g.Rungs, g.Clears = 90, minutes(1), alarm.Rungs{}, alarm.Test{}
	b.must(configure.SaveGuard(context.Background(), b.Pipeline, &g, "test"))
	if a := b.newest(); a.State != alarm.StateRaised || a.Sentence != "D temp is above 60" {
		t.Errorf("%+v", a)
	}
	b.outboxIs("while it runs", "raise orla text")
	b.moveTo(70)
	if n := b.last(roster.Return, roster.Text); !strings.HasPrefix(n.Text, "No longer an alarm: the guard was changed. It still reads 65, and the limit is 90 now. D temp was above 60") {
		t.Errorf("%s", n.Text)
	}
}

// A latched alarm whose guard is suppressed is not said to be back in order.
func TestALatchedAlarmThatNobodyWatches(t *testing.T) {
	b := fresh(t)
	b.contact("orla", roster.Text)
	b.send(measure.Sample{Name: "temp", At: b.at(-10), Value: 20, Unit: "Cel"}, measure.Sample{Name: "here", At: b.at(-10), Value: 0, Form: measure.FormBool})
	b.guard(alarm.Guard{Name: "hot", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Tell: []string{"orla"}, Latch: true, Suppressed: "d/here is on"})
	b.stream("temp", 1, 35)
	b.send(measure.Sample{Name: "here", At: b.at(2), Value: 1, Form: measure.FormBool})
	if n := b.last(roster.Latched, roster.Text); !strings.HasPrefix(n.Text, "No longer watched: the guard is suppressed while d/here is on. It still reads 35 C. It stays until it is reset: D temp was above 30 C") {
		t.Error(n.Text)
	}
	a := b.newest()
	if _, err := respond.ResetAlarm(context.Background(), b.Pipeline, a.ID, "Tadhg"); err != nil {
		t.Fatal(err)
	}
	if n := b.last(roster.Return, roster.Text); !strings.Contains(n.Text, "Tadhg reset it") || b.newest().Ending != alarm.EndReset {
		t.Errorf("%s %+v", n.Text, b.newest())
	}
}

// flood raises so many advisories of d that orla is told too much.
func (b *bench) flood(carrier string) {
	b.contact("orla", carrier)
	b.stream("temp", -10, 20)
	for i := range 12 {
		b.guard(alarm.Guard{Name: fmt.Sprintf("g%d", i), Signal: "d/temp", Rung: above(30+float64(i)/10, 1, alarm.Warning), Tell: []string{"orla"}, Advice: "Open the vents."})
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
	b.guard(alarm.Guard{Name: "pump-x", Signal: "pump/x", Rung: above(0.5, 0, alarm.Warning), Tell: []string{"orla"}, Advice: "Look at the pump."})
	n := b.last(roster.Raise, roster.Text)
	if n.Held != roster.HeldFlood || n.DueAt > b.at(11) {
		t.Fatalf("the first word of another device: %+v", n)
	}
	b.later(12, "it is told", func() bool { return b.waiting() == 9 })
	digest := b.last(roster.Summary, roster.Text)
	if !strings.HasPrefix(digest.Text, "Warning: D temp is above 30.8 (worst of 5 that stand). It reads 35. ") || !strings.Contains(digest.Text, "Pump X") && !strings.Contains(digest.Text, "more stand") {
		t.Errorf("%s", digest.Text)
	}
	if digest.Severity != alarm.Warning || digest.AlarmID == 0 {
		t.Errorf("%+v", digest)
	}
	// "1" takes the alarm that the digest leads with.
	b.must(b.store.RecordAttempts(context.Background(), []store.Attempt{{Delivery: roster.Delivery{NoticeID: digest.ID, At: b.Now(), OK: true, Answer: "taken"}, State: roster.Sent, DueAgain: b.Now(), Carrier: roster.Text}}))
	if taken, err := respond.TakeReply(context.Background(), b.Pipeline, respond.Reply{Carrier: roster.Text, From: digest.Address, Text: "1"}); err != nil || !taken {
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
	b.save(roster.Contact{Name: "orla", Quiet: "daily 14:00-15:00", Addresses: roster.Addresses{{Carrier: roster.Text, To: "+353861234567"}}})
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

// What is critical is told at once in a flood, also what was held and rises to critical, and it is not told again as what it was.
func TestWhatIsCriticalIsToldAtOnce(t *testing.T) {
	b := fresh(t)
	b.flood(roster.Text)
	b.guard(alarm.Guard{Name: "two", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Rungs: alarm.Rungs{above(50, 1, alarm.Critical)}, Tell: []string{"orla"}, Advice: "Leave the house."})
	held := b.last(roster.Raise, roster.Text)
	if held.Held != roster.HeldFlood {
		t.Fatalf("%+v", held)
	}
	b.stream("temp", 2, 60)
	n := b.last(roster.Worsen, roster.Text)
	if n.State != roster.Waiting || n.Held != "" || !strings.HasPrefix(n.Text, "Worse, critical: D temp is above 50. It reads 60. What to do: Leave the house. Reply 1 if you have it.") {
		t.Errorf("%+v", n)
	}
	b.guard(alarm.Guard{Name: "bad", Signal: "d/temp", Rung: above(40, 1, alarm.Critical), Tell: []string{"orla"}, Advice: "Run."})
	if n := b.last(roster.Raise, roster.Text); n.State != roster.Waiting || !strings.Contains(n.Text, "What to do: Run. Reply 1") {
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
		b.guard(alarm.Guard{Name: fmt.Sprintf("g%d", i), Signal: "d/temp", Rung: above(30+float64(i)/10, 1, alarm.Warning), Tell: []string{"orla"}})
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
	if n := b.last(roster.Summary, roster.Text); !strings.HasPrefix(n.Text, "Warning: D temp is above 30. It reads 33. 5 are over") {
		t.Errorf("%s", n.Text)
	}
}

// A least gap of a guard counts from whatever was last told of it; that of a step from whatever was told by it.
func TestGapsCountMessages(t *testing.T) {
	b := fresh(t)
	b.contact("orla", roster.Mail)
	b.stream("temp", -10, 20)
	b.guard(alarm.Guard{Name: "g", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Tell: []string{"orla"}, LeastGap: minutes(5)})
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
	b.guard(alarm.Guard{Name: "g", Signal: "d/temp", Rung: above(30, 1, alarm.Advisory), Rungs: alarm.Rungs{above(50, 1, alarm.Warning)}, Tell: []string{"orla"}, LeastGap: minutes(5)})
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
		b.guard(alarm.Guard{Name: fmt.Sprintf("g%d", i), Signal: "d/temp", Rung: above(30+10*float64(i), 1, alarm.Warning), Tell: []string{"house"}})
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
	if n := b.last(roster.Summary, roster.Mail); !strings.HasPrefix(n.Subject, "Warning: D temp is above 40 (worst of 2 that stand). It reads 55") || !strings.Contains(n.Text, "You are told by e-mail once in 1 minute at most") {
		t.Errorf("%s\n%s", n.Subject, n.Text)
	}
}

// A step is for chosen severities and kinds alone.
func TestStepsForKinds(t *testing.T) {
	b := fresh(t)
	b.contact("orla", roster.Mail)
	b.contact("tadhg", roster.Text)
	b.roster("house", 0, "orla for limit", "tadhg for silence, fault")
	b.expect("d", 10*time.Second)
	b.stream("temp", -10, 20)
	b.guard(alarm.Guard{Name: "g", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Tell: []string{"house"}})
	b.stream("temp", 1, 31)
	b.outboxIs("a limit", "raise orla e-mail")
	b.moveTo(100)
	b.later(100, "silence", b.count(2))
	b.outboxIs("silence", "raise orla e-mail", "raise tadhg text")
}

// What is clear of all rungs by a moved limit, or by its value, and waits for an off-delay, is not said to be beyond one of them.
func TestNoEaseToARungThatIsClear(t *testing.T) {
	b := fresh(t)
	b.contact("orla", roster.Text)
	b.stream("oil", -10, 20)
	g := b.guard(alarm.Guard{Name: "oil", Signal: "d/oil", Rung: alarm.Rung{When: above(60, 1, "").When, Deadband: 1, Severity: alarm.Warning, OffDelay: measure.Duration(2 * time.Second)},
		Rungs: alarm.Rungs{above(80, 0, alarm.Critical)}, Tell: []string{"orla"}})
	b.stream("oil", 1, 85)
	b.clock(2)
	g.When.A, g.Rungs, g.Clears = 90, alarm.Rungs{above(95, 0, alarm.Critical)}, alarm.Test{}
	b.must(configure.SaveGuard(context.Background(), b.Pipeline, &g, "test"))
	if a := b.newest(); a.Sentence != "D oil is above 80" {
		t.Errorf("%+v", a)
	}
	b.moveTo(5)
	b.outboxIs("a moved limit", "raise orla text", "return orla text")
	if n := b.last(roster.Return, roster.Text); !strings.HasPrefix(n.Text, "No longer an alarm: the guard was changed. It still reads 85, and the limit is 90 now. D oil was above 80") {
		t.Errorf("%s", n.Text)
	}

	b.stream("oil", 10, 96)
	b.stream("oil", 11, 20)
	if a := b.newest(); a.State != alarm.StateRaised || a.Severity != alarm.Warning || a.Sentence != "D oil is above 95" {
		t.Errorf("%+v", a)
	}
	b.moveTo(20)
	if n := b.last(roster.Return, roster.Text); !strings.Contains(n.Text, ": D oil was above 95") || b.newest().Ending != alarm.EndBack {
		t.Errorf("%s %+v", n.Text, b.newest())
	}
	for _, n := range b.notices() {
		if n.Kind == roster.Ease {
			t.Errorf("it was told: %s", n.Text)
		}
	}
}
