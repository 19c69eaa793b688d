package store

import (
	"context"
	"slices"

	"jauntylark/core/measure"
	"jauntylark/core/series"
)

// sealAtOnce is how many plain rows one transaction seals, so that nobody waits long for a signal, and
// sealMany how many where a lot waits, when filling blocks once counts for more.
const (
	sealAtOnce = 20_000
	sealMany   = 10 * sealAtOnce
)

// plainRow is a plain row with its place in the table.
type plainRow struct {
	Place string `db:"place"`
	Row
}

// Seal moves plain rows up to and with before into blocks, in one transaction, and tells how many: there may be
// more. It seals nothing while another process does. It may be killed at any moment.
func (s *Store) Seal(ctx context.Context, before, now measure.Instant) (int, error) {
	tx, err := s.Begin(ctx)
	if err != nil {
		return 0, err
	}
	defer tx.Rollback()
	var mine bool
	if err := tx.GetContext(ctx, &mine, `select pg_try_advisory_xact_lock($1, 0)`, lockSealing); err != nil || !mine {
		return 0, err
	}
	atOnce := sealAtOnce
	if waiting, err := s.PlainRows(ctx, 5*sealAtOnce); err != nil {
		return 0, err
	} else if waiting == 5*sealAtOnce {
		atOnce = sealMany
	}
	var rows []plainRow
	// A signal that is being cleared is left alone until that is done.
	err = tx.SelectContext(ctx, &rows, `
		select ctid::text as place, signal_id, at, value, quality from reading
		where at <= $1 and signal_id not in (select signal_id from clearing_step)
		order by at limit $2`, before, atOnce)
	if err != nil || len(rows) == 0 {
		return 0, err
	}
	if err := tx.sealRows(ctx, rows, now); err != nil {
		return 0, err
	}
	return len(rows), tx.Commit()
}

// sealRows moves plain rows into blocks.
func (t *Tx) sealRows(ctx context.Context, rows []plainRow, now measure.Instant) error {
	places := make([]string, len(rows))
	bySignal := map[int64][]measure.Reading{}
	for i, r := range rows {
		places[i] = r.Place
		bySignal[r.Signal] = append(bySignal[r.Signal], measure.Reading{At: r.At, Value: r.Value, Quality: r.Quality})
	}
	signals := make([]int64, 0, len(bySignal))
	for signal := range bySignal {
		signals = append(signals, signal)
	}
	slices.Sort(signals) // always in this order, so that two never wait for each other
	for _, signal := range signals {
		if err := t.HoldSignal(ctx, signal); err != nil {
			return err
		}
		readings, _ := series.InOrder(bySignal[signal])
		if _, err := t.Merge(ctx, signal, readings, false, now); err != nil {
			return err
		}
	}
	_, err := t.ExecContext(ctx, `delete from reading where ctid = any($1::tid[])`, places)
	return err
}

// SealSignal moves all plain rows of a signal into blocks. The caller holds the signal, and the ledger,
// so that no rows come in between.
func (t *Tx) SealSignal(ctx context.Context, signal int64, now measure.Instant) error {
	var rows []plainRow
	if err := t.SelectContext(ctx, &rows, `select ctid::text as place, signal_id, at, value, quality from reading where signal_id = $1`, signal); err != nil || len(rows) == 0 {
		return err
	}
	return t.sealRows(ctx, rows, now)
}

// Backlog is what waits to be sealed or computed anew.
type Backlog struct {
	Rows   int              `json:"rows" db:"rows" doc:"readings in plain rows"`
	Oldest *measure.Instant `json:"oldest" db:"oldest" format:"date-time" doc:"of these"`
	Stale  int              `json:"stale" db:"stale" doc:"stretches whose figures are to be computed anew"`
}

// Backlog tells what waits.
func (s *Store) Backlog(ctx context.Context) (b Backlog, err error) {
	err = s.db.GetContext(ctx, &b, `select count(*) as rows, min(at) as oldest, (select count(*) from stale) as stale from reading`)
	return b, err
}

// PlainRows is how many plain rows there are, counted up to a number.
func (s *Store) PlainRows(ctx context.Context, upTo int) (n int, err error) {
	err = s.db.GetContext(ctx, &n, `select count(*) from (select from reading limit $1) r`, upTo)
	return n, err
}
