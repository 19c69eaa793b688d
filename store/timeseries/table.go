package timeseries

import (
	"context"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/site"
	"jauntylark/store"
)

// EachRow calls each for every instant of a stretch, its end included, at which one of the signals has a
// reading: with the readings of all, nil where there is none. They are good until each returns. Raw ones are
// as they are stored, before any correction.
func EachRow(ctx context.Context, tx *store.Tx, signals []site.Signal, from, until measure.Instant, raw bool,
	each func(measure.Instant, []*measure.Reading) error) error {
	columns := make([]tableColumn, len(signals))
	for i := range signals {
		w, err := NewWalk(ctx, tx, signals[i].ID, from, until)
		if err != nil {
			return err
		}
		if raw {
			w.correction.timeline = nil
		}
		columns[i] = tableColumn{walk: w, worded: signals[i].Kind == site.KindText || signals[i].Kind == site.KindData,
			room: make([]measure.Reading, 0, series.BlockReadings)}
		if err := columns[i].advance(ctx); err != nil {
			return err
		}
	}
	row := make([]*measure.Reading, len(columns))
	for {
		at, some := measure.Instant(0), false
		for i := range columns {
			if r := columns[i].reading(); r != nil && (!some || r.At < at) {
				at, some = r.At, true
			}
		}
		if !some {
			return nil
		}
		for i := range columns {
			if row[i] = columns[i].reading(); row[i] != nil && row[i].At != at {
				row[i] = nil
			}
		}
		if err := each(at, row); err != nil {
			return err
		}
		for i := range columns {
			if row[i] == nil {
				continue
			}
			if err := columns[i].advance(ctx); err != nil {
				return err
			}
		}
	}
}

// tableColumn goes through the readings of one signal.
type tableColumn struct {
	walk   *Walk
	worded bool
	room   []measure.Reading
	some   []measure.Reading
	next   int
	done   bool
}

func (c *tableColumn) reading() *measure.Reading {
	if c.done {
		return nil
	}
	return &c.some[c.next]
}

func (c *tableColumn) advance(ctx context.Context) (err error) {
	if c.next++; c.next < len(c.some) {
		return nil
	}
	if c.some, err = c.walk.Next(ctx, c.room); err != nil {
		return err
	}
	c.next, c.done = 0, len(c.some) == 0
	if c.worded && !c.done {
		return Spell(ctx, c.walk.tx, c.some)
	}
	return nil
}

// Spell gives readings of words their texts.
func Spell(ctx context.Context, db store.Reader, readings []measure.Reading) error {
	numbers := make([]int64, len(readings))
	for i, r := range readings {
		numbers[i] = int64(r.Value)
	}
	texts, err := WordsOf(ctx, db, numbers)
	for i := range readings {
		readings[i].Text = texts[numbers[i]]
	}
	return err
}

// figuresAtOnce is how many periods of a signal are in memory at once.
const figuresAtOnce = 20_000

// EachFigureRow calls each for every period of a stretch, from from on and before until, for which one of the signals
// has figures: with those of all, nil where there are none. Of a period in which the stretch begins or ends it gives the
// figures of the part that is within.
func EachFigureRow(ctx context.Context, tx *store.Tx, signals []site.Signal, p series.Period, from,
	until measure.Instant, each func(series.Row) error) error {
	first, last, zone, err := extent(ctx, tx, signals, from, until-1)
	if err != nil || first > last {
		return err
	}
	begin := p.Start(first, zone)
	if begin < from {
		end := p.Next(begin, zone)
		if err := cutRow(ctx, tx, signals, p, from, min(end, until), each); err != nil {
			return err
		}
		begin = end
	}
	for begin <= last {
		end := begin
		for n := 0; n < figuresAtOnce && end <= last && p.Next(end, zone) <= until; n++ {
			end = p.Next(end, zone)
		}
		if end == begin {
			return cutRow(ctx, tx, signals, p, begin, until, each)
		}
		if err := figureRows(ctx, tx, signals, p, begin, end-1, zone, each); err != nil {
			return err
		}
		begin = end
	}
	return nil
}

// cutRow gives the figures of a part of a period.
func cutRow(ctx context.Context, tx *store.Tx, signals []site.Signal, p series.Period, from, until measure.Instant,
	each func(series.Row) error) error {
	row, some := series.Row{At: from, Until: until, Cut: true, Figures: make([]*series.Figures, len(signals))}, false
	for i := range signals {
		figures, err := figuresOfPart(ctx, tx, signals[i].ID, p, from, until)
		if err != nil {
			return err
		}
		if figures != nil {
			row.Figures[i], some = figures, true
		}
	}
	if !some {
		return nil
	}
	return each(row)
}

// figuresOfPart gives the figures of a part of a period, nil where it has no reading. Where the readings are kept no more
// an hour counts for the part that it begins in.
func figuresOfPart(ctx context.Context, tx *store.Tx, signal int64, p series.Period, from,
	until measure.Instant) (*series.Figures, error) {
	about, err := readPast(ctx, tx, signal)
	if err != nil {
		return nil, err
	}
	var figures []series.Figures
	begin := from
	if about.ReadingsFrom > 0 {
		lost := series.Hour.Edges(about.ReadingsFrom-1, about.ReadingsFrom, about.zone)[1]
		if from < lost {
			if figures, err = kept(ctx, tx, signal, series.Hour, from, min(lost, until)); err != nil {
				return nil, err
			}
			begin = min(lost, until)
		}
	}
	if begin < until {
		rest, err := fold(ctx, tx, signal, []measure.Instant{begin, until}, about.Hold)
		if err != nil {
			return nil, err
		}
		figures = append(figures, rest...)
	}
	joined := series.Join(figures, p, about.zone)
	if len(joined) == 0 {
		return nil, nil
	}
	joined[0].At = from
	return &joined[0], nil
}

// extent cuts a stretch to where signals have anything, and gives the zone of their days.
func extent(ctx context.Context, db store.Reader, signals []site.Signal, from,
	until measure.Instant) (first, last measure.Instant, zone *time.Location, err error) {
	first, last = until, from-1
	for i := range signals {
		about, err := readPast(ctx, db, signals[i].ID)
		if err != nil {
			return 0, 0, nil, err
		}
		a, b, err := within(ctx, db, signals[i].ID, from, until)
		if err != nil {
			return 0, 0, nil, err
		}
		if zone = about.zone; a <= b {
			first, last = min(first, a), max(last, b)
		}
	}
	return first, last, zone, nil
}

func figureRows(ctx context.Context, tx *store.Tx, signals []site.Signal, p series.Period, from, until measure.Instant,
	zone *time.Location, each func(series.Row) error) error {
	columns := make([][]series.Figures, len(signals))
	for i := range signals {
		var err error
		if columns[i], err = FiguresIn(ctx, tx, signals[i].ID, p, from, until); err != nil {
			return err
		}
	}
	row := make([]*series.Figures, len(signals))
	for {
		at, some := measure.Instant(0), false
		for i := range columns {
			if len(columns[i]) > 0 && (!some || columns[i][0].At < at) {
				at, some = columns[i][0].At, true
			}
		}
		if !some {
			return nil
		}
		for i := range columns {
			if row[i] = nil; len(columns[i]) > 0 && columns[i][0].At == at {
				row[i], columns[i] = &columns[i][0], columns[i][1:]
			}
		}
		if err := each(series.Row{At: at, Until: p.Next(at, zone), Figures: row}); err != nil {
			return err
		}
	}
}
