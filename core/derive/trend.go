package derive

import (
	"math"

	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// trendSlots is into how many parts a window is cut; the first reading of each makes the trend, with the
// newest. So the trend of a long window costs no more than that of a short one.
const trendSlots = 120

// trend is the straight line of least squares through the last stretch of time (Draper and Smith, Applied
// Regression Analysis, 3rd edition, 1.2 to 1.4).
type trend struct {
	length, slot measure.Instant
	held         []measure.Reading // the first of each slot, oldest first
}

func newTrend(r *Recipe, m *Machine) *trend {
	length := measure.Instant(r.Window / 1e6)
	t := &trend{length: length, slot: max(1, length/trendSlots)}
	m.reach = length + t.slot
	return t
}

// add adds a reading and gives the change an hour and its standard error: false when there is too little
// to tell, three readings over a quarter of the window.
func (t *trend) add(at measure.Instant, value float64) (slope, deviation float64, ok bool) {
	gone := 0
	for gone < len(t.held) && t.held[gone].At/t.slot < (at-t.length)/t.slot+1 {
		gone++
	}
	t.held = append(t.held[:0], t.held[gone:]...)
	if n := len(t.held); n == 0 || t.held[n-1].At/t.slot != at/t.slot {
		t.held = append(t.held, measure.Reading{At: at, Value: value})
	}
	points := t.held
	if last := points[len(points)-1]; last.At != at {
		points = append(points, measure.Reading{At: at, Value: value})
	}
	if len(points) < 3 || at-points[0].At < t.length/4 {
		return 0, 0, false
	}
	slope, deviation = line(points, at)
	return slope, deviation, true
}

// line gives the slope of the line of least squares through readings, a value an hour, and its standard error.
func line(points []measure.Reading, at measure.Instant) (slope, deviation float64) {
	const hour = 3600_000
	n := float64(len(points))
	var x, y float64
	for _, p := range points {
		x, y = x+float64(p.At-at)/hour/n, y+p.Value/n
	}
	var xx, xy, yy float64
	for _, p := range points {
		dx, dy := float64(p.At-at)/hour-x, p.Value-y
		xx, xy, yy = xx+dx*dx, xy+dx*dy, yy+dy*dy
	}
	slope = xy / xx
	return slope, math.Sqrt(max(0, yy-slope*xy) / (n - 2) / xx)
}

func rate(r *Recipe, in []Source, m *Machine) error {
	t := newTrend(r, m)
	m.Output = Output{Kind: site.KindNumber, Unit: in[0].Unit, Quantity: "change an hour"}
	if in[0].Unit.Dimension() == "temperature" {
		m.Unit = "K"
		if err := m.in(in, "Cel"); err != nil {
			return err
		}
	}
	m.step = func(at measure.Instant, v []float64) (float64, bool) {
		slope, _, ok := t.add(at, v[0])
		return slope, ok
	}
	return nil
}

func forecast(r *Recipe, _ []Source, m *Machine) error {
	t := newTrend(r, m)
	m.Output = Output{Kind: site.KindNumber, Unit: "h", Quantity: "time until " + measure.Figure(*r.Limit, "")}
	m.step = func(at measure.Instant, v []float64) (float64, bool) {
		slope, _, ok := t.add(at, v[0])
		hours := (*r.Limit - v[0]) / slope
		return hours, ok && hours >= 0 && hours <= farthest
	}
	return nil
}

// farthest is how many hours ahead a trend is believed at most.
const farthest = 2000

// within95 is how many standard errors hold a slope in 95 of 100 cases, for as many readings as a trend has.
const within95 = 1.98

func hoursLeft(r *Recipe, _ []Source, m *Machine) error {
	t := newTrend(r, m)
	m.Output = Output{Kind: site.KindNumber, Unit: "h", Quantity: "time left"}
	side := map[string]float64{"": 0, "middle": 0, "low": -within95, "high": within95}
	times, known := side[r.Edge]
	if !known {
		return fault("edge", "%q is not middle, low or high", r.Edge)
	}
	m.step = func(at measure.Instant, v []float64) (float64, bool) {
		slope, deviation, ok := t.add(at, v[0])
		if !ok || slope >= 0 {
			return 0, false
		}
		slope += times * deviation
		if slope >= 0 { // it may never be empty
			return farthest, true
		}
		hours := max(0, v[0]/-slope)
		return hours, hours <= farthest
	}
	return nil
}

func charging(r *Recipe, _ []Source, m *Machine) error {
	t := newTrend(r, m)
	m.Output = Output{Kind: site.KindSwitch, Unit: "", Quantity: "charging"}
	on := false
	m.seed = func(last measure.Reading) { on = last.Value != 0 }
	m.step = func(at measure.Instant, v []float64) (float64, bool) {
		slope, _, ok := t.add(at, v[0])
		switch {
		case !ok:
			return 0, false
		case slope > r.Deadband:
			on = true
		case slope < -r.Deadband:
			on = false
		}
		return digit(on), true
	}
	return nil
}

func digit(on bool) float64 {
	if on {
		return 1
	}
	return 0
}
