package series

import (
	"slices"
	"time"

	"jauntylark/core/measure"
)

// Figures are what the usable readings of one period of one signal come to. Two means are told apart:
// the plain one weighs each reading alike, the time-weighted one by how long its value held.
type Figures struct {
	At      measure.Instant `json:"at" db:"at" format:"date-time" doc:"when the period begins"`
	Count   int             `json:"count" db:"count" doc:"usable readings"`
	LeftOut int             `json:"left_out" db:"left_out" doc:"readings that are not usable, and count for nothing here"`
	FirstAt measure.Instant `json:"first_at" db:"first_at" format:"date-time"`
	First   float64         `json:"first" db:"first_value"`
	LastAt  measure.Instant `json:"last_at" db:"last_at" format:"date-time"`
	Last    float64         `json:"last" db:"last_value"`
	LowAt   measure.Instant `json:"low_at" db:"low_at" format:"date-time"`
	Low     float64         `json:"low" db:"low"`
	HighAt  measure.Instant `json:"high_at" db:"high_at" format:"date-time"`
	High    float64         `json:"high" db:"high"`
	Sum     float64         `json:"sum" db:"sum"`
	Held    float64         `json:"-" db:"held"` // the value times the milliseconds that it held, summed
	HeldFor measure.Millis  `json:"held_for" db:"held_for" doc:"the seconds of the period in which a value is known to have held"`
}

// Row is a period, or the part of one that was asked for, with the figures of several signals.
type Row struct {
	At, Until measure.Instant // from At on, before Until
	Cut       bool            // a part of a period: what was asked for begins or ends within
	Figures   []*Figures      // nil where a signal has none
}

// Means gives the plain mean, for which each reading counts alike, and the time-weighted one, for which each
// value counts for as long as it held: nil without a reading, or where no value is known to have held.
func (f *Figures) Means() (plain, held *float64) {
	if f.Count > 0 {
		mean := f.Sum / float64(f.Count)
		plain = &mean
	}
	if f.HeldFor > 0 {
		mean := f.Held / float64(f.HeldFor)
		held = &mean
	}
	return plain, held
}

// HoldLimit is for how long a value may hold to the next reading, in figures: three intervals, and a
// quarter of an hour at least; a day where no interval is stated. A longer gap counts for nothing.
func HoldLimit(interval measure.Duration) measure.Instant {
	hold := max(15*time.Minute, 3*time.Duration(interval))
	if interval <= 0 {
		hold = 24 * time.Hour
	}
	return measure.Instant(hold.Milliseconds())
}

// Aggregator computes figures by period. It is fed readings in order of time, beginning with those up to
// the hold limit before the first period and ending with the first usable one after the last. The same
// readings give the same figures to the last bit, however they are cut.
type Aggregator struct {
	edges   []measure.Instant
	hold    measure.Instant
	figures []Figures
	at      int // the period that the newest reading fell in
	held    measure.Reading
	holding bool
}

// NewAggregator makes an Aggregator for the periods between edges, which ascend: one less than there are edges.
func NewAggregator(edges []measure.Instant, hold measure.Instant) *Aggregator {
	f := &Aggregator{edges: edges, hold: hold, figures: make([]Figures, max(0, len(edges)-1))}
	for i := range f.figures {
		f.figures[i].At = edges[i]
	}
	return f
}

// Add takes readings.
func (f *Aggregator) Add(readings []measure.Reading) {
	for i := range readings {
		r := &readings[i]
		period := f.periodOf(r.At)
		inside := period < len(f.figures) && r.At >= f.edges[0]
		if !r.Quality.Usable() {
			if inside {
				f.figures[period].LeftOut++
			}
			continue
		}
		if f.holding && r.At-f.held.At <= f.hold {
			f.holdUntil(r.At)
		}
		if inside {
			f.figures[period].count(r)
		}
		f.held, f.holding, f.at = *r, true, period
	}
}

