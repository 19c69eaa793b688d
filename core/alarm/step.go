package alarm

import (
	"time"

	"jauntylark/core/measure"
)

// Event is one thing that happens to a guard.
type Event struct {
	Kind EventKind
	At   measure.Instant
	// of a NewReading, or an Amended one; of Disproved: the value that holds; of Begin: not 0 when the silence that was counted before counts no more; of Moved: by how many milliseconds
	Value float64
	Side  Side // of Acknowledge, Reset and Disproved
	Off   Off  // of Begin and Arming: all reasons why it does not look but armed hours

	Since measure.Instant // of Disproved: since when the value has met the test again; 0: it does not
}

// EventKind is the sort of an Event.
type EventKind uint8

// The events.
const (
	NewReading  EventKind = iota + 1 // a reading that the guard looks at
	DueInstant                       // event time has reached At without a newer reading
	Begin                            // the guard was saved or changed at At; the guard given to Step is the new one
	End                              // the guard was removed at At
	Acknowledge                      // a person acknowledged the alarm of Side at At
	Silence                          // the signal counts as silent from At on
	Amended                          // the newest reading, which is of At, has another value
	Arming                           // the reasons why the guard does not look are Off from At on
	Reset                            // a person reset the latched alarm of Side at At
	HoursChange                      // the armed hours began or ended; Step finds that out by itself
	Resume                           // the delays that stood still go on from At, though no reading came
	Disproved                        // readings that came late show that the alarm of Side was none; known at At
	// the signal's own time was moved by Value; its newest stepped instant is At from then on
	Moved
)

// Transition is one thing that a guard did.
type Transition struct {
	Kind    TransitionKind
	Side    Side
	Level   uint8           // the level of the side after it; of Cleared and Latched the one before
	Cause   EventKind       // the kind of event behind it; DueInstant also for a delay that a reading settled
	At      measure.Instant // in event time
	Value   float64         // the value that held then
	Extreme float64         // how far the value had gone by then
}

// TransitionKind is the sort of a Transition.
type TransitionKind uint8

// The transitions.
const (
	Raised       TransitionKind = iota + 1
	Cleared                     // the alarm is over
	Acknowledged                // somebody has it
	Worsened                    // another rung, further out, stands too
	Eased                       // the outermost rung does not stand any more, the inner one does
	Latched                     // no rung stands any more; the alarm waits to be reset
	Recurred                    // a latched alarm that waited stands again
)

// About gives the rung that a transition is about: the one at the level that it names; nil when the guard has none
// there any more.
func (g *Guard) About(t Transition) *Rung { return g.inSlot(slotOf(t.Side, t.Level)) }

func slotOf(side Side, level uint8) int { return int(side)*2 + int(max(level, 1)) - 1 }

// Step moves state by one event and appends what the guard did to into, which it returns. Step does not allocate when
// into has room, and takes constant time but for armed hours, whose every change it passes.
//
// Readings must come in order of time; one at or before an instant that was already stepped changes
// nothing. A delay that ends before a reading is settled before it, one that ends at the very
// instant of a reading is settled after it.
func Step(g *Guard, s State, e Event, into []Transition) (State, []Transition) {
	switch e.Kind {
	case NewReading:
		if e.At <= s.Stepped {
			if e.At > s.HeldAt { // it holds, though it came too late to be looked at
				s.HeldAt, s.Held = e.At, e.Value
			}
			return s, into
		}
		if g.calendar != nil && s.HeldAt == 0 {
			s.readHours(g, e.At)
		}
		into = s.settle(g, e.At-1, into)
		s.wake(g, e.At)
		s.Stepped, s.HeldAt, s.Held = e.At, e.At, e.Value
		if e.At != s.Edge { // at an edge the hours that begin there decide whether it is looked at
			s.decide(g)
		}
		into = s.settle(g, e.At, into)
	case DueInstant:
		into = s.settle(g, e.At, into)
	case Silence:
		if s.SilentSince == 0 {
			into = s.settle(g, e.At-1, into)
			s.SilentSince = max(e.At, s.Stepped)
			if g.When.Kind == Silent && s.HeldAt != 0 {
				s.Stepped = s.SilentSince
				s.decide(g)
				into = s.settle(g, s.Stepped, into)
			}
		}
	case Amended:
		if e.At == s.HeldAt && e.At == s.Stepped {
			s.Held = e.Value
			s.decide(g)
			into = s.settle(g, e.At, into)
		}
	case Begin:
		s.Off = s.Off&OutOfHours | e.Off
		if e.Value != 0 {
			s.SilentSince = 0
		}
		into = s.begin(g, e.At, into)
	case Arming:
		into = s.settle(g, max(e.At, s.Stepped)-1, into)
		into = s.arm(g, s.Off&OutOfHours|e.Off, max(e.At, s.Stepped), Arming, into)
	case End:
		s.calm()
		for side := range s.Sides {
			s.Sides[side].Latched = s.Sides[side].Raised() && s.Sides[side].Level == 0
			if s.Sides[side].Raised() {
				into = s.over(Side(side), e.At, End, into)
			}
		}
		s = State{HeldAt: s.HeldAt, Held: s.Held, Stepped: max(s.Stepped, e.At)}
	case Acknowledge:
		if side := &s.Sides[e.Side]; side.Raised() && !side.Acknowledged {
			side.Acknowledged = true
			into = append(into, Transition{Acknowledged, e.Side, side.Level, Acknowledge, e.At, s.Held, side.Extreme})
		}
	case Reset:
		if s.Sides[e.Side].Latched {
			into = s.over(e.Side, e.At, Reset, into)
			if !s.idle(e.Side) {
				s.Sides[e.Side].Extreme = s.Held
			}
		}
	case Resume:
		at := max(e.At, s.Stepped)
		into = s.settle(g, min(at, s.SilentSince)-1, into)
		s.wake(g, at)
	case Moved:
		into = s.move(g, measure.Instant(e.Value), into)
	case Disproved:
		into = s.settle(g, max(e.At, s.Stepped)-1, into)
		if s.Sides[e.Side].Raised() {
			into = s.disprove(g, e, into)
		}
	}
	return s, into
}

