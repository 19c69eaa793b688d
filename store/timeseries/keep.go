package timeseries

import (
	"context"
	"encoding/json"

	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/site"
	"jauntylark/core/storage"
	"jauntylark/store"
)

// Kept says for how long the past of one signal is kept.
type Kept struct {
	Signal int64
	Path   string
	site.Keep
}

// Keeps gives the rule that holds for each signal: its own, else its kit's, else the site's.
func Keeps(ctx context.Context, db store.Reader) ([]Kept, error) {
	var rows []struct {
		ID   int64  `db:"id"`
		Path string `db:"path"`
		Kit  []byte `db:"kit"`
		site.Keep
		SiteReadings measure.Duration `db:"site_readings"`
		SiteFigures  measure.Duration `db:"site_figures"`
	}
	err := db.Select(ctx, &rows, `
		select s.id, d.name || '/' || s.name as path, k.body as kit, s.keep_readings, s.keep_figures,
		    w.keep_readings as site_readings, w.keep_figures as site_figures
		from signal s join device d on d.id = s.device_id cross join site w left join kit k on k.name = d.kit
		    order by s.id`)
	kept := make([]Kept, len(rows))
	for i, r := range rows {
		keep := r.Keep
		if r.Kit != nil {
			var k site.Kit
			if err := json.Unmarshal(r.Kit, &k); err != nil {
				return nil, err
			}
			keep = keep.Or(site.Keep{Readings: k.KeepReadings, Figures: k.KeepFigures})
		}
		kept[i] = Kept{Signal: r.ID, Path: r.Path,
			Keep: keep.Or(site.Keep{Readings: r.SiteReadings, Figures: r.SiteFigures})}
	}
	return kept, err
}

// pruneAtOnce is how many blocks go in one transaction.
const pruneAtOnce = 500

// Prune lets go a signal's blocks whose newest reading is older than before, some hundred in a
// transaction, and tells how many. What their figures need is computed first: a stretch that is stale is
// left for the next time.
func Prune(ctx context.Context, s *store.Store, signal int64, before measure.Instant) (int, error) {
	tx, err := s.Begin(ctx)
	if err != nil {
		return 0, err
	}
	defer tx.Rollback()
	if err := HoldSignal(ctx, tx, signal); err != nil {
		return 0, err
	}
	var gone []measure.Instant
	err = tx.Select(ctx, &gone, `
		delete from block where signal_id = $1 and last_at < $2
		and first_at in (select first_at from block where signal_id = $1 order by first_at limit $3)
		and not exists (select from stale where signal_id = $1 and from_at < $2)
		and not exists (select from derived_input i join signal s on s.id = i.derived_id where i.input_id = $1
		                and (s.computed_until < $2 or exists (select from recompute where signal_id = s.id
		                    and from_at < $2))) returning last_at`, signal, before, pruneAtOnce)
	if err != nil || len(gone) == 0 {
		return 0, err
	}
	for _, at := range gone {
		if _, err = tx.Exec(ctx, `update signal set readings_from = greatest(readings_from, $2) where id = $1`, signal,
			at+1); err != nil {
			return 0, err
		}
	}
	return len(gone), tx.Commit()
}

// PruneFigures lets go a signal's figures of periods that began before an instant.
func PruneFigures(ctx context.Context, db store.Writer, signal int64, before measure.Instant) error {
	_, err := db.Exec(ctx, `delete from figure where signal_id = $1 and at < $2`, signal, before)
	return err
}

// Footprints gives what each signal takes up, the largest first, and what the database takes up as a whole.
func Footprints(ctx context.Context, db store.Reader,
	now measure.Instant) (prints []storage.Footprint, database int64, err error) {
	if err = db.Get(ctx, &database, `select pg_database_size(current_database())`); err != nil {
		return nil, 0, err
	}
	week := now - 7*24*3600*1000
	prints = []storage.Footprint{}
	err = db.Select(ctx, &prints, `
		with sealed as (
			select signal_id, sum(count) as readings, sum(pg_column_size(body)) as bytes,
			       sum(count) filter (where last_at >= $1) as recent,
			           min(first_at) filter (where last_at >= $1) as recent_from
			from block group by 1),
		plain as (select signal_id, count(*) as readings, min(at) as recent_from from reading group by 1),
		total as (select greatest(1, sum(bytes)) as bytes,
		    pg_total_relation_size('block') + pg_total_relation_size('figure') as disk from sealed)
		select d.name || '/' || v.name as signal, coalesce(s.readings, 0) + coalesce(p.readings, 0) as readings,
		       (coalesce(s.bytes, 0)::float8 / t.bytes * t.disk + coalesce(p.readings, 0) * $3)::bigint as bytes,
		       (coalesce(s.recent, 0) + coalesce(p.readings, 0)) * 86400000.0 / greatest(3600000,
		           $2 - least(s.recent_from, p.recent_from)) as per_day
		from signal v join device d on d.id = v.device_id cross join total t left join sealed s on s.signal_id = v.id
		    left join plain p on p.signal_id = v.id
		where s.signal_id is not null or p.signal_id is not null
		order by bytes desc, signal`, week, now, plainBytes)
	return prints, database, err
}

// plainBytes is about what a plain row takes up.
const plainBytes = 56

// lineOfFigures feeds a line with what is left of a stretch whose readings were let go: the first, lowest,
// highest and last of each hour.
func lineOfFigures(ctx context.Context, db store.Reader, line *series.Liner, signal int64,
	until measure.Instant) error {
	hours, err := kept(ctx, db, signal, series.Hour, line.From, min(until, line.Until))
	for i := range hours {
		line.Add(hours[i].Corners(until))
	}
	return err
}
