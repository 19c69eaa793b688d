package timeseries

import (
	"context"

	"jauntylark/core/measure"
	"jauntylark/core/quality"
	"jauntylark/core/series"
	"jauntylark/core/storage"
	"jauntylark/store"
)

// Marked gives the stretches of a signal, end included, whose readings carry any of some marks. Those that lie no
// further apart than gap are one.
func Marked(ctx context.Context, s *store.Store, signal int64, from, until, gap measure.Instant,
	marks measure.Quality) ([]quality.Doubt, error) {
	tx, err := s.Look(ctx)
	if err != nil {
		return nil, err
	}
	defer tx.Rollback()
	d := doubts{all: []quality.Doubt{}, gap: gap, marks: marks}
	// Blocks without such marks stay closed; marks counts them in the order of the marks.
	var bodies [][]byte
	err = tx.Select(ctx, &bodies, `
		select body from block where signal_id = $1 and first_at >= `+blockAt+` and last_at >= $2 and first_at <= $3
		and exists (select from unnest(marks) with ordinality as m (count, place) where count > 0
		    and (1 << (place::int - 1)) & $4::int > 0) order by first_at`,
		signal, from, until, int(marks))
	if err != nil {
		return nil, err
	}
	var room []measure.Reading
	for _, body := range bodies {
		if room, err = series.Decode(body, room[:0]); err != nil {
			return nil, err
		}
		d.add(series.Cut(room, from, until))
	}
	plain, err := plain(ctx, tx, signal, from, until)
	d.add(plain)
	return d.all, err
}

type doubts struct {
	all   []quality.Doubt
	gap   measure.Instant
	marks measure.Quality
	open  bool
}

// add takes readings in order of time; late plain ones may go back.
func (d *doubts) add(readings []measure.Reading) {
	for _, r := range readings {
		last := len(d.all) - 1
		switch bad := r.Quality & d.marks; {
		case bad == 0 && d.open:
			d.all[last].Until, d.open = max(d.all[last].Until, r.At), false
		case bad != 0 && last >= 0 && (d.open || r.At-d.all[last].Until <= d.gap):
			d.all[last].Until, d.all[last].Quality, d.open = max(d.all[last].Until, r.At), d.all[last].Quality|bad, true
		case bad != 0:
			d.all, d.open = append(d.all, quality.Doubt{From: r.At, Until: r.At, Quality: bad}), true
		}
	}
	d.open = false
}

// Work tells how far the background work on a signal and what is derived from it is.
func Work(ctx context.Context, db store.Reader, signal int64) (w storage.Work, err error) {
	err = db.Get(ctx, &w, `
		with recursive touched(id) as (select $1::bigint union select i.derived_id from derived_input i
		    join touched t on t.id = i.input_id),
		waits(from_at, begun_at, until_at) as (
		    select t.from_at, t.begun_at, t.until_at from stale t where t.signal_id in (select id from touched)
		    union all select r.from_at, r.begun_at, least(r.until_at, st.at) from recompute r
		        join signal_state st on st.signal_id = r.signal_id where r.signal_id in (select id from touched)
		    union all select v.computed_until, 0, n.at from signal v join touched t on t.id = v.id
		              cross join lateral (select max(st.at) - 3600000 as at from derived_input i
		                  join signal_state st on st.signal_id = i.input_id where i.derived_id = v.id) n
		              where v.recipe is not null and v.computed_until < n.at)
		select coalesce(sum(greatest(until_at - from_at + 1, 0)), 0)::bigint as left_ms,
		    coalesce(sum(greatest(until_at - begun_at + 1, 0)), 0)::bigint as of_ms from waits`, signal)
	return w, err
}
