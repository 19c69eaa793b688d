package limit

import (
	"fmt"
	"math"
	"slices"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
)

// Shape is what a signal did in a stretch: how its values are spread, and how by hour of the day.
type Shape struct {
	From        measure.Instant `json:"from" format:"date-time"`
	Until       measure.Instant `json:"until" format:"date-time"`
	Readings    int             `json:"readings" doc:"usable ones"`
	Unit        measure.Unit    `json:"unit"`
	Noise       float64         `json:"noise" doc:"by how much a reading jitters, one standard deviation"`
	Percentiles []Percentile    `json:"percentiles" nullable:"false"`
	Hours       []HourShape     `json:"hours" nullable:"false" doc:"by hour of the local day, those with readings"`
	Limits      []Proposal      `json:"limits" nullable:"false" doc:"limits that suggest themselves, with what each would have raised"`
}

// Percentile is the value under which a share of the readings lie.
type Percentile struct {
	Percent float64 `json:"percent"`
	Value   float64 `json:"value"`
}

// HourShape is one hour of the day.
type HourShape struct {
	Hour   int     `json:"hour"`
	Low    float64 `json:"low" doc:"5 in 100 lie under it"`
	Median float64 `json:"median"`
	High   float64 `json:"high" doc:"5 in 100 lie over it"`
}

// Proposal is a limit with what it would have raised.
type Proposal struct {
	When     alarm.Test    `json:"when"`
	Deadband float64       `json:"deadband"`
	Would    alarm.Summary `json:"would" doc:"what it would have raised in the stretch"`
	Marked   *alarm.Marked `json:"marked" doc:"how what it would have raised meets the alarms that people have marked"`
	Words    string        `json:"words"`
}

// sampleSize bounds what is sorted: of longer stretches every so-manieth reading is taken.
const sampleSize = 200_000

// Sampler gathers what Shape needs in one pass.
type Sampler struct {
	sample    []measure.Reading
	every     int
	seen      int
	low, high float64
	first     measure.Instant
	zone      *time.Location
}

// NewSampler begins; zone is the one of the hours.
func NewSampler(zone *time.Location) *Sampler {
	return &Sampler{every: 1, low: math.Inf(1), high: math.Inf(-1), zone: zone}
}

// Take adds readings, in order of time.
func (s *Sampler) Take(readings []measure.Reading) {
	for i := range readings {
		r := &readings[i]
		if !r.Quality.Usable() {
			continue
		}
		if s.seen == 0 {
			s.first = r.At
		}
		s.low, s.high = min(s.low, r.Value), max(s.high, r.Value)
		if s.seen++; s.seen%s.every != 0 {
			continue
		}
		if s.sample = append(s.sample, *r); len(s.sample) == sampleSize {
			for j := range sampleSize / 2 {
				s.sample[j] = s.sample[2*j+1]
			}
			s.sample, s.every = s.sample[:sampleSize/2], 2*s.every
		}
	}
}

// Shape gives what was gathered; the proposals, which a second pass fills in, are guards to replay.
func (s *Sampler) Shape(from, until measure.Instant, unit measure.Unit) (Shape, []alarm.Guard) {
	out := Shape{From: max(from, s.first), Until: until, Readings: s.seen, Unit: unit, Percentiles: []Percentile{},
		Hours: []HourShape{}, Limits: []Proposal{}}
	if len(s.sample) < 2 {
		return out, nil
	}
	out.Noise = noise(s.sample)
	values := make([]float64, len(s.sample))
	byHour := map[int][]float64{}
	for i, r := range s.sample {
		values[i] = r.Value
		hour := r.At.Time().In(s.zone).Hour()
		byHour[hour] = append(byHour[hour], r.Value)
	}
	slices.Sort(values)
	values[0], values[len(values)-1] = s.low, s.high
	for _, p := range []float64{0, 0.1, 1, 5, 25, 50, 75, 95, 99, 99.9, 100} {
		out.Percentiles = append(out.Percentiles, Percentile{p, quantile(values, p/100)})
	}
	for hour := range 24 {
		if some := byHour[hour]; len(some) > 0 {
			slices.Sort(some)
			out.Hours = append(out.Hours, HourShape{hour, quantile(some, 0.05), quantile(some, 0.5),
				quantile(some, 0.95)})
		}
	}
	return out, propose(values, out.Noise)
}

// propose gives guards at the ends of what was seen: a little inside of it, and a little outside.
func propose(values []float64, noise float64) (guards []alarm.Guard) {
	width := quantile(values, 0.99) - quantile(values, 0.01)
	if width <= 0 {
		width = values[len(values)-1] - values[0]
	}
	if width <= 0 {
		return nil
	}
	deadband := min(round(3*noise, 3*noise), width/4)
	add := func(kind alarm.Kind, limit float64) {
		test := alarm.Test{Kind: kind, A: round(limit, width)}
		if !slices.ContainsFunc(guards, func(g alarm.Guard) bool { return g.When == test }) {
			guards = append(guards, alarm.Guard{Rung: alarm.Rung{When: test, Deadband: deadband,
				Severity: alarm.Warning}, Tell: []string{}})
		}
	}
	lowest, highest := values[0], values[len(values)-1]
	add(alarm.Above, quantile(values, 0.99))
	add(alarm.Above, quantile(values, 0.999))
	add(alarm.Above, highest+width/10)
	add(alarm.Below, quantile(values, 0.01))
	add(alarm.Below, quantile(values, 0.001))
	add(alarm.Below, lowest-width/10)
	return guards
}

// Propose is the proposal that a guard makes, by what it would have raised and what people said of past alarms.
func Propose(g alarm.Guard, found []alarm.Occurrence, past []alarm.Alarm, from, until measure.Instant,
	unit measure.Unit) Proposal {
	would, marked := alarm.Summarise(found, from, until), alarm.Meet(found, past)
	text := fmt.Sprintf("%s would have raised %.1f alarms a week", g.When.Words(unit), would.PerWeek)
	if would.Alarms == 0 {
		text = g.When.Words(unit) + " would have raised none"
	}
	if marked.RealOf > 0 {
		text += fmt.Sprintf(", and met %d of %d that were real", marked.Real, marked.RealOf)
	}
	if marked.FalseOf > 0 {
		text += fmt.Sprintf(", and %d of %d false ones", marked.False, marked.FalseOf)
	}
	return Proposal{When: g.When, Deadband: g.Deadband, Would: would, Marked: marked, Words: text}
}
