package pipeline

import (
	"context"
	"slices"

	"jauntylark/core/alarm"
	"jauntylark/core/derive"
	"jauntylark/core/measure"
	"jauntylark/store"
)

// derivedLive is a derived signal at work. Its values are not stored as they come: what is newer than a while
// is computed whenever somebody asks, from the readings themselves, and the keeper of the history stores the
// rest. Here they make the newest value, step guards, and feed what is derived from it in turn.
type derivedLive struct {
	store.Derivation
	signal  *signalLive
	inputs  []*signalLive
	rank    int             // it comes after all that it is computed from
	machine *derive.Machine // nil until it is needed
	seen    measure.Instant // the newest instant that it was fed
}

// feed is an input of a derived signal, seen from the input.
type feed struct {
	derived *derivedLive
	place   int
}

// noteAfter is how old a reading is for what is derived from it to be stored already, at most: half of
// store.ComputeAfter, so that clocks may differ.
const noteAfter = store.ComputeAfter / 2

// sources describes the inputs for the recipe.
func (d *derivedLive) sources() []derive.Source {
	sources := make([]derive.Source, len(d.inputs))
	for i, in := range d.inputs {
		sources[i] = derive.Source{Path: in.Path(), Kind: in.Kind, Unit: in.Unit, Hold: derive.Hold(in.interval())}
	}
	return sources
}

// interval is how often a reading of the signal is expected; of a derived one, as often as of the slowest that
// it is computed from.
func (s *signalLive) interval() measure.Duration {
	switch {
	case s.Interval != 0:
		return s.Interval
	case s.derived == nil:
		return s.device.Interval
	}
	slowest := measure.Duration(0)
	for _, in := range s.derived.inputs {
		slowest = max(slowest, in.interval())
	}
	return slowest
}

// link joins derived signals with their inputs, in an order in which each comes after those it needs.
func (l *live) link(all []store.Derivation) error {
	of, byPath := map[string][]string{}, map[string]*derivedLive{}
	for _, row := range all {
		d := &derivedLive{Derivation: row, signal: l.signals[row.Signal]}
		d.signal.derived = d
		for place, input := range row.Inputs {
			in := l.signals[input]
			d.inputs = append(d.inputs, in)
			in.feeds = append(in.feeds, feed{d, place})
			of[d.signal.Path()] = append(of[d.signal.Path()], in.Path())
		}
		byPath[d.signal.Path()] = d
	}
	order, err := derive.Order(of)
	for rank, path := range order {
		byPath[path].rank = rank
	}
	return err
}

// touch notes that a late reading of a signal changed what is derived from it.
func (t *Turn) touch(s *signalLive, at measure.Instant) {
	if len(s.feeds) > 0 {
		t.forget = append(t.forget, s)
		t.note(s, at)
	}
}

// note notes that what was derived from a signal at an instant, and is perhaps stored already, must be computed
// anew.
func (t *Turn) note(s *signalLive, at measure.Instant) {
	if at > t.Now.Add(-noteAfter) {
		return
	}
	if t.touches == nil {
		t.touches = map[int64]reach{}
	}
	r, there := t.touches[s.ID]
	if !there {
		r = reach{at, at}
	}
	t.touches[s.ID] = reach{min(r.from, at), max(r.until, at)}
}

// reach is a stretch of time, its end included.
type reach struct{ from, until measure.Instant }

// ready sees that what is derived from a signal has its machine, as it stood before the signal's next reading.
func (t *Turn) ready(s *signalLive) error {
	for _, f := range s.feeds {
		if f.derived.machine == nil {
			if err := t.start(f.derived); err != nil {
				return err
			}
		}
	}
	return nil
}

// start makes the machine of a derived signal and brings it to where it would be, had it worked all along.
func (t *Turn) start(d *derivedLive) error {
	m, err := d.Recipe.Build(d.sources())
	if err != nil {
		return err
	}
	for i, in := range d.inputs {
		if at := in.state.HeldAt; at != 0 {
			d.seen = max(d.seen, at)
			if !m.Remembers() {
				m.Hold(i, at, in.state.Held)
			}
		}
	}
	if m.Remembers() && d.seen != 0 {
		if err := t.p.store.FeedMachine(t.ctx, m, d.Inputs, d.seen); err != nil {
			return err
		}
	}
	if st := &d.signal.state; st.HeldAt != 0 {
		m.Seed(measure.Reading{At: st.HeldAt, Value: st.Held})
	}
	d.machine = m
	return nil
}

