package timeseries

import (
	"context"
	"database/sql"
	"errors"
	"maps"
	"slices"
	"time"

	"jauntylark/core/derive"
	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/storage"
	"jauntylark/store"
)

// NoteStale notes that a stretch of a signal changed, its end included. What is computed from it is
// computed anew by Follow.
func NoteStale(ctx context.Context, db store.Writer, signal int64, from, until, now measure.Instant) error {
	_, err := db.Exec(ctx, `
		insert into stale (signal_id, from_at, until_at, begun_at, noted_at) values ($1, $2, $3, $2, $4)`, signal, from,
		until, now)
	return err
}

// NoteAllStale notes as stale all that a signal has.
func NoteAllStale(ctx context.Context, db store.Writer, signal int64, now measure.Instant) error {
	from, until, err := within(ctx, db, signal, 0, endOfTime)
	if err != nil || from > until {
		return err
	}
	return NoteStale(ctx, db, signal, from, until, now)
}

// NoteNewRules notes as stale what was computed by other rules than those that hold now: the site's time
// zone, and for how long a signal's value holds.
func NoteNewRules(ctx context.Context, s *store.Store, now measure.Instant) error {
	var zoneChanged bool
	err := s.Get(ctx, &zoneChanged, `select zone <> figures_zone from site`)
	if err != nil {
		return err
	}
	var signals []struct {
		ID       int64            `db:"id"`
		Interval measure.Duration `db:"interval"`
		Hold     measure.Instant  `db:"hold"`
		Silence  measure.Instant  `db:"silence"`
		Totals   bool             `db:"totals"`
	}
	err = s.Select(ctx, &signals, `
		select s.id, case when s.recipe is null then coalesce(nullif(s.interval, 0), d.interval) else interval_of(s.id)
		    end as interval,
		       s.hold, s.silence, exists (select from total where signal_id = s.id) as totals
		from signal s join device d on d.id = s.device_id`)
	if err != nil {
		return err
	}
	type rule struct{ hold, silence measure.Instant }
	rules, anew := map[int64]rule{}, map[int64]bool{}
	for _, v := range signals {
		r := rule{series.HoldLimit(v.Interval), derive.Hold(v.Interval)}
		if r.hold != v.Hold || r.silence != v.Silence || zoneChanged {
			rules[v.ID] = r
			anew[v.ID] = r.hold != v.Hold || v.Totals || zoneChanged
		}
	}
	if len(rules) == 0 && !zoneChanged {
		return nil
	}
	tx, err := s.Begin(ctx)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	// What is locked is left for the next time, so that nobody waits for anybody in a circle; but for the zone.
	wait := `skip locked`
	if zoneChanged {
		wait = ``
	}
	var ids, noted []int64
	if err := tx.Select(ctx, &ids, `select id from signal where id = any($1::bigint[]) order by id for no key update `+
		wait, slices.Collect(maps.Keys(rules))); err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, `update site set figures_zone = zone`); err != nil {
		return err
	}
	holds, silences := make([]int64, len(ids)), make([]int64, len(ids))
	for i, id := range ids {
		if holds[i], silences[i] = int64(rules[id].hold), int64(rules[id].silence); anew[id] {
			noted = append(noted, id)
		}
	}
	_, err = tx.Exec(ctx, `
		update signal s set hold = n.hold, silence = n.silence from unnest($1::bigint[], $2::bigint[], $3::bigint[]) as n(id, hold, silence) where s.id = n.id`, ids, holds, silences)
	if err != nil {
		return err
	}
	_, err = tx.Exec(ctx, `
		insert into stale (signal_id, from_at, until_at, begun_at, noted_at)
		select n.id, f.first, f.last, f.first, $2 from unnest($1::bigint[]) as n(id)
		cross join lateral (select min(first_at) as first, max(last_at) as last from block where signal_id = n.id) f
		    where f.first is not null`, noted, now)
	if err != nil {
		return err
	}
	return tx.Commit()
}

// followAtOnce is how much of a signal's time one transaction computes anew.
const followAtOnce = 14 * 24 * time.Hour

// staleRow is one stretch that was noted.
type staleRow struct {
	ID int64 `db:"id"`
	stretch
}

