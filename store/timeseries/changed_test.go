package timeseries_test

import (
	"context"
	"errors"
	"slices"
	"testing"
	"time"

	"jauntylark/core/feed"
	"jauntylark/core/measure"
	"jauntylark/store"
	"jauntylark/store/events"
	"jauntylark/store/storetest"
	"jauntylark/store/timeseries"
)

// noteEach makes commits, some seconds apart, of which each has changed a stretch of two signals.
func noteEach(t *testing.T, s *store.Store, n int, at func(i int) measure.Instant) (numbers []int64) {
	t.Helper()
	for i := range n {
		tx, err := s.Begin(context.Background())
		if err != nil {
			t.Fatal(err)
		}
		ledger, err := store.TakeLedger(context.Background(), tx)
		if err != nil {
			t.Fatal(err)
		}
		now := at(i)
		if err := timeseries.NoteChanged(context.Background(), tx, ledger.CommitNo, now, []feed.Stretch{
			{Signal: 1, From: now - 10, Until: now}, {Signal: 7, From: now, Until: now}}); err != nil {
			t.Fatal(err)
		}
		if err := tx.Commit(); err != nil {
			t.Fatal(err)
		}
		numbers = append(numbers, ledger.CommitNo)
	}
	return numbers
}

// Whoever was away for long catches up by pages of many commits, not of one each.
func TestAPageHasManyCommits(t *testing.T) {
	s, err := store.Open(context.Background(), storetest.URL(t))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	numbers := noteEach(t, s, 1500, func(i int) measure.Instant { return 1_790_000_400_000 + measure.Instant(i) })
	page, err := events.Feed(context.Background(), s, events.FeedQuery{Limit: 10}) // the signals are none, so all is passed over
	if err != nil || page.Next.No < numbers[900] || page.Next.No >= numbers[1100] {
		t.Fatalf("the first page ends at %s, %v; commits are %d to %d", page.Next, err, numbers[0], numbers[1499])
	}
	if page, err = events.Feed(context.Background(), s, events.FeedQuery{After: page.Next, Limit: 10}); err != nil ||
		page.Next != feed.After(numbers[1499]) {
		t.Errorf("the second page ends at %s, %v", page.Next, err)
	}
}

// changedRow is what one number tells.
type changedRow struct {
	No   int64           `db:"commit_no"`
	At   measure.Instant `db:"at"`
	Body []byte          `db:"body"`
}

func changedRows(t *testing.T, s *store.Store) (rows []changedRow) {
	t.Helper()
	if err := s.Select(context.Background(), &rows, `select commit_no, at, body from changed order by commit_no`); err != nil {
		t.Fatal(err)
	}
	return rows
}

// What commits have changed an hour ago and more is joined by ten minutes, under the number of the last, with nothing
// left out; what is older than a week is forgotten, and said to be.
func TestWhatCommitsHaveChangedIsJoined(t *testing.T) {
	s, err := store.Open(context.Background(), storetest.URL(t))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	begin := measure.Instant(1_790_000_400_000)
	at := func(i int) measure.Instant { return begin + measure.Instant(i)*20_000 }
	numbers := noteEach(t, s, 360, at) // two hours
	now := at(359)
	if err := timeseries.JoinChanged(context.Background(), s, now); err != nil {
		t.Fatal(err)
	}
	rows := changedRows(t, s)
	young := slices.IndexFunc(rows, func(r changedRow) bool { return r.At > now.Add(-time.Hour) })
	if young < 6 || young > 40 || len(rows)-young < 175 {
		t.Errorf("%d rows, of which %d are older than an hour", len(rows), young)
	}
	told := map[feed.Stretch]int64{}
	for _, r := range rows {
		stretches, err := feed.Unpack(r.Body)
		if err != nil {
			t.Fatal(err)
		}
		for _, s := range stretches {
			told[s] = r.No
		}
	}
	for i, no := range numbers {
		covered := false
		for s, by := range told {
			covered = covered || s.Signal == 1 && s.From <= at(i)-10 && s.Until >= at(i) && by >= no
		}
		if !covered {
			t.Fatalf("what commit %d has changed is told by none after it", no)
		}
	}
	if before := len(rows); timeseries.JoinChanged(context.Background(), s, now) != nil || len(changedRows(t, s)) != before {
		t.Error("joined once more, it is something else")
	}
	last := numbers[len(numbers)-1]
	if err := timeseries.JoinChanged(context.Background(), s, begin.Add(timeseries.KnownFor+90*time.Minute)); err != nil {
		t.Fatal(err)
	}
	known, newest, err := events.FeedKnown(context.Background(), s)
	if err != nil || known <= numbers[0] || known >= last || newest != last {
		t.Errorf("known from %d to %d, %v; the commits were %d to %d", known, newest, err, numbers[0], last)
	}
	for _, r := range changedRows(t, s) {
		if r.No <= known {
			t.Errorf("commit %d is said to be forgotten, and known", r.No)
		}
	}
	var forgotten *events.ErrForgotten
	if _, err := events.Feed(context.Background(), s, events.FeedQuery{After: feed.After(known - 1), Limit: 10}); !errors.As(err,
		&forgotten) || forgotten.Begin != known {
		t.Errorf("before what is known: %v", err)
	}
	if page, err := events.Feed(context.Background(), s, events.FeedQuery{After: feed.After(known), Limit: 10}); err != nil ||
		page.Next != feed.After(newest) { // the signals are none
		t.Errorf("from what is known on: %+v %v", page, err)
	}
}
