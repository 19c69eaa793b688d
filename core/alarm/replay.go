package alarm

import (
	"math"
	"slices"
	"time"

	"jauntylark/core/measure"
)

// Occurrence is an alarm that a replay found.
type Occurrence struct {
	Side      Side             `json:"-"`
	Level     string           `json:"level" doc:"the outermost rung that stood: high, high-high, low, low-low; empty when the test has no direction"`
	Severity  Severity         `json:"severity" enum:"advisory,warning,critical" doc:"of that rung"`
	RaisedAt  measure.Instant  `json:"raised_at" format:"date-time"`
	ClearedAt *measure.Instant `json:"cleared_at" format:"date-time" doc:"null: it still stands at the end"`
	Value     float64          `json:"value" doc:"the value at the raise"`
	Extreme   float64          `json:"extreme" doc:"how far it went"`
	Ending    Ending           `json:"ending,omitempty" enum:",back,reset,unwatched,changed,disproved,drill" doc:"why it is over; empty: it is not"`
	Cause     string           `json:"cause,omitempty" doc:"what ended it, when it was not the value"`
}

// Length is how long it stood, by until where it still does.
func (o *Occurrence) Length(until measure.Instant) time.Duration {
	if o.ClearedAt != nil {
		until = *o.ClearedAt
	}
	return until.Sub(o.RaisedAt)
}

// Run steps a guard over what is stored. It is Step in a loop; readings that move nothing are passed over quickly.
type Run struct {
	Alarms []Occurrence // in the order in which they were raised
	State  State

	// SilentAfter is how long nothing may come before the signal counts as silent, so that delays stand still; 0: it
	// never does. Over readings alone it is counted in their own times.
	SilentAfter time.Duration
	// of the newest reading of any quality; of the value that held at the beginning if nobody says
	Heard measure.Instant

	g     *Guard
	room  []Transition
	open  [2]int   // which of Alarms stands on a side, counted from 1
	deep  [2]uint8 // the outermost level at which it stood
	quiet struct {
		known     bool
		low, high float64
	}
}

// NewRun begins a replay with the value that holds at an instant, if there is one (held.At not 0).
func NewRun(g *Guard, from measure.Instant, held measure.Reading) *Run {
	r := &Run{g: g, Heard: held.At}
	r.State.Held, r.State.HeldAt = held.Value, held.At
	if held.At != 0 {
		r.Event(g, Event{Kind: Begin, At: from})
	}
	return r
}

// Event steps one event; g is the guard from then on.
func (r *Run) Event(g *Guard, e Event) {
	r.g, r.quiet.known = g, false
	if e.Kind == Moved {
		for _, open := range r.open {
			if open != 0 {
				r.Alarms[open-1].RaisedAt += measure.Instant(e.Value)
			}
		}
	}
	r.State, r.room = Step(g, r.State, e, r.room[:0])
	for _, tr := range r.room {
		r.note(tr)
	}
}

// Take steps readings in order of time: true values, and where needed the side of the span beyond which one lies.
func (r *Run) Take(readings []measure.Reading, beyond func(measure.Reading) Beyond) {
	for i := 0; i < len(readings); i++ {
		if i = r.skip(readings, i); i == len(readings) {
			return
		}
		reading, side := readings[i], Within
		r.standStill(reading.At)
		r.Heard = reading.At
		if reading.Quality&measure.Implausible != 0 && beyond != nil {
			side = beyond(reading)
		}
		value, looks := r.g.Sees(reading.Value, reading.Quality, side)
		if !looks {
			continue
		}
		r.silence(reading.At)
		r.Event(r.g, Event{Kind: NewReading, At: reading.At, Value: value})
	}
}

// silence finds, for a guard that looks for it, a silence that a reading ends.
func (r *Run) silence(until measure.Instant) {
	if r.g.When.Kind != Silent || r.State.HeldAt == 0 || r.State.SilentSince != 0 {
		return
	}
	if at := r.State.HeldAt.Add(time.Duration(r.g.When.Length())); at <= until {
		r.Event(r.g, Event{Kind: Silence, At: at})
	}
}

// standStill lets delays stand still where more time than the silence limit lies between two readings
// (docs/semantics.md 12).
func (r *Run) standStill(until measure.Instant) {
	if r.SilentAfter == 0 || r.Heard == 0 || r.g.When.Kind == Silent || r.State.SilentSince != 0 {
		return
	}
	if at := r.Heard.Add(r.SilentAfter); at < until {
		r.Event(r.g, Event{Kind: Silence, At: at})
	}
}

