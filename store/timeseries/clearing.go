package timeseries

import (
	"context"
	"database/sql"
	"errors"

	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/site"
	"jauntylark/store"
)

// AddClearing stores an order to clear a stretch of signals, for upkeep to carry out.
func AddClearing(ctx context.Context, db store.Writer, c *site.Clearing, signals []int64) error {
	err := db.Get(ctx, &c.ID, `
		insert into clearing (what, from_at, until_at, who, ordered_at, gone_at, state)
		    values ($1, $2, $3, $4, $5, $6, $7) returning id`,
		c.What, c.From, c.Until, c.Who, c.OrderedAt, c.GoneAt, c.State)
	if err != nil {
		return err
	}
	_, err = db.Exec(ctx, `insert into clearing_step select $1, unnest($2::integer[])`, c.ID, signals)
	return err
}

// BeingCleared tells whether a clearing, or its undo, is not done with a signal yet.
func BeingCleared(ctx context.Context, db store.Reader, signal int64) (busy bool, err error) {
	err = db.Get(ctx, &busy, `select exists (select from clearing_step where signal_id = $1)`, signal)
	return busy, err
}

// UndoClearing has the readings put back that were taken away.
func UndoClearing(ctx context.Context, db store.Writer, id int64) error {
	_, err := db.Exec(ctx, `update clearing set state = 'undoing' where id = $1`, id)
	if err == nil {
		_, err = db.Exec(ctx,
			`insert into clearing_step select distinct clearing_id, signal_id from cleared_block where clearing_id = $1`, id)
	}
	return err
}

// NewestCleared gives the newest reading of each signal that a clearing took away.
func NewestCleared(ctx context.Context, db store.Reader, id int64) (map[int64]measure.Reading, error) {
	var last []struct {
		Signal int64  `db:"signal_id"`
		Body   []byte `db:"body"`
	}
	err := db.Select(ctx, &last,
		`select distinct on (signal_id) signal_id, body from cleared_block where clearing_id = $1
			order by signal_id, first_at desc`, id)
	newest := map[int64]measure.Reading{}
	for _, l := range last {
		readings, err := series.Decode(l.Body, nil)
		if err != nil {
			return nil, err
		}
		newest[l.Signal] = readings[len(readings)-1]
	}
	return newest, err
}

const selectClearing = `select id, what, from_at, until_at, readings, who, ordered_at, gone_at, state from clearing`

// Clearings lists what was cleared, newest first.
func Clearings(ctx context.Context, db store.Reader) ([]site.Clearing, error) {
	list := []site.Clearing{}
	err := db.Select(ctx, &list, selectClearing+` order by id desc limit 500`)
	return list, err
}

// Clearing gives one.
func Clearing(ctx context.Context, db store.Reader, id int64) (c site.Clearing, err error) {
	err = db.Get(ctx, &c, selectClearing+` where id = $1`, id)
	return c, store.Found(err)
}

// clearAtOnce is how many blocks one step takes away or puts back.
const clearAtOnce = 200

// step is the rest of a clearing for one signal.
type step struct {
	Clearing int64  `db:"clearing_id"`
	Signal   int64  `db:"signal_id"`
	State    string `db:"state"`
	stretch
}

// ClearStep carries out a step of what was ordered: some blocks of one signal, taken away or put back.
// It tells whether there was anything to do.
func ClearStep(ctx context.Context, s *store.Store, now measure.Instant) (bool, error) {
	tx, err := s.Begin(ctx)
	if err != nil {
		return false, err
	}
	defer tx.Rollback()
	var w step
	err = tx.Get(ctx, &w, `
		select s.clearing_id, s.signal_id, c.state, c.from_at, c.until_at from clearing_step s
		    join clearing c on c.id = s.clearing_id
		order by s.clearing_id, s.signal_id limit 1 for update of s skip locked`)
	if errors.Is(err, sql.ErrNoRows) {
		return false, nil
	}
	if err == nil {
		err = HoldSignal(ctx, tx, w.Signal)
	}
	if err != nil {
		return false, err
	}
	var n int
	if w.State == site.ClearingUndone || w.State == site.ClearingUndoing {
		n, err = putBack(ctx, tx, w, now)
	} else {
		n, err = setAside(ctx, tx, w, now)
	}
	if err == nil && n < clearAtOnce {
		err = endStep(ctx, tx, w)
	}
	if err != nil {
		return false, err
	}
	return true, tx.Commit()
}

