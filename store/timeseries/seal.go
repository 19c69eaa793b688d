package timeseries

import (
	"context"
	"errors"
	"slices"

	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/storage"
	"jauntylark/store"
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
func Seal(ctx context.Context, s *store.Store, before, now measure.Instant) (int, error) {
	tx, err := s.Begin(ctx)
	if err != nil {
		return 0, err
	}
	defer tx.Rollback()
	var mine bool
	if err := tx.Get(ctx, &mine, `select pg_try_advisory_xact_lock($1, 0)`, lockSealing); err != nil || !mine {
		return 0, err
	}
	atOnce := sealAtOnce
	if waiting, err := PlainRows(ctx, s, 5*sealAtOnce); err != nil {
		return 0, err
	} else if waiting == 5*sealAtOnce {
		atOnce = sealMany
	}
	// Whoever seals a signal holds it before looking at its rows: others may have sealed, or taken away, what
	// was seen without that.
	var signals []int64
	err = tx.Select(ctx, &signals, `
		select distinct signal_id from (select signal_id from reading where at <= $1 order by at limit $2) r
		    order by signal_id`, before, atOnce)
	if err != nil {
		return 0, err
	}
	for _, signal := range signals { // in this order, so that two never wait for each other
		if err := HoldSignal(ctx, tx, signal); err != nil {
			return 0, err
		}
	}
	// A signal that is being cleared is left alone until that is done.
	n, err := sealRows(ctx, tx, now, `
		at <= $1 and signal_id = any($3::bigint[]) and signal_id not in (select signal_id from clearing_step)
		    order by at limit $2`, before, atOnce, signals)
	if err != nil || n == 0 {
		return 0, err
	}
	return n, tx.Commit()
}

// SealSignal moves all plain rows of a signal into blocks. The caller holds the signal, and the ledger,
// so that no rows come in between.
func SealSignal(ctx context.Context, tx *store.Tx, signal int64, now measure.Instant) error {
	_, err := sealRows(ctx, tx, now, `signal_id = $1`, signal)
	return err
}

// errMoved says that a plain row went while its signal was held; nothing of the transaction may stay.
var errMoved = errors.New("a plain row was taken away by somebody who does not hold its signal")

// sealRows moves the plain rows that a condition chooses into blocks, and tells how many. The caller holds
// their signals.
func sealRows(ctx context.Context, tx *store.Tx, now measure.Instant, condition string, args ...any) (int, error) {
	var rows []plainRow
	err := tx.Select(ctx, &rows, `select ctid::text as place, signal_id, at, value, quality from reading where `+
		condition, args...)
	if err != nil || len(rows) == 0 {
		return 0, err
	}
	places := make([]string, len(rows))
	bySignal := map[int64][]measure.Reading{}
	for i, r := range rows {
		places[i] = r.Place
		bySignal[r.Signal] = append(bySignal[r.Signal], measure.Reading{At: r.At, Value: r.Value, Quality: r.Quality})
	}
	for signal, readings := range bySignal {
		sorted, _ := series.InOrder(readings)
		if _, err := Merge(ctx, tx, signal, sorted, false, now); err != nil {
			return 0, err
		}
	}
	// The database uses places again, so what went from them is compared with what was seen there.
	var gone []Row
	if err := tx.Select(ctx, &gone,
		`delete from reading where ctid = any($1::tid[]) returning signal_id, at, value, quality`, places); err != nil {
		return 0, err
	}
	seen := make(map[Row]bool, len(rows))
	for _, r := range rows {
		seen[r.Row] = true
	}
	if len(gone) != len(rows) || slices.ContainsFunc(gone, func(r Row) bool { return !seen[r] }) {
		return 0, errMoved
	}
	return len(rows), nil
}

// Backlog tells what waits.
func Backlog(ctx context.Context, db store.Reader) (b storage.Backlog, err error) {
	err = db.Get(ctx, &b,
		`select count(*) as rows, min(at) as oldest, (select count(*) from stale) as stale from reading`)
	return b, err
}

// PlainRows is how many plain rows there are, counted up to a number.
func PlainRows(ctx context.Context, db store.Reader, upTo int) (n int, err error) {
	err = db.Get(ctx, &n, `select count(*) from (select from reading limit $1) r`, upTo)
	return n, err
}
