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
	"jauntylark/core/statement"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/evidence"
	"jauntylark/pipeline/respond"
	"jauntylark/store"
	"jauntylark/store/storetest"
)

func minutes(n int) measure.Duration { return measure.Duration(time.Duration(n) * time.Minute) }

// contact adds a contact with an address by each carrier.
func (b *bench) contact(name string, carriers ...string) {
	b.t.Helper()
	c := roster.Contact{Name: name}
	for i, carrier := range carriers {
		to := map[string]string{roster.Mail: name + "@b.example", roster.Chat: name, roster.Webhook: "https://b.example/" + name}[carrier]
		if to == "" {
			to = fmt.Sprintf("+35386000%04d", i+100*len(name)+int(name[0]))
		}
		c.Addresses = append(c.Addresses, roster.Address{Carrier: carrier, To: to})
	}
	b.save(c)
}

func (b *bench) save(c roster.Contact) {
	b.t.Helper()
	if _, err := respond.SaveContact(context.Background(), b.Pipeline, &c, "test"); err != nil {
		b.t.Fatal(err)
	}
}

func (b *bench) roster(name string, repeat measure.Duration, steps ...string) {
	b.t.Helper()
	r := roster.Roster{Name: name, Repeat: repeat}
	for _, text := range steps {
		s, err := roster.ParseStep(text)
		if err != nil {
			b.t.Fatal(err)
		}
		r.Steps = append(r.Steps, s)
	}
	if err := respond.SaveRoster(context.Background(), b.Pipeline, &r, "test"); err != nil {
		b.t.Fatal(err)
	}
}

// outbox lists all notices, oldest first, as "kind contact carrier".
func (b *bench) outbox() (lines []string) {
	b.t.Helper()
	for _, n := range b.notices() {
		line := n.Kind + " " + n.Contact + n.Address[:0] + " " + n.Carrier
		if n.Contact == "" {
			line = n.Kind + " " + n.Address
		}
		if n.State != roster.Waiting {
			line += " " + n.State
		}
		lines = append(lines, line)
	}
	return lines
}

func (b *bench) notices() []roster.Notice {
	b.t.Helper()
	all, err := b.store.Notices(context.Background(), store.NoticeQuery{Limit: 20_000})
	if err != nil {
		b.t.Fatal(err)
	}
	slices.Reverse(all)
	return all
}

func (b *bench) outboxIs(what string, want ...string) {
	b.t.Helper()
	if got := b.outbox(); !slices.Equal(got, want) {
		b.t.Errorf("%s:\n  %s\nwant\n  %s", what, strings.Join(got, "\n  "), strings.Join(want, "\n  "))
	}
}

// later lets the sweeper look when so many seconds have passed since the beginning.
func (b *bench) later(seconds float64, what string, holds func() bool) {
	b.t.Helper()
	b.clock(seconds)
	storetest.Eventually(b.t, what, holds)
	time.Sleep(300 * time.Millisecond) // and does no more than that
}

func (b *bench) count(n int) func() bool { return func() bool { return len(b.outbox()) == n } }

