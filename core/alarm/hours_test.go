package alarm

import (
	"strings"
	"testing"
	"time"

	"jauntylark/core/measure"
)

func calendar(t *testing.T, text, zone string, holidays ...string) *Calendar {
	t.Helper()
	place, err := time.LoadLocation(zone)
	if err != nil {
		t.Fatal(err)
	}
	c, err := NewCalendar(text, place, holidays)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func local(t *testing.T, c *Calendar, text string) measure.Instant {
	t.Helper()
	at, err := time.ParseInLocation("2006-01-02 15:04", text, c.Zone)
	if err != nil {
		t.Fatal(err)
	}
	return measure.InstantOf(at)
}

func TestArmedHours(t *testing.T) {
	for _, c := range []struct {
		text     string
		holidays []string
		at       string
		armed    bool
		next     string
	}{
		{"mon-fri 18:00-07:00, sat-sun", nil, "2026-11-25 17:59", false, "2026-11-25 18:00"},
		{"mon-fri 18:00-07:00, sat-sun", nil, "2026-11-25 18:00", true, "2026-11-26 07:00"},
		{"mon-fri 18:00-07:00, sat-sun", nil, "2026-11-28 06:59", true, "2026-11-30 00:00"}, // Friday's night runs into Saturday; Monday's begins at six
		{"sat-sun", nil, "2026-11-27 12:00", false, "2026-11-28 00:00"},
		{"08:00-18:00", nil, "2026-11-25 19:00", false, "2026-11-26 08:00"},
		{"mon-fri 08:00-18:00, holidays never", []string{"2026-12-25"}, "2026-12-24 18:30", false, "2026-12-28 08:00"},
		{"mon-fri 08:00-18:00", []string{"2026-12-25"}, "2026-12-25 09:00", true, "2026-12-25 18:00"}, // nothing is said of holidays
		{"mon-fri 18:00-07:00, holidays", []string{"2026-12-25"}, "2026-12-25 12:00", true, "2026-12-26 00:00"},
		{"fri-mon 10:00-11:00", nil, "2026-11-25 10:30", false, "2026-11-27 10:00"},
		{"daily", nil, "2026-11-25 10:30", true, ""},
		{"holidays", nil, "2026-11-25 10:30", false, ""},
	} {
		cal := calendar(t, c.text, "Europe/Dublin", c.holidays...)
		at := local(t, cal, c.at)
		if got := cal.At(at); got != c.armed {
			t.Errorf("%s at %s: armed %v", c.text, c.at, got)
		}
		want := measure.Instant(0)
		if c.next != "" {
			want = local(t, cal, c.next)
		}
		if got := cal.Next(at); got != want {
			t.Errorf("%s after %s: next change %v, want %v", c.text, c.at, got.Time().In(cal.Zone), c.next)
		}
	}
}

// When clocks change the hours are still those of the clock on the wall, and each change is found.
func TestHoursFollowTheWallClock(t *testing.T) {
	for _, zone := range []string{"Europe/Dublin", "America/New_York", "Australia/Lord_Howe", "UTC"} {
		c := calendar(t, "mon-sat 22:00-06:00, sun 01:30-02:30", zone)
		at := measure.InstantOf(time.Date(2026, 3, 1, 0, 0, 0, 0, time.UTC))
		until := measure.InstantOf(time.Date(2026, 12, 1, 0, 0, 0, 0, time.UTC))
		changes := 0
		for at < until {
			next := c.Next(at)
			if next <= at || c.At(next) == c.At(next-1) || c.At(next-1) != c.At(at) {
				t.Fatalf("%s: from %v the next change is %v", zone, at, next)
			}
			at = next
			changes++
		}
		if changes < 400 {
			t.Errorf("%s: %d changes", zone, changes)
		}
	}
}

func TestHoursAreRead(t *testing.T) {
	for text, says := range map[string]string{"": "nothing between", "mon-": "is no day", "someday": `"someday" is no day`, "mon 25:00-26:00": "no time of day", "mon 08:00": "has no end",
		"mon 08:00-08:00": "no stretch", "08:00-09:00 mon": "comes after the time", "mon,,tue": "nothing between"} {
		if _, err := ParseHours(text); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v, want %q", text, err, says)
		}
	}
}

