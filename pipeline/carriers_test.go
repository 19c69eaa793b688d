package pipeline_test

import (
	"context"
	"slices"
	"strings"
	"testing"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/core/statement"
	"jauntylark/pipeline/respond"
	"jauntylark/store/events"
	"jauntylark/store/storetest"
)

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
		if _, err := events.ClaimNotices(ctx, b.store, n.Carrier, b.Now(), time.Second, 10); err != nil {
			t.Fatal(err)
		}
		if err := events.RecordAttempts(ctx, b.store,
			[]events.Attempt{{Delivery: roster.Delivery{NoticeID: n.ID, At: b.Now(), Answer: "550 no"}, State: state,
				DueAgain: b.Now(), Carrier: n.Carrier, Final: true}}); err != nil {
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
	b.outboxIs("over is told to who heard", "raise orla e-mail given up", "raise orla text given up",
		"raise tadhg voice", "return tadhg voice")
	// A step that reaches nobody at all does not wait either.
	b.roster("nobody", 0, "orla by chat", "tadhg after 20m")
	b.guard(alarm.Guard{Name: "second", Signal: "d/temp", Rung: above(35, 1, alarm.Warning), Tell: []string{"nobody"}})
	b.stream("temp", 10, 36)
	if got := b.outbox(); got[len(got)-1] != "raise tadhg voice" {
		t.Errorf("no such address: %v", got[4:])
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
		if err := events.RecordAttempts(ctx, b.store,
			[]events.Attempt{{Delivery: roster.Delivery{NoticeID: mail.ID, At: b.Now(), OK: ok, Answer: "421 busy"},
				State: state, DueAgain: b.Now(), Carrier: roster.Mail}}); err != nil {
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
	storetest.Long(t)
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
	if _, err := events.Beat(ctx, b.store, b.Moment(), 2500); err != nil {
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
	if last := all[len(all)-1]; !strings.Contains(last.Text+all[len(all)-2].Text,
		"You could not be reached by e-mail since") {
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
	storetest.Long(t)
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
	b.lookedTwice()
	if n, _ := words(); n != 0 {
		t.Error("too early")
	}
	b.clock(31 * 60)
	storetest.Eventually(t, "the word", func() bool { n, _ := words(); return n == 1 })
	if _, text := words(); !strings.Contains(text, "All is quiet") {
		t.Errorf("%s", text)
	}
	b.lookedTwice()
	if n, _ := words(); n != 1 {
		t.Errorf("told %d times", n)
	}
	for field, bad := range map[string]roster.SiteReach{"quiet_word.to": {QuietWord: &roster.QuietWord{To: "olra",
		At: "08:00"}}, "quiet_word.at": {QuietWord: &roster.QuietWord{To: "orla", At: "8"}},
		"heartbeat.url":   {Heartbeat: &roster.Heartbeat{URL: "nowhere", Every: minutes(1)}},
		"heartbeat.every": {Heartbeat: &roster.Heartbeat{URL: "https://b.example", Every: 1}},
		"tell":            {Tell: []string{"nobody"}},
		"flood.messages":  {Flood: &roster.FloodLimit{Within: minutes(1)}},
		"flood.within":    {Flood: &roster.FloodLimit{Messages: 1, Within: 1}}} {
		if err := respond.SetReach(ctx, b.Pipeline, &bad, "test"); err == nil || !strings.Contains(err.Error(), field) {
			t.Errorf("%s: %v", field, err)
		}
	}
}

func TestStatementsAreSentOnce(t *testing.T) {
	storetest.Long(t)
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
	b.lookedTwice()
	if n := sent(); n != 1 {
		t.Errorf("%d were sent for one week", n)
	}
	// After three weeks in which we were away, one comes, not three.
	b.later(seconds+21*24*3600+3700, "the next", func() bool { return sent() == 2 })
	if n := sent(); n != 2 {
		t.Errorf("%d were sent", n)
	}
	// The site moves west: the same week is not told again, and the next comes at nine there. Then east: it comes at
	// nine there.
	const hour, week = 3600, 7 * 24 * 3600
	at := seconds + 3*week + 3700 // Monday, 09:01:40 UTC
	move := func(zone string) {
		t.Helper()
		if err := respond.SetSite(ctx, b.Pipeline, site.Site{Name: "Here", Zone: zone, Currency: "EUR"},
			"test"); err != nil {
			t.Fatal(err)
		}
	}
	move("Pacific/Honolulu")
	b.clock(at + 12*hour)
	b.lookedTwice()
	if n := sent(); n != 2 {
		t.Errorf("%d were sent after the move west", n)
	}
	b.later(at+week+10*hour, "the week after the move west", func() bool { return sent() == 3 })
	move("Asia/Tokyo")
	b.later(at+2*week-9*hour+10, "the week after the move east", func() bool { return sent() == 4 })
	if err := respond.RemoveContact(ctx, b.Pipeline, "orla", "test"); err == nil ||
		!strings.Contains(err.Error(), "is named by statement week") {
		t.Errorf("%v", err)
	}
	for field, bad := range map[string]statement.Statement{"kind": {Name: "x", Kind: "enrgy", Every: "day"},
		"every": {Name: "x", Kind: "energy", Every: "year"}, "at": {Name: "x", Kind: "energy", Every: "day",
			At: "noon"},
		"totals": {Name: "x", Kind: "totals", Every: "day", Totals: []string{"none"}},
		"tell":   {Name: "x", Kind: "totals", Every: "day", Tell: []string{"nobody"}},
		"name":   {Name: "X", Kind: "totals", Every: "day"}} {
		if err := respond.SaveStatement(ctx, b.Pipeline, &bad, "test"); err == nil ||
			!strings.HasPrefix(err.Error(), field) {
			t.Errorf("%s: %v", field, err)
		}
	}
}

// A guard that goes mad: ten thousand notices, and its reader gets a handful.
func TestTenThousandNoticesBecomeAHandful(t *testing.T) {
	storetest.Long(t)
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
			samples = append(samples, measure.Sample{Name: "temp", At: b.at(float64(second)) + measure.Instant(i) + 1,
				Value: value})
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
	if told > 12 || !strings.HasPrefix(digest,
		"4998 alarms came and went, the worst: D temp was above 30 (alarm from") {
		t.Errorf("%d messages, %q", told, digest)
	}
}
