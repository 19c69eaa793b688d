package derive

import (
	"math"

	"jauntylark/core/measure"
)

// Machine is a recipe at work. It is fed in order of time.
type Machine struct {
	Output
	inputs   []input
	order    []int // for each value of step, the input that it is of
	values   []float64
	decimals int
	reach    measure.Instant
	step     func(at measure.Instant, v []float64) (float64, bool)
	seed     func(last measure.Reading) // nil: what it gives does not depend on what it gave
}

// input is what a machine holds of one input.
type input struct {
	hold    measure.Instant
	at      measure.Instant
	value   float64
	has     bool
	convert func(float64) float64 // into the unit that the kind computes in; nil: as it is
}

// Hold takes a usable reading of the i-th input.
func (m *Machine) Hold(i int, at measure.Instant, value float64) {
	in := &m.inputs[i]
	if in.convert != nil {
		value = in.convert(value)
	}
	in.at, in.value, in.has = at, value, true
}

// Compute gives the value at an instant at which some input had a reading: false for none, because another
// input's value no longer holds, or because there is nothing that could be said.
func (m *Machine) Compute(at measure.Instant) (float64, bool) {
	if !m.gather(at) {
		return 0, false
	}
	v, ok := m.step(at, m.values)
	if !ok || math.IsNaN(v) || math.IsInf(v, 0) {
		return 0, false
	}
	return rounded(v, m.decimals), true
}

// gather collects the values that hold at an instant.
func (m *Machine) gather(at measure.Instant) bool {
	for i, place := range m.order {
		in := &m.inputs[place]
		if !in.has || at-in.at > in.hold {
			return false
		}
		m.values[i] = in.value
	}
	return true
}

// Seed tells the machine what it gave last, when it goes on from there. Its inputs must be fed before.
func (m *Machine) Seed(last measure.Reading) {
	if m.seed != nil {
		m.seed(last)
	}
}

// Lasting tells whether what the machine gives depends on what it gave last, so that a change of an input
// may change all that comes after.
func (m *Machine) Lasting() bool { return m.seed != nil }

// Remembers tells whether the machine looks at readings before the newest of its inputs.
func (m *Machine) Remembers() bool { return m.reach > 0 }

// Reach is how far back, in milliseconds, inputs must be fed before the first instant that is computed, and
// how far ahead a change of an input is felt, unless it is Lasting.
func (m *Machine) Reach() measure.Instant {
	reach := m.reach
	for _, in := range m.inputs {
		reach = max(reach, m.reach+in.hold)
	}
	return reach
}

// rounded rounds to so many decimals; large values stay as they are.
func rounded(v float64, decimals int) float64 {
	scale := math.Pow10(decimals)
	if math.Abs(v) >= 1<<53/scale {
		return v
	}
	return math.Round(v*scale) / scale
}

// Stream gives readings in order of time, one a call; false at the end.
type Stream func() (measure.Reading, bool, error)

// Runner feeds a machine from streams of its inputs.
type Runner struct {
	machine *Machine
	streams []Stream
	heads   []measure.Reading
	there   []bool
	from    measure.Instant
	seed    *measure.Reading
	begun   bool
}

// Over gives a Runner for what a machine computes from the instant from on. Streams begin Reach before from.
// seed is what the signal read last before from, nil for nothing.
func (m *Machine) Over(streams []Stream, from measure.Instant, seed *measure.Reading) *Runner {
	return &Runner{machine: m, streams: streams, heads: make([]measure.Reading, len(streams)),
		there: make([]bool, len(streams)), from: from, seed: seed}
}

// advance takes the next usable reading of a stream.
func (r *Runner) advance(i int) (err error) {
	for {
		r.heads[i], r.there[i], err = r.streams[i]()
		if err != nil || !r.there[i] || r.heads[i].Quality.Usable() {
			return err
		}
	}
}

// Next gives the next computed reading; false at the end. It is a Stream.
func (r *Runner) Next() (measure.Reading, bool, error) {
	for !r.begun {
		r.begun = true
		for i := range r.streams {
			if err := r.advance(i); err != nil {
				return measure.Reading{}, false, err
			}
		}
	}
	for {
		at, some := measure.Instant(0), false
		for i := range r.heads {
			if r.there[i] && (!some || r.heads[i].At < at) {
				at, some = r.heads[i].At, true
			}
		}
		if r.seed != nil && (!some || at > r.seed.At) {
			r.machine.Seed(*r.seed)
			r.seed = nil
		}
		if !some {
			return measure.Reading{}, false, nil
		}
		for i := range r.heads {
			if r.there[i] && r.heads[i].At == at {
				r.machine.Hold(i, at, r.heads[i].Value)
				if err := r.advance(i); err != nil {
					return measure.Reading{}, false, err
				}
			}
		}
		if v, ok := r.machine.Compute(at); ok && at >= r.from {
			return measure.Reading{At: at, Value: v}, true, nil
		}
	}
}