// Follow computes anew what is kept of one signal's stale stretches: those that touch the earliest of them
// are done together, the first two weeks at a time. It tells whether there was one that was noted before an
// instant. Several processes may do it at once; it may be killed at any moment.
func Follow(ctx context.Context, s *store.Store, notedBefore measure.Instant) (bool, error) {
	tx, err := s.Begin(ctx)
	if err != nil {
		return false, err
	}
	defer tx.Rollback()
	var signal int64
	err = tx.Get(ctx, &signal,
		`select signal_id from stale where noted_at <= $1 order by id limit 1 for update skip locked`, notedBefore)
	if errors.Is(err, sql.ErrNoRows) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	// Two that work on one signal would write the same hours.
	if _, err := tx.Exec(ctx, `select pg_advisory_xact_lock($1, $2)`, lockFigures, signal); err != nil {
		return false, err
	}
	var rows []staleRow
	err = tx.Select(ctx, &rows,
		`select id, from_at, until_at from stale where signal_id = $1 and noted_at <= $2
			order by from_at for update skip locked`, signal, notedBefore)
	if err != nil || len(rows) == 0 {
		return false, err
	}
	// Who removes a total waits until this is done.
	if _, err := tx.Exec(ctx, `select from total where signal_id = $1 order by id for key share`, signal); err != nil {
		return false, err
	}
	// The rows were there before it looks; what is noted later stays noted.
	look, err := s.Look(ctx)
	if err != nil {
		return false, err
	}
	defer look.Rollback()
	about, err := readPast(ctx, look, signal)
	if errors.Is(err, store.ErrNotFound) { // the signal is gone
		_, err = tx.Exec(ctx, `delete from stale where signal_id = $1`, signal)
		return true, errors.Join(err, tx.Commit())
	}
	if err != nil {
		return false, err
	}
	of, done := together(rows, about.Hold)
	until := min(of.Until, of.From.Add(followAtOnce))
	for _, p := range []series.Period{series.Hour, series.Day} {
		if err := refold(ctx, tx, look, signal, p, stretch{of.From, until}, about); err != nil {
			return false, err
		}
	}
	if err := retally(ctx, tx, look, signal, stretch{of.From, until}, about); err != nil {
		return false, err
	}
	if until < of.Until { // one row keeps the rest
		_, err = tx.Exec(ctx, `update stale set from_at = $2, until_at = $3 where id = $1`, done[0], until+1, of.Until)
		done = done[1:]
	}
	if err == nil {
		_, err = tx.Exec(ctx, `delete from stale where id = any($1::bigint[])`, done)
	}
	if err != nil {
		return false, err
	}
	return true, tx.Commit()
}

// together joins the first of stretches, which are in order of their beginning, with those that touch it or
// lie no further off than hold.
func together(rows []staleRow, hold measure.Instant) (of stretch, ids []int64) {
	of = rows[0].stretch
	for _, r := range rows {
		if r.From > of.Until+hold {
			break
		}
		of.Until = max(of.Until, r.Until)
		ids = append(ids, r.ID)
	}
	return of, ids
}

// refold computes the figures anew that a stretch of readings takes part in, from what look sees.
func refold(ctx context.Context, tx *store.Tx, look *store.Tx, signal int64, p series.Period, of stretch,
	about past) error {
	edges := p.Edges(of.From-about.Hold, of.Until+about.Hold, about.zone)
	if about.ReadingsFrom > 0 {
		edges = edgesFrom(edges, about.ReadingsFrom+about.Hold)
	}
	if len(edges) < 2 {
		return nil
	}
	figures, err := fold(ctx, look, signal, edges, about.Hold)
	if err != nil {
		return err
	}
	return keepFigures(ctx, tx, signal, p, edges[0], edges[len(edges)-1], figures)
}

// Stale lists what is being computed anew, at most a hundred.
func Stale(ctx context.Context, db store.Reader) ([]storage.Stale, error) {
	list := []storage.Stale{}
	err := db.Select(ctx, &list, `
		select d.name || '/' || v.name as signal, begun_at, until_at,
		    (from_at - begun_at)::float8 / greatest(until_at - begun_at, 1) as done
		from stale t join signal v on v.id = t.signal_id join device d on d.id = v.device_id order by t.id limit 100`)
	return list, err
}
