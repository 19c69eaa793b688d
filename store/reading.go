package store

import (
	"context"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/stdlib"

	"jauntylark/core/measure"
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
	// Plain rows first: sealing moves them to the blocks, never back.
	err := t.SelectContext(ctx, &rows, `
		select r.signal_id, r.at, r.value, r.quality
		from reading r join unnest($1::bigint[], $2::bigint[]) as w(signal_id, at) on r.signal_id = w.signal_id and r.at = w.at
		where r.at between $3 and $4`, signals, instants, from, until)
	if err != nil {
		return nil, err
	}
	sealed, err := t.sealedAt(ctx, wanted)
	return append(rows, sealed...), err
}

// DropReadings deletes what is stored of signals that are gone.
func (s *Store) DropReadings(ctx context.Context, signals []int64) error {
	for _, table := range []string{"reading", "block", "figure", "stale", "cleared_block"} {
		_, err := s.db.ExecContext(ctx, `delete from `+table+` where signal_id = any($1::bigint[]) and not exists (select from signal where id = any($1::bigint[]))`, signals)
		if err != nil {
			return err
		}
	}
	return nil
}
