package timeseries

import (
	"context"
	"slices"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/stdlib"

	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/store"
)

// lockSignal, lockSealing and lockFigures are the classes of advisory locks that this package takes.
const (
	lockSignal  = 7001 // whoever changes a signal's blocks
	lockSealing = 7002 // whoever seals: one process at a time
	lockFigures = 7003 // whoever computes a signal's figures anew
)

// HoldSignal keeps all others from changing a signal's blocks until this transaction ends.
func HoldSignal(ctx context.Context, db store.Writer, signal int64) error {
	_, err := db.Exec(ctx, `select pg_advisory_xact_lock($1, $2)`, lockSignal, signal)
	return err
}

// span is where a block lies.
type span struct {
	FirstAt measure.Instant `db:"first_at"`
	LastAt  measure.Instant `db:"last_at"`
	Count   int             `db:"count"`
}

// spans gives where the blocks lie that readings from from up to until fall into or between, with the
// one before them.
func spans(ctx context.Context, db store.Reader, signal int64, from, until measure.Instant) (spans []span, err error) {
	err = db.Select(ctx, &spans, `
		select first_at, last_at, count from block
		where signal_id = $1 and first_at <= $3 and first_at >= `+blockAt+` order by first_at`, signal, from, until)
	return spans, err
}

// blockAt is where the block of signal $1 begins that holds instant $2, or what comes before it; $2
// when there is none.
const blockAt = `coalesce((select max(first_at) from block where signal_id = $1 and first_at <= $2), $2)`

// Merge puts fresh readings, in strictly ascending order of time, into a signal's blocks, and notes the
// stretch as stale. The caller holds the signal. Where a block has a reading already it stays, unless
// replace says otherwise.
func Merge(ctx context.Context, tx *store.Tx, signal int64, fresh []measure.Reading, replace bool,
	now measure.Instant) (series.Merged, error) {
	var told series.Merged
	if len(fresh) == 0 {
		return told, nil
	}
	spans, err := spans(ctx, tx, signal, fresh[0].At, fresh[len(fresh)-1].At)
	if err != nil {
		return told, err
	}
	from, until := fresh[0].At, fresh[len(fresh)-1].At
	for len(fresh) > 0 {
		into, rest := -1, len(fresh) // those that belong to one block, or come before all
		for i := range spans {
			if spans[i].FirstAt > fresh[0].At {
				rest, _ = slices.BinarySearchFunc(fresh, spans[i].FirstAt,
					func(r measure.Reading, at measure.Instant) int { return int(r.At - at) })
				break
			}
			into = i
		}
		if into < 0 {
			told.Added += rest
			err = addBlocks(ctx, tx, signal, series.SealAll(fresh[:rest]))
		} else {
			err = mergeInto(ctx, tx, signal, spans[into], fresh[:rest], replace, &told)
		}
		if err != nil {
			return told, err
		}
		fresh = fresh[rest:]
	}
	if told.Added+told.Replaced == 0 {
		return told, nil
	}
	return told, NoteStale(ctx, tx, signal, from, until, now)
}

// mergeInto merges readings into one block and what comes after it. Readings behind a full block make
// blocks of their own.
func mergeInto(ctx context.Context, tx *store.Tx, signal int64, s span, fresh []measure.Reading, replace bool,
	told *series.Merged) error {
	if fresh[0].At > s.LastAt && s.Count >= series.BlockReadings {
		told.Added += len(fresh)
		return addBlocks(ctx, tx, signal, series.SealAll(fresh))
	}
	old, err := openBlock(ctx, tx, signal, s.FirstAt)
	if err != nil {
		return err
	}
	merged, m := series.Merge(old, fresh, replace)
	told.Added, told.Same, told.Replaced = told.Added+m.Added, told.Same+m.Same, told.Replaced+m.Replaced
	told.Conflicts = append(told.Conflicts, m.Conflicts...)
	if m.Added+m.Replaced == 0 {
		return nil
	}
	return replaceBlock(ctx, tx, signal, s.FirstAt, merged)
}

// openBlock gives the readings of the block that begins at an instant.
func openBlock(ctx context.Context, db store.Reader, signal int64, firstAt measure.Instant) ([]measure.Reading, error) {
	var body []byte
	if err := db.Get(ctx, &body, `select body from block where signal_id = $1 and first_at = $2`, signal,
		firstAt); err != nil {
		return nil, err
	}
	return series.Decode(body, nil)
}

// replaceBlock puts readings in place of the block that begins at an instant.
func replaceBlock(ctx context.Context, tx *store.Tx, signal int64, firstAt measure.Instant,
	readings []measure.Reading) error {
	if _, err := tx.Exec(ctx, `delete from block where signal_id = $1 and first_at = $2`, signal, firstAt); err != nil {
		return err
	}
	return addBlocks(ctx, tx, signal, series.SealAll(readings))
}

var blockColumns = []string{"signal_id", "first_at", "last_at", "count", "usable", "first_value", "last_value",
	"low_at", "low", "high_at", "high",
	"sum", "held", "held_for", "gap", "marks", "digest", "body"}

func addBlocks(ctx context.Context, tx *store.Tx, signal int64, blocks []series.Block) error {
	if len(blocks) == 0 {
		return nil
	}
	return tx.Native(func(c *stdlib.Conn) error {
		source := pgx.CopyFromSlice(len(blocks), func(i int) ([]any, error) {
			b := &blocks[i]
			return []any{int32(signal), int64(b.FirstAt), int64(b.LastAt), int32(b.Count), int32(b.Usable), b.First,
				b.Last, int64(b.LowAt), b.Low, int64(b.HighAt), b.High,
				b.Sum, b.Held, b.HeldFor, b.Gap, []int32(b.Marks), b.Digest, b.Body}, nil
		})
		_, err := c.Conn().CopyFrom(ctx, pgx.Identifier{"block"}, blockColumns, source)
		return err
	})
}

// Take takes the readings of a signal from from up to and with until out of its blocks and gives each
// block's share to keep. The caller holds the signal.
func Take(ctx context.Context, tx *store.Tx, signal int64, from, until measure.Instant,
	keep func(series.Block) error) (taken int, err error) {
	spans, err := spans(ctx, tx, signal, from, until)
	if err != nil {
		return 0, err
	}
	for _, s := range spans {
		if s.LastAt < from {
			continue
		}
		readings, err := openBlock(ctx, tx, signal, s.FirstAt)
		if err != nil {
			return taken, err
		}
		rest, out := series.Without(readings, from, until)
		if len(out) == 0 {
			continue
		}
		taken += len(out)
		if err := keep(series.Seal(out)); err != nil {
			return taken, err
		}
		if err := replaceBlock(ctx, tx, signal, s.FirstAt, rest); err != nil {
			return taken, err
		}
	}
	return taken, nil
}
