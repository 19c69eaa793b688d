package series

import (
	"math"
	"time"

	"jauntylark/core/measure"
)

// Spread is how often the values of a stretch came, and how they go over a day. Each usable reading counts alike.
type Spread struct {
	Low    float64   `json:"low" doc:"where the first bin begins"`
	High   float64   `json:"high" doc:"where the last one ends; its end is inside"`
	Counts []int     `json:"counts" nullable:"false" doc:"readings in each bin; all bins are alike wide"`
	Count  int       `json:"count"`
	Mean   *float64  `json:"mean" doc:"null without a reading"`
	Hours  []DayHour `json:"hours" nullable:"false" doc:"by the hour of the site's day, from midnight on; those with readings"`

	zone       *time.Location
	sum        float64
	hours      [24]DayHour
	from, till measure.Instant // one local hour, so that it is not looked up for each reading
	hour       int
}

// DayHour is what the values of one hour of the day were like.
type DayHour struct {
	Hour  int     `json:"hour" minimum:"0" maximum:"23"`
	Count int     `json:"count"`
	Low   float64 `json:"low"`
	Mean  float64 `json:"mean"`
	High  float64 `json:"high"`
	sum   float64
}

// NewSpread begins a spread between the lowest and the highest of ends, in so many bins.
func NewSpread(ends []measure.Reading, bins int, zone *time.Location) *Spread {
	s := &Spread{Counts: []int{}, Hours: []DayHour{}, zone: zone}
	low, high := math.Inf(1), math.Inf(-1)
	for _, r := range ends {
		low, high = min(low, r.Value), max(high, r.Value)
	}
	if low > high {
		return s
	}
	if low == high {
		low, high = low-0.5, high+0.5
	}
	s.Low, s.High, s.Counts = low, high, make([]int, bins)
	return s
}

// Add takes readings in any order; those that are of no use, and those beyond the ends, are passed over.
func (s *Spread) Add(readings []measure.Reading) {
	scale := float64(len(s.Counts)) / (s.High - s.Low)
	for _, r := range readings {
		if !r.Quality.Usable() || !(r.Value >= s.Low && r.Value <= s.High) || len(s.Counts) == 0 {
			continue
		}
		s.Counts[min(int((r.Value-s.Low)*scale), len(s.Counts)-1)]++
		s.Count++
		s.sum += r.Value
		h := &s.hours[s.hourOf(r.At)]
		if h.Count == 0 {
			h.Low, h.High = r.Value, r.Value
		}
		h.Count, h.sum, h.Low, h.High = h.Count+1, h.sum+r.Value, min(h.Low, r.Value), max(h.High, r.Value)
	}
}

// hourOf is the local hour of an instant. Zones move by whole quarters of an hour, so it holds for one.
func (s *Spread) hourOf(at measure.Instant) int {
	if at < s.from || at >= s.till {
		const quarter = measure.Instant(15 * 60 * 1000)
		s.from = at - at%quarter
		s.till = s.from + quarter
		s.hour = at.Time().In(s.zone).Hour()
	}
	return s.hour
}

// End finishes the spread when all readings are in.
func (s *Spread) End() {
	if s.Count > 0 {
		mean := s.sum / float64(s.Count)
		s.Mean = &mean
	}
	for i := range s.hours {
		if h := s.hours[i]; h.Count > 0 {
			h.Hour, h.Mean = i, h.sum/float64(h.Count)
			s.Hours = append(s.Hours, h)
		}
	}
}
