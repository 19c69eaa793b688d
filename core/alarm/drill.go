package alarm

import (
	"math"

	"jauntylark/core/measure"
)

// Drill runs a copy of the guard through a made-up reading at an instant that meets its severest rung, and gives what
// the copy raises and the value that was read. Armed hours, delays, and what keeps the guard from looking do not count:
// a drill proves the way to a person, at once and at any hour. The guard and its state stay as they are
// (docs/semantics.md 25).
func (g Guard) Drill(at measure.Instant) (value float64, raised Transition) {
	severest := 0
	for i := range g.Count() {
		if g.At(i).Severity.Above(g.At(severest).Severity) {
			severest = i
		}
	}
	rungs := append(Rungs{}, g.Rungs...)
	g.Rungs, g.calendar = rungs, nil
	for i := range g.Count() {
		g.At(i).OnDelay = 0
	}
	value = g.At(severest).When.provoke()
	state := State{}
	var all []Transition
	if g.When.Kind == Silent {
		state, _ = Step(&g, state, Event{Kind: NewReading, At: at - 1}, nil)
		_, all = Step(&g, state, Event{Kind: Silence, At: at}, nil)
	} else {
		_, all = Step(&g, state, Event{Kind: NewReading, At: at, Value: value}, nil)
	}
	for _, t := range all {
		if t.Kind == Raised || t.Kind == Worsened {
			raised = t
		}
	}
	return value, raised
}

// provoke gives a value that meets the test.
func (t Test) provoke() float64 {
	past := func(limit float64) float64 { return max(1, math.Abs(limit)/10) }
	switch t.Kind {
	case Above, AtLeast:
		return t.A + past(t.A)
	case Below, AtMost:
		return t.A - past(t.A)
	case Outside:
		return t.B + past(t.B)
	case Inside:
		return (t.A + t.B) / 2
	case IsOff:
		return 0
	case IsWord:
		return t.A
	case IsNotWord:
		return t.A + 1
	}
	return 1 // on, or a mark
}
