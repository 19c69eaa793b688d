package limit

import (
	"math"
	"slices"
	"time"

	"jauntylark/core/measure"
)

// noise is how much a signal jitters from one reading to the next: a robust standard deviation of a reading, from the
// median size of the steps (their median absolute value, times 1.4826 as for a normal distribution, by the square root
// of two, since two readings make a step), or from their mean, without the largest hundredth, where the median is none.
// Slow change hardly moves it.
func noise(readings []measure.Reading) float64 {
	steps := make([]float64, 0, len(readings))
	for i := 1; i < len(readings); i++ {
		steps = append(steps, math.Abs(readings[i].Value-readings[i-1].Value))
	}
	if len(steps) == 0 {
		return 0
	}
	slices.Sort(steps)
	if middle := quantile(steps, 0.5); middle > 0 {
		return 1.4826 / math.Sqrt2 * middle
	}
	sum := 0.0 // most steps are none, as of a coarse instrument: the mean tells more
	for _, s := range steps[:len(steps)-len(steps)/100] {
		sum += s
	}
	return math.Sqrt(math.Pi) / 2 * sum / float64(len(steps))
}

// quantile gives the value below which a share of sorted values lie, between the two nearest.
func quantile(sorted []float64, share float64) float64 {
	if len(sorted) == 0 {
		return math.NaN()
	}
	place := share * float64(len(sorted)-1)
	low := int(place)
	if low+1 >= len(sorted) {
		return sorted[len(sorted)-1]
	}
	return sorted[low] + (place-float64(low))*(sorted[low+1]-sorted[low])
}

// interval is the usual time between two readings.
func interval(readings []measure.Reading) time.Duration {
	gaps := make([]float64, 0, len(readings))
	for i := 1; i < len(readings); i++ {
		gaps = append(gaps, float64(readings[i].At.Sub(readings[i-1].At)))
	}
	if len(gaps) == 0 {
		return 0
	}
	slices.Sort(gaps)
	return time.Duration(quantile(gaps, 0.5))
}

// sustained is the highest value that was held for d: a guard above anything less, with that on-delay, would have
// raised an alarm. Without such a stretch it is minus infinity.
func sustained(readings []measure.Reading, d time.Duration, until measure.Instant) float64 {
	best := math.Inf(-1)
	var falling []int // places of readings, their values rising, that may be the least of a window
	next := 0
	for i := range readings {
		end := readings[i].At.Add(d)
		if end > until {
			break
		}
		for ; next < len(readings) && readings[next].At <= end; next++ {
			for len(falling) > 0 && readings[falling[len(falling)-1]].Value >= readings[next].Value {
				falling = falling[:len(falling)-1]
			}
			falling = append(falling, next)
		}
		for falling[0] < i {
			falling = falling[1:]
		}
		best = max(best, readings[falling[0]].Value)
	}
	return best
}

// round writes v to as many digits as a stretch as wide as room needs: a hundredth of it at most is lost.
func round(v, room float64) float64 {
	if room <= 0 || math.IsInf(room, 0) || math.IsNaN(room) {
		return v
	}
	step := math.Pow(10, math.Floor(math.Log10(room))-1)
	for _, coarser := range []float64{5, 2} {
		if coarser*step <= room/50 {
			step *= coarser
			break
		}
	}
	// dividing by a power of ten that is exact keeps 55.3 from becoming 55.300000000000004
	if step < 1 {
		inverse := math.Round(1 / step)
		return math.Round(v*inverse) / inverse
	}
	return math.Round(v/step) * step
}

// lengths are the delays that people use.
var lengths = []time.Duration{0, time.Second, 2 * time.Second, 5 * time.Second, 10 * time.Second, 20 * time.Second,
	30 * time.Second, time.Minute, 2 * time.Minute,
	5 * time.Minute, 10 * time.Minute, 15 * time.Minute, 30 * time.Minute, time.Hour}

// atLeast gives the shortest of the usual lengths that is not shorter than d.
func atLeast(d time.Duration) time.Duration {
	for _, l := range lengths {
		if l >= d {
			return l
		}
	}
	return lengths[len(lengths)-1]
}