func TestARosterGoesOnUntilSomebodyHasIt(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.contact("orla", roster.Mail, roster.Text)
	b.contact("tadhg", roster.Text, roster.Voice)
	b.roster("house", minutes(10), "orla by e-mail", "tadhg by text after 5m", "orla, tadhg by voice, text from critical after 7m")
	b.stream("temp", -10, 20)
	b.guard(alarm.Guard{Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Rungs: alarm.Rungs{above(40, 1, alarm.Critical)}, Tell: []string{"house", "desk@b.example"}})
	b.stream("temp", 1, 31)
	b.outboxIs("at the raise", "raise orla e-mail", "raise desk@b.example")
	b.later(310, "the second step", b.count(3))
	b.outboxIs("after five minutes", "raise orla e-mail", "raise desk@b.example", "raise tadhg text")
	b.later(910, "all again", b.count(5))
	b.outboxIs("after fifteen", "raise orla e-mail", "raise desk@b.example", "raise tadhg text", "raise orla e-mail", "raise tadhg text")
	if _, err := respond.Acknowledge(ctx, b.Pipeline, b.newest().ID, "", "Tadhg"); err != nil {
		t.Fatal(err)
	}
	if got := b.outbox()[5:]; !slices.Equal(got, []string{"taken orla e-mail", "taken desk@b.example"}) {
		t.Errorf("who has it: %v", got)
	}
	b.clock(3000)
	time.Sleep(500 * time.Millisecond)
	if n := len(b.outbox()); n != 7 {
		t.Errorf("somebody has it, and the roster goes on: %v", b.outbox()[7:])
	}
	b.stream("temp", 3001, 41) // worse: it begins again
	if got := b.outbox()[7:]; !slices.Equal(got, []string{"worsen orla e-mail", "worsen desk@b.example"}) {
		t.Errorf("worse: %v", got)
	}
	b.later(3001+421, "the steps of a critical one", b.count(7+2+3))
	if got := b.outbox()[9:]; !slices.Equal(got, []string{"raise tadhg text", "raise orla text", "raise tadhg voice"}) {
		t.Errorf("critical: %v", got)
	}
	before := len(b.outbox())
	b.stream("temp", 3500, 20) // over: exactly those who heard, by the same carriers
	over := b.outbox()[before:]
	slices.Sort(over)
	if want := []string{"return desk@b.example", "return orla e-mail", "return orla text", "return tadhg text", "return tadhg voice"}; !slices.Equal(over, want) {
		t.Errorf("over: %v", over)
	}
	b.clock(9000)
	time.Sleep(500 * time.Millisecond)
	if n := len(b.outbox()); n != before+5 {
		t.Errorf("it is over, and the roster goes on: %v", b.outbox()[before+5:])
	}
}

func TestHandedBackAlarmsAreToldAgain(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.contact("orla", roster.Mail)
	b.contact("tadhg", roster.Text)
	b.roster("house", 0, "orla", "tadhg after 5m")
	b.stream("temp", -10, 20)
	b.guard(alarm.Guard{Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Tell: []string{"house"}})
	b.stream("temp", 1, 31)
	id := b.newest().ID
	if _, err := respond.HandBack(ctx, b.Pipeline, id, "Orla"); err == nil || !strings.Contains(err.Error(), "nobody has alarm") {
		t.Errorf("nobody had it: %v", err)
	}
	if _, err := respond.Acknowledge(ctx, b.Pipeline, id, "", "Orla"); err != nil {
		t.Fatal(err)
	}
	if a, err := respond.Hand(ctx, b.Pipeline, id, "tadhg", "Orla"); err != nil || a.HandedTo != "tadhg" {
		t.Fatal(a, err)
	}
	if _, err := respond.Hand(ctx, b.Pipeline, id, "tadgh", "Orla"); err == nil || !strings.Contains(err.Error(), "did you mean tadhg?") {
		t.Errorf("%v", err)
	}
	a, err := respond.HandBack(ctx, b.Pipeline, id, "Orla")
	if err != nil || a.AcknowledgedAt != nil || a.HandedTo != "" {
		t.Fatal(a, err)
	}
	b.later(310, "the second step", b.count(4))
	b.outboxIs("handed on and back", "raise orla e-mail", "hand tadhg text", "raise orla e-mail", "raise tadhg text")
	if _, err := respond.Acknowledge(ctx, b.Pipeline, id, "", "Tadhg"); err != nil {
		t.Fatal(err)
	}
	if b.newest().AcknowledgedBy != "Tadhg" {
		t.Error("it cannot be taken again")
	}
}

func TestWhatCannotBeDeliveredBringsTheNextStep(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.contact("orla", roster.Mail, roster.Text)
	b.contact("tadhg", roster.Voice)
	b.roster("house", 0, "orla", "tadhg after 20m")
	b.stream("temp", -10, 20)
	b.guard(alarm.Guard{Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Tell: []string{"house"}})
	b.stream("temp", 1, 31)
	fail := func(n roster.Notice, state string) {
		t.Helper()
		if _, err := b.store.ClaimNotices(ctx, n.Carrier, b.Now(), time.Second, 10); err != nil {
			t.Fatal(err)
		}
		if err := b.store.RecordAttempts(ctx, []store.Attempt{{Delivery: roster.Delivery{NoticeID: n.ID, At: b.Now(), Answer: "550 no"}, State: state, DueAgain: b.Now(), Carrier: n.Carrier, Final: true}}); err != nil {
			t.Fatal(err)
		}
		if err := respond.Failed(ctx, b.Pipeline, []roster.Notice{n}); err != nil {
			t.Fatal(err)
		}
	}
	all := b.notices()
	fail(all[0], roster.GivenUp)
	b.outboxIs("the other address may still do", "raise orla e-mail given up", "raise orla text")
	fail(all[1], roster.GivenUp)
	b.outboxIs("none does", "raise orla e-mail given up", "raise orla text given up", "raise tadhg voice")
	b.stream("temp", 5, 20)
	b.outboxIs("over is told to who heard", "raise orla e-mail given up", "raise orla text given up", "raise tadhg voice", "return tadhg voice")
	// A step that reaches nobody at all does not wait either.
	b.roster("nobody", 0, "orla by chat", "tadhg after 20m")
	b.guard(alarm.Guard{Name: "second", Signal: "d/temp", Rung: above(35, 1, alarm.Warning), Tell: []string{"nobody"}})
	b.stream("temp", 10, 36)
	if got := b.outbox(); got[len(got)-1] != "raise tadhg voice" {
		t.Errorf("no such address: %v", got[4:])
	}
}

