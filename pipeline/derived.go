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
	madeIn  int64           // the commit in which it was made
	behind  bool            // another process took readings of its inputs
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
		sources[i] = derive.Source{Path: in.Path(), Kind: in.Kind, Unit: in.Unit, Hold: derive.Hold(in.interval()), Step: in.Step}
	}
	return sources
}

// interval is how often a reading of the signal is expected; of a derived one, as often as of the slowest that
// it is computed from. Text and data are said when they change: without an interval of their own none is expected.
func (s *signalLive) interval() measure.Duration {
	switch {
	case s.Interval != 0:
		return s.Interval
	case s.Worded():
		return 0
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

// stepFollows lets what is computed from a signal, and was told in its step, follow it to the step that it has now.
func (t *Turn) stepFollows(s *signalLive, was float64) error {
	for _, f := range s.feeds {
		d := f.derived
		before := d.sources()
		for i, in := range d.inputs {
			if in == s {
				before[i].Step = was
			}
		}
		old, now := d.Recipe.StepIn(d.signal.Unit, before), d.Recipe.StepIn(d.signal.Unit, d.sources())
		if old == now || d.signal.Step != old {
			continue
		}
		d.signal.Step = now
		if err := t.Tx.SaveSignal(t.ctx, &d.signal.Signal); err != nil {
			return err
		}
		if err := t.stepFollows(d.signal, old); err != nil {
			return err
		}
	}
	return nil
}

// touch notes that a late reading of a signal changed what is derived from it.
func (t *Turn) touch(s *signalLive, at measure.Instant) {
	if len(s.feeds) > 0 {
		t.forget(s)
		t.note(s, at)
	}
}

// forget has all that is derived from a signal, over any number of steps, made anew before it is used again, where it
// looks at what was before: its past is another now.
func (t *Turn) forget(s *signalLive) {
	if t.forgotten[s.ID] {
		return
	}
	if t.forgotten == nil {
		t.forgotten = map[int64]bool{}
	}
	t.forgotten[s.ID] = true
	for _, f := range s.feeds {
		if m := f.derived.machine; m == nil || m.Remembers() || m.Lasting() {
			t.touched = true
			f.derived.signal.state.TouchedIn = t.CommitNo
			t.changed(f.derived.signal)
		}
		t.forget(f.derived.signal)
	}
}

// note notes that what was derived from a signal at an instant, and is perhaps stored already, must be computed
// anew.
func (t *Turn) note(s *signalLive, at measure.Instant) {
	if at > t.Now.Add(-noteAfter) && at > s.state.HighestAt {
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
		d, touched := f.derived, f.derived.signal.state.TouchedIn
		var err error
		switch {
		case d.machine == nil || d.madeIn <= touched && touched < t.CommitNo:
			err = t.start(d)
		case d.behind:
			err = t.bringUp(d, d.seen+1)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// start makes the machine of a derived signal and brings it to where it would be, had it worked all along.
func (t *Turn) start(d *derivedLive) (err error) {
	d.machine, err = d.Recipe.Build(d.sources())
	if err != nil {
		return err
	}
	d.madeIn, d.seen = t.CommitNo, 0
	for _, in := range d.inputs {
		d.seen = max(d.seen, in.state.HeldAt)
	}
	return t.bringUp(d, d.seen-d.machine.Reach())
}

// bringUp gives a machine what its inputs read from an instant on, up to their newest.
func (t *Turn) bringUp(d *derivedLive, from measure.Instant) error {
	for i, in := range d.inputs {
		if in.state.HeldAt == 0 {
			continue
		}
		d.seen = max(d.seen, in.state.HeldAt)
		if !d.machine.Remembers() {
			d.machine.Hold(i, in.state.HeldAt, in.state.Held)
		}
	}
	if d.machine.Remembers() && d.seen >= max(from, 1) {
		if err := t.p.store.FeedMachine(t.ctx, d.machine, d.Inputs, from, d.seen); err != nil {
			return err
		}
	}
	d.behind = false
	if err := t.renew(d, d.seen); err != nil {
		return err
	}
	if st := &d.signal.state; st.HeldAt != 0 {
		d.machine.Seed(measure.Reading{At: st.HeldAt, Value: st.Held})
	}
	return nil
}

// renew makes the newest value of a derived signal the true one, where it was computed before a past that is another
// now. Guards are not stepped again.
func (t *Turn) renew(d *derivedLive, until measure.Instant) error {
	st := &d.signal.state
	if st.MadeIn > st.TouchedIn || st.TouchedIn == t.CommitNo {
		return nil
	}
	r, err := t.p.store.NewestTrue(t.ctx, d.Signal, until)
	if err != nil {
		return err
	}
	t.touched = true
	t.changed(d.signal)
	st.MadeIn = t.CommitNo
	if r == nil {
		return nil
	}
	if st.ArrivedAt == 0 {
		st.ArrivedAt, st.ReceivedAt = r.At, t.Now
	}
	st.At, st.Value, st.Raw, st.Quality, st.HeldAt, st.Held, st.HeldRaw = r.At, r.Value, r.Value, r.Quality, r.At, r.Value, r.Value
	d.signal.hold()
	return nil
}

// feed gives a usable reading, newer than all before of its signal, to what is derived from that. It is computed by
// derive when all readings of the instant in the pack are there; a reading that comes after those of other inputs at
// its instant or later makes the newest value another.
func (t *Turn) feed(s *signalLive, at measure.Instant, value float64) {
	if len(s.feeds) == 0 {
		return
	}
	t.note(s, at)
	for _, f := range s.feeds {
		t.hold(f, at, value)
	}
}

// hold gives a machine a reading, and has it computed when the instant is at its end.
func (t *Turn) hold(f feed, at measure.Instant, value float64) {
	d := f.derived
	d.machine.Hold(f.place, at, value)
	if d.seen = max(d.seen, at); !slices.Contains(t.waiting, d) {
		t.waiting = append(t.waiting, d)
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
	if at < st.At || at == st.At && value == st.Value {
		return nil
	}
	if err := t.ready(s); err != nil {
		return err
	}
	t.changed(s)
	amended := at == st.At
	st.At, st.Value, st.Raw, st.Quality, st.ArrivedAt, st.ReceivedAt = at, value, value, 0, arrived, max(st.ReceivedAt, arrived)
	st.SilentAt, st.MadeIn = 0, d.madeIn
	if !amended {
		t.noteRun(s, at, value)
	}
	st.SteppedAt, st.HeldAt, st.Held, st.HeldRaw = max(st.SteppedAt, at), at, value, value
	for _, g := range s.guards {
		t.stepDerived(g, at, value, amended)
	}
	if amended {
		t.stepLocks(s, alarm.Event{Kind: alarm.Amended, At: at, Value: value})
	} else {
		t.stepLocks(s, alarm.Event{Kind: alarm.NewReading, At: at, Value: value})
	}
	if err := t.stepPlans(s, at, value); err != nil {
		return err
	}
	t.reconsider(s.suppresses, at)
	if amended {
		t.feedAmended(s, at, value)
	} else {
		t.feed(s, at, value)
	}
	return nil
}

// stepDerived steps a guard by a derived value. One that takes the place of another at the same instant is stepped as
// if that had not been, unless something was told of it.
func (t *Turn) stepDerived(g *guardLive, at measure.Instant, value float64, amended bool) {
	value, _ = g.Sees(value, 0, alarm.Within)
	e := alarm.Event{Kind: alarm.NewReading, At: at, Value: value}
	if amended && g.newest.untold && g.state == g.newest.after {
		g.state = g.newest.before
		t.keep(g)
	} else if amended {
		e.Kind = alarm.Amended
	}
	g.newest.before = g.state
	told := len(t.happened)
	t.step(g, e, "")
	g.newest.after, g.newest.untold = g.state, len(t.happened) == told
}

// feedAmended gives another newest value to what is derived from a signal: computed anew at once where a machine holds
// no more than newest values, made anew before its next reading where it looks back.
func (t *Turn) feedAmended(s *signalLive, at measure.Instant, value float64) {
	t.note(s, at)
	t.forget(s)
	for _, f := range s.feeds {
		if m := f.derived.machine; !m.Remembers() && !m.Lasting() {
			t.hold(f, at, value)
		}
	}
}

// noteTouches writes down which stretches of derived signals must be computed anew.
func (t *Turn) noteTouches() error {
	for signal, r := range t.touches {
		if err := t.Tx.NoteTouched(t.ctx, signal, r.from, r.until); err != nil {
			return err
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
		before := s.state
		s.state.MadeIn = 0
		if err := t.renew(s.derived, newest); err != nil {
			return err
		}
		if st := &s.state; st.At != before.At || st.Value != before.Value || st.Quality != before.Quality {
			s.derived.machine = nil
			t.forget(s)
		}
		return nil
	})
}
