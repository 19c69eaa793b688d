package run

import (
	"fmt"
	"math"
	"time"

	"jauntylark/core/measure"
)

// Forecast says when a value will be reached, and how sure that is.
type Forecast struct {
	At      *measure.Instant `json:"at" format:"date-time" doc:"most likely; null: it levels off before, goes the other way, or it is too early to tell"`
	Early   *measure.Instant `json:"early" format:"date-time" doc:"95 %: not before"`
	Late    *measure.Instant `json:"late" format:"date-time" doc:"95 %: not after; null: it may never come"`
	Plateau *float64         `json:"plateau" doc:"where the value levels off, in the signal's unit; null: it goes on as a straight line, or it is too early to tell"`
	Why     string           `json:"why" enum:"coming,levels off before,stands still,goes the other way,too early to tell"`
}

// What a forecast can say.
const (
	Coming   = "coming"
	LevelsOf = "levels off before"
	Still    = "stands still"
	OtherWay = "goes the other way"
	TooEarly = "too early to tell"
)

const (
	fewestPoints = 12
	farthest     = 20.0 // forecasts go so many times as far as the run has gone
	chiSquared95 = 3.841
	newest       = 2.0 / 3 // the newest part of the course that is looked at
)

// curve is y = a + b·u(t): u is 1 − e^(−t/τ), how a body that is heated or cooled nears the temperature around it
// (Newton), or the straight line t where τ is infinite.
type curve struct {
	tau            float64
	a, b           float64
	va, vb, vab    float64 // of the squares of errors, without the residual variance
	squares, count float64
}

func (c *curve) u(t float64) float64 {
	if math.IsInf(c.tau, 1) {
		return t
	}
	return -math.Expm1(-t / c.tau)
}

// fit finds the a and b of a curve by least squares.
func fit(points []Moment, tau float64) curve {
	c := curve{tau: tau, count: float64(len(points))}
	var su, sy float64
	for _, p := range points {
		su, sy = su+c.u(p.At), sy+p.Value
	}
	mu, my := su/c.count, sy/c.count
	var suu, suy float64
	for _, p := range points {
		d := c.u(p.At) - mu
		suu, suy = suu+d*d, suy+d*(p.Value-my)
	}
	if suu == 0 {
		c.squares = math.Inf(1)
		return c
	}
	c.b = suy / suu
	c.a = my - c.b*mu
	for _, p := range points {
		r := p.Value - c.a - c.b*c.u(p.At)
		c.squares += r * r
	}
	c.vb, c.vab, c.va = 1/suu, -mu/suu, 1/c.count+mu*mu/suu
	return c
}

// reaches gives when the curve comes to a value; NaN: never.
func (c *curve) reaches(value float64) float64 {
	u := (value - c.a) / c.b
	switch {
	case math.IsInf(c.tau, 1):
		return u
	case u >= 1:
		return math.NaN()
	}
	return -c.tau * math.Log1p(-u)
}

// Foresee tells when the value of a course comes to a goal. Among curves of all time constants, those are likely whose
// squared errors are not much above the least (profile likelihood: Venzon and Moolgavkar 1988, Applied Statistics
// 37(1)); the earliest and latest crossing among them, each with the error of its own two parameters, are the ends of
// the interval. Errors that hang together from reading to reading count for fewer. It holds as long as the run goes on
// as it does: nobody opens a door.
//
// Points are in order of time, in seconds after from; until is how far the run has come.
func Foresee(points []Moment, goal float64, falls bool, from, until measure.Instant) Forecast {
	now := float64(until-from) / 1000
	points = recent(points)
	if len(points) < fewestPoints || now <= 0 {
		return Forecast{Why: TooEarly}
	}
	begin := points[0].At
	shifted := make([]Moment, len(points))
	for i, p := range points {
		shifted[i] = Moment{p.At - begin, p.Value}
	}
	span := shifted[len(shifted)-1].At
	if span <= 0 {
		return Forecast{Why: TooEarly}
	}
	curves := candidates(shifted, span)
	best := &curves[0]
	for i := range curves {
		if curves[i].squares < best.squares {
			best = &curves[i]
		}
	}
	counted := max(5, best.count*independent(shifted, best)) // so many readings' worth is known
	free := counted - 3
	variance := best.squares / free // as large as that of so few readings
	if moved := math.Abs(best.b) * (best.u(span) - best.u(0)); moved <= 2*math.Sqrt(variance) &&
		math.Abs(best.b) <= 3*math.Sqrt(variance*best.vb) || moved == 0 {
		return Forecast{Why: Still}
	}
	if (best.slope(span) < 0) != falls && math.Abs(best.b) > 2*math.Sqrt(variance*best.vb) {
		return Forecast{Why: OtherWay}
	}
	return best.told(curves, best.squares*(1+chiSquared95/free), variance, goal, from, begin, now)
}