func TestARosterGoesOnAfterABreakAndNothingFallsThrough(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.contact("orla", roster.Mail)
	b.contact("tadhg", roster.Text)
	b.roster("house", minutes(10), "orla", "tadhg after 5m")
	b.roster("empty", 0, "orla by voice")
	own := roster.SiteReach{Tell: []string{"tadhg"}}
	if err := respond.SetReach(ctx, b.Pipeline, &own, "test"); err != nil {
		t.Fatal(err)
	}
	b.stream("temp", -10, 20)
	b.guard(alarm.Guard{Name: "first", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Tell: []string{"house"}})
	b.stream("temp", 1, 31)
	raises := func(want int) func() bool {
		return func() bool {
			n := 0
			for _, line := range b.outbox() {
				if strings.HasPrefix(line, "raise ") {
					n++
				}
			}
			return n == want
		}
	}
	b.later(2*3600, "one call for all that was missed", raises(3))
	b.later(2*3600+11*60, "it goes on", raises(5))
	before := len(b.outbox())
	b.guard(alarm.Guard{Name: "second", Signal: "d/temp", Rung: above(29, 1, alarm.Warning), Tell: []string{"empty"}})
	if got := b.outbox()[before:]; !slices.Equal(got, []string{"raise tadhg text"}) {
		t.Errorf("nobody can be reached by the roster: %v", got)
	}
}

func TestQuietHoursHoldWhatCanWait(t *testing.T) {
	b := fresh(t)
	start := b.Now().Time()
	c := roster.Contact{Name: "orla", Quiet: fmt.Sprintf("daily %s-%s", start.Add(-time.Hour).Format("15:04"), start.Add(time.Hour).Format("15:04")), Addresses: roster.Addresses{{Carrier: roster.Mail, To: "orla@b.example"}}}
	b.save(c)
	b.stream("temp", -10, 20)
	b.guard(alarm.Guard{Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Rungs: alarm.Rungs{above(40, 1, alarm.Critical)}, Tell: []string{"orla"}})
	b.stream("temp", 1, 31, 20, 32, 20) // twice, and over
	b.outboxIs("held", "raise orla e-mail held", "return orla e-mail held", "raise orla e-mail held", "return orla e-mail held")
	b.stream("temp", 10, 41)
	if got := b.outbox(); got[4] != "raise orla e-mail" {
		t.Errorf("critical: %v", got[4:])
	}
	b.stream("temp", 11, 35)
	b.guard(alarm.Guard{Name: "other", Signal: "d/temp", Rung: above(34, 1, alarm.Warning), Tell: []string{"orla"}})
	if _, err := respond.Acknowledge(context.Background(), b.Pipeline, b.newest().ID, "", "Tadhg"); err != nil { // held, and somebody has it
		t.Fatal(err)
	}
	b.later(3700, "the quiet hours end", func() bool {
		return slices.ContainsFunc(b.notices(), func(n roster.Notice) bool { return n.Kind == roster.Summary })
	})
	all := b.notices()
	last := all[len(all)-1]
	if !strings.Contains(last.Text, "Your quiet hours are over. Meanwhile 2 alarms came and went:") || last.Contact != "orla" {
		t.Errorf("%+v", last)
	}
	if got := b.outbox(); got[0] != "raise orla e-mail summed up" {
		t.Errorf("%v", got)
	}
	for _, n := range all {
		if strings.Contains(n.Subject, "above 34") && n.Kind == roster.Raise && n.State != roster.SummedUp {
			t.Errorf("somebody has it, and it is told all the same: %+v", n)
		}
	}
}