// skip passes over usable readings from i on that do no more than hold, and gives the place of the first that does
// more.
func (r *Run) skip(readings []measure.Reading, i int) int {
	if !r.quiet.known {
		r.quiet.known = true
		r.quiet.low, r.quiet.high = r.quietValues()
	}
	first, low, high, edge := i, r.quiet.low, r.quiet.high, r.State.Edge
	if edge == 0 {
		edge = math.MaxInt64
	}
	if r.State.SilentSince != 0 || r.State.HeldAt == 0 {
		return i
	}
	for ; i < len(readings); i++ {
		if v := &readings[i]; !(v.Value >= low && v.Value <= high) || v.Quality&measure.Unusable != 0 || v.At >= edge {
			break
		}
	}
	if i > first {
		r.Heard = readings[i-1].At
		if last := readings[i-1]; last.At > r.State.HeldAt {
			r.State.Held, r.State.HeldAt, r.State.Stepped = last.Value, last.At, max(r.State.Stepped, last.At)
		}
	}
	return i
}

// quietValues gives the stretch of values that change nothing but what is held; empty when a delay runs.
func (r *Run) quietValues() (low, high float64) {
	none := func() (float64, float64) { return 1, 0 }
	low, high = math.Inf(-1), math.Inf(1)
	s := &r.State
	if s.Off != 0 && s.HeldAt != 0 && r.g.When.Kind < Silent {
		return low, high
	}
	for i := range r.g.Count() {
		rung, st := r.g.At(i), s.Rungs[r.g.slot(i)]
		if st.Phase == Rising || st.Phase == Easing {
			return none()
		}
		l, h := rung.quiet(st.Phase == Standing)
		low, high = max(low, l), min(high, h)
	}
	for i, side := range s.Sides {
		switch {
		case !side.Raised():
		case r.g.inSlot(i*2) == nil || !r.g.inSlot(i*2).When.Measured() || r.g.When.Kind == Inside:
			return none()
		case Side(i) == High:
			high = min(high, side.Extreme)
		default:
			low = max(low, side.Extreme)
		}
	}
	return low, high
}

// note writes down what a transition means for the alarms.
func (r *Run) note(tr Transition) {
	if tr.Kind == Raised {
		r.Alarms = append(r.Alarms, Occurrence{Side: tr.Side, RaisedAt: tr.At, Value: tr.Value, Extreme: tr.Extreme})
		r.open[tr.Side], r.deep[tr.Side] = len(r.Alarms), 0
	}
	if r.open[tr.Side] == 0 {
		return
	}
	o := &r.Alarms[r.open[tr.Side]-1]
	o.Extreme = tr.Extreme
	if rung := r.g.About(tr); rung != nil && tr.Kind != Cleared && tr.Level >= r.deep[tr.Side] {
		o.Level, o.Severity, r.deep[tr.Side] = r.g.Level(rung), rung.Severity, tr.Level
	}
	if tr.Kind == Cleared {
		at := tr.At
		o.ClearedAt = &at
		o.Ending, o.Cause = r.g.Ended(tr, r.State.Off)
		r.open[tr.Side] = 0
	}
}

// Finish settles what is due by until and gives the alarms. Those that still stand have no end.
func (r *Run) Finish(until measure.Instant) []Occurrence {
	r.silence(until)
	r.standStill(until)
	r.Event(r.g, Event{Kind: DueInstant, At: until})
	for side, open := range r.open {
		if open != 0 {
			r.Alarms[open-1].Extreme = r.State.Sides[side].Extreme
		}
	}
	return slices.Clone(r.Alarms)
}

// Replay steps the readings, which must be in order of time, through a fresh state, settles what is
// due by until, and gives the transitions. It is Step in a loop.
func Replay(g *Guard, readings []measure.Reading, until measure.Instant) []Transition {
	var s State
	var out []Transition
	for _, r := range readings {
		if r.Quality.Usable() {
			s, out = Step(g, s, Event{Kind: NewReading, At: r.At, Value: r.Value}, out)
		}
	}
	_, out = Step(g, s, Event{Kind: DueInstant, At: until}, out)
	return out
}