func TestTestsOfWordsMarksAndSilence(t *testing.T) {
	for text, want := range map[string]string{`is open`: `is "open"`, `is not "half shut"`: `is not "half shut"`, "is on": "is on", `is "on"`: `is "on"`, "silent for 10m": "silent for 10m", "Stuck": "stuck", "faulty": "faulty"} {
		got, err := ParseTest(text)
		if err != nil || got.String() != want {
			t.Errorf("%q reads as %q, %v", text, got, err)
		}
		if again, err := ParseTest(got.String()); err != nil || again != got {
			t.Errorf("%q again: %+v %v", got, again, err)
		}
	}
	for text, says := range map[string]string{"silent for ages": "length of time", "silent for 100ms": "length of time", "is": "not a test", "stuck 3": "too much"} {
		if _, err := ParseTest(text); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v", text, err)
		}
	}
}

func TestRungsAreChecked(t *testing.T) {
	r := func(text string, s Severity) Rung {
		test, err := ParseTest(text)
		if err != nil {
			t.Fatal(err)
		}
		return Rung{When: test, Severity: s}
	}
	good := Guard{Rung: r("above 40", Critical), Rungs: Rungs{r("below 5", Critical), r("above 30", Warning), r("below 10", Warning)}}
	if err := good.Check(); err != nil {
		t.Fatal(err)
	}
	levels := []string{}
	for i := range good.Count() {
		levels = append(levels, good.Level(good.At(i)))
	}
	if got := strings.Join(levels, " "); got != "high high-high low low-low" || good.Severest() != Critical {
		t.Errorf("levels %s", got)
	}
	for says, rungs := range map[string]Rungs{
		"less severe": {r("above 30", Warning), r("above 40", Advisory)}, "one limit": {r("above 30", Warning), r("at least 30", Critical)}, "can be so at once": {r("above 30", Warning), r("below 30", Warning)},
		"three on one side": {r("above 1", Warning), r("above 2", Warning), r("above 3", Warning)}, "stands alone": {r("above 30", Warning), r("outside 3..9", Warning)},
		"two on each side": {r("above 1", Warning), r("above 2", Warning), r("below 0", Warning), r("below -1", Warning), r("below -2", Warning)},
	} {
		g := Guard{Rung: rungs[0], Rungs: rungs[1:]}
		if err := g.Check(); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%v: %v, want %q", rungs, err, says)
		}
	}
}

// A guard looks at readings by their marks as well as by their values.
func TestWhatAGuardSees(t *testing.T) {
	guard := func(text string) *Guard {
		test, err := ParseTest(text)
		if err != nil {
			t.Fatal(err)
		}
		return &Guard{Rung: Rung{When: test}}
	}
	for _, c := range []struct {
		test    string
		quality measure.Quality
		beyond  Beyond
		counted float64
		looks   bool
	}{
		{"above 30", 0, Within, 7, true}, {"above 30", measure.Stuck, Within, 0, false}, {"above 30", measure.Late | measure.Clock, Within, 7, true},
		{"above 3", measure.Implausible, BeyondHigh, 7, true}, {"above 3", measure.Implausible, BeyondLow, 0, false}, {"below 9", measure.Implausible, BeyondLow, 7, true},
		{"above 3", measure.Implausible | measure.Warming, BeyondHigh, 0, false}, {"stuck", measure.Stuck, Within, 1, true}, {"stuck", 0, Within, 0, true},
		{"faulty", measure.Implausible, Within, 1, true}, {"faulty", measure.Warming | measure.Implausible, Within, 0, false}, {"silent for 10m", measure.Implausible, Within, 7, true},
		{"above 3", measure.Drill, Within, 0, false}, {"silent for 10m", measure.Drill, Within, 0, false},
	} {
		counted, looks := guard(c.test).Sees(7, c.quality, c.beyond)
		if looks != c.looks || looks && counted != c.counted {
			t.Errorf("%s, %v, beyond %d: %v %v", c.test, c.quality, c.beyond, counted, looks)
		}
	}
}