func TestAFloodBecomesAHandful(t *testing.T) {
	b := fresh(t)
	b.contact("orla", roster.Mail)
	b.stream("temp", -10, 20)
	const guards = 60
	for i := range guards {
		b.guard(alarm.Guard{Name: fmt.Sprintf("g%d", i), Signal: "d/temp", Rung: above(30+float64(i)/100, 1, alarm.Advisory), Tell: []string{"orla"}})
	}
	b.guard(alarm.Guard{Name: "bad", Signal: "d/temp", Rung: above(33, 1, alarm.Critical), Tell: []string{"orla"}})
	b.stream("temp", 1, 35)
	waiting := func() (n int) {
		for _, line := range b.outbox() {
			if !strings.HasSuffix(line, "held") && !strings.HasSuffix(line, "summed up") {
				n++
			}
		}
		return n
	}
	// Eight one by one, and the critical one, whenever it comes.
	if n := waiting(); n != 9 {
		t.Errorf("%d are told at once: %v", n, b.outbox()[:12])
	}
	b.stream("temp", 20, 20) // all over
	b.later(200, "the digest", func() bool {
		return slices.ContainsFunc(b.notices(), func(n roster.Notice) bool { return n.Kind == roster.Summary })
	})
	if n := waiting(); n > 20 {
		t.Errorf("%d messages for %d alarms", n, guards+1)
	}
	for _, n := range b.notices() {
		if n.Kind == roster.Summary && !strings.Contains(n.Text, "alarms came within 3 minutes; you get them in one message.") {
			t.Errorf("%s", n.Text)
		}
	}
	held := 0
	for _, line := range b.outbox() {
		if strings.HasSuffix(line, "held") {
			held++
		}
	}
	if held > 0 {
		b.later(600, "the rest", func() bool {
			return !slices.ContainsFunc(b.outbox(), func(l string) bool { return strings.HasSuffix(l, "held") })
		})
	}
}

func TestAGuardSpeaksSeldom(t *testing.T) {
	b := fresh(t)
	b.contact("orla", roster.Mail)
	b.stream("temp", -10, 20)
	b.guard(alarm.Guard{Name: "g", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Tell: []string{"orla"}, LeastGap: minutes(5)})
	b.stream("temp", 1, 31, 20)
	b.stream("temp", 60, 31, 20, 32, 20)
	b.stream("temp", 120, 33) // stands
	b.outboxIs("held", "raise orla e-mail", "return orla e-mail", "raise orla e-mail held", "return orla e-mail held", "raise orla e-mail held", "return orla e-mail held", "raise orla e-mail held")
	b.later(305, "the gap is over", b.count(8))
	b.outboxIs("told", "raise orla e-mail", "return orla e-mail", "raise orla e-mail summed up", "return orla e-mail summed up", "raise orla e-mail summed up", "return orla e-mail summed up", "raise orla e-mail", "summary orla e-mail")
}

