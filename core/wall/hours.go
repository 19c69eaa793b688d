package wall

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"jauntylark/core/measure"
)

// Hours says at which hours of the week something is so, by stretches of local time.
type Hours []Slot

// Slot is a part of each of some days: from From to Until, minutes after midnight. Where Until is not after From, it
// ends on the next day.
type Slot struct {
	Days        [8]bool // Sunday to Saturday, and holidays
	From, Until int
}

// holiday is the place of holidays among the days of a Slot.
const holiday = 7

var dayNames = [...]string{"sun", "mon", "tue", "wed", "thu", "fri", "sat", "holidays"}

const hoursForm = "write days and times, like 'mon-fri 18:00-07:00, sat-sun, holidays'"

// ParseHours reads hours: stretches with commas between them, each of days (mon, mon-fri, daily, holidays), a time, or
// both. On a holiday the stretches of holidays count instead of the weekday's, if there are any; 'holidays never'
// leaves holidays out.
func ParseHours(text string) (Hours, error) {
	var hours Hours
	for part := range strings.SplitSeq(strings.ToLower(text), ",") {
		s, err := parseSlot(strings.Fields(part))
		if err != nil {
			return nil, fmt.Errorf("%q: %w; %s", strings.TrimSpace(part), err, hoursForm)
		}
		hours = append(hours, s)
	}
	return hours, nil
}

func parseSlot(words []string) (s Slot, err error) {
	if len(words) == 0 {
		return s, fmt.Errorf("there is nothing between two commas")
	}
	days := false
	s.Until = 24 * 60
	for i, word := range words {
		switch {
		case word == "never" && s.Days[holiday] && i == len(words)-1:
			s.Until = 0
		case strings.Contains(word, ":"):
			if i < len(words)-1 {
				return s, fmt.Errorf("%q comes after the time", words[i+1])
			}
			if s.From, s.Until, err = parseTimes(word); err != nil {
				return s, err
			}
		default:
			days = true
			if err := s.addDays(word); err != nil {
				return s, err
			}
		}
	}
	if !days {
		_ = s.addDays("daily")
	}
	return s, nil
}

func (s *Slot) addDays(word string) error {
	if word == "daily" {
		for d := range 7 {
			s.Days[d] = true
		}
		return nil
	}
	first, last, isRange := strings.Cut(word, "-")
	from, until := slices.Index(dayNames[:], first), slices.Index(dayNames[:], last)
	switch {
	case !isRange && from >= 0:
		s.Days[from] = true
	case isRange && from >= 0 && until >= 0 && from != holiday && until != holiday:
		for d := from; ; d = (d + 1) % 7 {
			if s.Days[d] = true; d == until {
				break
			}
		}
	default:
		return fmt.Errorf("%q is no day; days are mon to sun, daily, holidays", word)
	}
	return nil
}

func parseTimes(word string) (from, until int, err error) {
	first, last, isRange := strings.Cut(word, "-")
	if !isRange {
		return 0, 0, fmt.Errorf("%q has no end", word)
	}
	if from, err = ParseClock(first); err == nil {
		until, err = ParseClock(last)
	}
	if err == nil && (from == until || from == 24*60) {
		err = fmt.Errorf("%q is no stretch of time", word)
	}
	return from, until, err
}

// ParseClock reads a time of the day like 23:00 or 24:00, as minutes since midnight.
func ParseClock(text string) (minutes int, err error) {
	if text == "24:00" {
		return dayMinutes, nil
	}
	t, err := time.Parse("15:04", text)
	if err != nil {
		return 0, fmt.Errorf("%q is no time of day", text)
	}
	return t.Hour()*60 + t.Minute(), nil
}

// Calendar is hours in a zone, with its holidays.
type Calendar struct {
	hours    Hours
	zone     *time.Location
	holidays map[Day]bool // empty where the hours say nothing of holidays
	edges    []int        // minutes of the day at which a stretch begins or ends, ascending
}

// NewCalendar reads hours, with holidays as dates like 2026-12-25; nil when text is empty, which means always.
func NewCalendar(text string, zone *time.Location, holidays []string) (*Calendar, error) {
	if text == "" {
		return nil, nil
	}
	hours, err := ParseHours(text)
	if err != nil {
		return nil, err
	}
	c := &Calendar{hours: hours, zone: zone, holidays: map[Day]bool{}}
	for _, s := range hours {
		c.edges = append(c.edges, s.From, s.Until%dayMinutes)
	}
	slices.Sort(c.edges)
	c.edges = slices.Compact(c.edges)
	if slices.ContainsFunc(hours, func(s Slot) bool { return s.Days[holiday] }) {
		for _, text := range holidays {
			if day, err := ParseDay(text); err == nil {
				c.holidays[day] = true
			}
		}
	}
	return c, nil
}

// At tells whether an instant lies in the hours: whether the clock shows a time inside of them then.
func (c *Calendar) At(at measure.Instant) bool {
	day, minute := Shown(at, c.zone)
	today, yesterday := c.kind(day), c.kind(day-1)
	for i := range c.hours {
		s := &c.hours[i]
		switch {
		case s.From == s.Until:
		case s.From < s.Until && s.Days[today] && s.From <= minute && minute < s.Until:
			return true
		case s.From > s.Until && (s.Days[today] && minute >= s.From || s.Days[yesterday] && minute < s.Until):
			return true
		}
	}
	return false
}

// kind is the place of a day among the days of a Slot.
func (c *Calendar) kind(day Day) int {
	if c.holidays[day] {
		return holiday
	}
	return int(day.Weekday())
}

// farthestEdge is how far ahead a change is looked for.
const farthestEdge = 400 * daySeconds * 1000

// Next gives the first instant after at at which the hours begin or end; 0: there is none within a year.
func (c *Calendar) Next(at measure.Instant) measure.Instant {
	now := c.At(at)
	for next := c.nextEdge(at); next < at+farthestEdge; next = c.nextEdge(next) {
		if c.At(next) != now {
			return next
		}
	}
	return 0
}

// nextEdge is the first instant after at at which the clock shows an edge of a stretch, or is set.
func (c *Calendar) nextEdge(at measure.Instant) measure.Instant {
	ahead, set := running(at, c.zone)
	day, minute := Shown(at, c.zone)
	i, found := slices.BinarySearch(c.edges, minute)
	if found {
		i++
	}
	if i == len(c.edges) {
		day, i = day+1, 0
	}
	return min(set, measure.Instant(int64(day)*daySeconds+int64(c.edges[i])*60)*1000-ahead)
}
