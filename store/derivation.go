package store

import (
	"context"
	"slices"
	"time"

	"jauntylark/core/derive"
	"jauntylark/core/measure"
)

// Derivation is a derived signal as the pipeline knows it.
type Derivation struct {
	Signal int64         `db:"id"`
	Recipe derive.Recipe `db:"recipe"`
	Inputs []int64       `db:"-"` // in the order of the recipe
}

// Derivations gives all derived signals.
func (t *Tx) Derivations(ctx context.Context) ([]Derivation, error) {
	var all []Derivation
	if err := t.SelectContext(ctx, &all, `select id, recipe from signal where recipe is not null order by id`); err != nil || len(all) == 0 {
		return nil, err
	}
	var inputs []struct {
		Derived int64 `db:"derived_id"`
		Input   int64 `db:"input_id"`
	}
	if err := t.SelectContext(ctx, &inputs, `select derived_id, input_id from derived_input order by derived_id, place`); err != nil {
		return nil, err
	}
	for _, in := range inputs {
		i, _ := slices.BinarySearchFunc(all, in.Derived, func(d Derivation, id int64) int { return int(d.Signal - id) })
		all[i].Inputs = append(all[i].Inputs, in.Input)
	}
	return all, nil
}

// reachOf is how far ahead a change of an input is felt, as the column says it.
func reachOf(m *derive.Machine) measure.Instant {
	if m.Lasting() {
		return -1
	}
	return m.Reach()
}

// SaveDerivation stores how a signal is computed. Whatever was computed of it before holds no more.
func (t *Tx) SaveDerivation(ctx context.Context, d *Derivation, sources []derive.Source, m *derive.Machine) error {
	holds := make([]int64, len(sources))
	for i, s := range sources {
		holds[i] = int64(s.Hold)
	}
	_, err := t.ExecContext(ctx, `update signal set recipe = $2, made_of = $3, holds = $4, reach = $5, computed_until = 0 where id = $1`, d.Signal, d.Recipe, d.Recipe.Words(), holds, reachOf(m))
	if err == nil {
		_, err = t.ExecContext(ctx, `with old as (delete from recompute where signal_id = $1) delete from derived_input where derived_id = $1`, d.Signal)
	}
	if err == nil {
		_, err = t.ExecContext(ctx, `insert into derived_input select $1, n.place, n.id from unnest($2::bigint[]) with ordinality as n(id, place)`, d.Signal, d.Inputs)
	}
	return err
}

// RemoveSignal removes a signal; what is stored of it goes with DropReadings.
func (t *Tx) RemoveSignal(ctx context.Context, id int64) error {
	_, err := t.ExecContext(ctx, `delete from signal where id = $1`, id)
	return err
}

// NoteTouched notes for all that is derived from a signal, over any number of steps, that the stretch from
// from to until of it changed.
func (t *Tx) NoteTouched(ctx context.Context, signal int64, from, until measure.Instant) error {
	_, err := t.ExecContext(ctx, `
		with recursive touched(id, until_at) as (
		    select i.derived_id, case when s.reach < 0 then $4::bigint else least($4::bigint, $3::bigint + s.reach) end
		    from derived_input i join signal s on s.id = i.derived_id where i.input_id = $1
		    union
		    select i.derived_id, case when s.reach < 0 then $4::bigint else least($4::bigint, t.until_at + s.reach) end
		    from touched t join derived_input i on i.input_id = t.id join signal s on s.id = i.derived_id)
		insert into recompute (signal_id, from_at, until_at, begun_at) select id, $2, max(until_at), $2 from touched group by id`, signal, from, until, endOfTime)
	return err
}

