package series

import (
	"fmt"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/wall"
)

// Period is the length of stretches that figures are given for: whole days begin at midnight in the
// site's time zone, weeks on Mondays; shorter ones are counted from midnight UTC.
type Period measure.Duration

// The periods whose figures are kept.
const (
	Hour = Period(time.Hour)
	Day  = Period(24 * time.Hour)
)

// ParsePeriod reads a duration that can be a period: whole days, or a length that divides a day.
func ParsePeriod(text string) (Period, error) {
	d, err := measure.ParseDuration(text)
	if err != nil {
		return 0, err
	}
	p := Period(d)
	if p < Period(time.Second) || p > Day && p%Day != 0 || p < Day && Day%p != 0 {
		return 0, fmt.Errorf("%q is no period; take whole days, or a part of a day like 1m, 15m, 1h or 6h", text)
	}
	return p, nil
}

// String writes the period as a duration.
func (p Period) String() string { return measure.Duration(p).String() }

// Start is when the period that at falls in begins.
func (p Period) Start(at measure.Instant, zone *time.Location) measure.Instant {
	if p < Day {
		length := measure.Instant(time.Duration(p).Milliseconds())
		past := at % length
		if past < 0 {
			past += length
		}
		return at - past
	}
	return p.first(at, zone).Begin(zone)
}

// first is the day with which the period of whole days begins that at falls in.
func (p Period) first(at measure.Instant, zone *time.Location) wall.Day {
	const monday = 3 // days from the Monday before 1970 to its first day: periods are counted from there
	day, days := wall.On(at, zone), wall.Day(p/Day)
	past := (day + monday) % days
	if past < 0 {
		past += days
	}
	return day - past
}

// Next is when the period after the one that begins at start begins.
func (p Period) Next(start measure.Instant, zone *time.Location) measure.Instant {
	if p < Day {
		return start.Add(time.Duration(p))
	}
	return (p.first(start, zone) + wall.Day(p/Day)).Begin(zone)
}

// Edges gives the beginnings of the periods that from..until touches, and the end of the last.
func (p Period) Edges(from, until measure.Instant, zone *time.Location) []measure.Instant {
	edges := []measure.Instant{p.Start(from, zone)}
	for edges[len(edges)-1] <= until {
		edges = append(edges, p.Next(edges[len(edges)-1], zone))
	}
	return edges
}
