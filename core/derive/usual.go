package derive

import (
	"fmt"
	"math"
	"slices"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

const (
	daysOfUsual  = 28 // so many days before make what is usual
	leastOfUsual = 5  // of which so many must have readings in that hour
	hour         = 3600_000
)

// hourly is what is kept of an hour: enough for its mean and variance.
type hourly struct{ count, mean, squares float64 }

func (h *hourly) add(v float64) {
	h.count++
	d := v - h.mean
	h.mean += d / h.count
	h.squares += d * (v - h.mean)
}

// unlikeUsual tells by how many spreads a value differs from what is usual at this hour: the median of the means of the
// same hour on the 28 days before. The spread is that of these means (1.4826 times their median distance from the
// median, which is the standard deviation of a normal distribution) together with the standard deviation within an
// hour.
func unlikeUsual(_ *Recipe, in []Source, m *Machine) error {
	m.Output = Output{Kind: site.KindNumber, Unit: "", Quantity: "spreads from usual"}
	m.reach = daysOfUsual*24*hour + hour
	hours := map[measure.Instant]*hourly{}
	var at hourlyUsual
	m.step = func(now measure.Instant, v []float64) (float64, bool) {
		slot := now / hour
		if hours[slot] == nil {
			hours[slot] = &hourly{}
			delete(hours, slot-daysOfUsual*24-1)
			at = usualOf(hours, slot)
		}
		hours[slot].add(v[0])
		if !at.known || at.spread == 0 {
			return 0, false
		}
		return (v[0] - at.median) / at.spread, true
	}
	return nil
}

type hourlyUsual struct {
	known          bool
	median, spread float64
}

func usualOf(hours map[measure.Instant]*hourly, slot measure.Instant) hourlyUsual {
	var means []float64
	within, counts := 0.0, 0.0
	for day := measure.Instant(daysOfUsual); day >= 1; day-- {
		if h := hours[slot-24*day]; h != nil {
			means = append(means, h.mean)
			within, counts = within+h.squares, counts+h.count
		}
	}
	if len(means) < leastOfUsual {
		return hourlyUsual{}
	}
	middle := medianOf(means)
	for i := range means {
		means[i] = math.Abs(means[i] - middle)
	}
	between := 1.4826 * medianOf(means)
	return hourlyUsual{true, middle, math.Sqrt(between*between + within/counts)}
}

func medianOf(values []float64) float64 {
	slices.Sort(values)
	n := len(values)
	return (values[(n-1)/2] + values[n/2]) / 2
}

// readingsOver counts how many of the last readings met a test. Readings further back than all of them could lie are
// left out, even if there are fewer then.
func readingsOver(r *Recipe, in []Source, m *Machine) error {
	test, err := alarm.ParseTest(r.When)
	if err != nil {
		return fault("when", "%v", err)
	}
	if test.Kind > alarm.IsOff || !test.Suits(in[0].Kind) {
		return fault("when", "'%s' does not suit %s, which holds %ss", test, in[0].Path, in[0].Kind)
	}
	if r.Last > maxLast {
		return fault("last", "is %d; %d at most", r.Last, maxLast)
	}
	m.Output = Output{Kind: site.KindNumber, Unit: "", Quantity: fmt.Sprintf("of the last %d readings", r.Last)}
	m.reach = measure.Instant(r.Last) * in[0].Hold
	type seen struct {
		at  measure.Instant
		met bool
	}
	var last []seen
	m.step = func(at measure.Instant, v []float64) (float64, bool) {
		last = append(last, seen{at, test.Met(v[0])})
		if len(last) > r.Last {
			last = slices.Delete(last, 0, len(last)-r.Last)
		}
		n := 0.0
		for _, s := range last {
			if s.met && s.at > at-m.reach {
				n++
			}
		}
		return n, true
	}
	return nil
}

// maxLast bounds how many readings are counted over.
const maxLast = 1000