// NoteNewHolds has derived signals computed anew whose inputs' values hold for another time than they did.
func (s *Store) NoteNewHolds(ctx context.Context) error {
	tx, err := s.Begin(ctx)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	var changed []int64
	// What is locked is left for the next time, so that nobody waits for anybody in a circle.
	err = tx.SelectContext(ctx, &changed, `
		select s.id from signal s where s.recipe is not null and exists (
		    select from derived_input i join signal v on v.id = i.input_id join device d on d.id = v.device_id
		    cross join lateral (select case when v.recipe is null then coalesce(nullif(v.interval, 0), d.interval) else interval_of(v.id) end as every) n
		    where i.derived_id = s.id and s.holds[i.place] <> case when n.every > 0 then $1 * (n.every / 1000000) else $2 end)
		order by s.id for no key update skip locked`, int64(derive.Hold(1e9)/1000), int64(derive.Hold(0)))
	if err != nil || len(changed) == 0 {
		return err
	}
	for _, id := range changed {
		if err := tx.holdAnew(ctx, id); err != nil {
			return err
		}
	}
	return tx.Commit()
}

func (t *Tx) holdAnew(ctx context.Context, signal int64) error {
	l, err := t.lens(ctx, signal)
	if err != nil {
		return err
	}
	d := Derivation{Signal: signal, Recipe: l.derived.recipe, Inputs: l.derived.inputs}
	for i, input := range d.Inputs {
		var interval measure.Duration
		if err := t.GetContext(ctx, &interval, `select interval_of($1)`, input); err != nil {
			return err
		}
		l.derived.sources[i].Hold = derive.Hold(interval)
	}
	m, err := d.Recipe.Build(l.derived.sources)
	if err != nil {
		return err
	}
	return t.SaveDerivation(ctx, &d, l.derived.sources, m)
}

// NewestTrue gives the newest true reading of a signal at or before an instant; nil when there is none within
// a day, or, where readings are stored, at all.
func (s *Store) NewestTrue(ctx context.Context, signal int64, until measure.Instant) (newest *measure.Reading, err error) {
	tx, err := s.Look(ctx)
	if err != nil {
		return nil, err
	}
	defer tx.Rollback()
	for _, back := range []time.Duration{10 * time.Minute, 24 * time.Hour} {
		err = tx.EachReading(ctx, signal, until.Add(-back), until, func(some []measure.Reading) error {
			last := some[len(some)-1]
			newest = &last
			return nil
		})
		if err != nil || newest != nil {
			return newest, err
		}
	}
	stored, err := tx.Newest(ctx, signal, until, 1)
	if len(stored) > 0 {
		newest = &stored[0]
	}
	return newest, err
}

// firstTrue gives the instant of a signal's first reading; 0 when there is none.
func (t *Tx) firstTrue(ctx context.Context, signal int64) (first measure.Instant, err error) {
	l, err := t.lens(ctx, signal)
	if err != nil {
		return 0, err
	}
	begin, end, err := t.within(ctx, signal, 0, endOfTime)
	if err != nil || begin > end {
		return 0, err
	}
	if l.derived == nil {
		return begin, nil
	}
	// What is stored of a derived signal begins later than its inputs, and may not be all.
	err = t.GetContext(ctx, &first, `
		select coalesce(least((select min(first_at) from block where signal_id = $1), (select min(at) from reading where signal_id = $1),
		                      (select first_at from figure where signal_id = $1 and period = 3600 and count > 0 order by at limit 1)), 0)`, signal)
	if err != nil || first > 0 && first < l.derived.dirty[0].From {
		return first, err
	}
	err = t.EachReading(ctx, signal, max(begin, l.derived.dirty[0].From), end, func(some []measure.Reading) error {
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
func (s *Store) FeedMachine(ctx context.Context, m *derive.Machine, inputs []int64, from, until measure.Instant) error {
	tx, err := s.Look(ctx)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	streams := make([]derive.Stream, len(inputs))
	for i, input := range inputs {
		w, err := tx.Walk(ctx, input, from, until)
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

// Recipe gives how a signal is computed, nil when it is measured, and which signals are computed from it.
func (s *Store) Recipe(ctx context.Context, signal int64) (recipe *derive.Recipe, into []int64, err error) {
	var rows []derive.Recipe
	if err := s.db.SelectContext(ctx, &rows, `select recipe from signal where id = $1 and recipe is not null`, signal); err != nil {
		return nil, nil, err
	}
	if len(rows) > 0 {
		recipe = &rows[0]
	}
	err = s.db.SelectContext(ctx, &into, `select distinct derived_id from derived_input where input_id = $1 order by 1`, signal)
	return recipe, into, err
}
