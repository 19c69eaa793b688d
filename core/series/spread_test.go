package series_test

import (
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/series"
)

// Counts, means and hours of a spread are those of counting one by one, over a change of the clocks too.
func TestSpreadAgainstCountingOneByOne(t *testing.T) {
	zone, err := time.LoadLocation("Europe/Dublin")
	if err != nil {
		t.Fatal(err)
	}
	r := rand.New(rand.NewPCG(4, 2))
	begin := measure.InstantOf(time.Date(2026, 10, 24, 20, 0, 0, 0, zone)) // summer time ends that night
	var all, ends []measure.Reading
	sums, counts, low, high := [24]float64{}, [24]int{}, math.Inf(1), math.Inf(-1)
	for i := range 5000 {
		q := measure.Quality(0)
		if i%50 == 0 {
			q = measure.Warming
		}
		v := measure.Reading{At: begin + measure.Instant(i*20_000), Value: r.NormFloat64(), Quality: q}
		all = append(all, v)
		if q == 0 {
			h := v.At.Time().In(zone).Hour()
			sums[h], counts[h] = sums[h]+v.Value, counts[h]+1
			low, high = min(low, v.Value), max(high, v.Value)
		}
	}
	ends = []measure.Reading{{Value: low}, {Value: high}}
	s := series.NewSpread(ends, 25, zone)
	s.Add(all[:1234])
	s.Add(all[1234:])
	s.End()
	total := 0
	for _, n := range s.Counts {
		total += n
	}
	if total != 4900 || s.Count != 4900 || s.Low != low || s.High != high || s.Counts[24] == 0 || s.Counts[0] == 0 {
		t.Errorf("%d of %d, %v..%v, %v", total, s.Count, s.Low, s.High, s.Counts)
	}
	if len(s.Hours) != 24 {
		t.Fatalf("%d hours", len(s.Hours))
	}
	for _, h := range s.Hours {
		if h.Count != counts[h.Hour] || math.Abs(h.Mean-sums[h.Hour]/float64(counts[h.Hour])) > 1e-12 ||
			h.Low > h.Mean || h.High < h.Mean {
			t.Errorf("%+v; one by one %d, %v", h, counts[h.Hour], sums[h.Hour])
		}
	}
	flat := series.NewSpread([]measure.Reading{{Value: 5}}, 10, zone)
	flat.Add([]measure.Reading{{At: begin, Value: 5}})
	flat.End()
	if flat.Count != 1 || *flat.Mean != 5 || flat.Low >= 5 || flat.High <= 5 {
		t.Errorf("a flat one: %+v", flat)
	}
	none := series.NewSpread(nil, 10, zone)
	none.Add(all)
	none.End()
	if none.Count != 0 || none.Mean != nil || len(none.Counts) != 0 {
		t.Errorf("none: %+v", none)
	}
}
