package alarm

import (
	"encoding/binary"
	"fmt"
	"math"
	"time"

	"jauntylark/core/measure"
)

// Phase is where a rung stands.
type Phase uint8

// The phases.
const (
	Calm     Phase = iota // nothing is wrong
	Rising                // the test is met, the on-delay runs
	Standing              // the rung's alarm stands
	Easing                // it stands, the clear test is met, the off-delay runs
)

// String is the phase in a word.
func (p Phase) String() string { return [...]string{"calm", "rising", "standing", "easing"}[p] }

// RungState is what is remembered of one rung.
type RungState struct {
	Phase Phase
	Since measure.Instant // when the phase was entered
}

// SideState is what is remembered of the alarm on one side.
type SideState struct {
	Level        uint8 // 0: no rung stands; 1: the inner one is the outermost that does; 2: the outer one is
	Latched      bool  // no rung stands any more, the alarm waits for a person to reset it
	Acknowledged bool
	RaisedAt     measure.Instant
	Extreme      float64 // how far the value went since its first rung began to rise
}

// Raised tells whether an alarm is raised on the side.
func (s SideState) Raised() bool { return s.Level > 0 || s.Latched }

// Off says why a guard does not look: a set of reasons; 0: it does.
type Off uint8

// The reasons.
const (
	OutOfHours Off = 1 << iota // armed hours say so; Step finds out by itself
	Suppressed                 // another signal or alarm says so
	OutOfUse                   // a person put it out of service
)

// Words says the foremost of the reasons.
func (o Off) Words() string {
	switch {
	case o&OutOfUse != 0:
		return "the guard was put out of service"
	case o&Suppressed != 0:
		return "the guard is suppressed"
	case o&OutOfHours != 0:
		return "the guard's armed hours ended"
	}
	return ""
}

// Kept is the part of a State that is the guard's own and must be kept. What is held follows from the signal's
// readings.
type Kept struct {
	Rungs       [MaxRungs]RungState
	Sides       [2]SideState
	Off         Off
	Edge        measure.Instant // when the armed hours change next; 0: not known, or never
	SilentSince measure.Instant // the signal is silent since then, and delays stand still; 0: it is not
}

// keptLength is how many bytes a Kept takes.
const keptLength = MaxRungs*9 + 2*18 + 17

// MarshalBinary gives the form in which it is kept: for each rung its phase (1 byte) and since when (8); for each side
// level, flags (1 acknowledged, 2 latched; one byte each), since when, extreme (IEEE 754); the reasons why it does not
// look (1), the next change of hours, and since when the signal is silent. Numbers are big-endian.
func (k Kept) MarshalBinary() ([]byte, error) {
	b := make([]byte, 0, keptLength)
	instant := func(i measure.Instant) { b = binary.BigEndian.AppendUint64(b, uint64(i)) }
	for _, r := range k.Rungs {
		b = append(b, byte(r.Phase))
		instant(r.Since)
	}
	for _, s := range k.Sides {
		flags := byte(0)
		if s.Acknowledged {
			flags |= 1
		}
		if s.Latched {
			flags |= 2
		}
		b = append(b, s.Level, flags)
		instant(s.RaisedAt)
		b = binary.BigEndian.AppendUint64(b, math.Float64bits(s.Extreme))
	}
	b = append(b, byte(k.Off))
	instant(k.Edge)
	instant(k.SilentSince)
	return b, nil
}

// UnmarshalBinary reads what MarshalBinary wrote.
func (k *Kept) UnmarshalBinary(b []byte) error {
	if len(b) != keptLength {
		return fmt.Errorf("%d bytes are no guard's state", len(b))
	}
	next := func() (v uint64) {
		v, b = binary.BigEndian.Uint64(b), b[8:]
		return v
	}
	for i := range k.Rungs {
		k.Rungs[i].Phase, b = Phase(b[0]), b[1:]
		k.Rungs[i].Since = measure.Instant(next())
	}
	for i := range k.Sides {
		s := &k.Sides[i]
		s.Level, s.Acknowledged, s.Latched, b = b[0], b[1]&1 != 0, b[1]&2 != 0, b[2:]
		s.RaisedAt = measure.Instant(next())
		s.Extreme = math.Float64frombits(next())
	}
	k.Off, b = Off(b[0]), b[1:]
	k.Edge, k.SilentSince = measure.Instant(next()), measure.Instant(next())
	return nil
}

// State is all that a guard remembers between events. The zero State is that of a guard that has seen nothing.
type State struct {
	Kept
	HeldAt  measure.Instant // 0: no value yet
	Held    float64         // the value that holds until the next reading
	Stepped measure.Instant // readings at or before this are not stepped
}

// Raised tells whether an alarm is raised on either side.
func (s *State) Raised() bool { return s.Sides[High].Raised() || s.Sides[Low].Raised() }

// Due is the instant at which the guard moves by itself next, because a delay ends or its armed hours change; 0: there
// is none, or the signal is silent.
func (s *State) Due(g *Guard) measure.Instant {
	due := s.dueRung(g)
	if s.Edge != 0 && (due == 0 || s.Edge < due) {
		return s.Edge
	}
	return due
}

// RisingSince tells since when the on-delay of a side's inner rung runs; 0: it does not.
func (s *State) RisingSince(side Side) measure.Instant {
	if inner := s.Rungs[slotOf(side, 1)]; inner.Phase == Rising {
		return inner.Since
	}
	return 0
}

// Delayed tells whether a delay runs that does not stand still.
func (s *State) Delayed(g *Guard) bool { return s.dueRung(g) != 0 && s.SilentSince == 0 }

// dueRung is when the first of the running delays ends.
func (s *State) dueRung(g *Guard) (due measure.Instant) {
	for i := range g.Count() {
		r := s.Rungs[g.slot(i)]
		if at := r.due(g.At(i), s.SilentSince); at != 0 && (due == 0 || at < due) {
			due = at
		}
	}
	return due
}

func (r RungState) due(rung *Rung, silentSince measure.Instant) measure.Instant {
	delay := rung.OnDelay
	switch r.Phase {
	case Calm, Standing:
		return 0
	case Easing:
		delay = rung.OffDelay
	}
	if silentSince != 0 && delay > 0 && rung.When.Kind != Silent {
		return 0
	}
	return r.Since.Add(time.Duration(delay))
}
