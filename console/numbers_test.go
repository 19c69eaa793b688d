package console_test

import (
	"encoding/json"
	"testing"

	"jauntylark/console/browser"
)

// What people write as a number is read by either decimal sign, and refused where it could be two numbers.
func TestWhatPeopleWriteAsANumber(t *testing.T) {
	bundle := bundled(t, "numbers", "api/numbers")
	_, p := visit(t)
	wrong := func(says string) map[string]any { return map[string]any{"wrong": says} }
	is := func(v float64) map[string]any { return map[string]any{"value": v} }
	cases := []struct {
		Text, Sign string
		Want       map[string]any
	}{
		{"", ".", map[string]any{}}, {"-2", ".", is(-2)}, {"\u22122", ".", is(-2)}, {"+3", ".", is(3)},
		{"0.05", ".", is(0.05)}, {"0,05", ".", is(0.05)}, {"0.05", ",", is(0.05)}, {"0,05", ",", is(0.05)},
		{".5", ".", is(0.5)}, {"5.", ".", is(5)}, {" 12 500 ", ".", is(12500)}, {"1e3", ".", is(1000)},
		{"1.000", ".", is(1)}, {"1,000", ",", is(1)}, {"0,125", ".", is(0.125)}, {"1234,567", ".", is(1234.567)},
		{"1,000", ".", wrong("Write 1000 or 1.0.")}, {"1.250", ",", wrong("Write 1250 or 1,2.")},
		{"1,000,000", ".", wrong("“1,000,000” is no number.")}, {"1.2.3", ".", wrong("“1.2.3” is no number.")},
		{"hot", ".", wrong("“hot” is no number.")}, {"-", ".", wrong("“-” is no number.")},
		{"5 bar", ".", wrong("“5 bar” is no number.")}, {"1e999", ".", wrong("1e999 is too large.")},
		{"0x10", ".", wrong("“0x10” is no number.")},
	}
	for _, c := range cases {
		arguments, err := json.Marshal([]string{c.Text, c.Sign})
		must(t, err)
		got, err := browser.Eval[string](p, bundle+`;JSON.stringify(numbers.readNumber(...`+string(arguments)+`))`)
		must(t, err)
		if want, _ := json.Marshal(c.Want); got != string(want) {
			t.Errorf("%q by %s is read as %s, want %s", c.Text, c.Sign, got, want)
		}
	}
	for _, c := range []struct{ Do, Want string }{
		{`writeNumber(0.1 + 0.2, ',')`, "0,3"}, {`writeNumber(152.125, '.')`, "152.125"},
		{`writeNumber(undefined, '.')`, ""}, {`writeNumber(NaN, '.')`, ""}, {`writeNumber(0, '.')`, "0"},
		{`String(numbers.stepBy(0.2, 0.1))`, "0.3"}, {`String(numbers.stepBy(5, -0.25))`, "4.75"},
		{`String(numbers.stepBy(1.005, 1))`, "2.005"},
	} {
		do := c.Do
		if do[0] == 'w' {
			do = "numbers." + do
		}
		if got, err := browser.Eval[string](p, bundle+";"+do); err != nil || got != c.Want {
			t.Errorf("%s: %q %v, want %q", c.Do, got, err, c.Want)
		}
	}
}
