package follow

import (
	"slices"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/notice"
	"jauntylark/pipeline/silence"
	"jauntylark/store/config"
	"jauntylark/store/timeseries"
)

// noteAfter is how old a reading is for what is derived from it to be stored already, at most: half of
// store.ComputeAfter, so that clocks may differ.
const noteAfter = timeseries.ComputeAfter / 2

// Turn is a turn in which follows what follows from a reading.
type Turn struct {
	*silence.Turn
	waiting   []*memory.Derived // to be computed when all readings of the instant are there
	late      map[int64]extent  // where late readings came that guards did not step
	touches   map[int64]extent  // where what is derived from a signal must be computed anew
	forgotten map[int64]bool    // signals whose past is another now
}

// New makes a turn of what is in memory, whose messages have addresses.
func New(m *memory.Turn, l notice.Links) *Turn {
	return &Turn{Turn: silence.New(m, l)}
}

// StepFollows lets what is computed from a signal, and was told in its step, follow it to the step that it has now.
func (t *Turn) StepFollows(s *memory.Signal, was float64) error {
	for _, f := range s.Feeds {
		d := f.Derived
		before := d.Sources()
		for i, in := range d.From {
			if in == s {
				before[i].Step = was
			}
		}
		old, now := d.Recipe.StepIn(d.Into.Unit, before), d.Recipe.StepIn(d.Into.Unit, d.Sources())
		if old == now || d.Into.Step != old {
			continue
		}
		t.ConfigChanged(d.Into.Home.Change())
		d.Into.Step = now
		if err := config.SaveSignal(t.Ctx, t.Tx, &d.Into.Signal); err != nil {
			return err
		}
		if err := t.StepFollows(d.Into, old); err != nil {
			return err
		}
	}
	return nil
}

// Touch notes that a late reading of a signal changed what is derived from it.
func (t *Turn) Touch(s *memory.Signal, at measure.Instant) {
	if len(s.Feeds) > 0 {
		t.ForgetPast(s)
		t.note(s, at)
	}
}

// ForgetPast has all that is derived from a signal, over any number of steps, made anew before it is used again, where
// it looks at what was before: its past is another now.
func (t *Turn) ForgetPast(s *memory.Signal) {
	if t.forgotten[s.ID] {
		return
	}
	if t.forgotten == nil {
		t.forgotten = map[int64]bool{}
	}
	t.forgotten[s.ID] = true
	for _, f := range s.Feeds {
		if m := f.Derived.Machine; m == nil || m.Remembers() || m.Lasting() {
			t.Changed(f.Derived.Into)
			f.Derived.Into.State.TouchedIn = t.CommitNo
		}
		t.ForgetPast(f.Derived.Into)
	}
}

// note notes that what was derived from a signal at an instant, and is perhaps stored already, must be computed
// anew.
func (t *Turn) note(s *memory.Signal, at measure.Instant) {
	if at > t.Now.Add(-noteAfter) && at > s.State.HighestAt {
		return
	}
	if t.touches == nil {
		t.touches = map[int64]extent{}
	}
	r, there := t.touches[s.ID]
	if !there {
		r = extent{at, at}
	}
	t.touches[s.ID] = extent{min(r.from, at), max(r.until, at)}
}

// extent is a stretch of time, its end included.
type extent struct{ from, until measure.Instant }

