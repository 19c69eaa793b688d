package timeseries

import (
	"context"
	"encoding/json"
	"slices"

	"jauntylark/core/calibrate"
	"jauntylark/core/derive"
	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/store"
)

// endOfTime is after every reading.
const endOfTime measure.Instant = 1 << 61

// lens is how the stored readings of a signal become true ones: by its calibrations, and, where it is
// derived, by computing what is not stored yet or does not hold any more.
type correction struct {
	signal   int64
	timeline calibrate.Timeline
	derived  *derivation
}

// derivation is what a derived signal is computed from, and where that is to be done.
type derivation struct {
	recipe  derive.Recipe
	sources []derive.Source
	inputs  []int64
	dirty   []stretch // in order, apart from each other; the last has no end
}

// lensOf reads how a signal is to be seen.
func correctionOf(ctx context.Context, db store.Reader, signal int64) (correction, error) {
	l := correction{signal: signal}
	var row struct {
		Recipe        []byte          `db:"recipe"`
		Holds         []byte          `db:"holds"`
		ComputedUntil measure.Instant `db:"computed_until"`
		Calibrations  []byte          `db:"calibrations"`
	}
	err := db.Get(ctx, &row, `
		select recipe, to_jsonb(holds) as holds, computed_until,
		       (select jsonb_agg(jsonb_build_object('id', id, 'at', from_at, 'curve', curve)) from calibration
		           where signal_id = $1 and retired_at is null) as calibrations
		from signal where id = $1`, signal)
	if err != nil {
		return l, store.Found(err)
	}
	if row.Calibrations != nil {
		var all []struct {
			ID    int64           `json:"id"`
			At    int64           `json:"at"`
			Curve calibrate.Curve `json:"curve"`
		}
		if err := json.Unmarshal(row.Calibrations, &all); err != nil {
			return l, err
		}
		calibrations := make([]calibrate.Calibration, len(all))
		for i, c := range all {
			calibrations[i] = calibrate.Calibration{ID: c.ID, From: measure.Instant(c.At), Curve: c.Curve}
		}
		l.timeline = calibrate.NewTimeline(calibrations)
	}
	if row.Recipe == nil {
		return l, nil
	}
	d := &derivation{}
	l.derived = d
	if err := json.Unmarshal(row.Recipe, &d.recipe); err != nil {
		return l, err
	}
	var holds []measure.Instant
	if err := json.Unmarshal(row.Holds, (*instants)(&holds)); err != nil {
		return l, err
	}
	return l, readDerivation(ctx, db, signal, d, holds, row.ComputedUntil)
}

// instants are instants as numbers in JSON.
type instants []measure.Instant

// UnmarshalJSON reads a list of numbers.
func (i *instants) UnmarshalJSON(data []byte) error {
	var numbers []int64
	err := json.Unmarshal(data, &numbers)
	for _, n := range numbers {
		*i = append(*i, measure.Instant(n))
	}
	return err
}

func readDerivation(ctx context.Context, db store.Reader, signal int64, d *derivation, holds []measure.Instant,
	computedUntil measure.Instant) error {
	var inputs []struct {
		ID   int64        `db:"id"`
		Path string       `db:"path"`
		Kind string       `db:"kind"`
		Unit measure.Unit `db:"unit"`
	}
	err := db.Select(ctx, &inputs, `
		select s.id, d.name || '/' || s.name as path, s.kind, s.unit from derived_input i
		    join signal s on s.id = i.input_id join device d on d.id = s.device_id
		where i.derived_id = $1 order by i.place`, signal)
	if err != nil {
		return err
	}
	for i, in := range inputs {
		d.inputs = append(d.inputs, in.ID)
		d.sources = append(d.sources, derive.Source{Path: in.Path, Kind: in.Kind, Unit: in.Unit, Hold: holds[i]})
	}
	var rows []stretch
	if err := db.Select(ctx, &rows, `select from_at, until_at from recompute where signal_id = $1 order by from_at`,
		signal); err != nil {
		return err
	}
	rows = append(rows, stretch{computedUntil + 1, endOfTime})
	slices.SortFunc(rows, func(a, b stretch) int { return int(a.From - b.From) })
	d.dirty = merged(rows, 0)
	return nil
}

