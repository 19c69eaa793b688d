package calibrate

import (
	"strings"
	"testing"
	"time"

	"jauntylark/core/measure"
)

func TestAVerificationPassesUpToItsTolerance(t *testing.T) {
	for _, c := range []struct {
		shown, reference float64
		tolerance        string
		passed           bool
	}{
		{13.2, 13, "0.2", true}, {13.3, 13.1, "0.2", true}, // just the tolerance; 13.3-13.1 is a little more, in binary
		{13.21, 13, "0.2", false}, {12.8, 13, "0.2", true}, {12.79, 13, "0.2", false},
		{102, 100, "2%", true}, {102.01, 100, "2%", false}, {-102, -100, "2 %", true}, {0.1, 0, "2%", false},
		{0, 0, "0", true}, {0.01, 0, "0", false},
	} {
		tolerance, err := ParseTolerance(c.tolerance)
		if err != nil {
			t.Fatal(err)
		}
		v := Verify(c.shown, c.reference, tolerance.Of(c.reference))
		if v.Passed != c.passed || v.Error != c.shown-c.reference {
			t.Errorf("%v for %v within %s: %+v", c.shown, c.reference, c.tolerance, v)
		}
	}
	for _, text := range []string{"", "%", "-1", "-2%", "a little", "NaN", "Inf", "1e999"} {
		if _, err := ParseTolerance(text); err == nil || !strings.Contains(err.Error(), "2%") {
			t.Errorf("%q is a tolerance: %v", text, err)
		}
	}
}

func TestLengthsByTheCalendar(t *testing.T) {
	for text, want := range map[string]string{"6 months": "6 months", "1 month": "1 month", "12 months": "1 year",
		"2y": "2 years", "90d": "90 days", "1 day": "1 day", "2 Weeks": "14 days",
		"18 months": "18 months", "": "", "never": "", " Never ": ""} {
		got, err := ParseEvery(text)
		if err != nil || got.String() != want {
			t.Errorf("%q reads as %q, want %q (%v)", text, got, want, err)
		}
		var again Every
		if said, err := got.MarshalText(); err != nil || again.UnmarshalText(said) != nil || again != got {
			t.Errorf("%q is told and read as %v (%v)", text, again, err)
		}
	}
	for _, text := range []string{"6 moons", "0 days", "-1 day", "month", "1.5 years", "99999 days"} {
		if got, err := ParseEvery(text); err == nil {
			t.Errorf("%q reads as %v", text, got)
		}
	}
}

// What was done is due again on the day of that number, or the month's last, at the same time of the clock.
func TestDueByTheCalendar(t *testing.T) {
	dublin, err := time.LoadLocation("Europe/Dublin")
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct{ last, every, due string }{
		{"2026-01-31T12:00:30Z", "1 month", "2026-02-28T12:00:30Z"},
		{"2024-02-29T12:00:00Z", "1 year", "2025-02-28T12:00:00Z"},
		{"2026-08-31T11:00:00Z", "6 months", "2027-02-28T12:00:00Z"}, // noon in summer, noon in winter
		{"2026-03-28T10:00:00Z", "1 day", "2026-03-29T09:00:00Z"},    // the night the clocks go forward
		{"2026-02-28T01:30:00Z", "29 days", "2026-03-29T01:00:00Z"},  // 01:30 is not there: the jump
		{"2026-10-24T12:00:00Z", "2 weeks", "2026-11-07T13:00:00Z"},
	} {
		every, err := ParseEvery(c.every)
		if err != nil {
			t.Fatal(err)
		}
		var last, due measure.Instant
		if last.UnmarshalText([]byte(c.last)) != nil || due.UnmarshalText([]byte(c.due)) != nil {
			t.Fatal(c)
		}
		if got := every.After(last, dublin); got != due {
			t.Errorf("%s after %s is %v, want %s", c.every, c.last, got, c.due)
		}
	}
}

func TestCurvesInWords(t *testing.T) {
	for _, c := range []struct {
		curve Curve
		words string
	}{{Curve{Gain: 1, Offset: -0.3}, "-0.3"}, {Curve{Gain: 1}, "+0"}, {Curve{Gain: 1.03199, Offset: -1.23839},
		"× 1.03199 -1.23839"},
		{Curve{Points: []Pair{{Shown: 1, Reference: 2}, {Shown: 3, Reference: 5}}},
			"a line with corners through 2 points"}} {
		if got := c.curve.String(); got != c.words {
			t.Errorf("%+v: %q, want %q", c.curve, got, c.words)
		}
	}
}
