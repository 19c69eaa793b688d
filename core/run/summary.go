package run

import (
	"math"

	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// SignalCourse is what one signal did in a run.
type SignalCourse struct {
	Signal    string           `json:"signal" doc:"DEVICE/SIGNAL"`
	Called    string           `json:"called"`
	Unit      measure.Unit     `json:"unit"`
	Step      float64          `json:"step" doc:"of its figures; 0: not known"`
	Readings  int              `json:"readings"`
	Lowest    *float64         `json:"lowest" doc:"null: there was no usable reading"`
	LowestAt  *measure.Instant `json:"lowest_at" format:"date-time"`
	Highest   *float64         `json:"highest"`
	HighestAt *measure.Instant `json:"highest_at" format:"date-time"`
	Mean      *float64         `json:"mean" doc:"weighted by how long each value held"`
	Known     float64          `json:"known" doc:"seconds of the run in which a value is known to have held"`
}

// Figure writes one of its values, no finer than the step of the signal, with the unit.
func (c *SignalCourse) Figure(v float64) string {
	return measure.Say(v, c.Unit, c.Step)
}

// Outcome is what came of one goal.
type Outcome struct {
	Goal
	Called   string           `json:"called"`
	Unit     measure.Unit     `json:"unit"`
	Words    string           `json:"words" doc:"the goal in words"`
	State    string           `json:"state" enum:"reached,open,missed" doc:"open: the run is on, and it may still be reached or missed"`
	At       *measure.Instant `json:"at" format:"date-time" doc:"of reach: when it was reached"`
	Kept     *float64         `json:"kept" doc:"of a band: per cent of the known time in which the value lay in it"`
	InBand   float64          `json:"in_band" doc:"of a band: seconds"`
	Forecast *Forecast        `json:"forecast,omitempty" doc:"of reach, while the run is on"`
}

// The states of a goal.
const (
	Reached = "reached"
	Open    = "open"
	Missed  = "missed"
)

// Sum is what a total came to in a run.
type Sum struct {
	Total  string  `json:"total"`
	Called string  `json:"called"`
	Kind   string  `json:"kind"`
	Value  float64 `json:"value"`
	Unit   string  `json:"unit"`
}

// Summary is what a run came to, up to its end or to now.
type Summary struct {
	Run
	Until   measure.Instant `json:"until" format:"date-time"`
	Lasted  float64         `json:"lasted" doc:"seconds"`
	Courses []SignalCourse  `json:"courses" nullable:"false"`
	Results []Outcome       `json:"results" nullable:"false" doc:"of its goals, in their order"`
	Sums    []Sum           `json:"sums" nullable:"false" doc:"of totals of the asset's signals: energy, cost, on-time"`
	Alarms  int             `json:"alarms" doc:"raised in it by the asset's signals"`
}

// Gatherer adds the readings of one signal up, in order of time. It is fed those before the run too, as far back as a
// value may hold.
type Gatherer struct {
	from, until, hold measure.Instant
	course            SignalCourse
	goals             []Outcome
	held              measure.Reading
	holding           bool
	sum, known        float64 // value times ms, ms
	points            []Moment
	every             measure.Instant
}

// Moment is one value of a course, some seconds after the run's start.
type Moment struct {
	At    float64 `json:"at" doc:"seconds"`
	Value float64 `json:"value"`
}

// points is about how many points of a course a forecast looks at.
const pointsWanted = 400

// Gather begins to add up a signal's readings in a stretch, with the goals that it has.
func Gather(s *site.Signal, called string, goals Goals, from, until, hold measure.Instant) *Gatherer {
	g := &Gatherer{from: from, until: until, hold: hold, every: max(1, (until-from)/pointsWanted),
		course: SignalCourse{Signal: s.Path(), Called: called, Unit: s.Unit, Step: s.Step}}
	for _, goal := range goals {
		if goal.Signal == s.Path() {
			g.goals = append(g.goals, Outcome{Goal: goal, Called: called, Unit: s.Unit,
				Words: goal.Words(called, s.Unit)})
		}
	}
	return g
}

// Take takes readings.
func (g *Gatherer) Take(readings []measure.Reading) {
	for i := range readings {
		r := readings[i]
		if !r.Quality.Usable() || r.At > g.until {
			continue
		}
		g.holdUntil(r.At)
		if r.At >= g.from {
			g.count(&r)
		}
		g.held, g.holding = r, true
	}
}

func (g *Gatherer) count(r *measure.Reading) {
	c := &g.course
	c.Readings++
	if c.Lowest == nil || r.Value < *c.Lowest {
		v, at := r.Value, r.At
		c.Lowest, c.LowestAt = &v, &at
	}
	if c.Highest == nil || r.Value > *c.Highest {
		v, at := r.Value, r.At
		c.Highest, c.HighestAt = &v, &at
	}
	for i := range g.goals {
		o := &g.goals[i]
		if o.Reach != nil && o.At == nil && (o.Falls && r.Value <= *o.Reach || !o.Falls && r.Value >= *o.Reach) {
			at := r.At
			o.At = &at
		}
	}
	if n := len(g.points); n == 0 || r.At-g.from >= measure.Instant(g.points[n-1].At*1000)+g.every {
		g.points = append(g.points, Moment{float64(r.At-g.from) / 1000, r.Value})
	}
}

// holdUntil counts the held value up to the next reading, or to the end.
func (g *Gatherer) holdUntil(next measure.Instant) {
	if !g.holding || next-g.held.At > g.hold {
		return
	}
	long := float64(min(next, g.until) - max(g.held.At, g.from))
	if long <= 0 {
		return
	}
	g.sum, g.known = g.sum+g.held.Value*long, g.known+long
	for i := range g.goals {
		if o := &g.goals[i]; o.Reach == nil && o.within(g.held.Value) {
			o.InBand += long / 1000
		}
	}
}

func (g *Goal) within(v float64) bool {
	return (g.Low == nil || v >= *g.Low) && (g.High == nil || v <= *g.High)
}

// Finish gives what came of the signal and its goals. Of a run that is on, goals that are not reached are open, with a
// forecast.
func (g *Gatherer) Finish(on bool) (SignalCourse, []Outcome) {
	if g.holding && g.until-g.held.At <= g.hold {
		g.holdUntil(g.until)
	}
	g.course.Known = g.known / 1000
	if g.known > 0 {
		mean := g.sum / g.known
		g.course.Mean = &mean
	}
	for i := range g.goals {
		o := &g.goals[i]
		switch {
		case o.Reach != nil && o.At != nil:
			o.State = Reached
		case o.Reach != nil && on:
			f := Foresee(g.points, *o.Reach, o.Falls, g.from, g.until)
			o.State, o.Forecast = Open, &f
		case o.Reach != nil:
			o.State = Missed
		default:
			g.keep(o, on)
		}
	}
	return g.course, g.goals
}

// keep judges a band.
func (g *Gatherer) keep(o *Outcome, on bool) {
	o.State = Missed
	if g.known > 0 {
		kept := math.Min(100, 100*o.InBand*1000/g.known)
		o.Kept = &kept
		if kept >= o.Share-1e-9 {
			o.State = Reached
		}
	}
	if on {
		o.State = Open
	}
}
