package total

import (
	"slices"
	"testing"
)

// Parts add up to their sum as it is rounded; what is left over, or wanting, goes to those that lost most, or least, by
// rounding.
func TestSpread(t *testing.T) {
	for _, c := range []struct {
		parts  []float64
		sum    float64
		places int
		want   []float64
	}{
		{[]float64{1.2, 2.3}, 3.5, 0, []float64{1, 3}},
		{[]float64{1.2, 2.3}, 2, 0, []float64{0, 2}}, // the sum is that of other readings
		{[]float64{0.333, 0.333, 0.334}, 1, 2, []float64{0.33, 0.33, 0.34}},
		{[]float64{10, 20}, 30, 2, []float64{10, 20}},
		{[]float64{0.1, 0.2}, 0.3, 1, []float64{0.1, 0.2}}, // in binary 0.1 + 0.2 is more than 0.3
		{nil, 0, 2, []float64{}},
	} {
		if got := Spread(c.parts, c.sum, c.places); !slices.Equal(got, c.want) {
			t.Errorf("%v to %v: %v, want %v", c.parts, c.sum, got, c.want)
		}
	}
}
