package timeseries_test

import (
	"context"
	"maps"
	"math"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/jmoiron/sqlx"

	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/site"
	"jauntylark/store"
	"jauntylark/store/storetest"
	"jauntylark/store/timeseries"
)

// past is a signal's history in a database, beside a model of it.
type past struct {
	*store.Store
	t      *testing.T
	signal int64
	model  map[measure.Instant]float64
	rand   *rand.Rand
}

func newPast(t *testing.T, seed uint64) *past {
	s := storetest.Store(t)
	return &past{Store: s, t: t, signal: storetest.AddSignal(t, s).ID, model: map[measure.Instant]float64{},
		rand: rand.New(rand.NewPCG(seed, 7))}
}

func (p *past) do(act func(tx *store.Tx) error) {
	p.t.Helper()
	tx, err := p.Begin(context.Background())
	if err != nil {
		p.t.Fatal(err)
	}
	defer tx.Rollback()
	if err := timeseries.HoldSignal(context.Background(), tx, p.signal); err != nil {
		p.t.Fatal(err)
	}
	if err := act(tx); err != nil {
		p.t.Fatal(err)
	}
	if err := tx.Commit(); err != nil {
		p.t.Fatal(err)
	}
}

// fresh draws readings that are not there yet.
func (p *past) fresh(n int, from, until measure.Instant) (readings []measure.Reading) {
	drawn := map[measure.Instant]bool{}
	for range n {
		at := from + measure.Instant(p.rand.Int64N(int64(until-from)))
		if _, there := p.model[at]; !there && !drawn[at] {
			drawn[at] = true
			readings = append(readings, measure.Reading{At: at, Value: math.Round(p.rand.NormFloat64()*100) / 10})
		}
	}
	slices.SortFunc(readings, func(a, b measure.Reading) int { return int(a.At - b.At) })
	return readings
}

// arrive stores readings as plain rows, as the pipeline does.
func (p *past) arrive(readings []measure.Reading) {
	p.t.Helper()
	rows := make([]timeseries.Row, len(readings))
	for i, r := range readings {
		rows[i] = timeseries.Row{Signal: p.signal, At: r.At, Value: r.Value, Quality: r.Quality}
		p.model[r.At] = r.Value
	}
	p.do(func(tx *store.Tx) error { return timeseries.CopyReadings(context.Background(), tx, rows) })
}

// check compares every way of reading with the model.
func (p *past) check() {
	p.t.Helper()
	ctx := context.Background()
	want := slices.Sorted(maps.Keys(p.model))
	got, more, err := timeseries.Readings(ctx, p.Store, &site.Signal{ID: p.signal}, math.MinInt64/4, 1<<60, 1<<30)
	if err != nil || more {
		p.t.Fatal(err, more)
	}
	if len(got) != len(want) {
		p.t.Fatalf("%d readings, want %d", len(got), len(want))
	}
	for i, r := range got {
		if r.At != want[i] || r.Value != p.model[r.At] {
			p.t.Fatalf("reading %d is %+v, want %v at %v", i, r, p.model[want[i]], want[i])
		}
	}
	if len(want) == 0 {
		return
	}
	a, b := want[p.rand.IntN(len(want))], want[p.rand.IntN(len(want))]
	from, until := min(a, b), max(a, b)+1
	inside := series.Cut(got, from, until-1)
	line := series.Liner{From: from, Until: until, Columns: 7}
	line.Add(inside)
	wantLine, _ := line.Line()
	kept, of, err := timeseries.Line(ctx, p.Store, p.signal, from, until, 7)
	if err != nil || of != len(inside) || len(inside) > 28 && !slices.Equal(kept, wantLine) {
		p.t.Fatalf("line of %d, want %d: %v", of, len(inside), err)
	}
	some, more, err := timeseries.Readings(ctx, p.Store, &site.Signal{ID: p.signal}, from, until-1, 10)
	if err != nil || !slices.Equal(some, inside[:min(10, len(inside))]) || more != (len(inside) > 10) {
		p.t.Fatalf("the first ten of %d: %d, more %v, %v", len(inside), len(some), more, err)
	}
}

