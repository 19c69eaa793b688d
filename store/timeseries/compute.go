package timeseries

import (
	"context"
	"slices"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/store"
)

// ComputeAfter is how old readings are before what is derived from them is stored; until then it is computed
// when somebody asks. Inputs that come no later than this need no note.
const ComputeAfter = 2 * time.Minute

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
func Compute(ctx context.Context, s *store.Store, before, now measure.Instant,
	while time.Duration) (done Computed, err error) {
	tx, err := s.Begin(ctx)
	if err != nil {
		return done, err
	}
	defer tx.Rollback()
	if done.Signal, err = nextToCompute(ctx, tx, before, while); err != nil || done.Signal == 0 {
		return done, err
	}
	// Acts of people lock a signal's row before what belongs to it; so does this.
	if _, err := tx.Exec(ctx, `select from signal where id = $1 for no key update`, done.Signal); err != nil {
		return done, err
	}
	var rows []staleRow
	if err := tx.Select(ctx, &rows, `select id, from_at, until_at from recompute where signal_id = $1`,
		done.Signal); err != nil {
		return done, err
	}
	done.Some = true
	if done.Newest, err = computeStep(ctx, tx, s, done.Signal, rows, before, now); err != nil {
		return done, err
	}
	return done, tx.Commit()
}

// nextToCompute holds a signal that Compute has something to do for and nobody else works on, and gives it; 0 for
// none.
func nextToCompute(ctx context.Context, db store.Reader, before measure.Instant, while time.Duration) (int64, error) {
	var waiting []int64
	err := db.Select(ctx, &waiting,
		`select signal_id from recompute where from_at <= $1 group by signal_id order by min(id) limit 20`, before)
	if err == nil && len(waiting) == 0 {
		err = db.Select(ctx, &waiting, `
			select s.id from signal s where s.recipe is not null and s.computed_until < $1
			and exists (select from derived_input i join signal_state st on st.signal_id = i.input_id
			    where i.derived_id = s.id and st.at > s.computed_until)
			order by s.computed_until, s.id limit 20`, before.Add(-while))
	}
	for _, signal := range waiting {
		var free bool
		if err = db.Get(ctx, &free, `select pg_try_advisory_xact_lock($1, $2)`, lockSignal, signal); err != nil ||
			free {
			return signal, err
		}
	}
	return 0, err
}

// computeStep computes the first dirty stretch of a signal, or the beginning of it. The rows were there
// before it looked; others stay.
func computeStep(ctx context.Context, tx *store.Tx, s *store.Store, signal int64, rows []staleRow, before,
	now measure.Instant) (newest bool, err error) {
	look, err := s.Look(ctx)
	if err != nil {
		return false, err
	}
	defer look.Rollback()
	l, err := correctionOf(ctx, look, signal)
	if err != nil {
		return false, err
	}
	first := l.derived.dirty[0]
	of := stretch{first.From, min(first.Until, before)}
	if begun, _, err := within(ctx, look, signal, 0, endOfTime); err != nil {
		return false, err
	} else if begun <= of.Until { // what is noted may begin long before anything was measured
		of.From = max(of.From, begun)
	}
	if of.From <= of.Until {
		fresh, until, err := computed(ctx, look, &l, part{of, &first})
		if err != nil {
			return false, err
		}
		of.Until = until
		if err := rewrite(ctx, tx, signal, of, fresh, now); err != nil {
			return false, err
		}
	}
	if err := settleRows(ctx, tx, signal, rows, of.Until, first.Until == endOfTime); err != nil {
		return false, err
	}
	var at measure.Instant
	err = look.Get(ctx, &at, `select at from signal_state where signal_id = $1`, signal)
	return first.Until >= at && (of.Until >= at || of.Until >= before), err
}

// settleRows notes that a signal was computed up to an instant.
func settleRows(ctx context.Context, db store.Writer, signal int64, rows []staleRow, until measure.Instant,
	tail bool) error {
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
		if _, err := db.Exec(ctx, command, r.ID, next); err != nil {
			return err
		}
	}
	if !tail {
		return nil
	}
	// What lies beyond is computed when somebody asks, so it needs no note.
	_, err := db.Exec(ctx, `update signal set computed_until = greatest(computed_until, $2) where id = $1`, signal,
		until)
	if err == nil {
		_, err = db.Exec(ctx, `
			delete from recompute r using signal s where s.id = r.signal_id and r.signal_id = $1
			    and r.id = any($2::bigint[]) and r.from_at > s.computed_until`, signal, idsOf(rows))
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
func computed(ctx context.Context, tx *store.Tx, l *correction,
	p part) (fresh []measure.Reading, until measure.Instant, err error) {
	run, err := compute(ctx, tx, l, p)
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
func rewrite(ctx context.Context, tx *store.Tx, signal int64, of stretch, fresh []measure.Reading,
	now measure.Instant) error {
	before, same, rest := 0, true, fresh
	err := EachStored(ctx, tx, signal, of.From, of.Until, func(some []measure.Reading) error {
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
	if err == nil {
		err = noteMarked(ctx, tx, signal, fresh)
	}
	if err != nil || same && len(rest) == 0 {
		return err
	}
	if before > 0 {
		if _, err := Take(ctx, tx, signal, of.From, of.Until, func(series.Block) error { return nil }); err != nil {
			return err
		}
		if err := NoteStale(ctx, tx, signal, of.From, of.Until, now); err != nil {
			return err
		}
	}
	_, err = Merge(ctx, tx, signal, fresh, false, now)
	return err
}

// noteMarked notes that computed readings have marks from now on, which they had not while they were computed when
// somebody asked.
func noteMarked(ctx context.Context, db store.Writer, signal int64, fresh []measure.Reading) error {
	first := slices.IndexFunc(fresh, func(r measure.Reading) bool { return r.Quality != 0 })
	if first < 0 {
		return nil
	}
	last := first
	for i := range fresh {
		if fresh[i].Quality != 0 {
			last = i
		}
	}
	_, err := db.Exec(ctx, `insert into amended (signal_id, from_at, until_at) values ($1, $2, $3)`, signal,
		fresh[first].At, fresh[last].At)
	return err
}
