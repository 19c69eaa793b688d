package store

import (
	"context"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/stdlib"

	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// Row is one stored reading with the signal that it belongs to.
type Row struct {
	Signal  int64           `db:"signal_id"`
	At      measure.Instant `db:"at"`
	Value   float64         `db:"value"`
	Quality measure.Quality `db:"quality"`
}

// CopyReadings appends the rows by COPY.
func (t *Tx) CopyReadings(ctx context.Context, rows []Row) error {
	if len(rows) == 0 {
		return nil
	}
	return t.native(func(c *stdlib.Conn) error {
		source := copySource{rows: rows, values: make([]any, 4)}
		_, err := c.Conn().CopyFrom(ctx, pgx.Identifier{"reading"}, []string{"at", "value", "signal_id", "quality"}, &source)
		return err
	})
}

// copySource feeds rows to COPY through one slice of values.
type copySource struct {
	rows   []Row
	next   int
	values []any
}

func (c *copySource) Next() bool { c.next++; return c.next <= len(c.rows) }
func (c *copySource) Err() error { return nil }
func (c *copySource) Values() ([]any, error) {
	r := &c.rows[c.next-1]
	c.values[0], c.values[1], c.values[2], c.values[3] = int64(r.At), r.Value, int32(r.Signal), int16(r.Quality)
	return c.values, nil
}

// FindReadings gives those stored readings that share signal and instant with a wanted row.
func (t *Tx) FindReadings(ctx context.Context, wanted []Row) ([]Row, error) {
	signals, instants := make([]int64, len(wanted)), make([]int64, len(wanted))
	from, until := wanted[0].At, wanted[0].At
	for i, w := range wanted {
		signals[i], instants[i] = w.Signal, int64(w.At)
		from, until = min(from, w.At), max(until, w.At)
	}
	var rows []Row
	err := t.SelectContext(ctx, &rows, `
		select r.signal_id, r.at, r.value, r.quality
		from reading r join unnest($1::bigint[], $2::bigint[]) as w(signal_id, at) on r.signal_id = w.signal_id and r.at = w.at
		where r.at between $3 and $4`, signals, instants, from, until)
	return rows, err
}

// Readings gives the readings of a signal from from up to and with until, in order of time, limit at
// most, and whether there are more.
func (s *Store) Readings(ctx context.Context, signal int64, from, until measure.Instant, limit int) ([]measure.Reading, bool, error) {
	readings := []measure.Reading{}
	err := s.db.SelectContext(ctx, &readings, `
		select at, value, quality from reading
		where signal_id = $1 and at between $2 and $3 order by at limit $4`, signal, from, until, limit+1)
	if len(readings) > limit {
		return readings[:limit], true, err
	}
	return readings, false, err
}

// Sparks gives a Spark of so many columns for every signal that has a reading in the stretch.
func (s *Store) Sparks(ctx context.Context, from, until measure.Instant, columns int) ([]site.Spark, error) {
	rows, err := s.db.QueryxContext(ctx, `
		select d.name || '/' || s.name, r.col, r.low, r.high
		from (select signal_id, ((at - $1) * $3 / ($2 - $1))::int as col, min(value) as low, max(value) as high
		      from reading where at >= $1 and at < $2 and quality & $4 = 0 group by 1, 2) r
		join signal s on s.id = r.signal_id join device d on d.id = s.device_id
		order by r.signal_id, r.col`, int64(from), int64(until), int64(columns), int16(measure.Unusable))
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	sparks := []site.Spark{}
	for rows.Next() {
		var path string
		var col int
		var low, high float64
		if err := rows.Scan(&path, &col, &low, &high); err != nil {
			return nil, err
		}
		if n := len(sparks); n == 0 || sparks[n-1].Signal != path {
			sparks = append(sparks, site.Spark{Signal: path, Low: make([]*float64, columns), High: make([]*float64, columns)})
		}
		spark := &sparks[len(sparks)-1]
		spark.Low[col], spark.High[col] = &low, &high
	}
	return sparks, rows.Err()
}

// Exported is one reading with all that says what it is.
type Exported struct {
	At     measure.Instant `db:"at"`
	Signal string          `db:"name"`
	Kind   string          `db:"kind"`
	Unit   measure.Unit    `db:"unit"`
	Value  float64         `db:"value"`
	Text   *string         `db:"text"`
}

// ExportReadings calls each with every reading of a device, in order of time.
func (s *Store) ExportReadings(ctx context.Context, device int64, each func(Exported) error) error {
	rows, err := s.db.QueryxContext(ctx, `
		select r.at, s.name, s.kind, s.unit, r.value, w.text
		from reading r join signal s on s.id = r.signal_id left join word w on s.kind in ('text', 'data') and w.id = r.value::bigint
		where s.device_id = $1 order by r.at, s.id`, device)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var r Exported
		if err := rows.StructScan(&r); err != nil {
			return err
		}
		if err := each(r); err != nil {
			return err
		}
	}
	return rows.Err()
}

// DropReadings deletes the readings of signals that are gone.
func (s *Store) DropReadings(ctx context.Context, signals []int64) error {
	if len(signals) == 0 {
		return nil
	}
	_, err := s.db.ExecContext(ctx, `delete from reading where signal_id = any($1::bigint[]) and not exists (select from signal where id = any($1::bigint[]))`, signals)
	return err
}
