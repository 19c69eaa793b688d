package store_test

import (
	"context"
	"errors"
	"sync"
	"testing"

	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/events"
	"jauntylark/store/storetest"
	"jauntylark/store/timeseries"
)

func TestMain(m *testing.M) { storetest.Main(m) }

func TestSeveralProcessesOpenOneDatabaseAtOnce(t *testing.T) {
	url := storetest.Bare(t)
	var wait sync.WaitGroup
	for range 4 {
		wait.Go(func() {
			s, err := store.Open(context.Background(), url)
			if err != nil {
				t.Error(err)
				return
			}
			s.Close()
		})
	}
	wait.Wait()
}

func TestCopyAndRollbackShareATransaction(t *testing.T) {
	s, ctx := storetest.Store(t), context.Background()
	v := storetest.AddSignal(t, s)
	for _, commit := range []bool{false, true} {
		tx, err := s.Begin(ctx)
		if err != nil {
			t.Fatal(err)
		}
		if err := timeseries.CopyReadings(ctx, tx, []timeseries.Row{{Signal: v.ID, At: 10, Value: 1.5},
			{Signal: v.ID, At: 20, Value: -2, Quality: measure.Late}}); err != nil {
			t.Fatal(err)
		}
		if commit {
			err = tx.Commit()
		} else {
			tx.Rollback()
		}
		if err != nil {
			t.Fatal(err)
		}
		got, more, err := timeseries.Readings(ctx, s, &v, 0, 100, 10)
		want := 0
		if commit {
			want = 2
		}
		if err != nil || more || len(got) != want {
			t.Fatalf("after commit %v: %v %v", commit, got, err)
		}
	}
	if got, more, err := timeseries.Readings(ctx, s, &v, 0, 100, 1); err != nil || !more || len(got) != 1 ||
		got[0].Value != 1.5 {
		t.Errorf("first page: %v %v %v", got, more, err)
	}
}

// Numbers are given in commit order: whoever reads number n has all before it.
func TestLedgerNumbersCommitsInOrder(t *testing.T) {
	s, ctx := storetest.Store(t), context.Background()
	var wait sync.WaitGroup
	var mu sync.Mutex
	var order []int64
	for range 8 {
		wait.Go(func() {
			for range 10 {
				tx, err := s.Begin(ctx)
				if err != nil {
					t.Error(err)
					return
				}
				l, err := store.TakeLedger(ctx, tx)
				mu.Lock()
				order = append(order, l.CommitNo)
				mu.Unlock()
				if err == nil {
					err = tx.Commit()
				}
				if err != nil {
					t.Error(err)
				}
			}
		})
	}
	wait.Wait()
	for i, n := range order {
		if n != int64(i+1) {
			t.Fatalf("commit %d has number %d", i+1, n)
		}
	}
}

func TestListenHearsEachCommit(t *testing.T) {
	s := storetest.Store(t)
	ctx, cancel := context.WithCancel(context.Background())
	heard := make(chan int64, 10)
	done := make(chan error)
	go func() { done <- store.Listen(ctx, s, func(n int64) { heard <- n }) }()
	if n := <-heard; n != 0 {
		t.Errorf("first heard %d", n)
	}
	storetest.AddSignal(t, s)
	if n := <-heard; n != 1 {
		t.Errorf("then heard %d", n)
	}
	cancel()
	if err := <-done; !errors.Is(err, context.Canceled) {
		t.Errorf("ended with %v", err)
	}
}

func TestTakenNamesAndMissingRecords(t *testing.T) {
	s, ctx := storetest.Store(t), context.Background()
	storetest.AddSignal(t, s)
	tx, err := s.Begin(ctx)
	if err != nil {
		t.Fatal(err)
	}
	defer tx.Rollback()
	if err := config.AddDevice(ctx, tx, &site.Device{Name: "d"}, 1); !errors.Is(err, store.ErrTaken) ||
		store.Away(err) {
		t.Errorf("a second device d: %v", err)
	}
	if _, err := config.Signal(ctx, s, "d", "none"); !errors.Is(err, store.ErrNotFound) || store.Away(err) {
		t.Errorf("a signal that is not there: %v", err)
	}
}

// Who reads notices while attempts are written down never sees an attempt beside the state from before it.
func TestANoticeAndItsAttemptsAreOfOneMoment(t *testing.T) {
	s, ctx := storetest.Store(t), context.Background()
	const count = 300
	tx, err := s.Begin(ctx)
	if err != nil {
		t.Fatal(err)
	}
	defer tx.Rollback()
	ids, err := events.NoticeIDs(ctx, tx, count)
	notices := make([]roster.Notice, len(ids))
	for i, id := range ids {
		notices[i] = roster.Notice{ID: id, Kind: "test", Contact: "c", Carrier: roster.Mail, Address: "c@b.example",
			State: roster.Waiting}
	}
	if err = errors.Join(err, events.AddNotices(ctx, tx, notices), tx.Commit()); err != nil {
		t.Fatal(err)
	}
	written := make(chan error, 1)
	go func() {
		for _, id := range ids {
			if err := events.RecordAttempts(ctx, s,
				[]events.Attempt{{Delivery: roster.Delivery{NoticeID: id, OK: true}, State: roster.Sent,
					Carrier: roster.Mail}}); err != nil {
				written <- err
				return
			}
		}
		written <- nil
	}()
	for {
		all, err := events.Notices(ctx, s, events.NoticeQuery{Limit: count})
		if err != nil {
			t.Fatal(err)
		}
		for _, n := range all {
			if tried := len(n.Deliveries) > 0; tried != (n.State == roster.Sent) {
				t.Fatalf("notice %d is %s with %d attempts", n.ID, n.State, len(n.Deliveries))
			}
		}
		select {
		case err := <-written:
			if err != nil {
				t.Fatal(err)
			}
			return
		default:
		}
	}
}