// candidates fits curves of time constants from far shorter to far longer than the course, the straight line first, and
// more of them where they fit best, down to where neighbours fit alike.
func candidates(points []Moment, span float64) []curve {
	curves := []curve{fit(points, math.Inf(1))}
	low, high := span/30, span*60
	const each = 60
	for range 4 {
		step := math.Pow(high/low, 1.0/each)
		begin := len(curves)
		best := begin
		for tau := low; tau <= high*1.000001; tau *= step {
			curves = append(curves, fit(points, tau))
			if last := len(curves) - 1; curves[last].squares < curves[best].squares {
				best = last
			}
		}
		low, high = curves[max(begin, best-2)].tau, curves[min(len(curves)-1, best+2)].tau
	}
	return curves
}

// recent gives the newest part of a course: what happened long ago may have had other causes.
func recent(points []Moment) []Moment {
	if len(points) < 2*fewestPoints {
		return points
	}
	return points[len(points)-int(newest*float64(len(points))):]
}

// slope is how steep the curve is at a time.
func (c *curve) slope(t float64) float64 {
	if math.IsInf(c.tau, 1) {
		return c.b
	}
	return c.b / c.tau * math.Exp(-t/c.tau)
}

// independent is which share of the residuals counts, by how much each is like the one before it.
func independent(points []Moment, c *curve) float64 {
	var before, both, all float64
	for i, p := range points {
		r := p.Value - c.a - c.b*c.u(p.At)
		if i > 0 {
			both += r * before
		}
		all, before = all+r*r, r
	}
	if all == 0 {
		return 1
	}
	like := math.Max(0, math.Min(0.95, both/all))
	return (1 - like) / (1 + like)
}

// told makes the forecast of the likely curves.
func (c *curve) told(curves []curve, likely, variance, goal float64, from measure.Instant, begin,
	now float64) Forecast {
	f := Forecast{Why: Coming}
	instant := func(t float64) *measure.Instant {
		at := from + measure.Instant(math.Round((begin+math.Max(t, now-begin))*1000))
		return &at
	}
	within := func(t float64) bool { return !math.IsNaN(t) && t <= farthest*math.Max(now, 1) }
	if !math.IsInf(c.tau, 1) {
		plateau := c.a + c.b
		f.Plateau = &plateau
	}
	early, late, never := math.Inf(1), math.Inf(-1), false
	for i := range curves {
		one := &curves[i]
		if one.squares > likely {
			continue
		}
		t := one.reaches(goal)
		if !within(t) {
			never = true
			continue
		}
		u := one.u(t)
		slope := math.Abs(one.slope(t))
		off := 2 * math.Sqrt(variance*(one.va+2*u*one.vab+u*u*one.vb)) / slope
		early, late = math.Min(early, t-off), math.Max(late, t+off)
	}
	if t := c.reaches(goal); within(t) {
		f.At = instant(t)
	} else {
		f.Why = LevelsOf
	}
	if !math.IsInf(early, 1) {
		f.Early = instant(early)
		if !never {
			f.Late = instant(late)
		}
	}
	return f
}

// Words says a forecast: "at about 16:40, between 16:25 and 17:10".
func (f *Forecast) Words(zone *time.Location, now measure.Instant, unit measure.Unit) string {
	say := func(at *measure.Instant) string {
		form := "15:04"
		if at.Time().In(zone).Format(time.DateOnly) != now.Time().In(zone).Format(time.DateOnly) {
			form = "15:04 on Mon 2 Jan"
		}
		return at.Time().In(zone).Format(form)
	}
	switch {
	case f.At == nil && f.Plateau != nil && f.Why == LevelsOf:
		text := "it levels off at about " + measure.Say(measure.Significant(*f.Plateau, 3), unit, 0) +
			", and does not get there"
		if f.Early != nil {
			text += " before " + say(f.Early)
		}
		return text
	case f.At == nil:
		return "it " + map[string]string{OtherWay: "goes the other way", Still: "stands still",
			LevelsOf: "does not get there in any time that can be told", TooEarly: "is too early to tell"}[f.Why]
	case f.Early == nil:
		return "at about " + say(f.At)
	case f.Late == nil:
		return fmt.Sprintf("at about %s, not before %s, and perhaps never", say(f.At), say(f.Early))
	}
	return fmt.Sprintf("at about %s, between %s and %s", say(f.At), say(f.Early), say(f.Late))
}
