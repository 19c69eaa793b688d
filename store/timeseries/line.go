package timeseries

import (
	"context"

	"github.com/jackc/pgx/v5/pgtype"
	"github.com/jackc/pgx/v5/stdlib"

	"jauntylark/core/calibrate"
	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/site"
	"jauntylark/store"
	"jauntylark/store/config"
)

// Line reduces a stretch of a signal, from from and before until, to what a chart of so many columns can
// show, and tells how many readings that stands for. Few readings are given as they are.
func Line(ctx context.Context, s *store.Store, signal int64, from, until measure.Instant,
	columns int) (kept []measure.Reading, of int, err error) {
	tx, err := s.Look(ctx)
	if err != nil {
		return nil, 0, err
	}
	defer tx.Rollback()
	about, err := readPast(ctx, tx, signal)
	if err != nil {
		return nil, 0, err
	}
	l, err := correctionOf(ctx, tx, signal)
	if err != nil {
		return nil, 0, err
	}
	if from >= about.ReadingsFrom {
		if few, err := few(ctx, tx, &l, from, until, 4*columns); err != nil || few != nil {
			return few, len(few), err
		}
	}
	line := series.Liner{From: from, Until: until, Columns: columns}
	if from < about.ReadingsFrom {
		if err := lineOfFigures(ctx, tx, &line, signal, about.ReadingsFrom); err != nil {
			return nil, 0, err
		}
	}
	if err := feedLine(ctx, tx, &line, &l); err != nil {
		return nil, 0, err
	}
	kept, of = line.Line()
	return kept, of, nil
}

// few gives the readings of a stretch, from from and before until, if they are no more than most; else nil.
func few(ctx context.Context, tx *store.Tx, l *correction, from, until measure.Instant,
	most int) ([]measure.Reading, error) {
	if l.derived == nil {
		if of, err := countAbout(ctx, tx, l.signal, from, until); err != nil || of > most {
			return nil, err
		}
	}
	kept := []measure.Reading{}
	err := EachReading(ctx, tx, l.signal, from, until-1, func(some []measure.Reading) error {
		if kept = append(kept, some...); len(kept) > most {
			return errEnough
		}
		return nil
	})
	if err == errEnough {
		return nil, nil
	}
	return kept, err
}

// countAbout counts the readings of a stretch, those of its first and last block in full.
func countAbout(ctx context.Context, db store.Reader, signal int64, from, until measure.Instant) (n int, err error) {
	err = db.Get(ctx, &n, `
		select coalesce(sum(count), 0) + (select count(*) from reading where signal_id = $1 and at >= $2 and at < $3)
		from block where signal_id = $1 and first_at >= `+blockAt+` and last_at >= $2 and first_at < $3`, signal, from,
		until)
	return n, err
}

// feedLine gives a signal's true readings to a line.
func feedLine(ctx context.Context, tx *store.Tx, line *series.Liner, l *correction) error {
	for _, p := range l.parts(line.From, line.Until-1) {
		if p.dirty == nil {
			if err := feedStored(ctx, tx, line, l, p.stretch); err != nil {
				return err
			}
			continue
		}
		run, err := compute(ctx, tx, l, p)
		if err != nil {
			return err
		}
		room := make([]measure.Reading, 0, series.BlockReadings)
		for {
			some, err := computeBlock(run, room[:0])
			if err != nil {
				return err
			}
			if len(some) == 0 {
				break
			}
			line.Add(some)
		}
	}
	return nil
}