func setAside(ctx context.Context, tx *store.Tx, w step, now measure.Instant) (blocks int, err error) {
	until := w.Until
	err = tx.Get(ctx, &until, `
		select coalesce((select last_at from block where signal_id = $1 and last_at >= $2 and first_at <= $3
		    order by first_at offset $4 limit 1), $3)`,
		w.Signal, w.From, w.Until, clearAtOnce-1)
	if err != nil {
		return 0, err
	}
	taken, err := Take(ctx, tx, w.Signal, w.From, min(until, w.Until), func(b series.Block) error {
		blocks++
		_, err := tx.Exec(ctx, `
			insert into cleared_block (clearing_id, signal_id, first_at, last_at, count, digest, body)
			    values ($1, $2, $3, $4, $5, $6, $7)`,
			w.Clearing, w.Signal, b.FirstAt, b.LastAt, b.Count, b.Digest, b.Body)
		return err
	})
	if err != nil || taken == 0 {
		return blocks, err
	}
	if _, err = tx.Exec(ctx, `update clearing set readings = readings + $2 where id = $1`, w.Clearing,
		taken); err != nil {
		return blocks, err
	}
	if err := NoteTouched(ctx, tx, w.Signal, w.From, min(until, w.Until)); err != nil {
		return blocks, err
	}
	if err := NoteAmended(ctx, tx, w.Signal, w.From, min(until, w.Until)); err != nil {
		return blocks, err
	}
	return blocks, NoteStale(ctx, tx, w.Signal, w.From, min(until, w.Until), now)
}

func putBack(ctx context.Context, tx *store.Tx, w step, now measure.Instant) (blocks int, err error) {
	var bodies [][]byte
	err = tx.Select(ctx, &bodies, `
		delete from cleared_block where clearing_id = $1 and signal_id = $2 and first_at in
		(select first_at from cleared_block where clearing_id = $1 and signal_id = $2 order by first_at limit $3)
		    returning body`, w.Clearing, w.Signal, clearAtOnce)
	if err != nil {
		return 0, err
	}
	var readings []measure.Reading
	for _, body := range bodies {
		if readings, err = series.Decode(body, readings); err != nil {
			return 0, err
		}
	}
	readings, _ = series.InOrder(readings)
	if len(readings) > 0 {
		from, until := readings[0].At, readings[len(readings)-1].At
		if err := NoteTouched(ctx, tx, w.Signal, from, until); err != nil {
			return 0, err
		}
		if err := NoteAmended(ctx, tx, w.Signal, from, until); err != nil {
			return 0, err
		}
	}
	_, err = Merge(ctx, tx, w.Signal, readings, false, now) // what came since stays
	return len(bodies), err
}

// endStep ends the work on one signal, and with the last the clearing's.
func endStep(ctx context.Context, db store.Writer, w step) error {
	if _, err := db.Exec(ctx, `delete from clearing_step where clearing_id = $1 and signal_id = $2`, w.Clearing,
		w.Signal); err != nil {
		return err
	}
	_, err := db.Exec(ctx, `
		update clearing set state = case state when 'undoing' then 'undone' else 'cleared' end
		where id = $1 and state in ('running', 'undoing')
		    and not exists (select from clearing_step where clearing_id = $1)`, w.Clearing)
	return err
}

// ForgetCleared takes away for good what was cleared and can be undone no more.
func ForgetCleared(ctx context.Context, db store.Writer, now measure.Instant) error {
	_, err := db.Exec(ctx, `
		with old as (update clearing set state = 'gone' where state = 'cleared' and gone_at <= $1 returning id)
		delete from cleared_block where clearing_id in (select id from old)`, now)
	return err
}