// Ready sees that what is derived from a signal has its machine, as it stood before the signal's next reading.
func (t *Turn) Ready(s *memory.Signal) error {
	for _, f := range s.Feeds {
		d, touched := f.Derived, f.Derived.Into.State.TouchedIn
		var err error
		switch {
		case d.Machine == nil || d.MadeIn <= touched && touched < t.CommitNo:
			err = t.start(d)
		case d.Behind:
			err = t.bringUp(d, d.Seen+1)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// start makes the machine of a derived signal and brings it to where it would be, had it worked all along.
func (t *Turn) start(d *memory.Derived) (err error) {
	t.Alter(d.Into.Home)
	d.Machine, err = d.Recipe.Build(d.Sources())
	if err != nil {
		return err
	}
	d.MadeIn, d.Seen = t.CommitNo, 0
	for _, in := range d.From {
		d.Seen = max(d.Seen, in.State.HeldAt)
	}
	return t.bringUp(d, d.Seen-d.Machine.Reach())
}

// bringUp gives a machine what its inputs read from an instant on, up to their newest.
func (t *Turn) bringUp(d *memory.Derived, from measure.Instant) error {
	t.Alter(d.Into.Home)
	for i, in := range d.From {
		if in.State.HeldAt == 0 {
			continue
		}
		d.Seen = max(d.Seen, in.State.HeldAt)
		if !d.Machine.Remembers() {
			d.Machine.Hold(i, in.State.HeldAt, in.State.Held)
		}
	}
	if d.Machine.Remembers() && d.Seen >= max(from, 1) {
		if err := timeseries.FeedMachine(t.Ctx, t.Store, d.Machine, d.Inputs, from, d.Seen); err != nil {
			return err
		}
	}
	d.Behind = false
	if err := t.Renew(d, d.Seen); err != nil {
		return err
	}
	if st := &d.Into.State; st.HeldAt != 0 {
		d.Machine.Seed(measure.Reading{At: st.HeldAt, Value: st.Held})
	}
	return nil
}

// Renew makes the newest value of a derived signal the true one, where it was computed before a past that is another
// now. Guards are not stepped again.
func (t *Turn) Renew(d *memory.Derived, until measure.Instant) error {
	st := &d.Into.State
	if st.MadeIn > st.TouchedIn || st.TouchedIn == t.CommitNo {
		return nil
	}
	r, err := timeseries.NewestTrue(t.Ctx, t.Store, d.Signal, until)
	if err != nil {
		return err
	}
	t.Changed(d.Into)
	st.MadeIn = t.CommitNo
	if r == nil {
		return nil
	}
	if st.ArrivedAt == 0 {
		st.ArrivedAt, st.ReceivedAt = r.At, t.Now
	}
	st.At, st.Value, st.Raw, st.Quality, st.HeldAt, st.Held, st.HeldRaw = r.At, r.Value, r.Value, r.Quality, r.At,
		r.Value, r.Value
	d.Into.HoldGuards()
	return nil
}

// Feed gives a usable reading, newer than all before of its signal, to what is derived from that. It is computed by
// derive when all readings of the instant in the pack are there; a reading that comes after those of other inputs at
// its instant or later makes the newest value another.
func (t *Turn) Feed(s *memory.Signal, at measure.Instant, value float64) {
	if len(s.Feeds) == 0 {
		return
	}
	t.note(s, at)
	for _, f := range s.Feeds {
		t.hold(f, at, value)
	}
}

// hold gives a machine a reading, and has it computed when the instant is at its end.
func (t *Turn) hold(f memory.Feed, at measure.Instant, value float64) {
	d := f.Derived
	t.Alter(d.Into.Home)
	d.Machine.Hold(f.Place, at, value)
	if d.Seen = max(d.Seen, at); !slices.Contains(t.waiting, d) {
		t.waiting = append(t.waiting, d)
	}
}

// Derive computes what waits for the end of an instant.
func (t *Turn) Derive(arrived measure.Instant) error {
	for len(t.waiting) > 0 {
		first := 0
		for i, d := range t.waiting {
			if d.Rank < t.waiting[first].Rank {
				first = i
			}
		}
		d := t.waiting[first]
		t.waiting = slices.Delete(t.waiting, first, first+1)
		if v, ok := d.Machine.Compute(d.Seen); ok {
			if err := t.storeDerived(d, d.Seen, v, arrived); err != nil {
				return err
			}
		}
	}
	return nil
}

// storeDerived makes a computed value the newest of its signal.
func (t *Turn) storeDerived(d *memory.Derived, at measure.Instant, value float64, arrived measure.Instant) error {
	s := d.Into
	st := &s.State
	if at < st.At || at == st.At && value == st.Value {
		return nil
	}
	if err := t.Ready(s); err != nil {
		return err
	}
	t.Changed(s)
	amended := at == st.At
	st.At, st.Value, st.Raw, st.Quality, st.ArrivedAt, st.ReceivedAt = at, value, value, 0, arrived,
		max(st.ReceivedAt, arrived)
	st.SilentAt, st.MadeIn = 0, d.MadeIn
	if !amended {
		t.NoteRun(s, at, value)
	}
	st.SteppedAt, st.HeldAt, st.Held, st.HeldRaw = max(st.SteppedAt, at), at, value, value
	for _, g := range s.Guards {
		t.stepDerived(g, at, value, amended)
	}
	if amended {
		t.StepInterlocks(s, alarm.Event{Kind: alarm.Amended, At: at, Value: value})
	} else {
		t.StepInterlocks(s, alarm.Event{Kind: alarm.NewReading, At: at, Value: value})
	}
	if err := t.StepPlans(s, at, value); err != nil {
		return err
	}
	t.Reconsider(s.Suppresses, at)
	if amended {
		t.feedAmended(s, at, value)
	} else {
		t.Feed(s, at, value)
	}
	return nil
}

// stepDerived steps a guard by a derived value. One that takes the place of another at the same instant is stepped as
// if that had not been, unless something was told of it.
func (t *Turn) stepDerived(g *memory.Guard, at measure.Instant, value float64, amended bool) {
	value, _ = g.Sees(value, 0, alarm.Within)
	e := alarm.Event{Kind: alarm.NewReading, At: at, Value: value}
	if amended && g.Newest.Untold && g.State == g.Newest.After {
		g.State = g.Newest.Before
		t.GuardChanged(g)
	} else if amended {
		e.Kind = alarm.Amended
	}
	g.Newest.Before = g.State
	told := len(t.Happened)
	t.Step(g, e, "")
	g.Newest.After, g.Newest.Untold = g.State, len(t.Happened) == told
}

// feedAmended gives another newest value to what is derived from a signal: computed anew at once where a machine holds
// no more than newest values, made anew before its next reading where it looks back.
func (t *Turn) feedAmended(s *memory.Signal, at measure.Instant, value float64) {
	t.note(s, at)
	t.ForgetPast(s)
	for _, f := range s.Feeds {
		if m := f.Derived.Machine; !m.Remembers() && !m.Lasting() {
			t.hold(f, at, value)
		}
	}
}

// NoteTouches writes down which stretches of derived signals must be computed anew.
func (t *Turn) NoteTouches() error {
	for signal, r := range t.touches {
		if err := timeseries.NoteTouched(t.Ctx, t.Tx, signal, r.from, r.until); err != nil {
			return err
		}
	}
	return nil
}