// checkFigures compares what is kept and told of hours and days with a fold over all readings.
func (p *past) checkFigures() {
	p.t.Helper()
	ctx := context.Background()
	all, _, err := timeseries.Readings(ctx, p.Store, &site.Signal{ID: p.signal}, math.MinInt64/4, 1<<60, 1<<30)
	if err != nil || len(all) == 0 {
		p.t.Fatal(err)
	}
	for _, period := range []series.Period{series.Hour, series.Day, series.Period(15 * time.Minute)} {
		edges := period.Edges(all[0].At, all[len(all)-1].At, time.UTC)
		f := series.NewAggregator(edges, series.HoldLimit(0))
		f.Add(all)
		got, err := timeseries.Figures(ctx, p.Store, p.signal, period, all[0].At, all[len(all)-1].At)
		if want := f.Figures(); err != nil || !slices.Equal(got, want) {
			i := 0
			for i < min(len(got), len(want)) && got[i] == want[i] {
				i++
			}
			p.t.Fatalf("%v: %d figures, want %d, the first that differs is %d: %v", period, len(got), len(want), i, err)
		}
	}
}

func TestHistoryAgreesWithAModelThroughMergesAndTakings(t *testing.T) {
	ctx := context.Background()
	for seed := range uint64(2) {
		p := newPast(t, seed)
		const week = measure.Instant(7 * 24 * 3600 * 1000)
		newest := measure.Instant(1_790_000_000_000)
		for range 25 {
			switch p.rand.IntN(6) {
			case 0, 1: // live
				p.arrive(p.fresh(p.rand.IntN(9000), newest, newest+week/20))
				newest += week / 20
			case 2: // late
				p.arrive(p.fresh(p.rand.IntN(50), newest-week, newest))
			case 3:
				if _, err := timeseries.Seal(ctx, p.Store, newest-measure.Instant(p.rand.Int64N(int64(week/10))),
					newest); err != nil {
					t.Fatal(err)
				}
			case 4: // an import, of some that are there and some that are not
				readings := p.fresh(p.rand.IntN(200), newest-week, newest)
				for at, v := range p.model {
					if len(readings) > 0 && p.rand.IntN(1+len(p.model)/20) == 0 {
						readings = append(readings, measure.Reading{At: at, Value: v + float64(p.rand.IntN(2))})
					}
				}
				readings, _ = series.InOrder(readings)
				replace := p.rand.IntN(2) == 0
				want := series.Merged{}
				for _, r := range readings {
					old, there := p.model[r.At]
					switch {
					case !there:
						want.Added++
					case old == r.Value:
						want.Same++
						continue
					case !replace:
						continue
					default:
						want.Replaced++
					}
					p.model[r.At] = r.Value
				}
				p.do(func(tx *store.Tx) error {
					if err := timeseries.SealSignal(ctx, tx, p.signal, newest); err != nil {
						return err
					}
					got, err := timeseries.Merge(ctx, tx, p.signal, readings, replace, newest)
					if got.Added != want.Added || got.Same != want.Same || got.Replaced != want.Replaced {
						t.Fatalf("merged %+v, want %+v", got, want)
					}
					return err
				})
			case 5:
				from := newest - measure.Instant(p.rand.Int64N(int64(week)))
				until := from + measure.Instant(p.rand.Int64N(int64(week/30)))
				want := 0
				for at := range p.model {
					if at >= from && at <= until {
						delete(p.model, at)
						want++
					}
				}
				p.do(func(tx *store.Tx) error {
					if err := timeseries.SealSignal(ctx, tx, p.signal, newest); err != nil {
						return err
					}
					got, err := timeseries.Take(ctx, tx, p.signal, from, until, func(series.Block) error { return nil })
					if got != want {
						t.Fatalf("took %d, want %d", got, want)
					}
					return err
				})
				p.do(func(tx *store.Tx) error { return timeseries.NoteStale(ctx, tx, p.signal, from, until, newest) })
			}
			p.check()
			if p.rand.IntN(3) == 0 {
				if _, err := timeseries.Follow(ctx, p.Store, newest); err != nil {
					t.Fatal(err)
				}
			}
			if len(p.model) > 0 {
				p.checkFigures()
			}
		}
	}
}

