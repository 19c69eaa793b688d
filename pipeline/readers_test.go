package pipeline_test

import (
	"context"
	"slices"
	"testing"

	"jauntylark/core/alarm"
	"jauntylark/core/feed"
	"jauntylark/core/roster"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/respond"
	"jauntylark/store/config"
)

// A program that is away for a moment is nobody's business; one that stays away is an alarm of the service, once, which is
// over when it takes what is posted, is posted to elsewhere, or is removed.
func TestAReaderThatStaysAwayIsAnAlarm(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.contact("orla", roster.Mail)
	b.must(respond.SetReach(ctx, b.Pipeline, &roster.SiteReach{Tell: []string{"orla"}}, "test"))
	ledger := feed.Reader{Name: "ledger", URL: "https://example.org/feed", Devices: []string{}, Kinds: []string{}}
	save := func() {
		t.Helper()
		b.must(configure.SaveReader(ctx, b.Pipeline, &ledger, tester))
	}
	judge := func() {
		t.Helper()
		b.must(respond.JudgeReaders(ctx, b.Pipeline))
	}
	posted := func(at float64, failures int, said string) {
		t.Helper()
		b.clock(at)
		r := config.ReaderKey{Reader: ledger, Failures: failures}
		b.must(config.Posted(ctx, b.store, &r, feed.After(1), b.Now(), b.Now(), said))
		judge()
	}
	save()
	posted(-400, 1, "503") // and asks to be left in peace for six minutes
	posted(-40, 2, "503")
	if got := b.outbox(); len(got) != 0 {
		t.Errorf("tried twice: %v", got)
	}
	posted(-1, 0, "")
	for i, at := range []float64{0, 2, 7, 290} {
		posted(at, i+1, "502")
	}
	if got := b.outbox(); len(got) != 0 {
		t.Errorf("away for less than five minutes: %v", got)
	}
	posted(301, 5, "502")
	posted(600, 6, "502")
	a := b.newest()
	if a.Kind != alarm.ByService || a.Severity != alarm.Warning ||
		a.Sentence != "The service cannot post changes to the reader ledger: 502" || a.RaisedAt != b.at(0) {
		t.Errorf("%+v", a)
	}
	posted(700, 0, "")
	if got := b.outbox(); b.newest().State != alarm.StateOver ||
		!slices.Equal(got, []string{"raise orla e-mail", "return orla e-mail"}) {
		t.Errorf("it is taken again: %s, %v", b.newest().State, got)
	}
	for i, end := range []func(){
		func() { ledger.URL = "https://example.org/other"; save() },
		func() { b.must(configure.RemoveReader(ctx, b.Pipeline, "ledger", tester)) },
	} {
		at := 1000 * float64(i+1)
		posted(at, 3, "connection refused")
		posted(at+301, 4, "connection refused")
		if b.newest().State == alarm.StateOver {
			t.Fatal("it is away again, and that is no alarm")
		}
		end()
		judge()
		if b.newest().State != alarm.StateOver {
			t.Error("it is told of still, where nothing fails any more")
		}
	}
}
