package alarm

import (
	"fmt"
	"math"
	"strconv"
	"strings"
	"time"

	"jauntylark/core/measure"
)

// Kind is the sort of question that a Test asks of a value.
type Kind uint8

// The kinds. Outside and Inside take two limits, A below B; IsOn, IsOff, Stuck and Faulty take none. IsWord and
// IsNotWord take a word, whose number is A; Silent takes a length of time, A seconds.
const (
	Above     Kind = iota + 1 // value > A
	AtLeast                   // value >= A
	Below                     // value < A
	AtMost                    // value <= A
	Outside                   // value < A or value > B
	Inside                    // A <= value <= B
	IsOn                      // value is not 0
	IsOff                     // value is 0
	IsWord                    // the text is Word
	IsNotWord                 // the text is another
	Silent                    // no reading for A seconds
	Stuck                     // the reading is marked stuck
	Faulty                    // the reading is marked stuck or implausible
)

var kindWords = [...]string{Above: "above", AtLeast: "at least", Below: "below", AtMost: "at most", Outside: "outside",
	Inside: "inside", IsOn: "is on", IsOff: "is off",
	IsWord: "is", IsNotWord: "is not", Silent: "silent for", Stuck: "stuck", Faulty: "faulty"}

// forms is what an error says when a test cannot be read.
const forms = "write 'above 30', 'at least 30', 'below 3', 'at most 3', 'outside 3..9', 'inside 3..9', 'is on', 'is " +
	"off', 'is \"open\"', 'is not \"open\"', 'silent for 10m', 'stuck' or 'faulty'"

// Test is the question that a guard asks of each value. Its text form is what people write:
// "above 30", "outside 3..9", "is on".
type Test struct {
	Kind Kind
	A, B float64
	Word string // of IsWord and IsNotWord
}

// ParseTest reads the text form of a test.
func ParseTest(text string) (Test, error) {
	clean := strings.ToLower(strings.Join(strings.Fields(text), " "))
	for k := Above; k <= Faulty; k++ {
		rest, found := strings.CutPrefix(clean, kindWords[k])
		switch {
		case !found || k == IsWord || k == IsNotWord:
			continue
		case k == Silent:
			return parseSilent(rest, text)
		}
		return parseLimits(k, rest, text)
	}
	if fields := strings.Fields(text); len(fields) > 1 && strings.EqualFold(fields[0], "is") {
		return parseWord(strings.TrimSpace(strings.TrimSpace(text)[len("is"):]), text)
	}
	return Test{}, fmt.Errorf("%q is not a test; %s", text, forms)
}

func parseSilent(rest, text string) (Test, error) {
	d, err := measure.ParseDuration(strings.TrimSpace(rest))
	if err != nil || d < minSilent || d > maxDelay {
		return Test{}, fmt.Errorf("%q needs a length of time between %v and %v; write 'silent for 10m'", text,
			minSilent, maxDelay)
	}
	return Test{Kind: Silent, A: time.Duration(d).Seconds()}, nil
}

// minSilent is the shortest silence that is looked for.
const minSilent = measure.Duration(1e9)

func parseWord(word, text string) (Test, error) {
	kind := IsWord
	if len(word) > 4 && strings.EqualFold(word[:4], "not ") {
		kind, word = IsNotWord, strings.TrimSpace(word[4:])
	}
	if plain, err := strconv.Unquote(word); err == nil && word[0] == '"' {
		word = plain
	}
	if word == "" || len(word) > 200 {
		return Test{}, fmt.Errorf("%q needs a word of 1 to 200 letters; %s", text, forms)
	}
	return Test{Kind: kind, Word: word}, nil
}

