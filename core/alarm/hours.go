package alarm

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"jauntylark/core/measure"
)

// Hours says at which hours of the week something is so, by stretches of local time.
type Hours []Stretch

// Stretch is a part of each of some days: from From to Until, minutes after midnight. Where Until is not after From, it
// ends on the next day.
type Stretch struct {
	Days        [8]bool // Sunday to Saturday, and holidays
	From, Until int
}

// holiday is the place of holidays among the days of a Stretch.
const holiday = 7

var dayNames = [...]string{"sun", "mon", "tue", "wed", "thu", "fri", "sat", "holidays"}

const hoursForm = "write days and times, like 'mon-fri 18:00-07:00, sat-sun, holidays'"

// ParseHours reads hours: stretches with commas between them, each of days (mon, mon-fri, daily, holidays), a time, or
// both. On a holiday the stretches of holidays count instead of the weekday's, if there are any; 'holidays never' leaves
// holidays out.
func ParseHours(text string) (Hours, error) {
	var hours Hours
	for part := range strings.SplitSeq(strings.ToLower(text), ",") {
		s, err := parseStretch(strings.Fields(part))
		if err != nil {
			return nil, fmt.Errorf("%q: %w; %s", strings.TrimSpace(part), err, hoursForm)
		}
		hours = append(hours, s)
	}
	return hours, nil
}

func parseStretch(words []string) (s Stretch, err error) {
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

func (s *Stretch) addDays(word string) error {
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
	if from, err = parseClock(first); err == nil {
		until, err = parseClock(last)
	}
	if err == nil && (from == until || from == 24*60) {
		err = fmt.Errorf("%q is no stretch of time", word)
	}
	return from, until, err
}

func parseClock(text string) (minutes int, err error) {
	if text == "24:00" {
		return 24 * 60, nil
	}
	t, err := time.Parse("15:04", text)
	if err != nil {
		return 0, fmt.Errorf("%q is no time of day", text)
	}
	return t.Hour()*60 + t.Minute(), nil
}

// Calendar is hours in a zone, with its holidays.
type Calendar struct {
	Hours    Hours
	Zone     *time.Location
	Holidays map[string]bool // by date, 2006-01-02
}

// NewCalendar reads hours; nil when text is empty, which means always.
func NewCalendar(text string, zone *time.Location, holidays []string) (*Calendar, error) {
	if text == "" {
		return nil, nil
	}
	hours, err := ParseHours(text)
	if err != nil {
		return nil, err
	}
	c := &Calendar{Hours: hours, Zone: zone, Holidays: map[string]bool{}}
	for _, day := range holidays {
		c.Holidays[day] = true
	}
	return c, nil
}

// At tells whether an instant lies in the hours.
func (c *Calendar) At(at measure.Instant) bool {
	local := at.Time().In(c.Zone)
	for back := range 2 { // a stretch of yesterday may go on past midnight
		for _, s := range c.stretches(local.AddDate(0, 0, -back)) {
			if s.from <= at && at < s.until {
				return true
			}
		}
	}
	return false
}

type span struct{ from, until measure.Instant }

// stretches gives those that begin on the local day.
func (c *Calendar) stretches(local time.Time) (all []span) {
	year, month, day := local.Date()
	kind := int(local.Weekday())
	if c.Holidays[local.Format(time.DateOnly)] && slices.ContainsFunc(c.Hours, func(s Stretch) bool { return s.Days[holiday] }) {
		kind = holiday
	}
	at := func(day, minutes int) measure.Instant {
		return measure.InstantOf(time.Date(year, month, day, minutes/60, minutes%60, 0, 0, c.Zone))
	}
	for _, s := range c.Hours {
		if !s.Days[kind] || s.From == s.Until || s.From == 0 && s.Until == 0 {
			continue
		}
		until := at(day, s.Until)
		if s.Until <= s.From {
			until = at(day+1, s.Until)
		}
		all = append(all, span{at(day, s.From), until})
	}
	return all
}

// farthestEdge is how many days ahead a change is looked for.
const farthestEdge = 400

// Next gives the first instant after at at which the hours begin or end; 0: there is none within a year.
func (c *Calendar) Next(at measure.Instant) measure.Instant {
	now := c.At(at)
	local := at.Time().In(c.Zone)
	for ahead := -1; ahead < farthestEdge; ahead++ {
		var edges []measure.Instant
		for back := range 2 {
			for _, s := range c.stretches(local.AddDate(0, 0, ahead-back)) {
				edges = append(edges, s.from, s.until)
			}
		}
		slices.Sort(edges)
		for _, edge := range edges {
			if edge > at && c.At(edge) != now {
				return edge
			}
		}
	}
	return 0
}
