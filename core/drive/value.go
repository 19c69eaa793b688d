package drive

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"
)

// Value is a state of an output in its one spelling: "on" or "off" of a switch, a number of a level, "#rrggbb" of a
// colour, the text itself of a text.
type Value string

// The states of a switch.
const (
	On  Value = "on"
	Off Value = "off"
)

// The kinds of an output.
const (
	KindSwitch = "switch"
	KindLevel  = "level"
	KindColour = "colour"
	KindText   = "text"
)

// Kinds lists them.
var Kinds = []string{KindSwitch, KindLevel, KindColour, KindText}

// colours are those that have a name, in the order in which they are offered.
var colours = []struct{ name, code string }{{"off", "#000000"}, {"red", "#ff0000"}, {"orange", "#ff8000"},
	{"yellow", "#ffff00"}, {"green", "#00ff00"},
	{"blue", "#0000ff"}, {"violet", "#8000ff"}, {"white", "#ffffff"}, {"grey", "#808080"}}

// ColourNames lists the colours that have a name.
func ColourNames() (names []string) {
	for _, c := range colours {
		names = append(names, c.name)
	}
	return names
}

// Parse reads a state as people write it. The error says what is allowed.
func (o *Output) Parse(text string) (Value, error) {
	clean := strings.TrimSpace(text)
	switch o.Kind {
	case KindSwitch:
		if v := Value(strings.ToLower(clean)); v == On || v == Off {
			return v, nil
		}
		return "", fmt.Errorf("%q is no state of a switch; it is on or off", text)
	case KindLevel:
		v, err := strconv.ParseFloat(strings.TrimSpace(strings.TrimSuffix(clean, o.unit())), 64)
		if low, high := o.bounds(); err != nil || !(v >= low && v <= high) {
			return "", fmt.Errorf("%q is no level from %v to %v %s", text, low, high, o.unit())
		}
		return o.level(v), nil
	case KindColour:
		return parseColour(clean)
	}
	if most := o.length(); utf8.RuneCountInString(text) > most || !utf8.ValidString(text) ||
		strings.ContainsRune(text, 0) {
		return "", fmt.Errorf("the text has %d letters; %d are allowed", utf8.RuneCountInString(text), most)
	}
	return Value(text), nil
}

func parseColour(text string) (Value, error) {
	text = strings.ToLower(text)
	if i := slices.IndexFunc(colours, func(c struct{ name, code string }) bool { return c.name == text }); i >= 0 {
		return Value(colours[i].code), nil
	}
	if _, err := strconv.ParseUint(strings.TrimPrefix(text, "#"), 16, 32); err == nil && len(text) == 7 &&
		text[0] == '#' {
		return Value(text), nil
	}
	return "", fmt.Errorf("%q is no colour; write #rrggbb, or one of %s", text, strings.Join(ColourNames(), ", "))
}

// Level gives the state of a level output that is nearest to a number.
func (o *Output) Level(v float64) Value {
	low, high := o.bounds()
	if math.IsNaN(v) {
		v = low
	}
	return o.level(min(max(v, low), high))
}

// level writes a number that lies in the range, in whole steps from its low end.
func (o *Output) level(v float64) Value {
	low, high := o.bounds()
	if step := o.step(); v < high {
		v = min(low+math.Round((v-low)/step)*step, high)
	}
	return Value(strconv.FormatFloat(math.Round(v*1e9)/1e9, 'f', -1, 64))
}

// Running tells whether a switch is on in a state, or a level above the low end of its range. Colours and texts do not
// run.
func (o *Output) Running(v Value) bool {
	switch o.Kind {
	case KindSwitch:
		return v == On
	case KindLevel:
		low, _ := o.bounds()
		n, err := strconv.ParseFloat(string(v), 64)
		return err == nil && n > low
	}
	return false
}

// Words says a state to people: "on", "55 %", "red", "“Feed shut”".
func (o *Output) Words(v Value) string {
	switch o.Kind {
	case KindLevel:
		if unit := o.unit(); unit != "" {
			return string(v) + " " + unit
		}
	case KindColour:
		return called(v)
	case KindText:
		if v == "" {
			return "no text"
		}
		return "“" + string(v) + "”"
	}
	return string(v)
}

// Be says a state after "is": "on", "at 55 %", "red".
func (o *Output) Be(v Value) string {
	if o.Kind == KindLevel || o.Kind == KindText {
		return "at " + o.Words(v)
	}
	return o.Words(v)
}

// Goes says that an output comes into a state: "goes on", "goes to 55 %", "turns red", "shows “Feed shut”".
func (o *Output) Goes(v Value) string {
	verb := map[string]string{KindSwitch: "goes ", KindLevel: "goes to ", KindColour: "turns ",
		KindText: "shows "}[o.Kind]
	return verb + o.Words(v)
}

// called gives the name of a colour that has one, and other states as they are.
func called(v Value) string {
	for _, c := range colours {
		if c.code == string(v) {
			return c.name
		}
	}
	return string(v)
}

// Sends gives what a device is sent for a state: a JSON value, a number or true or false where it is one.
func (o *Output) Sends(v Value) json.RawMessage {
	word := string(v)
	if o.Kind == KindSwitch {
		word = o.word(v)
	}
	if number := json.RawMessage(word); (o.Kind == KindSwitch || o.Kind == KindLevel) && json.Valid(number) &&
		!strings.HasPrefix(word, `"`) {
		return number
	}
	text, _ := json.Marshal(word)
	return text
}

// word is what a switch is sent.
func (o *Output) word(v Value) string {
	switch {
	case v == On && o.OnSends != "":
		return o.OnSends
	case v == On:
		return "1"
	case o.OffSends != "":
		return o.OffSends
	}
	return "0"
}

// Hears reads what a device says that its output does, in the words that it is sent: a JSON value or a bare word.
func (o *Output) Hears(said string) (Value, error) {
	word := strings.TrimSpace(said)
	if text := ""; json.Unmarshal([]byte(word), &text) == nil {
		word = text
	}
	if o.Kind != KindSwitch {
		return o.Parse(word)
	}
	for _, v := range []Value{On, Off} {
		if word == o.word(v) {
			return v, nil
		}
	}
	return "", fmt.Errorf("%.40q is neither what on sends (%s) nor what off sends (%s)", said, o.word(On), o.word(Off))
}
