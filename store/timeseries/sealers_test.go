package timeseries_test

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
	"jauntylark/store/storetest"
	"jauntylark/store/timeseries"
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
				_, err := timeseries.Seal(ctx, p.Store, measure.Instant(newest.Load())-20, 1)
				if failed(err) {
					return
				}
				if _, err = timeseries.Follow(ctx, p.Store, 1<<40); failed(err) {
					return
				}
			}
		})
	}
	for range 2 {
		all.Go(func() {
			for ctx.Err() == nil {
				least := committed.Load()
				got, _, err := timeseries.Readings(ctx, p.Store, &site.Signal{ID: p.signal}, 0, 1<<60, 1<<30)
				if failed(err) {
					return
				}
				if int64(len(got)) < least || !slices.IsSortedFunc(got,
					func(a, b measure.Reading) int { return int(a.At - b.At) }) {
					t.Errorf("%d readings, %d were committed", len(got), least)
				}
				for i := 1; i < len(got); i++ {
					if got[i].At == got[i-1].At {
						t.Errorf("the reading at %v is there twice", got[i].At)
					}
				}
				_, of, err := timeseries.Line(ctx, p.Store, p.signal, begun-1e9, 1<<42, 3)
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
		rows := make([]timeseries.Row, 200)
		for i := range rows {
			at := measure.Instant(newest.Add(10))
			rows[i] = timeseries.Row{Signal: p.signal, At: at, Value: float64(i)}
		}
		if n == 0 {
			rows[0].At = begun
		}
		more := 0
		if n%5 == 4 { // an import of what lies before
			if err := timeseries.HoldSignal(ctx, tx, p.signal); err != nil {
				t.Fatal(err)
			}
			told, err := timeseries.Merge(ctx, tx, p.signal,
				[]measure.Reading{{At: begun - measure.Instant(n), Value: 1},
					{At: begun + measure.Instant(10*n+5), Value: 2}}, false, 1)
			if err != nil {
				t.Fatal(err)
			}
			more = told.Added
		}
		if err := timeseries.CopyReadings(ctx, tx, rows); err != nil {
			t.Fatal(err)
		}
		if err := tx.Commit(); err != nil {
			t.Fatal(err)
		}
		committed.Add(int64(len(rows) + more))
	}
	stop()
	all.Wait()
	// a sealer that was stopped may hold some signals for a moment
	storetest.Eventually(t, "all is sealed", func() bool {
		if _, err := timeseries.Seal(context.Background(), p.Store, 1<<60, 1); err != nil {
			t.Fatal(err)
		}
		b, err := timeseries.Backlog(context.Background(), p.Store)
		return err == nil && b.Rows == 0
	})
	if got := p.all(); int64(len(got)) != committed.Load() {
		t.Errorf("%d readings at the end, want %d", len(got), committed.Load())
	}
}

// newestKnown tells whether the lookup for duplicates finds the reading of an instant, and no other. One that is
// sealed just then is found in both places.
func (p *past) newestKnown(ctx context.Context, at measure.Instant) (bool, error) {
	tx, err := p.Begin(ctx)
	if err != nil {
		return false, err
	}
	defer tx.Rollback()
	found, err := timeseries.FindReadings(ctx, tx, []timeseries.Row{{Signal: p.signal, At: at},
		{Signal: p.signal, At: at + 3}})
	return len(found) > 0 && !slices.ContainsFunc(found, func(r timeseries.Row) bool { return r.At != at }), err
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
		if _, err := timeseries.Seal(ctx, p.Store, 1<<60, begun); err != nil {
			t.Fatal(err)
		}
	}
	var heads []series.Head
	tx, err := p.Look(ctx)
	if err != nil {
		t.Fatal(err)
	}
	defer tx.Rollback()
	if err := tx.Select(context.Background(), &heads,
		`select first_at, last_at, count from block order by first_at`); err != nil {
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

// Where readings are so far apart that their values just hold, or just do not, a late one changes the figures of
// hours that it does not lie in.
func TestFiguresAroundALateReadingFollow(t *testing.T) {
	ctx := context.Background()
	for seed := range uint64(3) {
		p := newPast(t, 40+seed)
		const begun, hour = measure.Instant(1_790_000_000_000), measure.Instant(3_600_000)
		for n := range 12 {
			p.arrive(p.fresh(7, begun, begun+60*24*hour)) // anywhere in two months
			if _, err := timeseries.Seal(ctx, p.Store, 1<<60, measure.Instant(n)); err != nil {
				t.Fatal(err)
			}
			for more := true; more; {
				var err error
				if more, err = timeseries.Follow(ctx, p.Store, measure.Instant(n)); err != nil {
					t.Fatal(err)
				}
			}
			p.checkFigures()
		}
	}
}

// Readings stay until what is kept of them for longer is computed.
func TestNothingGoesBeforeItsFiguresAreComputed(t *testing.T) {
	ctx, p := context.Background(), newPast(t, 51)
	const begun = measure.Instant(1_790_000_000_000)
	p.arrive(p.fresh(9000, begun, begun+86_400_000*9))
	if _, err := timeseries.Seal(ctx, p.Store, 1<<60, begun); err != nil {
		t.Fatal(err)
	}
	if n, err := timeseries.Prune(ctx, p.Store, p.signal, 1<<60); err != nil || n != 0 {
		t.Errorf("%d blocks went, with figures to be computed: %v", n, err)
	}
	if some, err := timeseries.Follow(ctx, p.Store, begun); err != nil || !some {
		t.Fatal(some, err)
	}
	days, err := timeseries.Figures(ctx, p.Store, p.signal, series.Day, begun, begun+86_400_000*9)
	if err != nil {
		t.Fatal(err)
	}
	if n, err := timeseries.Prune(ctx, p.Store, p.signal, 1<<60); err != nil || n != 3 {
		t.Errorf("%d blocks went: %v", n, err)
	}
	after, err := timeseries.Figures(ctx, p.Store, p.signal, series.Day, begun, begun+86_400_000*9)
	if err != nil || len(p.all()) != 0 || !slices.Equal(after, days) {
		t.Errorf("%d days after, %d before: %v", len(after), len(days), err)
	}
}

// Late readings that are not sealed yet are in the line, also where the heads of blocks would have been enough.
func TestALineHasLateReadingsAtOnce(t *testing.T) {
	ctx, p := context.Background(), newPast(t, 61)
	const begun = measure.Instant(1_790_000_000_000)
	until := begun + 86_400_000*30
	p.arrive(p.fresh(25*series.BlockReadings, begun, until))
	for {
		if n, err := timeseries.Seal(ctx, p.Store, 1<<60, begun); err != nil {
			t.Fatal(err)
		} else if n == 0 {
			break
		}
	}
	late := p.fresh(40, begun, until)
	for i := range late {
		late[i].Value = 1000 + float64(i%7)
	}
	p.arrive(late)
	all := p.all()
	for _, columns := range []int{1, 2, 3, 5, 12} {
		line := series.Liner{From: begun, Until: until, Columns: columns}
		line.Add(all)
		want, of := line.Line()
		got, gotOf, err := timeseries.Line(ctx, p.Store, p.signal, begun, until, columns)
		if err != nil || gotOf != of || !slices.Equal(got, want) {
			t.Errorf("%d columns: %d kept of %d, want %d of %d: %v", columns, len(got), gotOf, len(want), of, err)
		}
	}
}

// While sealers are at work, stretches are taken away by others: what is taken does not come back, and nothing
// else goes with it.
func TestWhatIsTakenWhileOthersSealStaysAway(t *testing.T) {
	p := newPast(t, 71)
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	var newest atomic.Int64
	newest.Store(1_790_000_000_000)
	var all sync.WaitGroup
	for range 3 {
		all.Go(func() {
			for ctx.Err() == nil {
				if _, err := timeseries.Seal(ctx, p.Store, 1<<60, 1); err != nil && ctx.Err() == nil {
					t.Error(err)
					return
				}
			}
		})
	}
	arrived, taken := 0, 0
	for end := time.Now().Add(4 * time.Second); time.Now().Before(end); {
		rows := make([]timeseries.Row, 100)
		for i := range rows {
			rows[i] = timeseries.Row{Signal: p.signal, At: measure.Instant(newest.Add(10)), Value: 1}
		}
		p.do(func(tx *store.Tx) error { return timeseries.CopyReadings(context.Background(), tx, rows) })
		arrived += len(rows)
		p.do(func(tx *store.Tx) error {
			if err := timeseries.SealSignal(context.Background(), tx, p.signal, 1); err != nil {
				return err
			}
			n, err := timeseries.Take(context.Background(), tx, p.signal, 0, measure.Instant(newest.Load()-200),
				func(series.Block) error { return nil })
			taken += n
			return err
		})
	}
	stop()
	all.Wait()
	if left := len(p.all()); left+taken != arrived {
		t.Errorf("%d arrived, %d were taken, %d are left", arrived, taken, left)
	}
}
