package series

import (
	"math/rand/v2"
	"slices"
	"testing"

	"jauntylark/core/measure"
)

// spans gives, for each pixel column, what a chart draws there: entry, exit, lowest and highest.
func spans(readings []measure.Reading, from, until measure.Instant, columns int) map[int64][4]float64 {
	out := map[int64][4]float64{}
	for _, r := range readings {
		c := columnOf(r.At, from, until, columns)
		s, seen := out[c]
		if !seen {
			s = [4]float64{r.Value, r.Value, r.Value, r.Value}
		}
		out[c] = [4]float64{s[0], r.Value, min(s[2], r.Value), max(s[3], r.Value)}
	}
	return out
}

func TestReduceDrawsTheSame(t *testing.T) {
	for seed := range uint64(500) {
		r := rand.New(rand.NewPCG(seed, 1))
		readings := make([]measure.Reading, r.IntN(3000))
		at := measure.Instant(0)
		for i := range readings {
			at += measure.Instant(1 + r.IntN(500))
			readings[i] = measure.Reading{At: at, Value: float64(r.IntN(50))}
		}
		columns, until := 1+r.IntN(200), at+1
		kept := Reduce(slices.Clone(readings), 0, until, columns)
		if len(kept) > 4*columns {
			t.Fatalf("seed %d: %d readings kept for %d columns", seed, len(kept), columns)
		}
		if !slices.IsSortedFunc(kept, func(a, b measure.Reading) int { return int(a.At - b.At) }) {
			t.Fatalf("seed %d: not in order of time", seed)
		}
		want, got := spans(readings, 0, until, columns), spans(kept, 0, until, columns)
		for c, s := range want {
			if got[c] != s {
				t.Fatalf("seed %d column %d: %v, want %v", seed, c, got[c], s)
			}
		}
	}
}

func TestReduceLeavesFewReadingsAlone(t *testing.T) {
	readings := []measure.Reading{{At: 1, Value: 2}, {At: 2, Value: 3}}
	for _, columns := range []int{0, -1, 1, 100} {
		if got := Reduce(readings, 0, 10, columns); !slices.Equal(got, readings) {
			t.Errorf("%d columns: %v", columns, got)
		}
	}
}
