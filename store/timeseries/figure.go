package timeseries

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/stdlib"

	"jauntylark/core/derive"
	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/store"
)

// past is what figures of a signal depend on besides its readings.
type past struct {
	Interval     measure.Duration `db:"interval"` // how often a reading is expected
	ReadingsFrom measure.Instant  `db:"readings_from"`
	Hold         measure.Instant  `db:"hold"`
	// for how long a value holds in totals: the silence limit, or a day where no interval is stated
	Silence  measure.Instant `db:"silence"`
	ZoneName string          `db:"zone"`
	zone     *time.Location
}

func readPast(ctx context.Context, db store.Reader, signal int64) (p past, err error) {
	err = db.Get(ctx, &p, `
		select interval_of(s.id) as interval, s.readings_from, s.hold, s.silence,
		       (select case when figures_zone = '' then zone else figures_zone end from site) as zone
		from signal s where s.id = $1`, signal)
	if err != nil {
		return p, store.Found(err)
	}
	if p.Hold == 0 { // the rules by which the rest is kept, once there are some
		p.Hold = series.HoldLimit(p.Interval)
	}
	if p.Silence == 0 {
		p.Silence = derive.Hold(p.Interval)
	}
	p.zone, err = time.LoadLocation(p.ZoneName)
	return p, err
}

// fold computes figures from the readings themselves.
func fold(ctx context.Context, tx *store.Tx, signal int64, edges []measure.Instant,
	hold measure.Instant) ([]series.Figures, error) {
	f := series.NewAggregator(edges, hold)
	err := EachReading(ctx, tx, signal, edges[0]-hold, edges[len(edges)-1]+hold,
		func(some []measure.Reading) error { f.Add(some); return nil })
	return f.Figures(), err
}

const figureColumns = `at, count, left_out, first_at, first_value, last_at, last_value, low_at, low, high_at, high, sum, held, held_for`

// kept gives the figures that are kept of a period, from from and before until.
func kept(ctx context.Context, db store.Reader, signal int64, p series.Period, from,
	until measure.Instant) (figures []series.Figures, err error) {
	err = db.Select(ctx, &figures, `
		select `+figureColumns+` from figure where signal_id = $1 and period = $2 and at >= $3 and at < $4 order by at`,
		signal, time.Duration(p)/time.Second, from, until)
	return figures, err
}

// keepFigures puts figures in place of those that are kept from from and before until.
func keepFigures(ctx context.Context, tx *store.Tx, signal int64, p series.Period, from, until measure.Instant,
	figures []series.Figures) error {
	seconds := int32(time.Duration(p) / time.Second)
	_, err := tx.Exec(ctx, `delete from figure where signal_id = $1 and period = $2 and at >= $3 and at < $4`, signal,
		seconds, from, until)
	if err != nil || len(figures) == 0 {
		return err
	}
	return tx.Native(func(c *stdlib.Conn) error {
		source := pgx.CopyFromSlice(len(figures), func(i int) ([]any, error) {
			f := &figures[i]
			return []any{int32(signal), seconds, int64(f.At), int32(f.Count), int32(f.LeftOut), int64(f.FirstAt),
				f.First, int64(f.LastAt), f.Last,
				int64(f.LowAt), f.Low, int64(f.HighAt), f.High, f.Sum, f.Held, f.HeldFor}, nil
		})
		_, err := c.Conn().CopyFrom(ctx, pgx.Identifier{"figure"}, []string{"signal_id", "period", "at", "count",
			"left_out", "first_at", "first_value",
			"last_at", "last_value", "low_at", "low", "high_at", "high", "sum", "held", "held_for"}, source)
		return err
	})
}

// Figures gives a signal's figures of the periods that from..until touches. They are exact at any moment:
// what is kept is used where it holds, and computed from the readings where it does not, or not yet.
func Figures(ctx context.Context, s *store.Store, signal int64, p series.Period, from,
	until measure.Instant) ([]series.Figures, error) {
	tx, err := s.Look(ctx)
	if err != nil {
		return nil, err
	}
	defer tx.Rollback()
	return FiguresIn(ctx, tx, signal, p, from, until)
}

