package alarm

import (
	"time"

	"jauntylark/core/measure"
)

// Phase is where a guard stands.
type Phase uint8

// The phases.
const (
	Calm     Phase = iota // nothing is wrong
	Rising                // the test is met, the on-delay runs
	Standing              // the alarm is raised
	Easing                // raised, the clear test is met, the off-delay runs
)

// String is the phase in a word.
func (p Phase) String() string { return [...]string{"calm", "rising", "standing", "easing"}[p] }

// State is all that a guard remembers between events. The zero State is that of a guard that has
// seen nothing. Held and HeldAt follow from the signal's newest usable reading; Phase, Since,
// RaisedAt, Extreme and Acknowledged are the guard's own and are what must be kept.
type State struct {
	Phase        Phase
	Acknowledged bool
	Since        measure.Instant // when the phase Rising or Easing began; Standing: when it was entered
	RaisedAt     measure.Instant // when the standing alarm was raised
	Extreme      float64         // how far the value went since Rising began
	HeldAt       measure.Instant // 0: no value yet
	Held         float64         // the value that holds until the next reading
	Stepped      measure.Instant // readings at or before this are not stepped
	SilentSince  measure.Instant // the signal is silent since then, and delays stand still; 0: it is not
}

// Raised tells whether an alarm is raised.
func (s State) Raised() bool { return s.Phase >= Standing }

// Kept tells whether two states agree in all that must be kept.
func (s State) Kept(o State) bool {
	return s.Phase == o.Phase && s.Since == o.Since && s.RaisedAt == o.RaisedAt && s.Extreme == o.Extreme && s.Acknowledged == o.Acknowledged && s.SilentSince == o.SilentSince
}

// Due is the instant at which the running delay ends; 0 when none runs, or the signal is silent.
func (s State) Due(g *Guard) measure.Instant {
	delay := g.OnDelay
	switch {
	case s.Phase != Rising && s.Phase != Easing:
		return 0
	case s.Phase == Easing:
		delay = g.OffDelay
	}
	if s.SilentSince != 0 && delay > 0 {
		return 0
	}
	return s.Since.Add(time.Duration(delay))
}

// Event is one thing that happens to a guard.
type Event struct {
	Kind  EventKind
	At    measure.Instant
	Value float64 // of a NewReading
}

// EventKind is the sort of an Event.
type EventKind uint8

// The events.
const (
	NewReading  EventKind = iota + 1 // a usable reading
	DueInstant                       // event time has reached At without a newer reading
	Begin                            // the guard was saved or changed at At; the guard given to Step is the new one
	End                              // the guard was removed at At
	Acknowledge                      // a person acknowledged at At
	Silence                          // the signal counts as silent from At on
	Amended                          // the newest reading, which is of At, has another value
)

// Transition is one thing that a guard did.
type Transition struct {
	Kind    TransitionKind
	At      measure.Instant // in event time
	Value   float64         // the value that held then
	Extreme float64         // how far the value had gone by then
	Cause   EventKind       // the kind of event behind it; DueInstant also for a delay that a reading settled
}

// TransitionKind is the sort of a Transition.
type TransitionKind uint8

// The transitions.
const (
	Raised TransitionKind = iota + 1
	Cleared
	Acknowledged
)

// Step moves state by one event and appends what the guard did to into, which it returns. One event
// causes two transitions at most. Step does not allocate when into has room, and takes constant
// time.
//
// Readings must come in order of time; one at or before an instant that was already stepped changes
// nothing. A delay that ends before a reading is settled before it, one that ends at the very
// instant of a reading is settled after it.
func Step(g *Guard, s State, e Event, into []Transition) (State, []Transition) {
	switch e.Kind {
	case NewReading:
		if e.At <= s.Stepped {
			return s, into
		}
		s = wake(s, e.At)
		s, into = settle(g, s, e.At-1, into)
		s.Stepped, s.HeldAt, s.Held = e.At, e.At, e.Value
		s = look(g, s)
		return settle(g, s, e.At, into)
	case DueInstant:
		if due := s.Due(g); due != 0 && due <= e.At {
			s.Stepped = max(s.Stepped, due)
			return settle(g, s, e.At, into)
		}
	case Silence:
		if s.SilentSince == 0 {
			s, into = settle(g, s, e.At-1, into)
			s.SilentSince = max(e.At, s.Stepped)
		}
	case Amended:
		if e.At == s.HeldAt && e.At == s.Stepped {
			s.Held = e.Value
			return settle(g, look(g, s), e.At, into)
		}
	case Begin:
		return begin(g, s, e.At, into)
	case End:
		if s.Raised() {
			into = append(into, Transition{Cleared, e.At, s.Held, s.Extreme, End})
		}
		return State{HeldAt: s.HeldAt, Held: s.Held, Stepped: max(s.Stepped, e.At)}, into
	case Acknowledge:
		if s.Raised() && !s.Acknowledged {
			s.Acknowledged = true
			into = append(into, Transition{Acknowledged, e.At, s.Held, s.Extreme, Acknowledge})
		}
	}
	return s, into
}

// wake ends a silence with the reading at at: the running delay goes on where it stood still.
func wake(s State, at measure.Instant) State {
	if s.SilentSince != 0 && at > s.SilentSince && (s.Phase == Rising || s.Phase == Easing) {
		s.Since += at - s.SilentSince
	}
	s.SilentSince = 0
	return s
}

// look moves the phase by the held value alone.
func look(g *Guard, s State) State {
	switch s.Phase {
	case Calm:
		if g.When.Met(s.Held) {
			s.Phase, s.Since, s.Extreme = Rising, s.Stepped, s.Held
		}
	case Rising:
		if !g.When.Met(s.Held) {
			s.Phase, s.Since, s.Extreme = Calm, 0, 0
		}
	case Standing:
		if g.When.Clear(s.Held, g.Deadband) {
			s.Phase, s.Since = Easing, s.Stepped
		}
	case Easing:
		if !g.When.Clear(s.Held, g.Deadband) {
			s.Phase, s.Since = Standing, s.Stepped
		}
	}
	if s.Phase != Calm && g.When.Further(s.Held, s.Extreme) {
		s.Extreme = s.Held
	}
	return s
}

// settle ends the running delay if it is due by until.
func settle(g *Guard, s State, until measure.Instant, into []Transition) (State, []Transition) {
	due := s.Due(g)
	if due == 0 || due > until {
		return s, into
	}
	if s.Phase == Rising {
		s.Phase, s.Since, s.RaisedAt = Standing, due, due
		return s, append(into, Transition{Raised, due, s.Held, s.Extreme, DueInstant})
	}
	into = append(into, Transition{Cleared, due, s.Held, s.Extreme, DueInstant})
	return State{HeldAt: s.HeldAt, Held: s.Held, Stepped: s.Stepped, SilentSince: s.SilentSince}, into
}

// begin steps the held value under a new or changed guard (docs/semantics.md 16). Delays start
// afresh; a standing alarm stays unless the new clear test is met.
func begin(g *Guard, s State, at measure.Instant, into []Transition) (State, []Transition) {
	s.Stepped = max(s.Stepped, at, s.HeldAt)
	if s.HeldAt == 0 {
		return s, into
	}
	switch s.Phase {
	case Rising:
		s.Phase, s.Since, s.Extreme = Calm, 0, 0
	case Easing:
		s.Phase, s.Since = Standing, s.Stepped
	}
	if s.SilentSince != 0 {
		s.SilentSince = s.Stepped
	}
	s = look(g, s)
	return settle(g, s, s.Stepped, into)
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