// disprove ends the alarm of a side that never was. Its delays begin afresh with what holds, or, where the value has
// met the test since before, with that.
func (s *State) disprove(g *Guard, e Event, into []Transition) []Transition {
	s.Stepped, s.Held = max(s.Stepped, e.At), e.Value
	s.Rungs[slotOf(e.Side, 1)], s.Rungs[slotOf(e.Side, 2)] = RungState{}, RungState{}
	into = s.over(e.Side, s.Stepped, Disproved, into)
	s.decideAnew(g)
	if inner := &s.Rungs[slotOf(e.Side, 1)]; inner.Phase == Rising && e.Since != 0 {
		delay := measure.Instant(time.Duration(g.inSlot(slotOf(e.Side, 1)).OnDelay).Milliseconds())
		inner.Since = min(inner.Since, max(e.Since, s.Stepped-delay)) // what has ended by now ends now
	}
	return s.settle(g, s.Stepped, into)
}

// wake ends a silence at at, as a rule with a reading: the running delays go on where they stood still.
func (s *State) wake(g *Guard, at measure.Instant) {
	if s.SilentSince == 0 {
		return
	}
	if at > s.SilentSince && g.When.Kind != Silent {
		for i := range s.Rungs {
			if r := &s.Rungs[i]; r.Phase == Rising || r.Phase == Easing {
				r.Since += at - s.SilentSince
			}
		}
	}
	s.SilentSince = 0
}

// met tells whether the held value, or the silence, meets a rung's test; clear whether it meets the clear test.
func (s *State) met(r *Rung) bool {
	if r.When.Kind == Silent {
		return s.SilentSince != 0
	}
	return r.When.Met(s.Held)
}

func (s *State) clear(r *Rung) bool {
	if r.When.Kind == Silent {
		return s.SilentSince == 0
	}
	return r.Clear(s.Held)
}

// decide moves the phases by the held value alone.
func (s *State) decide(g *Guard) {
	if s.Off != 0 {
		return
	}
	for i := range g.Count() {
		r, slot := g.At(i), g.slot(i)
		st, side := &s.Rungs[slot], &s.Sides[slot/2]
		before := st.Phase
		switch {
		case before == Calm && s.met(r):
			if !side.Raised() && s.Rungs[slot&^1].Phase == Calm && s.Rungs[slot|1].Phase == Calm {
				side.Extreme = s.Held
			}
			st.Phase = Rising
			if s.Rungs[slot|1].Phase >= Standing { // what stands further out stands here too
				st.Phase = Standing
			}
		case before == Rising && !s.met(r):
			st.Phase = Calm
		case before == Standing && s.clear(r):
			st.Phase = Easing
		case before == Easing && !s.clear(r):
			st.Phase = Standing
		}
		if st.Phase != before {
			st.Since = s.Stepped
		}
		if st.Phase != Calm && r.When.Further(s.Held, side.Extreme) {
			side.Extreme = s.Held
		}
	}
	for side := range s.Sides {
		if s.idle(Side(side)) {
			s.Sides[side].Extreme = 0
		}
	}
}

