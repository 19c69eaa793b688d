package store

import (
	"context"
	"slices"
	"time"

	"jauntylark/core/derive"
	"jauntylark/core/measure"
	"jauntylark/core/series"
)

// ComputeAfter is how old readings are before what is derived from them is stored; until then it is computed
// when somebody asks. Inputs that come no later than this need no note.
const ComputeAfter = 2 * time.Minute

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

// computeAtOnce is how many readings one transaction computes.
const computeAtOnce = 32 * series.BlockReadings

// Computed tells what a step of Compute did.
type Computed struct {
	Signal int64
	Some   bool // there was something to do
	Newest bool // the signal's newest reading may be another now
}

// Compute stores what is derived, up to and with before: first what is noted as touched, then what is newer
// than what is stored, where that is more than a while. It does one step of one signal. Several processes may
// do it at once; it may be killed at any moment.
func (s *Store) Compute(ctx context.Context, before, now measure.Instant, while time.Duration) (done Computed, err error) {
	tx, err := s.Begin(ctx)
	if err != nil {
		return done, err
	}
	defer tx.Rollback()
	if done.Signal, err = tx.nextToCompute(ctx, before, while); err != nil || done.Signal == 0 {
		return done, err
	}
	// Acts of people lock a signal's row before what belongs to it; so does this.
	if _, err := tx.ExecContext(ctx, `select from signal where id = $1 for no key update`, done.Signal); err != nil {
		return done, err
	}
	var rows []staleRow
	if err := tx.SelectContext(ctx, &rows, `select id, from_at, until_at from recompute where signal_id = $1`, done.Signal); err != nil {
		return done, err
	}
	done.Some = true
	if done.Newest, err = tx.computeStep(ctx, s, done.Signal, rows, before, now); err != nil {
		return done, err
	}
	return done, tx.Commit()
}

// nextToCompute holds a signal that Compute has something to do for and nobody else works on, and gives it; 0 for
// none.
func (t *Tx) nextToCompute(ctx context.Context, before measure.Instant, while time.Duration) (int64, error) {
	var waiting []int64
	err := t.SelectContext(ctx, &waiting, `select signal_id from recompute where from_at <= $1 group by signal_id order by min(id) limit 20`, before)
	if err == nil && len(waiting) == 0 {
		err = t.SelectContext(ctx, &waiting, `
			select s.id from signal s where s.recipe is not null and s.computed_until < $1
			and exists (select from derived_input i join signal_state st on st.signal_id = i.input_id where i.derived_id = s.id and st.at > s.computed_until)
			order by s.computed_until, s.id limit 20`, before.Add(-while))
	}
	for _, signal := range waiting {
		var free bool
		if err = t.GetContext(ctx, &free, `select pg_try_advisory_xact_lock($1, $2)`, lockSignal, signal); err != nil || free {
			return signal, err
		}
	}
	return 0, err
}

// computeStep computes the first dirty stretch of a signal, or the beginning of it. The rows were there
// before it looked; others stay.
func (t *Tx) computeStep(ctx context.Context, s *Store, signal int64, rows []staleRow, before, now measure.Instant) (newest bool, err error) {
	look, err := s.Look(ctx)
	if err != nil {
		return false, err
	}
	defer look.Rollback()
	l, err := look.lens(ctx, signal)
	if err != nil {
		return false, err
	}
	first := l.derived.dirty[0]
	of := stretch{first.From, min(first.Until, before)}
	if of.From <= of.Until {
		fresh, until, err := look.computed(ctx, &l, part{of, &first})
		if err != nil {
			return false, err
		}
		of.Until = until
		if err := t.rewrite(ctx, signal, of, fresh, now); err != nil {
			return false, err
		}
	}
	if err := t.settleRows(ctx, signal, rows, of.Until, first.Until == endOfTime); err != nil {
		return false, err
	}
	var at measure.Instant
	err = look.GetContext(ctx, &at, `select at from signal_state where signal_id = $1`, signal)
	return first.Until >= at && (of.Until >= at || of.Until >= before), err
}

