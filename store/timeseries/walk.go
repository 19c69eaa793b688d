package timeseries

import (
	"context"
	"errors"
	"slices"

	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/site"
	"jauntylark/store"
)

// blocksAStep is how many blocks a walk fetches at once.
const blocksAStep = 16

// storedWalk goes through the readings of one signal as they are stored, in order of time. It must be used
// inside of a Look.
type storedWalk struct {
	tx          *store.Tx
	signal      int64
	next, until measure.Instant
	plain       []measure.Reading // in order, not given yet
	bodies      [][]byte
	begun, done bool
}

// walkStored begins a walk over a stretch, its end included.
func walkStored(ctx context.Context, tx *store.Tx, signal int64, from, until measure.Instant) (*storedWalk, error) {
	plain, err := plain(ctx, tx, signal, from, until)
	return &storedWalk{tx: tx, signal: signal, next: from, until: until, plain: plain}, err
}

// plain gives a stretch of a signal's plain rows, in order of time.
func plain(ctx context.Context, db store.Reader, signal int64, from,
	until measure.Instant) (readings []measure.Reading, err error) {
	err = db.Select(ctx, &readings,
		`select at, value, quality from reading where signal_id = $1 and at between $2 and $3 order by at`, signal,
		from, until)
	return readings, err
}

// Next gives the next readings, a block's worth or so; none at the end. They are good until the next call.
func (w *storedWalk) Next(ctx context.Context, room []measure.Reading) ([]measure.Reading, error) {
	for {
		if len(w.bodies) == 0 && !w.done {
			if err := w.fetch(ctx); err != nil {
				return nil, err
			}
		}
		if w.done {
			rest := w.plain
			w.plain = nil
			return rest, nil
		}
		sealed, err := series.Decode(w.bodies[0], room[:0])
		if err != nil {
			return nil, err
		}
		w.bodies = w.bodies[1:]
		last := sealed[len(sealed)-1].At
		sealed = series.Cut(sealed, w.next, w.until)
		w.next = last + 1
		if part := series.Cut(w.plain, 0, last); len(part) > 0 {
			sealed, _ = series.Merge(sealed, part, false)
			w.plain = w.plain[len(part):]
		}
		if len(sealed) > 0 {
			return sealed, nil
		}
	}
}

// fetch gets the next blocks.
func (w *storedWalk) fetch(ctx context.Context) error {
	from := `$2`
	if !w.begun {
		from = blockAt
	}
	w.begun = true
	w.bodies = w.bodies[:0]
	err := w.tx.Select(ctx, &w.bodies, `
		select body from block where signal_id = $1 and first_at >= `+from+
		` and first_at <= $3 order by first_at limit $4`, w.signal, w.next, w.until, blocksAStep)
	w.done = err == nil && len(w.bodies) == 0
	return err
}

// EachReading calls each with the readings of a stretch, its end included, in order of time, as they truly
// are: corrected, and computed where the signal is derived.
func EachReading(ctx context.Context, tx *store.Tx, signal int64, from, until measure.Instant,
	each func([]measure.Reading) error) error {
	w, err := NewWalk(ctx, tx, signal, from, until)
	if err != nil {
		return err
	}
	return drain(ctx, w, each)
}

// EachStored is EachReading for the readings as they are stored.
func EachStored(ctx context.Context, tx *store.Tx, signal int64, from, until measure.Instant,
	each func([]measure.Reading) error) error {
	w, err := walkStored(ctx, tx, signal, from, until)
	if err != nil {
		return err
	}
	return drain(ctx, w, each)
}

// walker gives readings in order of time, some at a call; none at the end. They are good until the next call.
type walker interface {
	Next(ctx context.Context, room []measure.Reading) ([]measure.Reading, error)
}

func drain(ctx context.Context, w walker, each func([]measure.Reading) error) error {
	room := make([]measure.Reading, 0, series.BlockReadings)
	for {
		readings, err := w.Next(ctx, room)
		if err != nil || len(readings) == 0 {
			return err
		}
		if err := each(readings); err != nil {
			return err
		}
	}
}

// Readings gives the readings of a signal from from up to and with until, in order of time, limit at
// most, and whether there are more.
func Readings(ctx context.Context, s *store.Store, signal *site.Signal, from, until measure.Instant,
	limit int) (readings []measure.Reading, more bool, err error) {
	readings = []measure.Reading{}
	tx, err := s.Look(ctx)
	if err != nil {
		return nil, false, err
	}
	defer tx.Rollback()
	err = EachReading(ctx, tx, signal.ID, from, until, func(some []measure.Reading) error {
		if readings = append(readings, some...); len(readings) > limit {
			return errEnough
		}
		return nil
	})
	if err == errEnough {
		readings, more, err = readings[:limit], true, nil
	}
	if err == nil && (signal.Kind == site.KindText || signal.Kind == site.KindData) {
		err = Spell(ctx, tx, readings)
	}
	return readings, more, err
}

