package site

import (
	"math"
	"slices"
	"time"

	"jauntylark/core/measure"
)

// usualIntervals are those that people set.
var usualIntervals = []time.Duration{
	time.Second, 2 * time.Second, 5 * time.Second, 10 * time.Second, 15 * time.Second, 20 * time.Second,
	30 * time.Second,
	time.Minute, 2 * time.Minute, 5 * time.Minute, 10 * time.Minute, 15 * time.Minute, 20 * time.Minute,
	30 * time.Minute,
	time.Hour, 2 * time.Hour, 3 * time.Hour, 4 * time.Hour, 6 * time.Hour, 8 * time.Hour, 12 * time.Hour,
	24 * time.Hour,
}

// leastGaps is how many gaps it takes to propose an interval.
const leastGaps = 5

// ProposeInterval proposes the interval that a device keeps by the gaps between its readings, in
// milliseconds: their median, rounded to a usual interval that is within a tenth of it. It gives 0 when
// there are too few gaps, or when they differ too much: a quarter of them lie further than a half from
// the median.
func ProposeInterval(gaps []float64) measure.Duration {
	if len(gaps) < leastGaps {
		return 0
	}
	sorted := slices.Sorted(slices.Values(gaps))
	median := sorted[len(sorted)/2]
	if low, high := sorted[len(sorted)/8], sorted[len(sorted)-1-len(sorted)/8]; low < median/2 || high > median*1.5 {
		return 0
	}
	d := time.Duration(median * float64(time.Millisecond))
	for _, usual := range usualIntervals {
		if math.Abs(float64(d-usual)) <= float64(usual)/10 {
			return measure.Duration(usual)
		}
	}
	if rounded := d.Round(time.Second); rounded >= time.Second && rounded <= 24*time.Hour {
		return measure.Duration(rounded)
	}
	return 0
}
