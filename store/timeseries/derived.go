package timeseries

import (
	"context"
	"time"

	"jauntylark/core/derive"
	"jauntylark/core/measure"
	"jauntylark/store"
	"jauntylark/store/config"
)

// NoteTouched notes for all that is derived from a signal, over any number of steps, that the stretch from
// from to until of it changed.
func NoteTouched(ctx context.Context, db store.Writer, signal int64, from, until measure.Instant) error {
	_, err := db.Exec(ctx, `
		with recursive `+touched+`
		insert into recompute (signal_id, from_at, until_at, begun_at) select id, $2, max(until_at), $2 from touched
		    group by id`, signal, from, until, endOfTime)
	return err
}

// NoteNewHolds has derived signals computed anew whose inputs' values hold for another time than they did.
func NoteNewHolds(ctx context.Context, s *store.Store) error {
	tx, err := s.Begin(ctx)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	var changed []int64
	// What is locked is left for the next time, so that nobody waits for anybody in a circle.
	err = tx.Select(ctx, &changed, `
		select s.id from signal s where s.recipe is not null and exists (
		    select from derived_input i join signal v on v.id = i.input_id join device d on d.id = v.device_id
		    cross join lateral (select case when v.recipe is null then coalesce(nullif(v.interval, 0), d.interval)
		        else interval_of(v.id) end as every) n
		    where i.derived_id = s.id and s.holds[i.place] <> case when n.every > 0 then $1 * (n.every / 1000000)
		        else $2 end)
		order by s.id for no key update skip locked`, int64(derive.Hold(1e9)/1000), int64(derive.Hold(0)))
	if err != nil || len(changed) == 0 {
		return err
	}
	for _, id := range changed {
		if err := holdAnew(ctx, tx, id); err != nil {
			return err
		}
	}
	return tx.Commit()
}

func holdAnew(ctx context.Context, db store.Writer, signal int64) error {
	l, err := correctionOf(ctx, db, signal)
	if err != nil {
		return err
	}
	d := config.Derivation{Signal: signal, Recipe: l.derived.recipe, Inputs: l.derived.inputs}
	for i, input := range d.Inputs {
		var interval measure.Duration
		if err := db.Get(ctx, &interval, `select interval_of($1)`, input); err != nil {
			return err
		}
		l.derived.sources[i].Hold = derive.Hold(interval)
	}
	m, err := d.Recipe.Build(l.derived.sources)
	if err != nil {
		return err
	}
	if err := NoteAmended(ctx, db, signal, 0, endOfTime); err != nil {
		return err
	}
	return config.SaveDerivation(ctx, db, &d, l.derived.sources, m)
}

// NewestTrue gives the newest true reading of a signal at or before an instant; nil when there is none within
// a day, or, where readings are stored, at all.
func NewestTrue(ctx context.Context, s *store.Store, signal int64,
	until measure.Instant) (newest *measure.Reading, err error) {
	tx, err := s.Look(ctx)
	if err != nil {
		return nil, err
	}
	defer tx.Rollback()
	for _, back := range []time.Duration{10 * time.Minute, 24 * time.Hour} {
		err = EachReading(ctx, tx, signal, until.Add(-back), until, func(some []measure.Reading) error {
			last := some[len(some)-1]
			newest = &last
			return nil
		})
		if err != nil || newest != nil {
			return newest, err
		}
	}
	stored, err := Newest(ctx, tx, signal, until, 1)
	if len(stored) > 0 {
		newest = &stored[0]
	}
	return newest, err
}

// firstTrue gives the instant of a signal's first reading; 0 when there is none.
func firstTrue(ctx context.Context, tx *store.Tx, signal int64) (first measure.Instant, err error) {
	l, err := correctionOf(ctx, tx, signal)
	if err != nil {
		return 0, err
	}
	begin, end, err := within(ctx, tx, signal, 0, endOfTime)
	if err != nil || begin > end {
		return 0, err
	}
	if l.derived == nil {
		return begin, nil
	}
	// What is stored of a derived signal begins later than its inputs, and may not be all.
	err = tx.Get(ctx, &first, `
		select coalesce(least((select min(first_at) from block where signal_id = $1),
		    (select min(at) from reading where signal_id = $1),
		                      (select first_at from figure where signal_id = $1 and period = 3600 and count > 0
		                          order by at limit 1)), 0)`, signal)
	if err != nil || first > 0 && first < l.derived.dirty[0].From {
		return first, err
	}
	err = EachReading(ctx, tx, signal, max(begin, l.derived.dirty[0].From), end, func(some []measure.Reading) error {
		if first == 0 || some[0].At < first {
			first = some[0].At
		}
		return errEnough
	})
	if err == errEnough {
		err = nil
	}
	return first, err
}

// FeedMachine feeds a machine what its inputs read from from up to and with until, as a live machine would have
// been fed.
func FeedMachine(ctx context.Context, s *store.Store, m *derive.Machine, inputs []int64, from,
	until measure.Instant) error {
	tx, err := s.Look(ctx)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	streams := make([]derive.Stream, len(inputs))
	for i, input := range inputs {
		w, err := NewWalk(ctx, tx, input, from, until)
		if err != nil {
			return err
		}
		streams[i] = streamOf(ctx, w)
	}
	for run := m.Over(streams, until, nil); ; {
		if _, some, err := run.Next(); err != nil || !some {
			return err
		}
	}
}
