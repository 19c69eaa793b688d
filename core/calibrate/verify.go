package calibrate

import (
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/wall"
)

// Verification is a check of what an instrument shows against a reference, kept whatever it says.
type Verification struct {
	ID        int64           `json:"id" db:"id"`
	At        measure.Instant `json:"at" db:"at" format:"date-time"`
	Shown     float64         `json:"shown" db:"shown" doc:"what the instrument showed, corrected as it was then"`
	Reference float64         `json:"reference" db:"reference"`
	Tolerance float64         `json:"tolerance" db:"tolerance" doc:"the largest error that passes, in the signal's unit"`
	Error     float64         `json:"error" db:"error" doc:"shown less reference"`
	Passed    bool            `json:"passed" db:"passed"`
	Unit      measure.Unit    `json:"unit" db:"unit"`
	Note      string          `json:"note" db:"note"`
	Who       string          `json:"who" db:"who"`
}

// Verify compares what is shown with a reference. An error of just the tolerance passes; rounding of the last
// digit does not count.
func Verify(shown, reference, tolerance float64) Verification {
	off := shown - reference
	slack := 1e-9 * math.Max(math.Abs(shown), math.Abs(reference))
	return Verification{Shown: shown, Reference: reference, Tolerance: tolerance, Error: off,
		Passed: math.Abs(off) <= tolerance+slack}
}

// Tolerance is a largest error: absolute, or a share of the reference.
type Tolerance struct {
	Amount  float64
	Percent bool
}

// ParseTolerance reads "0.5" or "2%".
func ParseTolerance(text string) (t Tolerance, err error) {
	number, percent := strings.CutSuffix(strings.TrimSpace(text), "%")
	t.Percent = percent
	if t.Amount, err = strconv.ParseFloat(strings.TrimSpace(number), 64); err != nil || !(t.Amount >= 0) ||
		math.IsInf(t.Amount, 0) {
		return t, fmt.Errorf("%q is no tolerance; write 0.5 in the signal's unit, or 2%% of the reference", text)
	}
	return t, nil
}

// Of gives the tolerance for a reference.
func (t Tolerance) Of(reference float64) float64 {
	if t.Percent {
		return math.Abs(reference) * t.Amount / 100
	}
	return t.Amount
}

// Every is a length of time by the calendar: "6 months", "90 days", "2 weeks", "1 year". The zero Every is
// never.
type Every struct{ Months, Days int }

var everyText = regexp.MustCompile(`^(\d{1,4}) ?(days?|d|weeks?|w|months?|years?|y)$`)

// ParseEvery reads what people write; empty is never.
func ParseEvery(text string) (Every, error) {
	text = strings.ToLower(strings.TrimSpace(text))
	if text == "" || text == "never" {
		return Every{}, nil
	}
	m := everyText.FindStringSubmatch(text)
	if m == nil {
		return Every{}, fmt.Errorf(
			"%q is no length by the calendar; write it like 6 months, 90 days, 2 weeks or 1 year", text)
	}
	n, _ := strconv.Atoi(m[1])
	if n == 0 {
		return Every{}, fmt.Errorf("%q is no length of time", text)
	}
	switch m[2][0] {
	case 'w':
		return Every{Days: 7 * n}, nil
	case 'm':
		return Every{Months: n}, nil
	case 'y':
		return Every{Months: 12 * n}, nil
	}
	return Every{Days: n}, nil
}

// String writes it as people do.
func (e Every) String() string {
	unit := func(n int, name string) string {
		return prose.Count(n, name, name+"s")
	}
	switch {
	case e.Months > 0 && e.Months%12 == 0:
		return unit(e.Months/12, "year")
	case e.Months > 0:
		return unit(e.Months, "month")
	case e.Days > 0:
		return unit(e.Days, "day")
	}
	return ""
}

// After gives when it is due that was last done at an instant; a day that a month has not is its last.
func (e Every) After(last measure.Instant, zone *time.Location) measure.Instant {
	day, minutes := wall.Shown(last, zone)
	due := (day.AddMonths(e.Months) + wall.Day(e.Days)).At(minutes, zone)
	if _, shown := wall.Shown(due, zone); shown == minutes { // and not the jump
		due += last % 60_000
	}
	return due
}

// MarshalText writes it as String does.
func (e Every) MarshalText() ([]byte, error) { return []byte(e.String()), nil }

// UnmarshalText reads it as ParseEvery does.
func (e *Every) UnmarshalText(text []byte) (err error) {
	*e, err = ParseEvery(string(text))
	return err
}