func TestADrillGoesTheWholeWayAndMovesNothing(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.contact("orla", roster.Mail)
	b.contact("tadhg", roster.Text)
	b.roster("house", 0, "orla", "tadhg after 5m")
	b.stream("temp", -10, 20)
	b.guard(alarm.Guard{Name: "g", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Armed: "holidays", Tell: []string{"house"}, LeastGap: minutes(60), Advice: "Open the vents."})
	before, err := b.store.Signal(ctx, "d", "temp")
	if err != nil {
		t.Fatal(err)
	}
	d, err := respond.StartDrill(ctx, b.Pipeline, "g", false, "Orla")
	if err != nil || d.Guard != "g" || !slices.Equal(d.Rosters, []string{"house"}) {
		t.Fatal(d, err)
	}
	if len(b.alarms()) != 0 {
		t.Errorf("the drill is among the alarms: %+v", b.alarms())
	}
	b.later(310, "the second step", b.count(2))
	for _, n := range b.notices() {
		if !strings.HasPrefix(n.Subject+n.Text, "Drill") {
			t.Errorf("does not begin with Drill: %s", n.Subject)
		}
	}
	// A true alarm meanwhile is one of its own.
	b.stream("temp", 320, 31)
	if a, err := respond.Acknowledge(ctx, b.Pipeline, d.AlarmID, "", "Tadhg"); err != nil || a.State != alarm.StateOver || a.Cause != "Tadhg has it" {
		t.Fatal(a, err)
	}
	b.outboxIs("taken", "raise orla e-mail", "raise tadhg text", "taken orla e-mail")
	rosters, err := b.store.Rosters(ctx)
	if err != nil || rosters[0].DrilledAt == nil {
		t.Errorf("%+v %v", rosters, err)
	}
	after, err := b.store.Signal(ctx, "d", "temp")
	if err != nil || *after.At == *before.At || *after.Value != 31 {
		t.Errorf("%+v %v", after, err)
	}
	if health, err := evidence.HealthOf(ctx, b.Pipeline, 0, b.Now()); err != nil || health.Alarms != 0 {
		t.Errorf("the drill counts: %+v %v", health, err)
	}
	for what, guard := range map[string]string{"there is no guard": "gg", "tells nobody": "mute"} {
		if guard == "mute" {
			b.guard(alarm.Guard{Name: "mute", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Tell: []string{}})
		}
		if _, err := respond.StartDrill(ctx, b.Pipeline, guard, false, "Orla"); err == nil || !strings.Contains(err.Error(), what) {
			t.Errorf("%s: %v", guard, err)
		}
	}
	// One that nobody takes ends by itself.
	again, err := respond.StartDrill(ctx, b.Pipeline, "g", false, "Orla")
	if err != nil {
		t.Fatal(err)
	}
	b.clock(310 + 31*60)
	storetest.Eventually(t, "the drill ends", func() bool {
		d, err := b.store.Drill(ctx, again.ID)
		return err == nil && d.EndedAt != nil && d.Ended == "nobody took it"
	})
}

// A drill is no alarm that is known: what late readings would have raised meanwhile is learned.
func TestADrillHidesNoLateAlarm(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.contact("orla", roster.Mail)
	b.stream("temp", -60, 20)
	b.guard(alarm.Guard{Name: "g", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Tell: []string{"orla"}})
	b.clock(1)
	d, err := respond.StartDrill(ctx, b.Pipeline, "g", false, "Orla")
	if err != nil {
		t.Fatal(err)
	}
	b.clock(10)
	if _, err := respond.Acknowledge(ctx, b.Pipeline, d.AlarmID, "", "Orla"); err != nil {
		t.Fatal(err)
	}
	b.stream("temp", 20, 20)
	b.clock(21)
	b.send(measure.Sample{Name: "temp", At: b.at(2), Value: 35}, measure.Sample{Name: "temp", At: b.at(4), Value: 20})
	b.clock(40)
	storetest.Eventually(t, "the late alarm is learned", func() bool { return len(b.alarms()) == 1 && b.alarms()[0].LearnedLate })
}

func TestARosterThatWasNotDrilled(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.contact("orla", roster.Mail)
	b.roster("house", 0, "orla")
	b.roster("unused", 0, "orla")
	b.stream("temp", -10, 20)
	b.guard(alarm.Guard{Name: "g", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Tell: []string{"house"}})
	remind := func(days int) []alarm.Alarm {
		t.Helper()
		b.clock(float64(days) * 24 * 3600)
		if err := respond.RemindOfDrills(ctx, b.Pipeline); err != nil {
			t.Fatal(err)
		}
		return b.alarms()
	}
	if all := remind(89); len(all) != 0 {
		t.Errorf("too early: %+v", all)
	}
	all := remind(91)
	if len(all) != 1 || all[0].Kind != alarm.ByDrills || !strings.Contains(all[0].Sentence, "Roster House is not proven") || all[0].Advice != "Drill a guard that tells it: jaunty drill start g" {
		t.Fatalf("%+v", all)
	}
	d, err := respond.StartDrill(ctx, b.Pipeline, "g", false, "Orla")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := respond.Acknowledge(ctx, b.Pipeline, d.AlarmID, "", "Orla"); err != nil {
		t.Fatal(err)
	}
	if all := remind(92); len(all) != 1 || all[0].State != alarm.StateOver {
		t.Errorf("after the drill: %+v", all)
	}
}