func (p *past) all() []measure.Reading {
	all, _, err := timeseries.Readings(context.Background(), p.Store, &site.Signal{ID: p.signal}, 0, 1<<60, 1<<30)
	if err != nil {
		p.t.Fatal(err)
	}
	return all
}

// A year of a reading a minute, with outages and backlogs, comes out as it came in.
func TestAYear(t *testing.T) {
	ctx, p := context.Background(), newPast(t, 11)
	const day, begun = 24 * 60, measure.Instant(1_767_225_600_000)
	now := begun
	for d := range 365 {
		var readings []measure.Reading
		for m := range day {
			at := begun + measure.Instant(d*day+m)*60_000
			if away := d%40 == 7 && m > 300; away { // the network is gone: it comes with the next day's
				continue
			}
			readings = append(readings, measure.Reading{At: at,
				Value: math.Round(100*math.Sin(float64(d*day+m)/300)) / 10})
		}
		if d%40 == 8 {
			for m := 301; m < day; m++ {
				readings = append(readings, measure.Reading{At: begun + measure.Instant((d-1)*day+m)*60_000,
					Value: float64(m % 10), Quality: measure.Late})
			}
		}
		now = begun + measure.Instant((d+1)*day)*60_000
		p.arrive(readings)
		if _, err := timeseries.Seal(ctx, p.Store, now-600_000, now); err != nil {
			t.Fatal(err)
		}
		for d%30 == 29 {
			if some, err := timeseries.Follow(ctx, p.Store, now); err != nil || !some {
				break
			}
		}
	}
	p.check()
	p.checkFigures()
	if len(p.model) != 365*day {
		t.Errorf("%d readings", len(p.model))
	}
}

// The database's own function reads the same out of a block as we do, to the last bit.
func TestTheDatabaseReadsBlocks(t *testing.T) {
	url := storetest.URL(t)
	s, err := store.Open(context.Background(), url) // makes the tables
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	db := sqlx.MustConnect("pgx", url)
	defer db.Close()
	for seed := range uint64(60) {
		r := rand.New(rand.NewPCG(seed, 8))
		readings := make([]measure.Reading, 1+r.IntN(300))
		at := measure.Instant(r.Int64N(4e12)) - 1e12
		for i := range readings {
			at += measure.Instant(1 + r.IntN(3)*r.IntN(1e6))
			readings[i] = measure.Reading{At: at, Value: math.Round(r.NormFloat64()*1e4) / 100,
				Quality: measure.Quality(r.IntN(2) * r.IntN(128))}
			if seed%3 == 0 {
				// any number, small ones too
				readings[i].Value = math.Float64frombits(r.Uint64() &^ (1 << (52 + r.IntN(11))))
			}
		}
		b := series.Seal(readings)
		var got []measure.Reading
		if err := db.Select(&got, `select at, value, quality from block_readings($1)`, b.Body); err != nil {
			t.Fatal(seed, err)
		}
		if len(got) != len(readings) {
			t.Fatalf("seed %d: %d readings, want %d", seed, len(got), len(readings))
		}
		for i := range got {
			if got[i].At != readings[i].At || math.Float64bits(got[i].Value) != math.Float64bits(readings[i].Value) ||
				got[i].Quality != readings[i].Quality {
				t.Fatalf("seed %d: reading %d is %+v, want %+v", seed, i, got[i], readings[i])
			}
		}
	}
}