// Figures is Figures of a Store, as this transaction sees them.
func FiguresIn(ctx context.Context, tx *store.Tx, signal int64, p series.Period, from,
	until measure.Instant) ([]series.Figures, error) {
	about, err := readPast(ctx, tx, signal)
	if err != nil {
		return nil, err
	}
	if from, until, err = within(ctx, tx, signal, from, until); err != nil || from > until {
		return []series.Figures{}, err
	}
	edges := p.Edges(from, until, about.zone)
	begin, end := edges[0], edges[len(edges)-1]
	if p == series.Hour || p == series.Day {
		return keptOrFolded(ctx, tx, signal, p, begin, end, about)
	}
	lost := p.Edges(about.ReadingsFrom-1, about.ReadingsFrom, about.zone)[1] // periods before have lost readings
	figures := []series.Figures{}
	if about.ReadingsFrom > 0 && begin < lost {
		hours, err := kept(ctx, tx, signal, series.Hour, begin, min(lost, end))
		if err != nil {
			return nil, err
		}
		figures = series.Join(hours, p, about.zone)
		begin = min(lost, end)
	}
	if begin == end {
		return figures, nil
	}
	folded, err := fold(ctx, tx, signal, p.Edges(begin, end-1, about.zone), about.Hold)
	return append(figures, folded...), err
}

// within cuts a stretch to where a signal, or what it is computed from, has readings or figures.
func within(ctx context.Context, db store.Reader, signal int64, from,
	until measure.Instant) (measure.Instant, measure.Instant, error) {
	var has struct {
		From  measure.Instant `db:"from_at"`
		Until measure.Instant `db:"until_at"`
	}
	err := db.Get(ctx, &has, `
		with recursive behind(id) as (select $1::bigint union select i.input_id from derived_input i
		    join behind b on b.id = i.derived_id)
		select coalesce(least(min((select min(first_at) from block where signal_id = b.id)),
		    min((select min(at) from reading where signal_id = b.id)),
		                      min((select first_at from figure where signal_id = b.id and period = $2 and count > 0
		                          order by at limit 1))), $4) as from_at,
		       coalesce(greatest(max((select last_at from block where signal_id = b.id order by first_at desc limit 1)),
		           max((select max(at) from reading where signal_id = b.id)),
		                      max((select last_at from figure where signal_id = b.id and period = $2 and count > 0
		                          order by at desc limit 1))), $3) as until_at
		from behind b`, signal, 3600, int64(-1<<62), int64(1<<62))
	return max(from, has.From), min(until, has.Until), err
}

// stretch is from From up to and with Until.
type stretch struct {
	From  measure.Instant `db:"from_at"`
	Until measure.Instant `db:"until_at"`
}

// keptOrFolded gives the figures of hours or days, with those that do not hold computed anew.
func keptOrFolded(ctx context.Context, tx *store.Tx, signal int64, p series.Period, begin, end measure.Instant,
	about past) ([]series.Figures, error) {
	figures, err := kept(ctx, tx, signal, p, begin, end)
	if err != nil {
		return nil, err
	}
	dirty, err := unsettled(ctx, tx, signal)
	if err != nil {
		return nil, err
	}
	for _, d := range merged(dirty, about.Hold) {
		edges := p.Edges(max(begin, d.From), min(end-1, d.Until), about.zone)
		if about.ReadingsFrom > 0 {
			edges = edgesFrom(edges, about.ReadingsFrom+about.Hold)
		}
		if len(edges) < 2 || d.Until < begin || d.From >= end {
			continue
		}
		fresh, err := fold(ctx, tx, signal, edges, about.Hold)
		if err != nil {
			return nil, err
		}
		figures = series.Splice(figures, fresh, edges[0], edges[len(edges)-1])
	}
	if figures == nil {
		figures = []series.Figures{}
	}
	return figures, nil
}

// unsettled gives the stretches, in order of their beginning, for which what is kept of a signal does not
// hold: what is noted as stale, what is not sealed yet, and what is still to be computed.
func unsettled(ctx context.Context, db store.Reader, signal int64) (dirty []stretch, err error) {
	err = db.Select(ctx, &dirty, `
		select from_at, until_at from stale where signal_id = $1
		union all select at, at from reading where signal_id = $1
		union all select from_at, until_at from recompute where signal_id = $1
		union all select computed_until + 1, $2 from signal where id = $1 and recipe is not null
		order by 1`, signal, endOfTime)
	return dirty, err
}

// merged widens stretches, which must be in order of their beginning, by hold on both sides and joins
// those that touch.
func merged(stretches []stretch, hold measure.Instant) (joined []stretch) {
	for _, s := range stretches {
		s.From, s.Until = s.From-hold, s.Until+hold
		if n := len(joined); n > 0 && s.From <= joined[n-1].Until {
			joined[n-1].Until = max(joined[n-1].Until, s.Until)
			continue
		}
		joined = append(joined, s)
	}
	return joined
}

// edgesFrom leaves out the periods that begin before at.
func edgesFrom(edges []measure.Instant, at measure.Instant) []measure.Instant {
	for len(edges) > 0 && edges[0] < at {
		edges = edges[1:]
	}
	return edges
}
