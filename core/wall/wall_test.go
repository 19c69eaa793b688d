package wall

import (
	"archive/zip"
	"fmt"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"jauntylark/core/measure"
)

// change is one setting of the clocks of a zone.
type change struct {
	zone          *time.Location
	at            measure.Instant
	before, after int // seconds ahead of UTC
}

// changes finds every setting of the clock in every zone that Go knows from 2000 to 2037, each way of setting it (by
// how much, from what, at what time of which day of the week) once.
func changes(t *testing.T) (all []change) {
	t.Helper()
	root, err := exec.Command("go", "env", "GOROOT").Output()
	if err != nil {
		t.Fatal(err)
	}
	names, err := zip.OpenReader(filepath.Join(strings.TrimSpace(string(root)), "lib", "time", "zoneinfo.zip"))
	if err != nil {
		t.Fatal(err)
	}
	defer names.Close()
	type way struct {
		before, after, clock int
		day                  time.Weekday
	}
	seen := map[way]bool{}
	offset := func(at time.Time) int { _, o := at.Zone(); return o }
	zones := 0
	for _, f := range names.File {
		zone, err := time.LoadLocation(f.Name)
		if err != nil || strings.HasSuffix(f.Name, "/") {
			continue
		}
		zones++
		until := time.Date(2038, 1, 1, 0, 0, 0, 0, time.UTC)
		for at := time.Date(2000, 1, 1, 0, 0, 0, 0, zone); at.Before(until); at = at.Add(12 * time.Hour) {
			next := at.Add(12 * time.Hour)
			if offset(at) == offset(next) {
				continue
			}
			for at.Add(time.Minute).Before(next) && offset(at.Add(time.Minute)) == offset(at) {
				at = at.Add(time.Minute)
			}
			set := at.Truncate(time.Minute).Add(time.Minute)
			w := way{offset(at), offset(set), at.Hour()*60 + at.Minute(), at.Weekday()}
			if !seen[w] {
				seen[w] = true
				all = append(all, change{zone, measure.InstantOf(set), w.before, w.after})
			}
		}
	}
	if zones < 400 || len(all) < 200 {
		t.Fatalf("%d zones and %d ways of setting clocks are too few to speak of all", zones, len(all))
	}
	return all
}

// reading is what the clock shows in one minute, read from the clock itself.
type reading struct {
	at      measure.Instant
	date    string
	weekday int
	minute  int
}

func (c *change) readings(around time.Duration) (all []reading) {
	for at := c.at.Add(-around); at < c.at.Add(around); at += 60_000 {
		shown := at.Time().In(c.zone)
		all = append(all, reading{at, shown.Format(time.DateOnly), int(shown.Weekday()), shown.Hour()*60 +
			shown.Minute()})
	}
	return all
}

// The hours hold if and only if the clock shows a time inside of them, and Next misses no edge: against a reading of
// the clock minute by minute, over every way in which a clock was or will be set.
func TestHoursHoldWhileTheClockShowsThem(t *testing.T) {
	for _, c := range changes(t) {
		minutes := c.readings(28 * time.Hour)
		at := len(minutes) / 2
		last, first := minutes[at-1].minute+1, minutes[at].minute // around the jump
		day := dayNames[minutes[at-1].weekday]
		for _, edges := range [][2]int{{last - 30, last + 30}, {first - 30, first + 30}, {last, first + 60},
			{first + 15, last + 75}, {last + 90, last - 20}, {0, 30}} {
			from, until := (edges[0]+2*dayMinutes)%dayMinutes, (edges[1]+2*dayMinutes)%dayMinutes
			if from == until {
				continue
			}
			for _, days := range []string{"daily", day} {
				text := fmt.Sprintf("%s %02d:%02d-%02d:%02d", days, from/60, from%60, until/60, until%60)
				checkHours(t, &c, text, minutes, func(r reading) bool {
					on := func(weekday int) bool { return days == "daily" || dayNames[weekday] == day }
					if from < until {
						return on(r.weekday) && from <= r.minute && r.minute < until
					}
					return on(r.weekday) && r.minute >= from || on((r.weekday+6)%7) && r.minute < until
				})
			}
		}
	}
}

