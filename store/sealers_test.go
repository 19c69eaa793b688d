package store_test

import (
	"context"
	"slices"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/site"
	"jauntylark/store"
)

// While readings come in, two processes seal, figures are computed and an import is merged in, each reader
// finds everything that was committed before it looked, each reading once.
func TestReadersSeeEverythingWhileBlocksAreMade(t *testing.T) {
	p := newPast(t, 21)
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	const begun = measure.Instant(1_790_000_000_000)
	var newest, committed atomic.Int64
	newest.Store(int64(begun))
	var all sync.WaitGroup
	failed := func(err error) bool {
		if err != nil && ctx.Err() == nil {
			t.Error(err)
			stop()
		}
		return err != nil
	}
	for range 2 {
		all.Go(func() {
			for ctx.Err() == nil {
				_, err := p.Seal(ctx, measure.Instant(newest.Load())-20, 1)
				if failed(err) {
					return
				}
				if _, err = p.Follow(ctx, 1<<40); failed(err) {
					return
				}
			}
		})
	}
	for range 2 {
		all.Go(func() {
			for ctx.Err() == nil {
				least := committed.Load()
				got, _, err := p.Readings(ctx, &site.Signal{ID: p.signal}, 0, 1<<60, 1<<30)
				if failed(err) {
					return
				}
				if int64(len(got)) < least || !slices.IsSortedFunc(got, func(a, b measure.Reading) int { return int(a.At - b.At) }) {
					t.Errorf("%d readings, %d were committed", len(got), least)
				}
				for i := 1; i < len(got); i++ {
					if got[i].At == got[i-1].At {
						t.Errorf("the reading at %v is there twice", got[i].At)
					}
				}
				_, of, err := p.Line(ctx, p.signal, begun-1e9, 1<<42, 3)
				if !failed(err) && int64(of) < least {
					t.Errorf("a line of %d readings, %d were committed", of, least)
				}
				if at, err := p.newestKnown(ctx, begun); !failed(err) && least > 0 && !at {
					t.Error("a reading that was committed is not found")
				}
			}
		})
	}
	end := time.Now().Add(4 * time.Second)
	for n := 0; time.Now().Before(end) && ctx.Err() == nil; n++ {
		tx, err := p.Begin(ctx)
		if err != nil {
			t.Fatal(err)
		}
		rows := make([]store.Row, 200)
		for i := range rows {
			at := measure.Instant(newest.Add(10))
			rows[i] = store.Row{Signal: p.signal, At: at, Value: float64(i)}
		}
		if n == 0 {
			rows[0].At = begun
		}
		more := 0
		if n%5 == 4 { // an import of what lies before
			if err := tx.HoldSignal(ctx, p.signal); err != nil {
				t.Fatal(err)
			}
			told, err := tx.Merge(ctx, p.signal, []measure.Reading{{At: begun - measure.Instant(n), Value: 1}, {At: begun + measure.Instant(10*n+5), Value: 2}}, false, 1)
			if err != nil {
				t.Fatal(err)
			}
			more = told.Added
		}
		if err := tx.CopyReadings(ctx, rows); err != nil {
			t.Fatal(err)
		}
		if err := tx.Commit(); err != nil {
			t.Fatal(err)
		}
		committed.Add(int64(len(rows) + more))
	}
	stop()
	all.Wait()
	for {
		if n, err := p.Seal(context.Background(), 1<<60, 1); err != nil {
			t.Fatal(err)
		} else if n == 0 {
			break
		}
	}
	if got := p.all(); int64(len(got)) != committed.Load() {
		t.Errorf("%d readings at the end, want %d", len(got), committed.Load())
	}
	if b, err := p.Backlog(context.Background()); err != nil || b.Rows != 0 {
		t.Errorf("%+v %v", b, err)
	}
}

// newestKnown tells whether the lookup for duplicates finds the reading of an instant.
func (p *past) newestKnown(ctx context.Context, at measure.Instant) (bool, error) {
	tx, err := p.Begin(ctx)
	if err != nil {
		return false, err
	}
	defer tx.Rollback()
	found, err := tx.FindReadings(ctx, []store.Row{{Signal: p.signal, At: at}, {Signal: p.signal, At: at + 3}})
	return len(found) == 1 && found[0].At == at, err
}

// Blocks stay full and do not overlap, however readings come.
func TestBlocksStayFull(t *testing.T) {
	ctx, p := context.Background(), newPast(t, 31)
	const begun = measure.Instant(1_790_000_000_000)
	for n := range 60 { // in order, a few at a time
		readings := make([]measure.Reading, 333)
		for i := range readings {
			readings[i] = measure.Reading{At: begun + measure.Instant(n*333+i)*1000, Value: float64(i)}
		}
		p.arrive(readings)
		if _, err := p.Seal(ctx, 1<<60, begun); err != nil {
			t.Fatal(err)
		}
	}
	var heads []series.Head
	tx, err := p.Look(ctx)
	if err != nil {
		t.Fatal(err)
	}
	defer tx.Rollback()
	if err := tx.Select(&heads, `select first_at, last_at, count from block order by first_at`); err != nil {
		t.Fatal(err)
	}
	if want := (60*333 + series.BlockReadings - 1) / series.BlockReadings; len(heads) != want {
		t.Errorf("%d blocks, want %d", len(heads), want)
	}
	for i := 1; i < len(heads); i++ {
		if heads[i].FirstAt <= heads[i-1].LastAt || heads[i-1].Count != series.BlockReadings {
			t.Errorf("block %d: %+v after %+v", i, heads[i], heads[i-1])
		}
	}
	p.check()
}