func TestACarrierThatKeepsFailingIsAnAlarm(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.contact("orla", roster.Mail, roster.Text)
	reach := roster.SiteReach{Tell: []string{"orla"}}
	if err := respond.SetReach(ctx, b.Pipeline, &reach, "test"); err != nil {
		t.Fatal(err)
	}
	if _, err := respond.TestContact(ctx, b.Pipeline, "orla", nil, "Orla"); err != nil {
		t.Fatal(err)
	}
	mail := b.notices()[0]
	try := func(ok bool) {
		t.Helper()
		state := roster.Waiting
		if ok {
			state = roster.Sent
		}
		if err := b.store.RecordAttempts(ctx, []store.Attempt{{Delivery: roster.Delivery{NoticeID: mail.ID, At: b.Now(), OK: ok, Answer: "421 busy"}, State: state, DueAgain: b.Now(), Carrier: roster.Mail}}); err != nil {
			t.Fatal(err)
		}
		if err := respond.JudgeCarriers(ctx, b.Pipeline); err != nil {
			t.Fatal(err)
		}
	}
	for seconds := range 3 {
		b.clock(float64(seconds))
		try(false)
	}
	if len(b.alarms()) != 0 {
		t.Error("three failures in three seconds are no alarm yet")
	}
	b.clock(25)
	try(false)
	a := b.newest()
	if a.Kind != alarm.ByCarrier || a.Sentence != "The carrier e-mail is failing: 421 busy" {
		t.Fatalf("%+v", a)
	}
	if got := b.outbox()[2:]; !slices.Equal(got, []string{"raise orla text"}) {
		t.Errorf("told by the other carrier: %v", got)
	}
	b.clock(60)
	try(true)
	if b.newest().State != alarm.StateOver {
		t.Error("it works again")
	}
	if got := b.outbox()[3:]; !slices.Equal(got, []string{"return orla text"}) {
		t.Errorf("%v", got)
	}
}

func TestOldNewsAndAnOutageOfOurOwn(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.contact("orla", roster.Mail)
	reach := roster.SiteReach{Tell: []string{"orla"}}
	if err := respond.SetReach(ctx, b.Pipeline, &reach, "test"); err != nil {
		t.Fatal(err)
	}
	b.stream("temp", -10, 20)
	b.guard(alarm.Guard{Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Tell: []string{"orla"}})
	b.stream("temp", 1, 31, 20, 32, 20)
	if _, err := b.store.Beat(ctx, b.Moment(), 2500); err != nil {
		t.Fatal(err)
	}
	// Nobody could be reached for a quarter of an hour, and all of it is over.
	b.later(15*60, "it is old", func() bool { return strings.HasSuffix(b.outbox()[0], "held") })
	b.later(15*60+5, "one summary", func() bool {
		return slices.ContainsFunc(b.notices(), func(n roster.Notice) bool { return n.Kind == roster.Summary })
	})
	all := b.notices()
	if got := b.outbox(); got[0] != "raise orla e-mail summed up" || got[3] != "return orla e-mail summed up" {
		t.Errorf("%v", got)
	}
	if last := all[len(all)-1]; !strings.Contains(last.Text+all[len(all)-2].Text, "You could not be reached by e-mail since") {
		t.Errorf("%+v", last)
	}
	// The clock of the bench jumped: the service was blind for as long.
	storetest.Eventually(t, "being blind is told", func() bool {
		return slices.ContainsFunc(b.notices(), func(n roster.Notice) bool {
			return n.Kind == roster.Blind && strings.Contains(n.Text, "Jaunty Lark was away for")
		})
	})
	blind := 0
	for _, n := range b.notices() {
		if n.Kind == roster.Blind {
			blind++
		}
	}
	if blind != 1 {
		t.Errorf("told %d times", blind)
	}
}

func TestTheWordOfTheDay(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.contact("orla", roster.Mail)
	at := b.Now().Time().Add(30 * time.Minute).Format("15:04")
	reach := roster.SiteReach{Tell: []string{"orla"}, QuietWord: &roster.QuietWord{To: "orla", At: at}}
	if err := respond.SetReach(ctx, b.Pipeline, &reach, "test"); err != nil {
		t.Fatal(err)
	}
	words := func() (n int, text string) {
		for _, notice := range b.notices() {
			if notice.Kind == roster.Quiet {
				n, text = n+1, notice.Text
			}
		}
		return n, text
	}
	time.Sleep(300 * time.Millisecond)
	if n, _ := words(); n != 0 {
		t.Error("too early")
	}
	b.clock(31 * 60)
	storetest.Eventually(t, "the word", func() bool { n, _ := words(); return n == 1 })
	if _, text := words(); !strings.Contains(text, "All is quiet") {
		t.Errorf("%s", text)
	}
	time.Sleep(300 * time.Millisecond)
	if n, _ := words(); n != 1 {
		t.Errorf("told %d times", n)
	}
	for field, bad := range map[string]roster.SiteReach{"quiet_word.to": {QuietWord: &roster.QuietWord{To: "olra", At: "08:00"}}, "quiet_word.at": {QuietWord: &roster.QuietWord{To: "orla", At: "8"}},
		"heartbeat.url": {Heartbeat: &roster.Heartbeat{URL: "nowhere", Every: minutes(1)}}, "heartbeat.every": {Heartbeat: &roster.Heartbeat{URL: "https://b.example", Every: 1}}, "tell": {Tell: []string{"nobody"}},
		"flood.messages": {Flood: &roster.FloodLimit{Within: minutes(1)}}, "flood.within": {Flood: &roster.FloodLimit{Messages: 1, Within: 1}}} {
		if err := respond.SetReach(ctx, b.Pipeline, &bad, "test"); err == nil || !strings.Contains(err.Error(), field) {
			t.Errorf("%s: %v", field, err)
		}
	}
}