func checkHours(t *testing.T, c *change, text string, minutes []reading, inside func(reading) bool) {
	t.Helper()
	calendar, err := NewCalendar(text, c.zone, nil)
	if err != nil {
		t.Fatal(err)
	}
	next := measure.Instant(0)
	for i, r := range minutes {
		want := inside(r)
		if got := calendar.At(r.at); got != want {
			t.Fatalf("%s in %v at %v (%s %02d:%02d): %v", text, c.zone, r.at, r.date, r.minute/60, r.minute%60, got)
		}
		if i > 0 && want != inside(minutes[i-1]) && next != r.at {
			t.Fatalf("%s in %v: the next edge is said to be %v, and is %v", text, c.zone, next, r.at)
		}
		if i == 0 || next == r.at {
			next = calendar.Next(r.at)
		}
		if next <= r.at {
			t.Fatalf("%s in %v: the edge after %v is %v", text, c.zone, r.at, next)
		}
	}
}

// Days begin at the first instant that carries their date, and instants of a day are the first at which the clock shows
// them, or the jump: against a reading of the clock minute by minute.
func TestDaysAndInstantsOfThem(t *testing.T) {
	for _, c := range changes(t) {
		minutes := c.readings(50 * time.Hour)
		begins := map[string]measure.Instant{} // the first time that a date was seen
		newest := minutes[0].date
		type shown struct {
			date   string
			minute int
		}
		shows := map[shown]measure.Instant{}
		for _, r := range minutes {
			if begins[r.date] == 0 {
				begins[r.date] = r.at
			}
			if s := (shown{r.date, r.minute}); shows[s] == 0 {
				shows[s] = r.at
			}
			newest = max(newest, r.date)
			if got := On(r.at, c.zone); got.String() != newest {
				t.Fatalf("%v lies in %v in %v, and the newest date seen is %s", r.at, got, c.zone, newest)
			}
		}
		jumped := On(c.at, c.zone)
		for _, day := range []Day{jumped - 1, jumped, jumped + 1} {
			if want, seen := begins[day.String()]; seen && day.Begin(c.zone) != want {
				t.Fatalf("%v begins at %v in %v, want %v", day, day.Begin(c.zone), c.zone, want)
			}
			for minute := 0; minute < dayMinutes; minute += 5 {
				want, seen := shows[shown{day.String(), minute}]
				if !seen && c.after > c.before { // skipped, or not within what was read
					if begins[day.String()] > 0 && day == jumped &&
						minute >= minutes[len(minutes)/2].minute-(c.after-c.before)/60 &&
						minute < minutes[len(minutes)/2].minute {
						want, seen = c.at, true
					}
				}
				if got := day.At(minute, c.zone); seen && got != want {
					t.Fatalf("%02d:%02d on %v is at %v in %v, want %v", minute/60, minute%60, day, got, c.zone, want)
				}
			}
		}
	}
}

