package wall

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
	at, err := time.ParseInLocation("2006-01-02 15:04", text, c.zone)
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
		// Friday's night runs into Saturday; Monday's begins at six
		{"mon-fri 18:00-07:00, sat-sun", nil, "2026-11-28 06:59", true, "2026-11-30 00:00"},
		{"sat-sun", nil, "2026-11-27 12:00", false, "2026-11-28 00:00"},
		{"08:00-18:00", nil, "2026-11-25 19:00", false, "2026-11-26 08:00"},
		{"mon-fri 08:00-18:00, holidays never", []string{"2026-12-25"}, "2026-12-24 18:30", false, "2026-12-28 08:00"},
		// nothing is said of holidays
		{"mon-fri 08:00-18:00", []string{"2026-12-25"}, "2026-12-25 09:00", true, "2026-12-25 18:00"},
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
			t.Errorf("%s after %s: next change %v, want %v", c.text, c.at, got.Time().In(cal.zone), c.next)
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
	for text, says := range map[string]string{"": "nothing between", "mon-": "is no day",
		"someday": `"someday" is no day`, "mon 25:00-26:00": "no time of day", "mon 08:00": "has no end",
		"mon 08:00-08:00": "no stretch", "08:00-09:00 mon": "comes after the time", "mon,,tue": "nothing between"} {
		if _, err := ParseHours(text); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v, want %q", text, err, says)
		}
	}
}