func parseLimits(k Kind, rest, text string) (Test, error) {
	t := Test{Kind: k}
	var err error
	switch {
	case k.switched() || k >= Stuck:
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

// Measured tells whether the test has limits in the signal's unit.
func (t Test) Measured() bool { return t.Kind >= Above && t.Kind <= Inside }

// Length is the length of time of a Silent test.
func (t Test) Length() measure.Duration { return measure.Duration(t.A * 1e9) }

// Suits tells whether signals of a kind (number, switch, text, data) can be asked the question.
func (t Test) Suits(kind string) bool {
	switch {
	case t.Measured():
		return kind == "number"
	case t.Switched():
		return kind == "switch"
	case t.Kind == IsWord || t.Kind == IsNotWord:
		return kind == "text"
	case t.Kind == Silent:
		return true
	}
	return kind == "number" || kind == "switch"
}

// Switched tells whether the test is for a signal that is on or off.
func (t Test) Switched() bool { return t.Kind.switched() }

// Limits lists the limits of the test, lowest first; none for on and off.
func (t Test) Limits() []float64 {
	switch {
	case t.Kind == Outside || t.Kind == Inside:
		return []float64{t.A, t.B}
	case !t.Measured():
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
	case IsOn, Stuck, Faulty:
		return value != 0
	case IsOff:
		return value == 0
	case IsWord:
		return value == t.A
	case IsNotWord:
		return value != t.A
	}
	return false
}

// Back is the clear test: the opposite, at the limit moved by the deadband into the safe side, in decimal
// (docs/semantics.md 15). A value that meets neither lies in the deadband zone. Tests without limits have none.
func (t Test) Back(deadband float64) Test {
	opposite := [...]Kind{Above: AtMost, AtLeast: Below, Below: AtLeast, AtMost: Above, Outside: Inside,
		Inside: Outside}
	if !t.Measured() {
		return Test{}
	}
	back := Test{Kind: opposite[t.Kind]}
	switch t.Kind {
	case Above, AtLeast:
		back.A = measure.Sum(t.A, -deadband)
	case Below, AtMost:
		back.A = measure.Sum(t.A, deadband)
	case Outside:
		back.A, back.B = measure.Sum(t.A, deadband), measure.Sum(t.B, -deadband)
	case Inside:
		back.A, back.B = measure.Sum(t.A, -deadband), measure.Sum(t.B, deadband)
	}
	return back
}

// In gives the test with its limits converted, as into another unit; convert must not turn the order round.
func (t Test) In(convert func(float64) float64) Test {
	switch {
	case t.Kind == Outside || t.Kind == Inside:
		t.A, t.B = convert(t.A), convert(t.B)
	case t.Measured():
		t.A = convert(t.A)
	}
	return t
}

// unmet gives the stretch of values that do not meet the test. When they are not one stretch it is empty.
func (t Test) unmet() (low, high float64) {
	low, high = math.Inf(-1), math.Inf(1)
	switch t.Kind {
	case Above:
		high = t.A
	case AtLeast:
		high = math.Nextafter(t.A, low)
	case Below:
		low = t.A
	case AtMost:
		low = math.Nextafter(t.A, high)
	case Outside:
		low, high = t.A, t.B
	case IsOn:
		low, high = 0, 0
	default:
		low, high = 1, 0
	}
	return low, high
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
	case IsOn, IsOff, Stuck, Faulty:
		return kindWords[t.Kind]
	case IsWord, IsNotWord:
		return fmt.Sprintf("%s %q", kindWords[t.Kind], t.Word)
	case Silent:
		return kindWords[t.Kind] + " " + t.Length().String()
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
	case IsWord:
		return strconv.Quote(t.Word)
	case IsNotWord:
		return "not " + strconv.Quote(t.Word)
	case Silent, Stuck, Faulty:
		return t.String()
	case Outside, Inside:
		return fmt.Sprintf("%s %s to %s", kindWords[t.Kind], measure.Figure(t.A, ""), measure.Figure(t.B, unit))
	}
	return kindWords[t.Kind] + " " + measure.Figure(t.A, unit)
}

// MarshalText writes the text form.
func (t Test) MarshalText() ([]byte, error) { return []byte(t.String()), nil }

// UnmarshalText reads the text form; nothing is no test.
func (t *Test) UnmarshalText(text []byte) (err error) {
	if len(text) == 0 {
		*t = Test{}
		return nil
	}
	*t, err = ParseTest(string(text))
	return err
}
