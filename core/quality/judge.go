package quality

import (
	"time"

	"jauntylark/core/measure"
)

// State is what must be remembered of a signal's readings to judge the next. The zero State is that of a
// signal that has none.
type State struct {
	At         measure.Instant `db:"judged_at"`   // the newest judged reading; 0: none
	Raw        float64         `db:"judged_raw"`  // its value
	SameSince  measure.Instant `db:"same_since"`  // since when the value has not moved
	WarmFrom   measure.Instant `db:"warm_from"`   // when it was last without power; 0: never
	FaultSince measure.Instant `db:"fault_since"` // since when nothing but faulty readings came; 0: the newest is none
}

// PowerOn notes that the instrument got power at an instant. An earlier one than is known changes nothing.
func (s State) PowerOn(at measure.Instant) State {
	s.WarmFrom = max(s.WarmFrom, at)
	return s
}

// Judge gives the marks of a raw reading and the state after it. One that is not newer than the newest is
// judged by its own value and the newest power-on, and moves nothing. It takes constant time.
func Judge(r *Rules, s State, at measure.Instant, raw float64) (State, measure.Quality) {
	var q measure.Quality
	if at > s.At {
		if r.WarmGap > 0 && s.At > 0 && at.Sub(s.At) > time.Duration(r.WarmGap) {
			s = s.PowerOn(at)
		}
		// A value that nobody looked at for so long has perhaps moved and come back.
		if raw != s.Raw || s.At == 0 || r.StuckAfter > 0 && at.Sub(s.At) > time.Duration(r.StuckAfter) {
			s.SameSince = at
		}
		s.At, s.Raw = at, raw
		if r.StuckAfter > 0 && at.Sub(s.SameSince) >= time.Duration(r.StuckAfter) {
			q |= measure.Stuck
		}
	}
	if r.WarmUp > 0 && s.WarmFrom > 0 && at >= s.WarmFrom && at.Sub(s.WarmFrom) < time.Duration(r.WarmUp) {
		q |= measure.Warming
	}
	if r.Beyond(raw) != Neither {
		q |= measure.Implausible
	}
	return s, q
}

// Faulty counts a judged reading, the newest, towards a sensor fault, unless a guard has taken it for a
// value beyond its limit. It tells whether that makes a fault, and since when the readings are faulty.
func (s State) Faulty(r *Rules, at measure.Instant, q measure.Quality, taken bool) (after State, fault bool) {
	switch {
	case q&measure.Warming != 0: // nothing is known
	case q&(measure.Implausible|measure.Stuck) == 0 || taken:
		s.FaultSince = 0
	case s.FaultSince == 0:
		s.FaultSince = at
		if q&measure.Stuck != 0 {
			s.FaultSince = s.SameSince.Add(time.Duration(r.StuckAfter))
		}
	}
	return s, s.FaultSince != 0 && at >= r.FaultAt(s.FaultSince)
}