// The nights that were seen to go wrong.
func TestNightsOnWhichClocksChange(t *testing.T) {
	zone := func(name string) *time.Location {
		z, err := time.LoadLocation(name)
		if err != nil {
			t.Fatal(err)
		}
		return z
	}
	for _, c := range []struct{ zone, hours, from, holds string }{ // holds: stretches in UTC
		{"America/New_York", "sun 02:00-03:00", "2026-03-08T00:00Z", ""},
		{"America/New_York", "sun 01:00-02:30", "2026-03-08T00:00Z", "06:00-07:00"},
		{"America/New_York", "sun 01:00-02:00", "2026-11-01T00:00Z", "05:00-07:00"},
		{"Europe/Dublin", "00:30-01:30", "2026-03-29T00:00Z", "00:30-01:00 23:30-00:30"},
		{"Europe/Dublin", "sun 01:00-02:00", "2025-10-26T00:00Z", "00:00-02:00"},
		{"America/Santiago", "sun 00:00-01:00", "2026-09-06T00:00Z", ""},
	} {
		calendar, err := NewCalendar(c.hours, zone(c.zone), nil)
		if err != nil {
			t.Fatal(err)
		}
		begin, _ := time.Parse("2006-01-02T15:04Z", c.from)
		var got []string
		at, since := measure.InstantOf(begin), ""
		if calendar.At(at) {
			since = "00:00"
		}
		for at = calendar.Next(at); at != 0 && at < measure.InstantOf(begin)+25*3600*1000; at = calendar.Next(at) {
			clock := at.Time().Format("15:04")
			if calendar.At(at) {
				since = clock
			} else {
				got = append(got, since+"-"+clock)
			}
		}
		if strings.Join(got, " ") != c.holds {
			t.Errorf("%s in %s from %s: %v, want %s", c.hours, c.zone, c.from, got, c.holds)
		}
	}
	for _, c := range []struct{ zone, day, begins string }{
		{"America/Santiago", "2026-09-06", "2026-09-06T04:00:00.000Z"}, // 01:00 there; 23:00 of the day before was said
		{"America/Havana", "2026-11-01", "2026-11-01T04:00:00.000Z"},   // midnight comes twice
		{"Pacific/Apia", "2011-12-30", "2011-12-30T10:00:00.000Z"},     // the day that was left out
		{"Pacific/Apia", "2011-12-31", "2011-12-30T10:00:00.000Z"},
		{"America/St_Johns", "2010-11-07", "2010-11-07T02:30:00.000Z"}, // set back at 00:01 to 23:01 of the day before
	} {
		day, err := ParseDay(c.day)
		if err != nil {
			t.Fatal(err)
		}
		if got := day.Begin(zone(c.zone)); got.String() != c.begins {
			t.Errorf("%s begins at %v in %s, want %s", c.day, got, c.zone, c.begins)
		}
	}
	if day := On(measure.InstantOf(time.Date(2010, 11, 7, 2, 40, 0, 0, time.UTC)),
		zone("America/St_Johns")); day.String() != "2010-11-07" {
		t.Errorf("the clock shows 23:10 of the day before again; the day is %v", day)
	}
	dublin := zone("Europe/Dublin")
	for text, want := range map[string]string{"2026-03-29 01:15": "2026-03-29T01:00:00.000Z",
		"2026-10-25 01:15": "2026-10-25T00:15:00.000Z", "2026-07-01 12:00": "2026-07-01T11:00:00.000Z"} {
		if at, err := Read("2006-01-02 15:04", text, dublin); err != nil || at.String() != want {
			t.Errorf("%s is %v %v, want %s", text, at, err, want)
		}
	}
}

// The time package's bounds of a zone are wrong on the last day of leap years after 2037.
func TestTheLastDayOfFarLeapYears(t *testing.T) {
	dublin, err := time.LoadLocation("Europe/Dublin")
	if err != nil {
		t.Fatal(err)
	}
	last := DayOf(2040, 12, 31)
	calendar, err := NewCalendar("daily 22:00-06:00", dublin, nil)
	if err != nil {
		t.Fatal(err)
	}
	if got := calendar.Next(last.At(12*60, dublin)); got.String() != "2040-12-31T22:00:00.000Z" {
		t.Errorf("the next edge is %v", got)
	}
	if got := NextMidnight(last.At(12*60, dublin), dublin); got.String() != "2041-01-01T00:00:00.000Z" {
		t.Errorf("the year ends at %v", got)
	}
}

func TestDaysAreCounted(t *testing.T) {
	day, err := ParseDay("2026-01-31")
	if err != nil || day.Weekday() != time.Saturday || day.String() != "2026-01-31" {
		t.Fatal(day, err)
	}
	for got, want := range map[Day]string{day.AddMonths(1): "2026-02-28", day.AddMonths(25): "2028-02-29",
		day.MonthBegin(0): "2026-01-01", day.MonthBegin(-2): "2025-11-01", day.Monday(): "2026-01-26",
		day.AddMonths(-2): "2025-11-30", DayOf(1969, 12, 31): "1969-12-31", DayOf(2026, 13, 1): "2027-01-01"} {
		if got.String() != want {
			t.Errorf("%v, want %s", got, want)
		}
	}
	if _, err := ParseDay("31 January"); err == nil {
		t.Error("31 January was read")
	}
	if !slices.IsSorted([]Day{day - 1, day, day + 1}) || (day-1).Begin(time.UTC)+
		daySeconds*1000 != day.Begin(time.UTC) {
		t.Error("days do not follow each other")
	}
}
