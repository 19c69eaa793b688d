package total

import (
	"cmp"
	"math"
	"slices"
)

// Spread rounds parts to decimal places so that they add up to their rounded sum: each is rounded down, and what is
// left goes to those that lost most by it (the method of the largest remainder).
func Spread(parts []float64, sum float64, places int) []float64 {
	scale := math.Pow10(places)
	out, lost := make([]float64, len(parts)), make([]float64, len(parts))
	order := make([]int, len(parts))
	left := math.Round(sum * scale)
	for i, p := range parts {
		order[i] = i
		out[i] = math.Floor(p*scale + 1e-9)
		lost[i] = p*scale - out[i]
		left -= out[i]
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(lost[b], lost[a]) })
	for k := 0; k < len(order) && left >= 1; k++ {
		out[order[k]]++
		left--
	}
	for k := len(order) - 1; k >= 0 && left <= -1; k-- {
		out[order[k]]--
		left++
	}
	for i := range out {
		out[i] /= scale
	}
	return out
}
