package alarm

import (
	"strings"
	"testing"

	"jauntylark/core/measure"
)

func TestTestsOfWordsMarksAndSilence(t *testing.T) {
	for text, want := range map[string]string{`is open`: `is "open"`, `is not "half shut"`: `is not "half shut"`,
		"is on": "is on", `is "on"`: `is "on"`, "silent for 10m": "silent for 10m", "Stuck": "stuck",
		"faulty": "faulty"} {
		got, err := ParseTest(text)
		if err != nil || got.String() != want {
			t.Errorf("%q reads as %q, %v", text, got, err)
		}
		if again, err := ParseTest(got.String()); err != nil || again != got {
			t.Errorf("%q again: %+v %v", got, again, err)
		}
	}
	for text, says := range map[string]string{"silent for ages": "length of time", "silent for 100ms": "length of time",
		"is": "not a test", "stuck 3": "too much"} {
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
	good := Guard{Rung: r("above 40", Critical), Rungs: Rungs{r("below 5", Critical), r("above 30", Warning),
		r("below 10", Warning)}}
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
		"less severe":       {r("above 30", Warning), r("above 40", Advisory)},
		"one limit":         {r("above 30", Warning), r("at least 30", Critical)},
		"can be so at once": {r("above 30", Warning), r("below 30", Warning)},
		"three on one side": {r("above 1", Warning), r("above 2", Warning), r("above 3", Warning)},
		"stands alone":      {r("above 30", Warning), r("outside 3..9", Warning)},
		"two on each side": {r("above 1", Warning), r("above 2", Warning), r("below 0", Warning),
			r("below -1", Warning), r("below -2", Warning)},
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
		{"above 30", 0, Within, 7, true}, {"above 30", measure.Stuck, Within, 0, false},
		{"above 30", measure.Late | measure.Clock, Within, 7, true},
		{"above 3", measure.Implausible, BeyondHigh, 7, true}, {"above 3", measure.Implausible, BeyondLow, 0, false},
		{"below 9", measure.Implausible, BeyondLow, 7, true},
		{"above 3", measure.Implausible | measure.Warming, BeyondHigh, 0, false},
		{"stuck", measure.Stuck, Within, 1, true}, {"stuck", 0, Within, 0, true},
		{"faulty", measure.Implausible, Within, 1, true}, {"faulty", measure.Warming | measure.Implausible, Within, 0,
			false}, {"silent for 10m", measure.Implausible, Within, 7, true},
		{"above 3", measure.Drill, Within, 0, false}, {"silent for 10m", measure.Drill, Within, 0, false},
	} {
		counted, looks := guard(c.test).Sees(7, c.quality, c.beyond)
		if looks != c.looks || looks && counted != c.counted {
			t.Errorf("%s, %v, beyond %d: %v %v", c.test, c.quality, c.beyond, counted, looks)
		}
	}
}