// feedStored gives a line what is stored of a stretch. The bodies of blocks whose heads suffice stay where
// they are: those that fall into one column, and under one calibration.
func feedStored(ctx context.Context, tx *store.Tx, line *series.Liner, l *correction, of stretch) error {
	plain, err := plain(ctx, tx, l.signal, of.From, of.Until)
	if err != nil {
		return err
	}
	oldestPlain := line.Until
	if len(plain) > 0 {
		oldestPlain = plain[0].At
	}
	changes := make([]int64, len(l.timeline))
	for i, c := range l.timeline {
		changes[i] = int64(c.From)
	}
	l.timeline.Correct(plain)
	err = tx.Native(func(c *stdlib.Conn) error {
		rows, err := c.Conn().Query(ctx, `
			select first_at, last_at, count, first_value, last_value, low_at, low, high_at, high,
			       case when first_at < $2 or last_at > $3 or last_at >= least($5::bigint, $7::bigint)
			           or (first_at - $4) * $6 / ($5 - $4) <> (last_at - $4) * $6 / ($5 - $4)
			                 or exists (select from unnest($8::bigint[]) as f(at) where f.at > first_at
			                     and f.at <= last_at) then body end
			from block where signal_id = $1 and first_at >= `+blockAt+
			` and last_at >= $2 and first_at <= $3 order by first_at`,
			l.signal, int64(of.From), int64(of.Until), int64(line.From), int64(line.Until), int64(line.Columns),
			int64(oldestPlain), changes)
		if err != nil {
			return err
		}
		defer rows.Close()
		var h series.Head
		var body pgtype.DriverBytes
		room := make([]measure.Reading, 0, series.BlockReadings)
		for rows.Next() {
			if err := rows.Scan((*int64)(&h.FirstAt), (*int64)(&h.LastAt), &h.Count, &h.First, &h.Last,
				(*int64)(&h.LowAt), &h.Low, (*int64)(&h.HighAt), &h.High, &body); err != nil {
				return err
			}
			if body == nil {
				line.AddHead(corrected(h, l.timeline))
				continue
			}
			if room, err = series.Decode(body, room[:0]); err != nil {
				return err
			}
			readings := series.Cut(room, of.From, of.Until)
			l.timeline.Correct(readings)
			if part := series.Cut(plain, 0, h.LastAt); len(part) > 0 { // late ones, not sealed yet
				readings, _ = series.Merge(readings, part, false)
				plain = plain[len(part):]
			}
			line.Add(readings)
		}
		return rows.Err()
	})
	line.Add(plain)
	return err
}

// Tails gives what came of some signals after an instant, of those readings that are not sealed yet: each signal's in
// order of time, corrected.
func Tails(ctx context.Context, db store.Reader, signals []int64,
	since measure.Instant) (map[int64][]measure.Reading, error) {
	var rows []struct {
		Signal int64 `db:"signal_id"`
		measure.Reading
	}
	err := db.Select(ctx, &rows,
		`select signal_id, at, value, quality from reading where signal_id = any($1) and at > $2 order by signal_id, at`, signals, since)
	if err != nil {
		return nil, err
	}
	tails := map[int64][]measure.Reading{}
	for _, r := range rows {
		tails[r.Signal] = append(tails[r.Signal], r.Reading)
	}
	calibrations, err := config.CalibrationsOf(ctx, db, signals)
	if err != nil {
		return nil, err
	}
	of := map[int64][]calibrate.Calibration{}
	for _, c := range calibrations {
		of[c.Signal] = append(of[c.Signal], c.Calibration)
	}
	for signal, all := range of {
		calibrate.NewTimeline(all).Correct(tails[signal])
	}
	return tails, nil
}

// corrected gives the head of a block that lies under one calibration as that makes it.
func corrected(h series.Head, timeline calibrate.Timeline) *series.Head {
	curve := timeline.At(h.FirstAt)
	if curve == &calibrate.Identity {
		return &h
	}
	h.First, h.Last, h.Low, h.High = curve.Apply(h.First), curve.Apply(h.Last), curve.Apply(h.Low), curve.Apply(h.High)
	if curve.Falls() {
		h.Low, h.High, h.LowAt, h.HighAt = h.High, h.Low, h.HighAt, h.LowAt
	}
	return &h
}

// Sparks gives a Spark of so many columns for every signal that has a reading in the stretch.
func Sparks(ctx context.Context, s *store.Store, from, until measure.Instant, columns int) ([]site.Spark, error) {
	tx, err := s.Look(ctx)
	if err != nil {
		return nil, err
	}
	defer tx.Rollback()
	var signals []struct {
		ID   int64  `db:"id"`
		Path string `db:"path"`
	}
	err = tx.Select(ctx, &signals, `
		select s.id, d.name || '/' || s.name as path from signal s join device d on d.id = s.device_id
		    join signal_state st on st.signal_id = s.id
		where st.at >= $1 order by s.id`, from)
	if err != nil {
		return nil, err
	}
	sparks := make([]site.Spark, 0, len(signals))
	for _, signal := range signals {
		line := series.Liner{From: from, Until: until, Columns: columns}
		l, err := correctionOf(ctx, tx, signal.ID)
		if err != nil {
			return nil, err
		}
		if err := feedLine(ctx, tx, &line, &l); err != nil {
			return nil, err
		}
		spark := site.Spark{Signal: signal.Path, Low: make([]*float64, columns), High: make([]*float64, columns)}
		kept, _ := line.Line()
		for i := range kept {
			c, v := line.ColumnOf(kept[i].At), &kept[i].Value
			if spark.Low[c] == nil || *v < *spark.Low[c] {
				spark.Low[c] = v
			}
			if spark.High[c] == nil || *v > *spark.High[c] {
				spark.High[c] = v
			}
		}
		if len(kept) > 0 {
			sparks = append(sparks, spark)
		}
	}
	return sparks, nil
}
