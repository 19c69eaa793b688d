package calibrate

import (
	"fmt"
	"math"

	"jauntylark/core/measure"
)

// Agreement tells how far two instruments that measure the same thing agree, after Bland and Altman
// (Lancet 1986; i: 307-310). The differences are the first less the second. The limits hold 95 of 100
// differences where these are spread evenly to both sides.
type Agreement struct {
	Count      int            `json:"count" doc:"pairs that were compared"`
	LeftOut    int            `json:"left_out" doc:"readings of the first for which the second had no value that still held"`
	Mean       float64        `json:"mean" doc:"mean difference"`
	Deviation  float64        `json:"deviation" doc:"standard deviation of the differences"`
	Low        float64        `json:"low" doc:"lower limit of agreement: mean less 1.96 deviations"`
	High       float64        `json:"high" doc:"upper limit of agreement"`
	Lowest     float64        `json:"lowest" doc:"smallest difference"`
	Highest    float64        `json:"highest" doc:"largest"`
	Lag        measure.Millis `json:"lag" doc:"seconds by which the second follows the first; negative: it runs ahead"`
	LagStep    measure.Millis `json:"lag_step" doc:"seconds to which the lag can be told: a part of the stretch"`
	Likeness   float64        `json:"likeness" doc:"correlation at that lag, -1 to 1; near 0 the lag says nothing"`
	Points     []Difference   `json:"points" nullable:"false" doc:"at most 600 of the pairs, evenly chosen"`
	Suggestion string         `json:"suggestion" doc:"what the difference suggests, in words"`
}

// Difference is one pair.
type Difference struct {
	At     measure.Instant `json:"at" format:"date-time"`
	First  float64         `json:"first"`
	Second float64         `json:"second"`
}

// limit is the factor of the limits of agreement.
const limit = 1.96

// Agree compares two signals. The second's value holds for at most hold. Both are usable readings in order of
// time, in one unit. Fewer than three pairs are a *measure.Fault.
func Agree(first, second []measure.Reading, hold measure.Instant) (a Agreement, err error) {
	var pairs []Difference
	next, mean, squares := 0, 0.0, 0.0
	for _, r := range first {
		for next < len(second) && second[next].At <= r.At {
			next++
		}
		if next == 0 || r.At-second[next-1].At > hold {
			a.LeftOut++
			continue
		}
		p := Difference{r.At, r.Value, second[next-1].Value}
		pairs = append(pairs, p)
		d := p.First - p.Second
		if len(pairs) == 1 {
			a.Lowest, a.Highest = d, d
		}
		a.Lowest, a.Highest = min(a.Lowest, d), max(a.Highest, d)
		before := mean // Welford 1962
		mean += (d - mean) / float64(len(pairs))
		squares += (d - before) * (d - mean)
	}
	a.Count, a.Mean = len(pairs), mean
	if a.Count < 3 {
		return a, &measure.Fault{Field: "until",
			Reason: fmt.Sprintf("the two have %d readings together in this stretch; 3 are needed", a.Count)}
	}
	a.Deviation = math.Sqrt(squares / float64(a.Count-1))
	a.Low, a.High = mean-limit*a.Deviation, mean+limit*a.Deviation
	behind, step, likeness := lag(first, second, hold)
	a.Lag, a.LagStep, a.Likeness = measure.Millis(behind), measure.Millis(step), likeness
	const most = 600
	every := (len(pairs) + most - 1) / most
	for i := 0; i < len(pairs); i += every {
		a.Points = append(a.Points, pairs[i])
	}
	a.Suggestion = a.suggest()
	return a, nil
}

func (a *Agreement) suggest() string {
	error95 := limit * a.Deviation / math.Sqrt(float64(a.Count))
	switch {
	case math.Abs(a.Mean) <= error95:
		return "No steady difference can be told from the scatter."
	case math.Abs(a.Mean) > 4*a.Deviation:
		return "The difference is steady: calibrating the first by an offset would take it away."
	}
	return "The difference has a steady part, and more scatter than that: look at both before you correct one."
}

// lagSteps is how many steps the stretch is cut into to find the lag, and an eighth of them how far it is
// looked for.
const lagSteps = 2048

// lag finds by how much the second follows the first: where the correlation of their changes about their
// means is highest (Box, Jenkins and Reinsel, Time Series Analysis, 12.1).
func lag(first, second []measure.Reading, hold measure.Instant) (behind, step measure.Instant, likeness float64) {
	from, until := max(first[0].At, second[0].At), min(first[len(first)-1].At, second[len(second)-1].At)
	if step = (until - from) / lagSteps; step < 1 {
		return 0, 0, 0
	}
	x, y := grid(first, from, step, hold), grid(second, from, step, hold)
	best, at := 0.0, 0
	for k := -lagSteps / 8; k <= lagSteps/8; k++ {
		if r := correlation(x, y, k); r > best+1e-12 || r > best-1e-12 && abs(k) < abs(at) {
			best, at = max(best, r), k
		}
	}
	return measure.Instant(at) * step, step, best
}

func abs(k int) int { return max(k, -k) }

// grid gives the value that held at each step; NaN where none did.
func grid(readings []measure.Reading, from, step, hold measure.Instant) []float64 {
	out := make([]float64, lagSteps)
	next := 0
	for i := range out {
		at := from + measure.Instant(i)*step
		for next < len(readings) && readings[next].At <= at {
			next++
		}
		out[i] = math.NaN()
		if next > 0 && at-readings[next-1].At <= hold {
			out[i] = readings[next-1].Value
		}
	}
	return out
}

// correlation of x with y shifted back by k steps.
func correlation(x, y []float64, k int) float64 {
	var n, sx, sy float64
	each := func(do func(a, b float64)) {
		for i := max(0, -k); i < len(x) && i+k < len(y); i++ {
			if a, b := x[i], y[i+k]; a == a && b == b {
				do(a, b)
			}
		}
	}
	each(func(a, b float64) { n, sx, sy = n+1, sx+a, sy+b })
	if n < lagSteps/4 {
		return 0
	}
	var xx, yy, xy float64
	each(func(a, b float64) {
		a, b = a-sx/n, b-sy/n
		xx, yy, xy = xx+a*a, yy+b*b, xy+a*b
	})
	if xx == 0 || yy == 0 {
		return 0
	}
	return xy / math.Sqrt(xx*yy)
}