// settleRows notes that a signal was computed up to an instant.
func (t *Tx) settleRows(ctx context.Context, signal int64, rows []staleRow, until measure.Instant, tail bool) error {
	for _, r := range rows {
		if r.From > until {
			continue
		}
		command := `update recompute set from_at = $2 where id = $1`
		if r.Until <= until {
			command = `delete from recompute where id = $1 and until_at <= $2`
		}
		next := until
		if r.Until > until {
			next++
		}
		if _, err := t.ExecContext(ctx, command, r.ID, next); err != nil {
			return err
		}
	}
	if !tail {
		return nil
	}
	// What lies beyond is computed when somebody asks, so it needs no note.
	_, err := t.ExecContext(ctx, `update signal set computed_until = greatest(computed_until, $2) where id = $1`, signal, until)
	if err == nil {
		_, err = t.ExecContext(ctx, `
			delete from recompute r using signal s where s.id = r.signal_id and r.signal_id = $1 and r.id = any($2::bigint[]) and r.from_at > s.computed_until`, signal, idsOf(rows))
	}
	return err
}

func idsOf(rows []staleRow) []int64 {
	ids := make([]int64, len(rows))
	for i, r := range rows {
		ids[i] = r.ID
	}
	return ids
}

// computed gives the readings of a dirty part, and up to when they go: not all when there are many.
func (t *Tx) computed(ctx context.Context, l *lens, p part) (fresh []measure.Reading, until measure.Instant, err error) {
	run, err := t.compute(ctx, l, p)
	if err != nil {
		return nil, 0, err
	}
	fresh = make([]measure.Reading, 0, series.BlockReadings)
	for len(fresh) < computeAtOnce {
		r, some, err := run.Next()
		if err != nil {
			return nil, 0, err
		}
		if !some {
			return fresh, p.Until, nil
		}
		fresh = append(fresh, r)
	}
	return fresh, fresh[len(fresh)-1].At, nil
}

// rewrite puts computed readings in place of those that are stored of a stretch. Those that say another value
// than before are marked as corrected. Nothing is written where all is as it was.
func (t *Tx) rewrite(ctx context.Context, signal int64, of stretch, fresh []measure.Reading, now measure.Instant) error {
	before, same, rest := 0, true, fresh
	err := t.EachStored(ctx, signal, of.From, of.Until, func(some []measure.Reading) error {
		before += len(some)
		for _, old := range some {
			for len(rest) > 0 && rest[0].At < old.At {
				rest, same = rest[1:], false
			}
			if len(rest) == 0 || rest[0].At != old.At {
				same = false
				continue
			}
			if rest[0].Quality = old.Quality; rest[0].Value != old.Value {
				rest[0].Quality, same = old.Quality|measure.Corrected, false
			}
			rest = rest[1:]
		}
		return nil
	})
	if err != nil || same && len(rest) == 0 {
		return err
	}
	if before > 0 {
		if _, err := t.Take(ctx, signal, of.From, of.Until, func(series.Block) error { return nil }); err != nil {
			return err
		}
		if err := t.NoteStale(ctx, signal, of.From, of.Until, now); err != nil {
			return err
		}
	}
	_, err = t.Merge(ctx, signal, fresh, false, now)
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
	err = tx.SelectContext(ctx, &changed, `
		select s.id from signal s join derived_input i on i.derived_id = s.id
		join signal v on v.id = i.input_id join device d on d.id = v.device_id
		cross join lateral (select case when v.recipe is null then coalesce(nullif(v.interval, 0), d.interval) else interval_of(v.id) end as every) n
		where s.holds[i.place] <> case when n.every > 0 then $1 * (n.every / 1000000) else $2 end
		group by s.id order by s.id`, int64(derive.Hold(1e9)/1000), int64(derive.Hold(0)))
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