func TestStatementsAreSentOnce(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.contact("orla", roster.Mail, roster.Voice)
	s := statement.Statement{Name: "week", Kind: statement.Alarms, Every: "week", At: "08:00", Tell: []string{"orla"}}
	if err := respond.SaveStatement(ctx, b.Pipeline, &s, "test"); err != nil {
		t.Fatal(err)
	}
	due := s.DueAt.Time()
	if due.Weekday() != time.Monday || due.Hour() != 8 || *s.DueAt <= b.Now() {
		t.Fatalf("due %s", due)
	}
	sent := func() (n int) {
		for _, notice := range b.notices() {
			if notice.Kind == roster.Statement {
				n++
			}
		}
		return n
	}
	seconds := s.DueAt.Sub(b.Now()).Seconds()
	b.later(seconds+5, "the statement", func() bool { return sent() == 1 })
	if got := b.outbox(); !slices.Contains(got, "statement orla e-mail") {
		t.Errorf("%v", got)
	}
	s.At = "09:00" // later on the same day: the week was told already
	if err := respond.SaveStatement(ctx, b.Pipeline, &s, "test"); err != nil {
		t.Fatal(err)
	}
	b.clock(seconds + 3700)
	time.Sleep(500 * time.Millisecond)
	if n := sent(); n != 1 {
		t.Errorf("%d were sent for one week", n)
	}
	// After three weeks in which we were away, one comes, not three.
	b.later(seconds+21*24*3600+3700, "the next", func() bool { return sent() == 2 })
	if n := sent(); n != 2 {
		t.Errorf("%d were sent", n)
	}
	// The site moves west: the same week is not told again, and the next comes at nine there. Then east: it comes at nine there.
	const hour, week = 3600, 7 * 24 * 3600
	at := seconds + 3*week + 3700 // Monday, 09:01:40 UTC
	move := func(zone string) {
		t.Helper()
		if err := respond.SetSite(ctx, b.Pipeline, site.Site{Name: "Here", Zone: zone, Currency: "EUR"}, "test"); err != nil {
			t.Fatal(err)
		}
	}
	move("Pacific/Honolulu")
	b.clock(at + 12*hour)
	time.Sleep(500 * time.Millisecond)
	if n := sent(); n != 2 {
		t.Errorf("%d were sent after the move west", n)
	}
	b.later(at+week+10*hour, "the week after the move west", func() bool { return sent() == 3 })
	move("Asia/Tokyo")
	b.later(at+2*week-9*hour+10, "the week after the move east", func() bool { return sent() == 4 })
	if err := respond.RemoveContact(ctx, b.Pipeline, "orla", "test"); err == nil || !strings.Contains(err.Error(), "is named by statement week") {
		t.Errorf("%v", err)
	}
	for field, bad := range map[string]statement.Statement{"kind": {Name: "x", Kind: "enrgy", Every: "day"}, "every": {Name: "x", Kind: "energy", Every: "year"}, "at": {Name: "x", Kind: "energy", Every: "day", At: "noon"},
		"totals": {Name: "x", Kind: "totals", Every: "day", Totals: []string{"none"}}, "tell": {Name: "x", Kind: "totals", Every: "day", Tell: []string{"nobody"}}, "name": {Name: "X", Kind: "totals", Every: "day"}} {
		if err := respond.SaveStatement(ctx, b.Pipeline, &bad, "test"); err == nil || !strings.HasPrefix(err.Error(), field) {
			t.Errorf("%s: %v", field, err)
		}
	}
}