// idle tells whether nothing is going on on a side.
func (s *State) idle(side Side) bool {
	return !s.Sides[side].Raised() && s.Rungs[side*2].Phase == Calm && s.Rungs[side*2+1].Phase == Calm
}

// settle ends the delays that are due by until, and passes the changes of armed hours, in order of time.
func (s *State) settle(g *Guard, until measure.Instant, into []Transition) []Transition {
	for {
		due := s.dueRung(g)
		if s.Edge != 0 && s.Edge <= until && (due == 0 || s.Edge <= due) {
			into = s.cross(g, into)
			continue
		}
		if due == 0 || due > until {
			return into
		}
		for i := range g.Count() {
			slot := g.slot(i)
			st := &s.Rungs[slot]
			switch {
			case st.due(g.At(i), s.SilentSince) != due:
			case st.Phase == Easing:
				*st = RungState{}
			default:
				*st = RungState{Standing, due}
				if inner := &s.Rungs[slot&^1]; inner.Phase < Standing { // what stands further out stands here too
					*inner = RungState{Standing, due}
				}
			}
		}
		s.Stepped = max(s.Stepped, due)
		into = s.judge(g, due, DueInstant, into)
	}
}

// judge compares the level of each side with what it was, and says what became of its alarm.
func (s *State) judge(g *Guard, at measure.Instant, cause EventKind, into []Transition) []Transition {
	for i := range s.Sides {
		side, before := &s.Sides[i], s.Sides[i].Level
		side.Level = 0
		for ordinal := range uint8(2) {
			if s.Rungs[i*2+int(ordinal)].Phase >= Standing {
				side.Level = ordinal + 1
			}
		}
		tr := Transition{Side: Side(i), Level: side.Level, Cause: cause, At: at, Value: s.Held, Extreme: side.Extreme}
		switch {
		case side.Level == before:
			continue
		case before == 0 && side.Latched:
			tr.Kind = Recurred
			side.Latched, side.Acknowledged = false, false
		case before == 0:
			tr.Kind = Raised
			side.RaisedAt, side.Acknowledged = at, false
		case side.Level == 0 && g.Latch:
			tr.Kind, tr.Level = Latched, before
			side.Latched = true
		case side.Level == 0:
			side.Level = before
			into = s.over(Side(i), at, cause, into)
			continue
		case side.Level > before:
			tr.Kind = Worsened
			if worse, was := g.inSlot(slotOf(tr.Side, side.Level)), g.inSlot(slotOf(tr.Side, before)); was == nil ||
				worse.Severity.Above(was.Severity) {
				side.Acknowledged = false
			}
		default:
			tr.Kind = Eased
		}
		into = append(into, tr)
	}
	return into
}

// over ends the alarm of a side.
func (s *State) over(side Side, at measure.Instant, cause EventKind, into []Transition) []Transition {
	a := s.Sides[side]
	into = append(into, Transition{Cleared, side, a.Level, cause, at, s.Held, a.Extreme})
	s.Sides[side] = SideState{}
	return into
}

// calm lets no rung stand or wait.
func (s *State) calm() { s.Rungs = [MaxRungs]RungState{} }

// decideAnew steps the held value at the instant that was stepped last.
func (s *State) decideAnew(g *Guard) {
	if s.SilentSince != 0 {
		s.SilentSince = s.Stepped
	}
	s.decide(g)
}

// begin steps the held value under a new or changed guard (docs/semantics.md 16). Delays start
// afresh; a standing alarm stays unless the new clear test is met.
func (s *State) begin(g *Guard, at measure.Instant, into []Transition) []Transition {
	s.Stepped = max(s.Stepped, at, s.HeldAt)
	s.readHours(g, s.Stepped)
	if s.HeldAt == 0 {
		return into
	}
	for slot := range s.Rungs {
		s.Rungs[slot] = RungState{}
		if level := s.Sides[slot/2].Level; s.Off == 0 && int(level) > slot%2 && g.inSlot(slot) != nil {
			s.Rungs[slot] = RungState{Standing, s.Stepped}
		}
	}
	for side := range s.Sides {
		if s.Sides[side].Latched && !g.Latch {
			into = s.over(Side(side), s.Stepped, Begin, into)
		}
	}
	if s.Off != 0 {
		return s.judge(g, s.Stepped, Arming, into)
	}
	into = s.judge(g, s.Stepped, Begin, into)
	s.decideAnew(g)
	return s.settle(g, s.Stepped, into)
}
