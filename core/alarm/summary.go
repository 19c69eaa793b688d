package alarm

import (
	"fmt"
	"slices"
	"time"

	"jauntylark/core/measure"
)

// Summary says how often and how long a guard would have been heard, or was.
type Summary struct {
	From    measure.Instant  `json:"from" format:"date-time"`
	Until   measure.Instant  `json:"until" format:"date-time"`
	Alarms  int              `json:"alarms"`
	PerWeek float64          `json:"per_week"`
	Stood   measure.Duration `json:"stood" doc:"how long all of them stood together"`
	Median  measure.Duration `json:"median" doc:"how long one stood, the middle one"`
	Longest measure.Duration `json:"longest"`
	Levels  []LevelCount     `json:"levels" nullable:"false" doc:"the outermost rungs that stood"`
}

// LevelCount is how many alarms went as far as a rung.
type LevelCount struct {
	Level    string   `json:"level"`
	Severity Severity `json:"severity" enum:"advisory,warning,critical"`
	Alarms   int      `json:"alarms"`
}

const week = 7 * 24 * time.Hour

// Summarise sums up the alarms of a stretch, in order of their raises.
func Summarise(all []Occurrence, from, until measure.Instant) Summary {
	s := Summary{From: from, Until: until, Alarms: len(all), Levels: []LevelCount{}}
	if length := until.Sub(from); length > 0 {
		s.PerWeek = float64(len(all)) / max(float64(length)/float64(week), 1e-9)
	}
	lengths := make([]measure.Duration, 0, len(all))
	for i := range all {
		o := &all[i]
		length := measure.Duration(o.Length(until).Round(time.Second))
		lengths = append(lengths, length)
		s.Stood += length
		at := slices.IndexFunc(s.Levels, func(l LevelCount) bool {
			return l.Level == o.Level && l.Severity == o.Severity
		})
		if at < 0 {
			at = len(s.Levels)
			s.Levels = append(s.Levels, LevelCount{Level: o.Level, Severity: o.Severity})
		}
		s.Levels[at].Alarms++
	}
	if len(lengths) > 0 {
		slices.Sort(lengths)
		s.Median, s.Longest = lengths[len(lengths)/2], lengths[len(lengths)-1]
	}
	return s
}

// Words says the summary for people.
func (s *Summary) Words() string {
	switch s.Alarms {
	case 0:
		return "It would have raised no alarm."
	case 1:
		return fmt.Sprintf("It would have raised 1 alarm, which stood %v.", s.Longest)
	}
	return fmt.Sprintf("It would have raised %d alarms, %.1f a week; one stood %v as a rule, %v at most.", s.Alarms,
		s.PerWeek, s.Median, s.Longest)
}
