package history_test

import (
	"context"
	"fmt"
	"log/slog"
	"testing"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/history"
	"jauntylark/pipeline/reading"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

const day = measure.Instant(24 * 3600 * 1000)

// Over three years of alarms, entries and notices the records stay bounded: what is older than it is kept goes with
// what explains it, what still stands and what is younger stays.
func TestRecordsOverThreeYears(t *testing.T) {
	p := newPlace(t, nil)
	ctx := context.Background()
	first := p.at()
	keeper := history.New(p.Store, p.Pipeline, history.Options{Log: slog.New(slog.DiscardHandler), Now: p.at})
	must := func(act func(*reading.Turn) error) {
		t.Helper()
		if err := p.Do(ctx, act); err != nil {
			t.Fatal(err)
		}
	}
	must(func(turn *reading.Turn) error {
		return config.SetSite(ctx, turn.Tx, site.Site{Name: "x", Zone: "UTC", Currency: "EUR",
			KeepAlarms: measure.Duration(365 * 24 * time.Hour), KeepJournal: measure.Duration(90 * 24 * time.Hour)})
	})
	happen := func(at measure.Instant, over bool) {
		must(func(turn *reading.Turn) error {
			a := alarm.Alarm{Kind: alarm.ByService, Severity: alarm.Warning, State: alarm.StateRaised, RaisedAt: at,
				LearnedAt: at, When: fmt.Sprint(at), Sentence: "x"}
			if over {
				a.End(at+1000, alarm.EndBack, "")
			}
			if err := events.AddAlarm(ctx, turn.Tx, &a, turn.CommitNo); err != nil {
				return err
			}
			if over {
				if err := events.SaveAlarm(ctx, turn.Tx, &a, turn.CommitNo); err != nil {
					return err
				}
				if _, err := turn.Tx.Exec(ctx,
					`insert into drill (guard, started_by, started_at, committed_at, alarm_id, rosters, ended_at)
						values ('x', 'x', $1, $1, $2, '{}', $1)`, at, a.ID); err != nil {
					return err
				}
			}
			for range 3 {
				if err := events.AddEntry(ctx, turn.Tx, site.Entry{At: at, LearnedAt: at, Kind: "alarm raised",
					Text: "x", AlarmID: &a.ID}, turn.CommitNo); err != nil {
					return err
				}
				if err := events.AddEntry(ctx, turn.Tx, site.Entry{At: at, LearnedAt: at, Kind: "note", Text: "x"},
					turn.CommitNo); err != nil {
					return err
				}
			}
			ids, err := events.NoticeIDs(ctx, turn.Tx, 2)
			if err != nil {
				return err
			}
			return events.AddNotices(ctx, turn.Tx, []roster.Notice{
				{ID: ids[0], AlarmID: a.ID, Kind: roster.Raise, Severity: alarm.Warning, Carrier: roster.Mail,
					Address: "o@x.example", State: roster.Sent, CreatedAt: at, DueAt: at},
				{ID: ids[1], Kind: roster.Statement, Carrier: roster.Mail, Address: "o@x.example", State: roster.Sent,
					CreatedAt: at, DueAt: at}})
		})
	}
	count := func() map[string]int {
		t.Helper()
		got := map[string]int{}
		for name, query := range map[string]string{"alarm": `select count(*) from alarm`,
			"of alarms": `select count(*) from journal where alarm_id is not null`,
			"notes":     `select count(*) from journal where kind = 'note'`,
			"notices":   `select count(*) from notice where alarm_id is not null`,
			"others":    `select count(*) from notice where alarm_id is null`} {
			must(func(turn *reading.Turn) error {
				var n int
				err := turn.Tx.Get(ctx, &n, query)
				got[name] = n
				return err
			})
		}
		return got
	}
	happen(first, false) // it stands to the end
	for d := range measure.Instant(3 * 365) {
		happen(first+d*day+1, true)
		if d%60 == 59 {
			p.now.Store(int64(first + d*day))
			if err := keeper.Prune(ctx); err != nil {
				t.Fatal(err)
			}
			if got := count(); got["alarm"] > 1+366 || got["of alarms"] > 3*367 || got["notes"] > 3*92 ||
				got["notices"] > 367 || got["others"] > 92 {
				t.Fatalf("after %d days there are %v", d, got)
			}
		}
	}
	p.now.Store(int64(first + 3*365*day))
	if err := keeper.Prune(ctx); err != nil {
		t.Fatal(err)
	}
	if got, want := fmt.Sprint(count()), "map[alarm:366 notes:270 notices:366 of alarms:1098 others:90]"; got != want {
		t.Errorf("%s, want %s", got, want)
	}
}