// periodOf gives the period of an instant that is not before the held reading; one more than there are
// when it is after the last.
func (f *Aggregator) periodOf(at measure.Instant) int {
	period := f.at
	for period < len(f.figures) && at >= f.edges[period+1] {
		period++
	}
	return period
}

// holdUntil counts the held value up to the next reading.
func (f *Aggregator) holdUntil(next measure.Instant) {
	for period := f.at; period < len(f.figures) && f.edges[period] < next; period++ {
		from, until := max(f.held.At, f.edges[period]), min(next, f.edges[period+1])
		if from < until {
			g := &f.figures[period]
			g.Held = finite(g.Held + f.held.Value*float64(until-from))
			g.HeldFor += measure.Millis(until - from)
		}
	}
}

func (g *Figures) count(r *measure.Reading) {
	if g.Count == 0 {
		g.FirstAt, g.First, g.LowAt, g.Low, g.HighAt, g.High = r.At, r.Value, r.At, r.Value, r.At, r.Value
	}
	if r.Value < g.Low {
		g.LowAt, g.Low = r.At, r.Value
	}
	if r.Value > g.High {
		g.HighAt, g.High = r.At, r.Value
	}
	g.LastAt, g.Last = r.At, r.Value
	g.Sum = finite(g.Sum + r.Value)
	g.Count++
}

// Figures gives the periods that have a reading or in which a value held.
func (f *Aggregator) Figures() []Figures {
	some := make([]Figures, 0, len(f.figures))
	for _, g := range f.figures {
		if g.Count > 0 || g.LeftOut > 0 || g.HeldFor > 0 {
			some = append(some, g)
		}
	}
	return some
}

// Join adds figures of hours, in order, up to those of a longer period; of a shorter one there are none.
func Join(hours []Figures, p Period, zone *time.Location) []Figures {
	joined := []Figures{}
	if p < Hour {
		return joined
	}
	for _, f := range hours {
		at := p.Start(f.At, zone)
		if n := len(joined); n > 0 && joined[n-1].At == at {
			joined[n-1].join(&f)
			continue
		}
		f.At = at
		joined = append(joined, f)
	}
	return joined
}

func (g *Figures) join(f *Figures) {
	if f.Count > 0 {
		if g.Count == 0 {
			g.FirstAt, g.First, g.LowAt, g.Low, g.HighAt, g.High = f.FirstAt, f.First, f.LowAt, f.Low, f.HighAt, f.High
		}
		if f.Low < g.Low {
			g.LowAt, g.Low = f.LowAt, f.Low
		}
		if f.High > g.High {
			g.HighAt, g.High = f.HighAt, f.High
		}
		g.LastAt, g.Last = f.LastAt, f.Last
	}
	g.Count, g.LeftOut, g.HeldFor = g.Count+f.Count, g.LeftOut+f.LeftOut, g.HeldFor+f.HeldFor
	g.Sum, g.Held = finite(g.Sum+f.Sum), finite(g.Held+f.Held)
}

// Splice puts fresh figures in place of those that begin from from and before until.
func Splice(figures, fresh []Figures, from, until measure.Instant) []Figures {
	begin := slices.IndexFunc(figures, func(f Figures) bool { return f.At >= from })
	if begin < 0 {
		return append(figures, fresh...)
	}
	end := begin
	for end < len(figures) && figures[end].At < until {
		end++
	}
	return slices.Concat(figures[:begin], fresh, figures[end:])
}

// Corners gives the first, lowest, highest and last reading before an instant, in order of time, each once.
func (g *Figures) Corners(until measure.Instant) []measure.Reading {
	if g.Count == 0 {
		return nil
	}
	corners, _ := InOrder([]measure.Reading{{At: g.FirstAt, Value: g.First}, {At: g.LowAt, Value: g.Low},
		{At: g.HighAt, Value: g.High}, {At: g.LastAt, Value: g.Last}})
	return Cut(corners, g.At, until-1)
}
