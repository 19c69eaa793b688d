package alarm

import (
	"math"

	"jauntylark/core/measure"
)

// Beyond is on which side of what an instrument can give a reading lies, in terms of the true value, where that side is
// not the one to which it fails.
type Beyond int8

// The sides.
const (
	Within     Beyond = 0
	BeyondHigh Beyond = 1
	BeyondLow  Beyond = -1
)

// Sees gives the value that counts for a reading of a signal, whose true value and marks are given, and whether the
// guard looks at it at all. Live and in a replay it is asked the same.
//
// Readings that cannot be believed are passed over, but one beyond the span on a side that a rung takes for dangerous
// counts as beyond the rung's limit (docs/semantics.md 8). A guard that looks for silence looks at every reading; one
// that looks for marks sees 1 and 0.
func (g *Guard) Sees(value float64, q measure.Quality, beyond Beyond) (counted float64, looks bool) {
	switch {
	case q&measure.Drill != 0:
		return 0, false
	case g.When.Kind == Silent:
		return value, true
	case g.When.Kind == Stuck:
		return oneIf(q&measure.Stuck != 0), q&measure.Warming == 0
	case g.When.Kind == Faulty:
		return oneIf(q&(measure.Stuck|measure.Implausible) != 0), q&measure.Warming == 0
	case q.Usable():
		return value, true
	case q&measure.Unusable != measure.Implausible || beyond == Within:
		return value, false
	}
	for i := range g.Count() {
		if v, takes := g.At(i).When.saturated(value, beyond == BeyondHigh); takes &&
			(!looks || g.At(i).When.Further(v, counted)) {
			counted, looks = v, true
		}
	}
	return counted, looks
}

func oneIf(yes bool) float64 {
	if yes {
		return 1
	}
	return 0
}

// saturated gives the value that counts for a reading beyond what the instrument can give, on its high or low
// side, and whether the test takes that side for dangerous: it counts as beyond the limit, whatever the
// instrument showed.
func (t Test) saturated(value float64, high bool) (counted float64, looks bool) {
	switch {
	case high && t.Kind == Above:
		return max(value, math.Nextafter(t.A, math.Inf(1))), true
	case high && t.Kind == AtLeast:
		return max(value, t.A), true
	case high && t.Kind == Outside:
		return max(value, math.Nextafter(t.B, math.Inf(1))), true
	case !high && (t.Kind == Below || t.Kind == Outside):
		return min(value, math.Nextafter(t.A, math.Inf(-1))), true
	case !high && t.Kind == AtMost:
		return min(value, t.A), true
	}
	return value, false
}