// feed gives a usable reading, newer than all before, to what is derived from its signal. It is computed by
// derive when all readings of the instant are there.
func (t *Turn) feed(s *signalLive, at measure.Instant, value float64) {
	if len(s.feeds) == 0 {
		return
	}
	t.note(s, at)
	for _, f := range s.feeds {
		d := f.derived
		d.machine.Hold(f.place, at, value)
		if at > d.seen {
			d.seen = at
			t.waiting = append(t.waiting, d)
		}
	}
}

// derive computes what waits for the end of an instant.
func (t *Turn) derive(arrived measure.Instant) error {
	for len(t.waiting) > 0 {
		first := 0
		for i, d := range t.waiting {
			if d.rank < t.waiting[first].rank {
				first = i
			}
		}
		d := t.waiting[first]
		t.waiting = slices.Delete(t.waiting, first, first+1)
		if v, ok := d.machine.Compute(d.seen); ok {
			if err := t.takeDerived(d, d.seen, v, arrived); err != nil {
				return err
			}
		}
	}
	return nil
}

// takeDerived makes a computed value the newest of its signal.
func (t *Turn) takeDerived(d *derivedLive, at measure.Instant, value float64, arrived measure.Instant) error {
	s := d.signal
	st := &s.state
	if at <= st.At {
		return nil
	}
	if err := t.ready(s); err != nil {
		return err
	}
	t.changed(s)
	st.At, st.Value, st.Raw, st.Quality, st.ArrivedAt, st.ReceivedAt = at, value, value, 0, arrived, max(st.ReceivedAt, arrived)
	if st.SilentAt != 0 {
		st.SilentAt = 0
	}
	st.SteppedAt, st.HeldAt, st.Held, st.HeldRaw = max(st.SteppedAt, at), at, value, value
	for _, g := range s.guards {
		t.step(g, alarm.Event{Kind: alarm.NewReading, At: at, Value: value}, "")
	}
	t.feed(s, at, value)
	return nil
}

// noteTouches writes down which stretches of derived signals must be computed anew.
func (t *Turn) noteTouches() error {
	for signal, r := range t.touches {
		if err := t.Tx.NoteTouched(t.ctx, signal, r.from, r.until); err != nil {
			return err
		}
	}
	// A machine that looks back has not seen what came late.
	for _, s := range t.forget {
		for _, f := range s.feeds {
			if f.derived.machine != nil && f.derived.machine.Remembers() {
				f.derived.machine = nil
			}
		}
	}
	return nil
}

// Renew makes the newest value of a derived signal what its inputs say, once these were changed. Guards are
// not stepped again.
func (p *Pipeline) Renew(ctx context.Context, signal int64) error {
	return p.Do(ctx, func(t *Turn) error {
		s := t.live.signals[signal]
		if s == nil || s.derived == nil {
			return nil
		}
		newest := measure.Instant(0)
		for _, in := range s.derived.inputs {
			newest = max(newest, in.state.At)
		}
		r, err := p.store.NewestTrue(t.ctx, signal, newest)
		if err != nil {
			return err
		}
		st := &s.state
		if r == nil || r.At == st.At && r.Value == st.Value && r.Quality == st.Quality {
			return nil
		}
		t.touched = true
		if st.ArrivedAt == 0 {
			st.ArrivedAt, st.ReceivedAt = r.At, t.Now
		}
		st.At, st.Value, st.Raw, st.Quality, st.HeldAt, st.Held, st.HeldRaw = r.At, r.Value, r.Value, r.Quality, r.At, r.Value, r.Value
		s.hold()
		s.derived.machine = nil
		for _, f := range s.feeds {
			f.derived.machine = nil
		}
		t.changed(s)
		return nil
	})
}
