// Package series computes on long runs of readings.
package series

import "jauntylark/core/measure"

// Reduce keeps what a chart of so many pixel columns can show of readings, which must be in order of
// time and within from..until: the first, the lowest, the highest and the last reading of each
// column. A line through what is kept covers the same pixels as a line through all. The result has
// four readings a column at most and is in order of time; with no more readings than that, it is the
// readings themselves. It takes time proportional to the readings.
func Reduce(readings []measure.Reading, from, until measure.Instant, columns int) []measure.Reading {
	if columns < 1 || until <= from || len(readings) <= 4*columns {
		return readings
	}
	kept := make([]measure.Reading, 0, 4*columns)
	for start := 0; start < len(readings); {
		column := columnOf(readings[start].At, from, until, columns)
		end := start + 1
		low, high := start, start
		for ; end < len(readings) && columnOf(readings[end].At, from, until, columns) == column; end++ {
			if readings[end].Value < readings[low].Value {
				low = end
			}
			if readings[end].Value > readings[high].Value {
				high = end
			}
		}
		kept = appendEach(kept, readings, start, min(low, high), max(low, high), end-1)
		start = end
	}
	return kept
}

func columnOf(at, from, until measure.Instant, columns int) int64 {
	return int64(at-from) * int64(columns) / int64(until-from)
}

// appendEach appends the readings at the indices, which must not fall, each once.
func appendEach(kept, readings []measure.Reading, indices ...int) []measure.Reading {
	last := -1
	for _, i := range indices {
		if i != last {
			kept, last = append(kept, readings[i]), i
		}
	}
	return kept
}
