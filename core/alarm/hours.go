package alarm

import "jauntylark/core/measure"

// readHours finds out whether at lies in the armed hours, and when they change next.
func (s *State) readHours(g *Guard, at measure.Instant) {
	s.Off &^= OutOfHours
	s.Edge = 0
	if g.calendar != nil {
		if !g.calendar.At(at) {
			s.Off |= OutOfHours
		}
		s.Edge = g.calendar.Next(at)
	}
}

// cross passes the next change of the armed hours.
func (s *State) cross(g *Guard, into []Transition) []Transition {
	return s.rearm(g, s.Edge, into)
}

// rearm lets the armed hours say at an instant whether the guard looks.
func (s *State) rearm(g *Guard, at measure.Instant, into []Transition) []Transition {
	before := s.Off
	s.readHours(g, at)
	after := s.Off
	s.Off = before
	return s.arm(g, after, at, HoursChange, into)
}

// arm makes the guard look, or not look, from at on. One that does not look any more lets go of what stands; one that
// looks again looks at the held value at once (docs/semantics.md 16).
func (s *State) arm(g *Guard, off Off, at measure.Instant, cause EventKind, into []Transition) []Transition {
	before := s.Off
	s.Off = off
	if s.HeldAt == 0 || (before == 0) == (off == 0) {
		return into
	}
	s.Stepped = max(s.Stepped, at)
	if off != 0 {
		s.calm()
		return s.judge(g, at, cause, into)
	}
	s.decideAnew(g)
	return s.settle(g, s.Stepped, into)
}

// move moves the time of all that goes on, so that what was counted stays as long. Armed hours go by the new time.
func (s *State) move(g *Guard, by measure.Instant, into []Transition) []Transition {
	shift := func(at *measure.Instant) {
		if *at != 0 {
			*at += by
		}
	}
	for i := range s.Rungs {
		shift(&s.Rungs[i].Since)
	}
	for i := range s.Sides {
		shift(&s.Sides[i].RaisedAt)
	}
	for _, at := range []*measure.Instant{&s.Stepped, &s.HeldAt, &s.SilentSince} {
		shift(at)
	}
	if g.calendar == nil || s.HeldAt == 0 {
		return into
	}
	return s.rearm(g, s.Stepped, into)
}
