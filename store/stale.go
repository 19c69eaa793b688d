package store

import (
	"context"
	"database/sql"
	"errors"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/series"
)

// NoteStale notes that a stretch of a signal changed, its end included. What is computed from it is
// computed anew by Follow.
func (t *Tx) NoteStale(ctx context.Context, signal int64, from, until, now measure.Instant) error {
	_, err := t.ExecContext(ctx, `
		insert into stale (signal_id, from_at, until_at, begun_at, noted_at) values ($1, $2, $3, $2, $4)`, signal, from, until, now)
	return err
}

// NoteNewRules notes as stale what was computed by other rules than those that hold now: the site's time
// zone, and for how long a signal's value holds.
func (s *Store) NoteNewRules(ctx context.Context, now measure.Instant) error {
	var zoneChanged bool
	err := s.db.GetContext(ctx, &zoneChanged, `select zone <> figures_zone from site`)
	if err != nil {
		return err
	}
	var signals []struct {
		ID       int64            `db:"id"`
		Interval measure.Duration `db:"interval"`
		Hold     measure.Instant  `db:"hold"`
	}
	err = s.db.SelectContext(ctx, &signals, `select s.id, coalesce(nullif(s.interval, 0), d.interval) as interval, s.hold from signal s join device d on d.id = s.device_id`)
	if err != nil {
		return err
	}
	ids, holds := []int64{}, []int64{}
	for _, v := range signals {
		if hold := series.HoldLimit(v.Interval); hold != v.Hold || zoneChanged {
			ids, holds = append(ids, v.ID), append(holds, int64(hold))
		}
	}
	if len(ids) == 0 && !zoneChanged {
		return nil
	}
	tx, err := s.Begin(ctx)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	if _, err := tx.ExecContext(ctx, `update site set figures_zone = zone`); err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, `update signal s set hold = n.hold from unnest($1::bigint[], $2::bigint[]) as n(id, hold) where s.id = n.id`, ids, holds)
	if err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, `
		insert into stale (signal_id, from_at, until_at, begun_at, noted_at)
		select n.id, f.first, f.last, f.first, $2 from unnest($1::bigint[]) as n(id)
		cross join lateral (select min(first_at) as first, max(last_at) as last from block where signal_id = n.id) f where f.first is not null`, ids, now)
	if err != nil {
		return err
	}
	return tx.Commit()
}

// followAtOnce is how much of a signal's time one transaction computes anew.
const followAtOnce = 14 * 24 * time.Hour

// Follow computes anew what is kept of one stale stretch, or the first two weeks of it, and tells whether
// there was one noted before. Several processes may do it at once; it may be killed at any moment.
func (s *Store) Follow(ctx context.Context, notedBefore measure.Instant) (bool, error) {
	tx, err := s.Begin(ctx)
	if err != nil {
		return false, err
	}
	defer tx.Rollback()
	var work struct {
		ID     int64 `db:"id"`
		Signal int64 `db:"signal_id"`
		stretch
	}
	err = tx.GetContext(ctx, &work, `select id, signal_id, from_at, until_at from stale where noted_at <= $1 order by id limit 1 for update skip locked`, notedBefore)
	if errors.Is(err, sql.ErrNoRows) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	about, err := tx.past(ctx, work.Signal)
	if errors.Is(err, ErrNotFound) { // the signal is gone
		_, err = tx.ExecContext(ctx, `delete from stale where signal_id = $1`, work.Signal)
		return true, errors.Join(err, tx.Commit())
	}
	if err != nil {
		return false, err
	}
	until := min(work.Until, work.From.Add(followAtOnce))
	// Others within this stretch are done with it.
	_, err = tx.ExecContext(ctx, `
		delete from stale where id in (select id from stale where signal_id = $1 and from_at >= $2 and until_at <= $3 and id <> $4 and noted_at <= $5 for update skip locked)`,
		work.Signal, work.From, until, work.ID, notedBefore)
	if err != nil {
		return false, err
	}
	for _, p := range []series.Period{series.Hour, series.Day} {
		if err := tx.refold(ctx, work.Signal, p, stretch{work.From, until}, about); err != nil {
			return false, err
		}
	}
	if until < work.Until {
		_, err = tx.ExecContext(ctx, `update stale set from_at = $2 where id = $1`, work.ID, until+1)
	} else {
		_, err = tx.ExecContext(ctx, `delete from stale where id = $1`, work.ID)
	}
	return true, errors.Join(err, tx.Commit())
}

// refold computes the figures anew that a stretch of readings takes part in.
func (t *Tx) refold(ctx context.Context, signal int64, p series.Period, of stretch, about past) error {
	edges := p.Edges(of.From-about.Hold, of.Until+about.Hold, about.zone)
	if about.ReadingsFrom > 0 {
		edges = edgesFrom(edges, about.ReadingsFrom+about.Hold)
	}
	if len(edges) < 2 {
		return nil
	}
	figures, err := t.fold(ctx, signal, edges, about.Hold)
	if err != nil {
		return err
	}
	return t.keepFigures(ctx, signal, p, edges[0], edges[len(edges)-1], figures)
}

// Stale is a stretch whose figures are being computed anew.
type Stale struct {
	Signal string          `json:"signal" db:"signal" doc:"DEVICE/SIGNAL"`
	From   measure.Instant `json:"from" db:"begun_at" format:"date-time"`
	Until  measure.Instant `json:"until" db:"until_at" format:"date-time"`
	Done   float64         `json:"done" db:"done" doc:"0 to 1"`
}

// Stale lists what is being computed anew, at most a hundred.
func (s *Store) Stale(ctx context.Context) ([]Stale, error) {
	list := []Stale{}
	err := s.db.SelectContext(ctx, &list, `
		select d.name || '/' || v.name as signal, begun_at, until_at, (from_at - begun_at)::float8 / greatest(until_at - begun_at, 1) as done
		from stale t join signal v on v.id = t.signal_id join device d on d.id = v.device_id order by t.id limit 100`)
	return list, err
}