// Newest gives the newest readings of a signal before an instant as they are stored, at most so many, in
// order of time.
func Newest(ctx context.Context, db store.Reader, signal int64, before measure.Instant,
	limit int) ([]measure.Reading, error) {
	readings, err := plain(ctx, db, signal, 0, before-1)
	if err != nil {
		return nil, err
	}
	var bodies [][]byte
	err = db.Select(ctx, &bodies,
		`select body from block where signal_id = $1 and first_at < $2 order by first_at desc limit $3`,
		signal, before, limit/series.BlockReadings+2)
	if err != nil {
		return nil, err
	}
	for _, body := range bodies {
		sealed, err := series.Decode(body, nil)
		if err != nil {
			return nil, err
		}
		readings, _ = series.Merge(series.Cut(sealed, 0, before-1), readings, false)
	}
	return readings[max(0, len(readings)-limit):], nil
}

// sealedAt gives those readings in blocks that share signal and instant with a wanted row.
func sealedAt(ctx context.Context, db store.Reader, wanted []Row) (found []Row, err error) {
	signals, instants := make([]int64, len(wanted)), make([]int64, len(wanted))
	for i, w := range wanted {
		signals[i], instants[i] = w.Signal, int64(w.At)
	}
	var blocks []struct {
		Signal int64  `db:"signal_id"`
		Body   []byte `db:"body"`
	}
	err = db.Select(ctx, &blocks, `
		select b.signal_id, b.body from block b join (
			select distinct w.signal_id, k.first_at from unnest($1::bigint[], $2::bigint[]) as w(signal_id, at)
			cross join lateral (select first_at, last_at from block where signal_id = w.signal_id and first_at <= w.at
			    order by first_at desc limit 1) k
			where k.last_at >= w.at) x on x.signal_id = b.signal_id and x.first_at = b.first_at`, signals, instants)
	if err != nil {
		return nil, err
	}
	bySignal := map[int64][]measure.Instant{}
	for _, w := range wanted {
		bySignal[w.Signal] = append(bySignal[w.Signal], w.At)
	}
	var room []measure.Reading
	for _, b := range blocks {
		if room, err = series.Decode(b.Body, room[:0]); err != nil {
			return nil, err
		}
		for _, at := range bySignal[b.Signal] {
			if i, there := slices.BinarySearchFunc(room, at,
				func(r measure.Reading, at measure.Instant) int { return int(r.At - at) }); there {
				found = append(found, Row{Signal: b.Signal, At: at, Value: room[i].Value, Quality: room[i].Quality})
			}
		}
	}
	return found, nil
}

// errEnough ends a walk before its end.
var errEnough = errors.New("enough")

// Compare tells what would become of readings that are merged into a signal; of text, any counts as the same.
func Compare(ctx context.Context, s *store.Store, signal *site.Signal, fresh []measure.Reading, texts []string,
	replace bool) (series.Merged, error) {
	var all series.Merged
	tx, err := s.Look(ctx)
	if err != nil {
		return all, err
	}
	defer tx.Rollback()
	rest := fresh
	err = EachStored(ctx, tx, signal.ID, fresh[0].At, fresh[len(fresh)-1].At, func(some []measure.Reading) error {
		part := series.Cut(rest, 0, some[len(some)-1].At)
		rest = rest[len(part):]
		if texts != nil {
			for i := range part {
				if k, there := slices.BinarySearchFunc(some, part[i].At,
					func(r measure.Reading, at measure.Instant) int { return int(r.At - at) }); there {
					part[i].Value = some[k].Value
				}
			}
		}
		_, told := series.Merge(some, part, replace)
		all.Added, all.Same, all.Replaced = all.Added+told.Added, all.Same+told.Same, all.Replaced+told.Replaced
		all.Conflicts = append(all.Conflicts, told.Conflicts...)
		return nil
	})
	all.Added += len(rest)
	return all, err
}

// NewestGaps gives the times between the newest readings of a device's busiest signal, newest first,
// in milliseconds.
func NewestGaps(ctx context.Context, s *store.Store, device int64, since measure.Instant,
	limit int) (gaps []float64, err error) {
	tx, err := s.Look(ctx)
	if err != nil {
		return nil, err
	}
	defer tx.Rollback()
	var signals []int64
	err = tx.Select(ctx, &signals, `
		select s.id from signal s join signal_state st on st.signal_id = s.id where s.device_id = $1 and st.at >= $2
		    order by s.id`, device, since)
	if err != nil {
		return nil, err
	}
	busiest := []measure.Reading{}
	for _, signal := range signals {
		newest, err := Newest(ctx, tx, signal, 1<<62, limit)
		if err != nil {
			return nil, err
		}
		newest = series.Cut(newest, since, 1<<62)
		if n, m := len(newest), len(busiest); n > m || n == m && n > 0 && newest[0].At > busiest[0].At {
			busiest = newest
		}
	}
	for i := len(busiest) - 1; i > 0; i-- {
		gaps = append(gaps, float64(busiest[i].At-busiest[i-1].At))
	}
	return gaps, nil
}
