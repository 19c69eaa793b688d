package store

import (
	"context"

	"github.com/jackc/pgx/v5/pgtype"
	"github.com/jackc/pgx/v5/stdlib"

	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/site"
)

// Line reduces a stretch of a signal, from from and before until, to what a chart of so many columns can
// show, and tells how many readings that stands for. Few readings are given as they are.
func (s *Store) Line(ctx context.Context, signal int64, from, until measure.Instant, columns int) (kept []measure.Reading, of int, err error) {
	tx, err := s.Look(ctx)
	if err != nil {
		return nil, 0, err
	}
	defer tx.Rollback()
	if of, err = tx.countAbout(ctx, signal, from, until); err != nil {
		return nil, 0, err
	}
	about, err := tx.past(ctx, signal)
	if err != nil {
		return nil, 0, err
	}
	if of <= 4*columns && from >= about.ReadingsFrom {
		kept = []measure.Reading{}
		err = tx.EachReading(ctx, signal, from, until-1, func(some []measure.Reading) error { kept = append(kept, some...); return nil })
		return kept, len(kept), err
	}
	line := series.Liner{From: from, Until: until, Columns: columns}
	if from < about.ReadingsFrom {
		if err := tx.lineOfFigures(ctx, &line, signal, about.ReadingsFrom); err != nil {
			return nil, 0, err
		}
	}
	if err := tx.feed(ctx, &line, signal); err != nil {
		return nil, 0, err
	}
	kept, of = line.Line()
	return kept, of, nil
}

// countAbout counts the readings of a stretch, those of its first and last block in full.
func (t *Tx) countAbout(ctx context.Context, signal int64, from, until measure.Instant) (n int, err error) {
	err = t.GetContext(ctx, &n, `
		select coalesce(sum(count), 0) + (select count(*) from reading where signal_id = $1 and at >= $2 and at < $3)
		from block where signal_id = $1 and first_at >= `+blockAt+` and last_at >= $2 and first_at < $3`, signal, from, until)
	return n, err
}

// feed gives a signal's readings to a line. The bodies of blocks whose heads suffice stay where they are.
func (t *Tx) feed(ctx context.Context, line *series.Liner, signal int64) error {
	plain, err := t.plain(ctx, signal, line.From, line.Until-1)
	if err != nil {
		return err
	}
	oldestPlain := line.Until
	if len(plain) > 0 {
		oldestPlain = plain[0].At
	}
	err = t.native(func(c *stdlib.Conn) error {
		rows, err := c.Conn().Query(ctx, `
			select first_at, last_at, count, first_value, last_value, low_at, low, high_at, high,
			       case when first_at < $2 or last_at >= least($3::bigint, $5::bigint) or (first_at - $2) * $4 / ($3 - $2) <> (last_at - $2) * $4 / ($3 - $2) then body end
			from block where signal_id = $1 and first_at >= `+blockAt+` and last_at >= $2 and first_at < $3 order by first_at`,
			signal, int64(line.From), int64(line.Until), int64(line.Columns), int64(oldestPlain))
		if err != nil {
			return err
		}
		defer rows.Close()
		var h series.Head
		var body pgtype.DriverBytes
		room := make([]measure.Reading, 0, series.BlockReadings)
		for rows.Next() {
			if err := rows.Scan((*int64)(&h.FirstAt), (*int64)(&h.LastAt), &h.Count, &h.First, &h.Last, (*int64)(&h.LowAt), &h.Low, (*int64)(&h.HighAt), &h.High, &body); err != nil {
				return err
			}
			if body == nil {
				line.AddHead(&h)
				continue
			}
			if room, err = series.Decode(body, room[:0]); err != nil {
				return err
			}
			readings := room
			if part := series.Cut(plain, 0, h.LastAt); len(part) > 0 { // late ones, not sealed yet
				readings, _ = series.Merge(room, part, false)
				plain = plain[len(part):]
			}
			line.Add(readings)
		}
		return rows.Err()
	})
	line.Add(plain)
	return err
}

// Sparks gives a Spark of so many columns for every signal that has a reading in the stretch.
func (s *Store) Sparks(ctx context.Context, from, until measure.Instant, columns int) ([]site.Spark, error) {
	tx, err := s.Look(ctx)
	if err != nil {
		return nil, err
	}
	defer tx.Rollback()
	var signals []struct {
		ID   int64  `db:"id"`
		Path string `db:"path"`
	}
	err = tx.SelectContext(ctx, &signals, `
		select s.id, d.name || '/' || s.name as path from signal s join device d on d.id = s.device_id join signal_state st on st.signal_id = s.id
		where st.at >= $1 order by s.id`, from)
	if err != nil {
		return nil, err
	}
	sparks := make([]site.Spark, 0, len(signals))
	for _, signal := range signals {
		line := series.Liner{From: from, Until: until, Columns: columns}
		if err := tx.feed(ctx, &line, signal.ID); err != nil {
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
