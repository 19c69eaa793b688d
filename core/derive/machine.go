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

// Run feeds a machine from streams of its inputs and calls give with what it computes from the instant from
// on. Streams begin Reach before from. seed is what the signal read last before from, nil for nothing.
func (m *Machine) Run(streams []Stream, from measure.Instant, seed *measure.Reading, give func(measure.Reading) error) error {
	heads := make([]measure.Reading, len(streams))
	there := make([]bool, len(streams))
	advance := func(i int) (err error) {
		for {
			heads[i], there[i], err = streams[i]()
			if err != nil || !there[i] || heads[i].Quality.Usable() {
				return err
			}
		}
	}
	for i := range streams {
		if err := advance(i); err != nil {
			return err
		}
	}
	for {
		at, some := measure.Instant(0), false
		for i := range heads {
			if there[i] && (!some || heads[i].At < at) {
				at, some = heads[i].At, true
			}
		}
		if !some {
			return nil
		}
		if seed != nil && at > seed.At {
			m.Seed(*seed)
			seed = nil
		}
		for i := range heads {
			if there[i] && heads[i].At == at {
				m.Hold(i, at, heads[i].Value)
				if err := advance(i); err != nil {
					return err
				}
			}
		}
		v, ok := m.Compute(at)
		if !ok || at < from {
			continue
		}
		if err := give(measure.Reading{At: at, Value: v}); err != nil {
			return err
		}
	}
}
