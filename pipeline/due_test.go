package pipeline_test

import (
	"context"
	"errors"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/roster"
	"jauntylark/core/statement"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/reading"
	"jauntylark/pipeline/respond"
	"jauntylark/store/config"
	"jauntylark/store/storetest"
)

// exec runs SQL, as somebody with a hammer.
func (b *bench) exec(query string) {
	b.t.Helper()
	tx, err := b.store.Begin(context.Background())
	if err != nil {
		b.t.Fatal(err)
	}
	defer tx.Rollback()
	if _, err := tx.Exec(context.Background(), query); err != nil {
		b.t.Fatal(err)
	}
	b.must(tx.Commit())
}

// A statement that cannot be made holds up neither a delay nor another statement, is told as an alarm of the service,
// and is sent when it can be.
func TestOneFailureHoldsUpNothingElse(t *testing.T) {
	storetest.Long(t)
	b := fresh(t)
	ctx := context.Background()
	b.contact("orla", roster.Mail)
	reach := roster.SiteReach{Tell: []string{"orla"}}
	b.must(respond.SetReach(ctx, b.Pipeline, &reach, "test"))
	for _, name := range []string{"bad", "good"} {
		s := statement.Statement{Name: name, Kind: statement.Alarms, Every: "day", At: "00:00", Tell: []string{"orla"}}
		b.must(respond.SaveStatement(ctx, b.Pipeline, &s, "test"))
	}
	b.stream("temp", -5, 20)
	rung := above(30, 1, alarm.Critical)
	rung.OnDelay = *lasting(10)
	b.guard(alarm.Guard{Name: "hot", Signal: "d/temp", Rung: rung})
	b.exec(`create function refuse() returns trigger language plpgsql as $$ begin
			if new.kind = 'statement' and new.route::text like '%bad%' then raise exception 'the figures are not to be had'; end if; return new; end $$;
		create trigger refuse before insert on notice for each row execute function refuse()`)
	const day = 24 * 3600
	due := float64(int(start/1000)/day*day+day) - float64(start)/1000 // the next midnight, by the test's clock
	b.clock(due - 5)
	b.stream("temp", due-5, 35)
	b.clock(due + 8)
	storetest.Eventually(t, "the alarm and the good statement", func() bool {
		return len(b.alarms()) > 0 && strings.Contains(strings.Join(b.outbox(), "; "), "statement orla")
	})
	if a := b.alarms()[0]; a.Guard != "hot" || a.RaisedAt != b.at(due+5) {
		t.Errorf("%+v", a)
	}
	for moved := due + 8; len(b.alarms()) < 2; moved++ { // until it has failed for ten seconds, three times
		b.clock(moved)
		if time.Sleep(100 * time.Millisecond); moved > due+600 {
			t.Fatal("no alarm of the service was raised")
		}
	}
	if a := b.newest(); a.Kind != alarm.ByService ||
		!strings.Contains(a.Sentence, "The service cannot send statements: statement bad: ") ||
		!strings.Contains(a.Sentence, "the figures are not to be had") {
		t.Errorf("%+v", a)
	}
	b.exec(`drop trigger refuse on notice`)
	storetest.Eventually(t, "all is told", func() bool {
		return b.newest().State == alarm.StateOver && strings.Count(strings.Join(b.outbox(), "; "),
			"statement orla") == 2
	})
	if got := len(b.alarms()); got != 2 {
		t.Errorf("%d alarms", got)
	}
}

// An act that its caller gives up before it began never runs; one that has begun is waited for, and its answer is true.
func TestAnActThatIsGivenUp(t *testing.T) {
	b := fresh(t)
	begun, goOn := make(chan struct{}), make(chan struct{})
	ctx, giveUp := context.WithCancel(context.Background())
	written, answered := 0, make(chan error, 1)
	go func() {
		answered <- b.Do(ctx, func(*reading.Turn) error {
			close(begun)
			<-goOn
			written = 21
			return nil
		})
	}()
	<-begun
	var ran atomic.Bool
	waiting, giveUpToo := context.WithCancel(context.Background())
	withdrawn := make(chan error, 1)
	go func() {
		withdrawn <- b.Do(waiting, func(*reading.Turn) error { ran.Store(true); return nil })
	}()
	time.Sleep(10 * time.Millisecond)
	giveUp()
	giveUpToo()
	if err := <-withdrawn; !errors.Is(err, context.Canceled) {
		t.Errorf("the one that waits: %v", err)
	}
	select {
	case err := <-answered:
		t.Errorf("the one that has begun is not waited for: %v", err)
	case <-time.After(20 * time.Millisecond):
	}
	close(goOn)
	if err := <-answered; err != nil || written != 21 {
		t.Errorf("the one that has begun: %v, %d", err, written)
	}
	b.must(b.Do(context.Background(), func(*reading.Turn) error { return nil }))
	if ran.Load() {
		t.Error("what was taken back ran all the same")
	}
}

// However a caller gives up, what it was answered is what happened.
func TestGivingUpTellsTheTruth(t *testing.T) {
	b := fresh(t)
	b.stream("temp", -5, 20)
	saved := 0
	for i := range 60 {
		ctx, cancel := context.WithTimeout(context.Background(), time.Duration(i%12)*time.Millisecond/2)
		g := alarm.Guard{Signal: "d/temp", Rung: above(float64(100+i), 0, alarm.Warning),
			Tell: []string{"orla@hollowbrook.example"}}
		if err := configure.SaveGuard(ctx, b.Pipeline, &g, "test"); err == nil {
			saved++
		}
		cancel()
	}
	guards, err := config.Guards(context.Background(), b.store)
	if err != nil || len(guards) != saved {
		t.Errorf("%d guards were said to be saved, %d are there: %v", saved, len(guards), err)
	}
	if saved == 0 || saved == 60 {
		t.Logf("%d of 60 were saved, which proves little", saved)
	}
}
