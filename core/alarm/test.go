package alarm

import (
	"fmt"
	"math"
	"strconv"
	"strings"

	"jauntylark/core/measure"
)

// Kind is the sort of question that a Test asks of a value.
type Kind uint8

// The kinds. Outside and Inside take two limits, A below B; IsOn and IsOff take none.
const (
	Above   Kind = iota + 1 // value > A
	AtLeast                 // value >= A
	Below                   // value < A
	AtMost                  // value <= A
	Outside                 // value < A or value > B
	Inside                  // A <= value <= B
	IsOn                    // value is not 0
	IsOff                   // value is 0
)

var kindWords = [...]string{Above: "above", AtLeast: "at least", Below: "below", AtMost: "at most", Outside: "outside", Inside: "inside", IsOn: "is on", IsOff: "is off"}

// forms is what an error says when a test cannot be read.
const forms = "write 'above 30', 'at least 30', 'below 3', 'at most 3', 'outside 3..9', 'inside 3..9', 'is on' or 'is off'"

// Test is the question that a guard asks of each value. Its text form is what people write:
// "above 30", "outside 3..9", "is on".
type Test struct {
	Kind Kind
	A, B float64
}

// ParseTest reads the text form of a test.
func ParseTest(text string) (Test, error) {
	clean := strings.ToLower(strings.Join(strings.Fields(text), " "))
	for k := Above; k <= IsOff; k++ {
		rest, found := strings.CutPrefix(clean, kindWords[k])
		if !found {
			continue
		}
		return parseLimits(k, rest, text)
	}
	return Test{}, fmt.Errorf("%q is not a test; %s", text, forms)
}

func parseLimits(k Kind, rest, text string) (Test, error) {
	t := Test{Kind: k}
	var err error
	switch {
	case k.switched():
		if rest != "" {
			return Test{}, fmt.Errorf("%q has %q too much; %s", text, strings.TrimSpace(rest), forms)
		}
		return t, nil
	case !strings.HasPrefix(rest, " "):
		return Test{}, fmt.Errorf("%q has no limit; %s", text, forms)
	case k == Outside || k == Inside:
		low, high, found := strings.Cut(rest, "..")
		if !found {
			return Test{}, fmt.Errorf("%q needs two limits with .. between them; %s", text, forms)
		}
		if t.A, err = parseLimit(low); err == nil {
			t.B, err = parseLimit(high)
		}
	default:
		t.A, err = parseLimit(rest)
	}
	if err != nil {
		return Test{}, fmt.Errorf("%w in %q; %s", err, text, forms)
	}
	if t.B < t.A && (k == Outside || k == Inside) {
		return Test{}, fmt.Errorf("%q: the lower limit comes first", text)
	}
	return t, nil
}

func parseLimit(text string) (float64, error) {
	text = strings.TrimSpace(text)
	v, err := strconv.ParseFloat(text, 64)
	if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
		return 0, fmt.Errorf("%q is not a number", text)
	}
	return v, nil
}

func (k Kind) switched() bool { return k == IsOn || k == IsOff }

// Switched tells whether the test is for a signal that is on or off.
func (t Test) Switched() bool { return t.Kind.switched() }

// Limits lists the limits of the test, lowest first; none for on and off.
func (t Test) Limits() []float64 {
	switch {
	case t.Kind == Outside || t.Kind == Inside:
		return []float64{t.A, t.B}
	case t.Switched() || t.Kind == 0:
		return []float64{}
	default:
		return []float64{t.A}
	}
}

// Met tells whether value meets the test: the condition that raises.
func (t Test) Met(value float64) bool {
	switch t.Kind {
	case Above:
		return value > t.A
	case AtLeast:
		return value >= t.A
	case Below:
		return value < t.A
	case AtMost:
		return value <= t.A
	case Outside:
		return value < t.A || value > t.B
	case Inside:
		return t.A <= value && value <= t.B
	case IsOn:
		return value != 0
	case IsOff:
		return value == 0
	}
	return false
}

// Clear tells whether value meets the clear test: the opposite, at the limit moved by the deadband
// into the safe side (docs/semantics.md 15). A value that neither meets the test nor is clear lies in
// the deadband zone.
func (t Test) Clear(value, deadband float64) bool {
	switch t.Kind {
	case Above:
		return value <= t.A-deadband
	case AtLeast:
		return value < t.A-deadband
	case Below:
		return value >= t.A+deadband
	case AtMost:
		return value > t.A+deadband
	case Outside:
		return t.A+deadband <= value && value <= t.B-deadband
	case Inside:
		return value < t.A-deadband || value > t.B+deadband
	case IsOn:
		return value == 0
	case IsOff:
		return value != 0
	}
	return false
}

// Saturated gives the value that counts for a reading beyond what the instrument can give, on its high or low
// side, and whether the test takes that side for dangerous: it counts as beyond the limit, whatever the
// instrument showed (docs/semantics.md 8).
func (t Test) Saturated(value float64, high bool) (counted float64, looks bool) {
	switch {
	case high && t.Kind == Above:
		return max(value, math.Nextafter(t.A, math.Inf(1))), true
	case high && t.Kind == AtLeast:
		return max(value, t.A), true
	case high && t.Kind == Outside:
		return max(value, math.Nextafter(t.B, math.Inf(1))), true
	case !high && (t.Kind == Below || t.Kind == Outside):
		return min(value, math.Nextafter(t.A, math.Inf(-1))), true
	case !high && t.Kind == AtMost:
		return min(value, t.A), true
	}
	return value, false
}

// In gives the test with its limits converted, as into another unit; convert must not turn the order round.
func (t Test) In(convert func(float64) float64) Test {
	t.A, t.B = convert(t.A), convert(t.B)
	return t
}

// Further tells whether value lies further on the dangerous side than than.
func (t Test) Further(value, than float64) bool { return t.depth(value) > t.depth(than) }

func (t Test) depth(value float64) float64 {
	switch t.Kind {
	case Above, AtLeast:
		return value
	case Below, AtMost:
		return -value
	case Outside:
		return max(t.A-value, value-t.B)
	case Inside:
		return min(value-t.A, t.B-value)
	}
	return 0
}

// String is the text form.
func (t Test) String() string {
	switch t.Kind {
	case 0:
		return ""
	case IsOn, IsOff:
		return kindWords[t.Kind]
	case Outside, Inside:
		return fmt.Sprintf("%s %s..%s", kindWords[t.Kind], number(t.A), number(t.B))
	}
	return kindWords[t.Kind] + " " + number(t.A)
}

func number(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) }

// Words says the test for people, with the unit: "above 30 °C", "outside 3 to 9 ppm", "on".
func (t Test) Words(unit measure.Unit) string {
	switch t.Kind {
	case IsOn:
		return "on"
	case IsOff:
		return "off"
	case Outside, Inside:
		return fmt.Sprintf("%s %s to %s", kindWords[t.Kind], measure.Figure(t.A, ""), measure.Figure(t.B, unit))
	}
	return kindWords[t.Kind] + " " + measure.Figure(t.A, unit)
}

// MarshalText writes the text form.
func (t Test) MarshalText() ([]byte, error) { return []byte(t.String()), nil }

// UnmarshalText reads the text form.
func (t *Test) UnmarshalText(text []byte) (err error) {
	*t, err = ParseTest(string(text))
	return err
}