func TestWhatIsNamedStays(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.contact("orla", roster.Mail)
	b.roster("house", 0, "orla")
	b.stream("temp", -10, 20)
	g := b.guard(alarm.Guard{Name: "g", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Tell: []string{"house"}})
	for says, err := range map[string]error{
		"is named by roster house":  respond.RemoveContact(ctx, b.Pipeline, "orla", "test"),
		"is named by guard g":       respond.RemoveRoster(ctx, b.Pipeline, "house", "test"),
		"did you mean orla?":        respond.RemoveContact(ctx, b.Pipeline, "orlo", "test"),
		"a contact is called orla":  respond.SaveRoster(ctx, b.Pipeline, &roster.Roster{Name: "orla", Steps: roster.Steps{{Who: []string{"orla"}}}}, "test"),
		"there is no roster or con": configure.SaveGuard(ctx, b.Pipeline, &alarm.Guard{ID: g.ID, Name: "g", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Tell: []string{"hause"}}, "test"),
		"did you mean sentence?":    configure.SaveGuard(ctx, b.Pipeline, &alarm.Guard{ID: g.ID, Name: "g", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Templates: alarm.Templates{{On: "raise", Short: "{{sentense}}"}}}, "test"),
	} {
		if err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v", says, err)
		}
	}
	if _, err := respond.SaveContact(ctx, b.Pipeline, &roster.Contact{Name: "house"}, "test"); err == nil || !strings.Contains(err.Error(), "a roster is called house") {
		t.Errorf("%v", err)
	}
	if _, err := respond.TestContact(ctx, b.Pipeline, "orla", []string{roster.Voice}, "test"); err == nil || !strings.Contains(err.Error(), "no such address") {
		t.Errorf("%v", err)
	}
}

// A guard that goes mad: ten thousand notices, and its reader gets a handful.
func TestTenThousandNoticesBecomeAHandful(t *testing.T) {
	b := fresh(t)
	b.contact("orla", roster.Mail)
	b.stream("temp", -10, 20)
	b.guard(alarm.Guard{Name: "mad", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Tell: []string{"orla"}})
	const cycles = 5000
	for second := range 10 { // five hundred cycles a second
		b.clock(float64(second) + 1)
		var samples []measure.Sample
		for i := range 2 * cycles / 10 {
			value := 31.0
			if i%2 == 1 {
				value = 20
			}
			samples = append(samples, measure.Sample{Name: "temp", At: b.at(float64(second)) + measure.Instant(i) + 1, Value: value})
		}
		b.send(samples...)
	}
	if n := len(b.outbox()); n != 2*cycles {
		t.Fatalf("%d notices", n)
	}
	b.later(190, "the digest", func() bool {
		return slices.ContainsFunc(b.notices(), func(n roster.Notice) bool { return n.Kind == roster.Summary })
	})
	told, digest := 0, ""
	for _, n := range b.notices() {
		if n.State == roster.Waiting {
			told++
		}
		if n.Kind == roster.Summary {
			digest = n.Subject
		}
	}
	if told > 12 || !strings.HasPrefix(digest, "4998 alarms came and went, the worst: D temp was above 30 (alarm from") {
		t.Errorf("%d messages, %q", told, digest)
	}
}

// Two processes sweep one database: each call is made once, through a restart of one of them.
func TestTwoProcessesCallOnce(t *testing.T) {
	b := fresh(t)
	other := process(t, b.store, b.now)
	b.contact("orla", roster.Mail)
	b.contact("tadhg", roster.Text)
	b.roster("house", minutes(2), "orla", "tadhg after 1m")
	b.stream("temp", -10, 20)
	b.guard(alarm.Guard{Name: "g", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Tell: []string{"house"}})
	other.stream("temp", 1, 31)
	b.later(65, "the second step", b.count(2))
	process(t, b.store, b.now)
	b.later(185, "all again", b.count(4))
	b.outboxIs("each once", "raise orla e-mail", "raise tadhg text", "raise orla e-mail", "raise tadhg text")
	if _, err := respond.Acknowledge(context.Background(), other.Pipeline, b.newest().ID, "", "Orla"); err != nil {
		t.Fatal(err)
	}
	b.clock(1000)
	time.Sleep(600 * time.Millisecond)
	if n := len(b.outbox()); n != 5 {
		t.Errorf("somebody has it: %v", b.outbox()[4:])
	}
}