// part is a stretch that is either stored, or to be computed from the dirty stretch that it lies in.
type part struct {
	stretch
	dirty *stretch
}

// parts cuts a stretch into what is stored and what is to be computed.
func (l *correction) parts(from, until measure.Instant) (parts []part) {
	if l.derived != nil {
		for i := range l.derived.dirty {
			d := &l.derived.dirty[i]
			if d.Until < from || d.From > until {
				continue
			}
			if from < d.From {
				parts = append(parts, part{stretch: stretch{from, d.From - 1}})
			}
			parts = append(parts, part{stretch{max(from, d.From), min(until, d.Until)}, d})
			from = d.Until + 1
		}
	}
	if from <= until {
		parts = append(parts, part{stretch: stretch{from, until}})
	}
	return parts
}

// Walk goes through the true readings of one signal in order of time. It must be used inside of a Look.
type Walk struct {
	tx         *store.Tx
	correction correction
	parts      []part
	stored     *storedWalk
	run        *derive.Runner
}

// Walk begins a walk over a stretch, its end included.
func NewWalk(ctx context.Context, tx *store.Tx, signal int64, from, until measure.Instant) (*Walk, error) {
	l, err := correctionOf(ctx, tx, signal)
	return &Walk{tx: tx, correction: l, parts: l.parts(from, until)}, err
}

// Next gives the next readings, a block's worth or so; none at the end. They are good until the next call.
func (w *Walk) Next(ctx context.Context, room []measure.Reading) ([]measure.Reading, error) {
	for {
		switch {
		case w.stored != nil:
			some, err := w.stored.Next(ctx, room)
			if err != nil || len(some) > 0 {
				w.correction.timeline.Correct(some)
				return some, err
			}
			w.stored = nil
		case w.run != nil:
			some, err := computeBlock(w.run, room[:0])
			if err != nil || len(some) > 0 {
				return some, err
			}
			w.run = nil
		case len(w.parts) == 0:
			return nil, nil
		default:
			if err := w.enter(ctx, w.parts[0]); err != nil {
				return nil, err
			}
			w.parts = w.parts[1:]
		}
	}
}

func (w *Walk) enter(ctx context.Context, p part) (err error) {
	if p.dirty == nil {
		w.stored, err = walkStored(ctx, w.tx, w.correction.signal, p.From, p.Until)
		return err
	}
	w.run, err = compute(ctx, w.tx, &w.correction, p)
	return err
}

// computeBlock gets up to a block's worth of computed readings.
func computeBlock(run *derive.Runner, room []measure.Reading) ([]measure.Reading, error) {
	for len(room) < series.BlockReadings {
		r, some, err := run.Next()
		if err != nil || !some {
			return room, err
		}
		room = append(room, r)
	}
	return room, nil
}

// compute begins to compute a part of a derived signal from its inputs.
func compute(ctx context.Context, tx *store.Tx, l *correction, p part) (*derive.Runner, error) {
	d := l.derived
	m, err := d.recipe.Build(d.sources)
	if err != nil {
		return nil, err
	}
	begin := p.From
	var seed *measure.Reading
	if m.Lasting() { // it goes on from what holds before
		begin = p.dirty.From
		before, err := Newest(ctx, tx, l.signal, begin, 1)
		if err != nil {
			return nil, err
		}
		if len(before) > 0 {
			seed = &before[0]
		}
	}
	streams := make([]derive.Stream, len(d.inputs))
	for i, input := range d.inputs {
		w, err := NewWalk(ctx, tx, input, begin-m.Reach(), p.Until)
		if err != nil {
			return nil, err
		}
		streams[i] = streamOf(ctx, w)
	}
	return m.Over(streams, p.From, seed), nil
}

// streamOf gives the readings of a walk one by one.
func streamOf(ctx context.Context, w *Walk) derive.Stream {
	room := make([]measure.Reading, 0, series.BlockReadings)
	var some []measure.Reading
	return func() (r measure.Reading, ok bool, err error) {
		if len(some) == 0 {
			if some, err = w.Next(ctx, room); err != nil || len(some) == 0 {
				return r, false, err
			}
		}
		r, some = some[0], some[1:]
		return r, true, nil
	}
}
