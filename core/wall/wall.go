// Package wall turns what the clock on a site's wall shows into instants, and instants into days.
//
// It is the one place that does so: armed hours, tariffs, the days of totals and figures, rosters, quiet hours,
// schedules, statements and plans of runs all ask it. Three rules decide all that a change of the clock can ask
// (docs/semantics.md, "Time on the wall"):
//
//   - A stretch of the day holds at an instant if and only if the clock shows a time inside it then.
//   - An instant of the day that is skipped happens at the jump; one that comes twice happens the first time.
//   - A day begins at the first instant that carries its date, and lasts until the next one begins.
//
// What a zone did and will do is the time package's knowledge (the IANA database).
package wall

import (
	"math"
	"time"

	"jauntylark/core/measure"
)

// Day is a date, as the number of days since 1970-01-01.
type Day int

const (
	daySeconds = 24 * 60 * 60
	dayMinutes = 24 * 60
	// farthest is more than any clock was ever ahead of UTC, in milliseconds.
	farthest = 16 * 60 * 60 * 1000
)

// DayOf is the day of a date; months and days beyond their ends count on, as with time.Date.
func DayOf(year int, month time.Month, day int) Day {
	return Day(floorDiv(time.Date(year, month, day, 0, 0, 0, 0, time.UTC).Unix(), daySeconds))
}

// ParseDay reads a date like 2026-11-02.
func ParseDay(text string) (Day, error) {
	t, err := time.Parse(time.DateOnly, text)
	if err != nil {
		return 0, err
	}
	return Day(floorDiv(t.Unix(), daySeconds)), nil
}

// Date is the day as year, month and day of the month.
func (d Day) Date() (year int, month time.Month, day int) { return d.utc().Date() }

// Weekday is the day's day of the week.
func (d Day) Weekday() time.Weekday { return d.utc().Weekday() }

// String is the day like 2026-11-02.
func (d Day) String() string { return d.utc().Format(time.DateOnly) }

func (d Day) utc() time.Time { return time.Unix(int64(d)*daySeconds, 0).UTC() }

// Begin is the first instant that carries the day's date in a zone. A date that the zone leaves out begins and ends at
// the jump.
func (d Day) Begin(zone *time.Location) measure.Instant { return d.At(0, zone) }

// At is the instant at which the clock first shows so many minutes after the day's midnight, or, where it never does,
// the instant at which it jumps past them.
func (d Day) At(minutes int, zone *time.Location) measure.Instant {
	return first(measure.Instant(int64(d)*daySeconds+int64(minutes)*60)*1000, zone)
}

// Read is the instant at which the clock in a zone first shows the date and time of the day that are written in layout,
// as time.Parse has it, or jumps past them.
func Read(layout, text string, zone *time.Location) (measure.Instant, error) {
	t, err := time.Parse(layout, text)
	if err != nil {
		return 0, err
	}
	return first(measure.InstantOf(t), zone), nil
}

// first is the earliest instant at which the clock shows at least what a clock at UTC shows at shows.
func first(shows measure.Instant, zone *time.Location) measure.Instant {
	for from := shows - farthest; ; {
		ahead, set := running(from, zone)
		if at := max(from, shows-ahead); at < set {
			return at
		}
		from = set
	}
}

// running tells how far ahead of UTC a zone's clock is at an instant, and until when it runs on without being set.
func running(at measure.Instant, zone *time.Location) (ahead, set measure.Instant) {
	t := at.Time().In(zone)
	_, offset := t.Zone()
	_, end := t.ZoneBounds()
	switch set = measure.InstantOf(end); {
	case end.IsZero():
		set = math.MaxInt64
	case set <= at: // on 31 December of leap years after 2037 the time package names the day's own midnight
		set = at + daySeconds*1000
	}
	return measure.Instant(offset) * 1000, set
}

// On is the day that an instant lies in. It is the date that the clock shows, but where the clock is set back over
// midnight: then the day that has begun goes on.
func On(at measure.Instant, zone *time.Location) Day {
	day, _ := Shown(at, zone)
	for (day + 1).Begin(zone) <= at {
		day++
	}
	return day
}

// Shown is what the clock shows at an instant: the date, and the minutes since its midnight by the figures on the
// clock.
func Shown(at measure.Instant, zone *time.Location) (Day, int) {
	_, offset := at.Time().In(zone).Zone()
	shows := floorDiv(int64(at), 1000) + int64(offset)
	day := floorDiv(shows, daySeconds)
	return Day(day), int(shows-day*daySeconds) / 60
}

// Midnight is when the day that an instant lies in began.
func Midnight(at measure.Instant, zone *time.Location) measure.Instant {
	return On(at, zone).Begin(zone)
}

// NextMidnight is when the day after the one that an instant lies in begins; it comes after the instant.
func NextMidnight(at measure.Instant, zone *time.Location) measure.Instant {
	return (On(at, zone) + 1).Begin(zone)
}

// MonthBegin is the first day of the month of a day, months later.
func (d Day) MonthBegin(months int) Day {
	year, month, _ := d.Date()
	return DayOf(year, month+time.Month(months), 1)
}

// AddMonths is the same day so many months later; a day that the month has not is its last.
func (d Day) AddMonths(months int) Day {
	year, month, day := d.Date()
	last := DayOf(year, month+time.Month(months)+1, 0)
	return min(DayOf(year, month+time.Month(months), day), last)
}

// Monday is the first day of the week that a day lies in.
func (d Day) Monday() Day { return d - Day((d.Weekday()+6)%7) }

func floorDiv(a, b int64) int64 {
	q := a / b
	if a%b < 0 {
		q--
	}
	return q
}
