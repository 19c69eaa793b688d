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
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/respond"
	"jauntylark/store/events"
	"jauntylark/store/storetest"
)

func minutes(n int) measure.Duration { return measure.Duration(time.Duration(n) * time.Minute) }

// contact adds a contact with an address by each carrier.
func (b *bench) contact(name string, carriers ...string) {
	b.t.Helper()
	c := roster.Contact{Name: name}
	for i, carrier := range carriers {
		to := map[string]string{roster.Mail: name + "@b.example", roster.Chat: name,
			roster.Webhook: "https://b.example/" + name}[carrier]
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
	all, err := events.Notices(context.Background(), b.store, events.NoticeQuery{Limit: 20_000})
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
	b.lookedTwice() // and does no more than that
}

func (b *bench) count(n int) func() bool { return func() bool { return len(b.outbox()) == n } }

func TestARosterGoesOnUntilSomebodyHasIt(t *testing.T) {
	storetest.Long(t)
	b := fresh(t)
	ctx := context.Background()
	b.contact("orla", roster.Mail, roster.Text)
	b.contact("tadhg", roster.Text, roster.Voice)
	b.roster("house", minutes(10), "orla by e-mail", "tadhg by text after 5m",
		"orla, tadhg by voice, text from critical after 7m")
	b.stream("temp", -10, 20)
	b.guard(alarm.Guard{Signal: "d/temp", Rung: above(30, 1, alarm.Warning),
		Rungs: alarm.Rungs{above(40, 1, alarm.Critical)}, Tell: []string{"house", "desk@b.example"}})
	b.stream("temp", 1, 31)
	b.outboxIs("at the raise", "raise orla e-mail", "raise desk@b.example")
	b.later(310, "the second step", b.count(3))
	b.outboxIs("after five minutes", "raise orla e-mail", "raise desk@b.example", "raise tadhg text")
	b.later(910, "all again", b.count(5))
	b.outboxIs("after fifteen", "raise orla e-mail", "raise desk@b.example", "raise tadhg text", "raise orla e-mail",
		"raise tadhg text")
	if _, err := respond.Acknowledge(ctx, b.Pipeline, b.newest().ID, "", "Tadhg"); err != nil {
		t.Fatal(err)
	}
	if got := b.outbox()[5:]; !slices.Equal(got, []string{"taken orla e-mail", "taken desk@b.example"}) {
		t.Errorf("who has it: %v", got)
	}
	b.clock(3000)
	b.lookedTwice()
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
	if want := []string{"return desk@b.example", "return orla e-mail", "return orla text", "return tadhg text",
		"return tadhg voice"}; !slices.Equal(over, want) {
		t.Errorf("over: %v", over)
	}
	b.clock(9000)
	b.lookedTwice()
	if n := len(b.outbox()); n != before+5 {
		t.Errorf("it is over, and the roster goes on: %v", b.outbox()[before+5:])
	}
}

func TestHandedBackAlarmsAreToldAgain(t *testing.T) {
	storetest.Long(t)
	b := fresh(t)
	ctx := context.Background()
	b.contact("orla", roster.Mail)
	b.contact("tadhg", roster.Text)
	b.roster("house", 0, "orla", "tadhg after 5m")
	b.stream("temp", -10, 20)
	b.guard(alarm.Guard{Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Tell: []string{"house"}})
	b.stream("temp", 1, 31)
	id := b.newest().ID
	if _, err := respond.HandBack(ctx, b.Pipeline, id, "Orla"); err == nil ||
		!strings.Contains(err.Error(), "nobody has alarm") {
		t.Errorf("nobody had it: %v", err)
	}
	if _, err := respond.Acknowledge(ctx, b.Pipeline, id, "", "Orla"); err != nil {
		t.Fatal(err)
	}
	if a, err := respond.Hand(ctx, b.Pipeline, id, "tadhg", "Orla"); err != nil || a.HandedTo != "tadhg" {
		t.Fatal(a, err)
	}
	if _, err := respond.Hand(ctx, b.Pipeline, id, "tadgh", "Orla"); err == nil ||
		!strings.Contains(err.Error(), "did you mean tadhg?") {
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

func TestARosterGoesOnAfterABreakAndNothingFallsThrough(t *testing.T) {
	storetest.Long(t)
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
	storetest.Long(t)
	b := fresh(t)
	start := b.Now().Time()
	c := roster.Contact{Name: "orla", Quiet: fmt.Sprintf("daily %s-%s", start.Add(-time.Hour).Format("15:04"),
		start.Add(time.Hour).Format("15:04")), Addresses: roster.Addresses{{Carrier: roster.Mail,
		To: "orla@b.example"}}}
	b.save(c)
	b.stream("temp", -10, 20)
	b.guard(alarm.Guard{Signal: "d/temp", Rung: above(30, 1, alarm.Warning),
		Rungs: alarm.Rungs{above(40, 1, alarm.Critical)}, Tell: []string{"orla"}})
	b.stream("temp", 1, 31, 20, 32, 20) // twice, and over
	b.outboxIs("held", "raise orla e-mail held", "return orla e-mail held", "raise orla e-mail held",
		"return orla e-mail held")
	b.stream("temp", 10, 41)
	if got := b.outbox(); got[4] != "raise orla e-mail" {
		t.Errorf("critical: %v", got[4:])
	}
	b.stream("temp", 11, 35)
	b.guard(alarm.Guard{Name: "other", Signal: "d/temp", Rung: above(34, 1, alarm.Warning), Tell: []string{"orla"}})
	// held, and somebody has it
	if _, err := respond.Acknowledge(context.Background(), b.Pipeline, b.newest().ID, "", "Tadhg"); err != nil {
		t.Fatal(err)
	}
	b.later(3700, "the quiet hours end", func() bool {
		return slices.ContainsFunc(b.notices(), func(n roster.Notice) bool { return n.Kind == roster.Summary })
	})
	all := b.notices()
	last := all[len(all)-1]
	if !strings.Contains(last.Text, "Your quiet hours are over. Meanwhile 2 alarms came and went:") ||
		last.Contact != "orla" {
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
	storetest.Long(t)
	b := fresh(t)
	b.contact("orla", roster.Mail)
	b.stream("temp", -10, 20)
	const guards = 60
	for i := range guards {
		b.guard(alarm.Guard{Name: fmt.Sprintf("g%d", i), Signal: "d/temp",
			Rung: above(30+float64(i)/100, 1, alarm.Advisory), Tell: []string{"orla"}})
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
		if n.Kind == roster.Summary && !strings.Contains(n.Text,
			"alarms came within 3 minutes; you get them in one message.") {
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
	storetest.Long(t)
	b := fresh(t)
	b.contact("orla", roster.Mail)
	b.stream("temp", -10, 20)
	b.guard(alarm.Guard{Name: "g", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Tell: []string{"orla"},
		LeastGap: minutes(5)})
	b.stream("temp", 1, 31, 20)
	b.stream("temp", 60, 31, 20, 32, 20)
	b.stream("temp", 120, 33) // stands
	b.outboxIs("held", "raise orla e-mail", "return orla e-mail", "raise orla e-mail held", "return orla e-mail held",
		"raise orla e-mail held", "return orla e-mail held", "raise orla e-mail held")
	b.later(305, "the gap is over", b.count(8))
	b.outboxIs("told", "raise orla e-mail", "return orla e-mail", "raise orla e-mail summed up",
		"return orla e-mail summed up", "raise orla e-mail summed up", "return orla e-mail summed up",
		"raise orla e-mail", "summary orla e-mail")
}

func TestWhatIsNamedStays(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.contact("orla", roster.Mail)
	b.roster("house", 0, "orla")
	b.stream("temp", -10, 20)
	g := b.guard(alarm.Guard{Name: "g", Signal: "d/temp", Rung: above(30, 1, alarm.Warning), Tell: []string{"house"}})
	for says, err := range map[string]error{
		"is named by roster house": respond.RemoveContact(ctx, b.Pipeline, "orla", "test"),
		"is named by guard g":      respond.RemoveRoster(ctx, b.Pipeline, "house", "test"),
		"did you mean orla?":       respond.RemoveContact(ctx, b.Pipeline, "orlo", "test"),
		"a contact is called orla": respond.SaveRoster(ctx, b.Pipeline,
			&roster.Roster{Name: "orla", Steps: roster.Steps{{Who: []string{"orla"}}}}, "test"),
		"there is no roster or con": configure.SaveGuard(ctx, b.Pipeline,
			&alarm.Guard{ID: g.ID, Name: "g", Signal: "d/temp", Rung: above(30, 1, alarm.Warning),
				Tell: []string{"hause"}}, "test"),
		"did you mean sentence?": configure.SaveGuard(ctx, b.Pipeline,
			&alarm.Guard{ID: g.ID, Name: "g", Signal: "d/temp", Rung: above(30, 1, alarm.Warning),
				Templates: alarm.Templates{{On: "raise", Short: "{{sentense}}"}}}, "test"),
	} {
		if err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v", says, err)
		}
	}
	if _, err := respond.SaveContact(ctx, b.Pipeline, &roster.Contact{Name: "house"}, "test"); err == nil ||
		!strings.Contains(err.Error(), "a roster is called house") {
		t.Errorf("%v", err)
	}
	if _, err := respond.TestContact(ctx, b.Pipeline, "orla", []string{roster.Voice}, "test"); err == nil ||
		!strings.Contains(err.Error(), "no such address") {
		t.Errorf("%v", err)
	}
}

// Two processes sweep one database: each call is made once, through a restart of one of them.
func TestTwoProcessesCallOnce(t *testing.T) {
	storetest.Long(t)
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
	b.lookedTwice()
	if n := len(b.outbox()); n != 5 {
		t.Errorf("somebody has it: %v", b.outbox()[4:])
	}
}
