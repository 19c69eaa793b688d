package derive

import (
	"errors"
	"math"
	"strings"
	"testing"

	"jauntylark/core/calibrate"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

func near(t *testing.T, what string, got, want, within float64) {
	t.Helper()
	if math.Abs(got-want) > within || math.IsNaN(got) {
		t.Errorf("%s is %v, not %v", what, got, want)
	}
}

// The table of dew points in DIN 4108-3:2014-11, annex: given to a tenth of a degree.
func TestDewPointOfTheTable(t *testing.T) {
	table := map[float64][7]float64{ // at 30, 40 … 90 % relative humidity
		30: {10.5, 14.9, 18.4, 21.4, 23.9, 26.2, 28.2},
		25: {6.2, 10.5, 13.9, 16.7, 19.1, 21.3, 23.2},
		20: {1.9, 6.0, 9.3, 12.0, 14.4, 16.4, 18.3},
		15: {-2.2, 1.5, 4.7, 7.3, 9.6, 11.6, 13.4},
		10: {-6.0, -2.6, 0.1, 2.6, 4.8, 6.7, 8.4},
	}
	for air, row := range table {
		for i, want := range row {
			got, ok := DewPoint(air, float64(30+10*i), "water")
			if !ok {
				t.Fatalf("%v °C is out of range", air)
			}
			// Below 0 °C the table gives something between dew and frost point.
			within := 0.1
			if want < 0 {
				within = 1
			}
			near(t, "dew point", got, want, within)
		}
	}
}

// Saturated vapour in g/m³, CRC Handbook of Chemistry and Physics: 0 °C 4.85, 10 °C 9.40, 20 °C 17.3, 30 °C 30.4.
func TestAbsoluteHumidityOfTheTable(t *testing.T) {
	for air, want := range map[float64]float64{0: 4.85, 10: 9.40, 20: 17.3, 30: 30.4} {
		got, _ := AbsoluteHumidity(air, 100)
		near(t, "saturated vapour", got, want, 0.005*want)
	}
}

// Over ice saturation is reached at a higher temperature than over water: at -10 °C and 100 % over water the
// air is saturated over ice by 110 % (WMO-No. 8, 4.B: 2.862 hPa over water, 2.597 hPa over ice).
func TestFrostPoint(t *testing.T) {
	frost, ok := DewPoint(-10, 100*2.597/2.862, "ice")
	near(t, "frost point of air saturated over ice", frost, -10, 0.05)
	dew, _ := DewPoint(-10, 100, "water")
	near(t, "dew point of air saturated over water", dew, -10, 1e-9)
	if _, above := DewPoint(20, 60, "ice"); above || !ok {
		t.Error("a frost point above 0 °C was given")
	}
	a, _ := DewPoint(-5, 50, "either")
	b, _ := DewPoint(-5, 50, "ice")
	c, _ := DewPoint(20, 60, "either")
	d, _ := DewPoint(20, 60, "water")
	if a != b || c != d {
		t.Errorf("either gives %v and %v, not %v and %v", a, c, b, d)
	}
	for _, bad := range [][2]float64{{-46, 50}, {61, 50}, {20, 0}, {20, 106}} {
		if v, ok := DewPoint(bad[0], bad[1], ""); ok {
			t.Errorf("%v gives %v", bad, v)
		}
	}
}

func number(path string, unit measure.Unit) Source {
	return Source{Path: path, Kind: site.KindNumber, Unit: unit, Hold: 60_000}
}

func onoffSource(path string) Source {
	return Source{Path: path, Kind: site.KindSwitch, Hold: 60_000}
}

func build(t *testing.T, r Recipe, sources ...Source) *Machine {
	t.Helper()
	for i := len(r.Of); i < len(sources); i++ {
		r.Of = append(r.Of, Input{As: "of", Signal: sources[i].Path})
	}
	m, err := r.Build(sources)
	if err != nil {
		t.Fatal(r.Kind, err)
	}
	return m
}

// feed gives a one-input machine values, one a second, and what it gave; NaN for nothing.
func feed(m *Machine, every measure.Instant, values ...float64) (out []float64) {
	for i, v := range values {
		at := measure.Instant(i+1) * every
		m.Hold(0, at, v)
		got, ok := m.Compute(at)
		if !ok {
			got = math.NaN()
		}
		out = append(out, got)
	}
	return out
}

func same(t *testing.T, what string, got []float64, want ...float64) {
	t.Helper()
	for i := range want {
		if got[i] != want[i] && !(math.IsNaN(got[i]) && math.IsNaN(want[i])) {
			t.Errorf("%s: %v, not %v", what, got, want)
			return
		}
	}
}

func TestKinds(t *testing.T) {
	none := math.NaN()
	minute := measure.Duration(60e9)
	limit := 10.0
	on := build(t, Recipe{Kind: "on-off", When: "above 11", Deadband: 2}, number("a/v", "V"))
	same(t, "on above 11, off at 9", feed(on, 1000, 10, 12, 10, 9, 10, 12), 0, 1, 1, 0, 0, 1)
	charge := build(t, Recipe{Kind: "charge", Curve: "li-ion", Divider: 3.2}, number("a/v", "mV"))
	same(t, "charge", feed(charge, 1000, 4200/3.2, 3820/3.2, 2000/3.2, 5000/3.2), 100, 50, 0, 100)
	own := build(t, Recipe{Kind: "charge", Curve: "own", Cells: 2, Points: calibrate.Pairs{{Shown: 1, Reference: 0},
		{Shown: 2, Reference: 100}}}, number("a/v", "V"))
	same(t, "own curve of two cells", feed(own, 1000, 3, 4), 50, 100)
	same(t, "charging", feed(build(t, Recipe{Kind: "charging", Window: minute, Deadband: 1}, number("a/v", "V")),
		20_000, 1, 2, 3, 4, 3, 2, 1, 1, 1, 1), none, none, 1, 1, 1, 0, 0, 0, 0)
	// From 100 it falls by 1 every 20 s: 180 an hour, so 97 last for 0.54 h.
	same(t, "hours left", feed(build(t, Recipe{Kind: "hours-left", Window: minute}, number("a/v", "%")), 20_000, 100,
		99, 98, 97), none, none, 0.5, 0.5)
	same(t, "forecast", feed(build(t, Recipe{Kind: "forecast", Window: minute, Limit: &limit}, number("a/v", "V")),
		20_000, 100, 99, 98, 97), none, none, 0.49, 0.48)
	same(t, "a trend away from the limit", feed(build(t, Recipe{Kind: "forecast", Window: minute, Limit: &limit},
		number("a/v", "V")), 20_000, 100, 101, 102), none, none, none)
	same(t, "rate", feed(build(t, Recipe{Kind: "rate", Window: minute}, number("a/t", "[degF]")), 20_000, 32, 33.8,
		35.6), none, none, 180)
	same(t, "moving mean", feed(build(t, Recipe{Kind: "moving-mean", Window: 3e9}, number("a/v", "V")), 1000, 1, 2, 6,
		7, 8), 1, 1.5, 3, 5, 7)
	same(t, "moving median", feed(build(t, Recipe{Kind: "moving-median", Window: 3e9}, number("a/v", "V")), 1000, 1, 9,
		6, 7, 0), 1, 5, 6, 7, 6)
	same(t, "moving deviation", feed(build(t, Recipe{Kind: "moving-deviation", Window: 3e9}, number("a/v", "V")), 1000,
		1, 3, 5, 5, 5), none, 1.4142, 2, 1.1547, 0)
	same(t, "on for", feed(build(t, Recipe{Kind: "on-for"}, onoffSource("a/r")), 30_000, 0, 1, 1, 1, 0, 1), 0, 0, 0.5,
		1, 0, 0)
	same(t, "off for", feed(build(t, Recipe{Kind: "off-for"}, onoffSource("a/r")), 30_000, 0, 1, 0, 0, 1), none, 0, 0.5,
		1, 0)
	same(t, "cycles in a minute", feed(build(t, Recipe{Kind: "cycles", Window: minute}, onoffSource("a/r")), 15_000, 0,
		1, 0, 1, 1, 1, 1, 1), 0, 1, 1, 2, 2, 1, 1, 0)
	same(t, "on time in a minute", feed(build(t, Recipe{Kind: "on-time", Window: minute}, onoffSource("a/r")), 30_000,
		0, 1, 1, 0, 0, 0, 0), 0, 0, 0.5, 1, 0.5, 0, 0)
	same(t, "a gap breaks a run", feed(build(t, Recipe{Kind: "on-for"}, onoffSource("a/r")), 90_000, 1, 1), 0, 0)
}

func TestPairsByHolding(t *testing.T) {
	r := Recipe{Kind: "power", Of: []Input{{"amperes", "m/a"}, {"volts", "m/v"}}}
	m := build(t, r, Source{"m/a", site.KindNumber, "mA", 10_000, 0}, Source{"m/v", site.KindNumber, "V", 3000, 0})
	check := func(at measure.Instant, want float64) {
		t.Helper()
		got, ok := m.Compute(at)
		if !ok {
			got = -1
		}
		near(t, "power", got, want, 1e-9)
	}
	m.Hold(0, 1000, 2000)
	check(1000, -1) // no volts yet
	m.Hold(1, 2000, 230)
	check(2000, 460)
	m.Hold(0, 5000, 1000)
	check(5000, 230) // volts of 3 s ago still hold
	m.Hold(0, 5001, 1000)
	check(5001, -1)
}

func TestFormulas(t *testing.T) {
	of := []Input{{"t", "a/t"}, {"dew", "a/d"}, {"lamp", "a/l"}, {"v", "a/v"}, {"i", "a/i"}}
	sources := []Source{number("a/t", "Cel"), number("a/d", "Cel"), onoffSource("a/l"), number("a/v", "V"),
		number("a/i", "A")}
	eval := func(text string) (float64, Output) {
		t.Helper()
		m := build(t, Recipe{Kind: "formula", Formula: text, Of: of}, sources...)
		for i, v := range []float64{20, 12, 1, 230, 2} {
			m.Hold(i, 1000, v)
		}
		v, ok := m.Compute(1000)
		if !ok {
			v = math.NaN()
		}
		return v, m.Output
	}
	for text, want := range map[string]float64{"t - dew": 8, "t > dew && lamp": 1, "lamp ? v * i : 0.0": 460,
		"math.greatest(t, dew) + 1.0": 21, "pow(2.0, 3.0) + ln(exp(1.0))": 9, "t / 0.0": math.NaN(), "v / 2.0": 115} {
		if got, _ := eval(text); got != want && !(math.IsNaN(got) && math.IsNaN(want)) {
			t.Errorf("%s is %v, not %v", text, got, want)
		}
	}
	for text, unit := range map[string]measure.Unit{"t - dew": "K", "t - 1.0": "Cel", "t - (t - dew)": "Cel",
		"(t + dew) / 2.0": "Cel", "v * 2.0": "V", "v / v": ""} {
		if _, out := eval(text); out.Unit != unit {
			t.Errorf("the unit of %s is %q, not %q", text, out.Unit, unit)
		}
	}
	if _, out := eval("t > dew"); out.Kind != site.KindSwitch {
		t.Errorf("a comparison gives a %s", out.Kind)
	}
	for text, says := range map[string]string{
		"t - 1":            "1.0 for 1",
		"t + v":            "at character 3: Cel and V do not go together\n  t + v\n    ^",
		"t > 3.0 ? t : v":  "Cel and V do not go together",
		"t - dew > t":      "K and Cel do not go together",
		"t + hum":          `at character 5: "hum" is none of the inputs`,
		"t +":              "at character 4",
		"'a'":              "it is to give a number",
		"math.least(t, v)": "do not go together",
		"lamp + 1.0":       "no matching overload",
	} {
		r := Recipe{Kind: "formula", Formula: text, Of: of}
		_, err := r.Build(sources)
		var fault *measure.Fault
		if !errors.As(err, &fault) || fault.Field != "formula" || !strings.Contains(fault.Reason, says) {
			t.Errorf("%s: %v does not say %q", text, err, says)
		}
	}
	r := Recipe{Kind: "formula", Formula: "t * 2.0", Unit: "V", Of: of}
	if _, err := r.Build(sources); err == nil || !strings.Contains(err.Error(), "in Cel, not in V") {
		t.Errorf("another unit than the result's: %v", err)
	}
}

func TestRecipesAreChecked(t *testing.T) {
	for _, c := range []struct {
		says    string
		r       Recipe
		sources []Source
	}{
		{"did you mean dew-point", Recipe{Kind: "dew-pint"}, nil},
		{"needs a relative humidity", Recipe{Kind: "dew-point", Of: []Input{{"air", "a/t"}}},
			[]Source{number("a/t", "Cel")}},
		{"is to be an air temperature in Cel", Recipe{Kind: "dew-point",
			Of: []Input{{"air", "a/t"}, {"humidity", "a/h"}}}, []Source{number("a/t", "V"), number("a/h", "%RH")}},
		{"role of dew-point", Recipe{Kind: "dew-point", Of: []Input{{"airr", "a/t"}}}, []Source{number("a/t", "Cel")}},
		{"has no meaning for power", Recipe{Kind: "power", Window: 1e9,
			Of: []Input{{"volts", "a/v"}, {"amperes", "a/i"}}}, []Source{number("a/v", "V"), number("a/i", "A")}},
		{"is missing; on-off needs it", Recipe{Kind: "on-off", Of: []Input{{"of", "a/v"}}},
			[]Source{number("a/v", "V")}},
		{"is not between 1s and 7d", Recipe{Kind: "moving-mean", Window: measure.Duration(8 * 24 * 3600e9),
			Of: []Input{{"of", "a/v"}}}, []Source{number("a/v", "V")}},
		{"make an on/off signal of it first", Recipe{Kind: "cycles", Window: 1e9, Of: []Input{{"of", "a/v"}}},
			[]Source{number("a/v", "V")}},
		{"cannot be given in", Recipe{Kind: "difference", Of: []Input{{"a", "a/t"}, {"b", "a/v"}}},
			[]Source{number("a/t", "Cel"), number("a/v", "V")}},
		{"takes 2 signals or more", Recipe{Kind: "mean", Of: []Input{{"a", "a/t"}}}, []Source{number("a/t", "Cel")}},
		{"curve", Recipe{Kind: "charge", Curve: "lithium", Of: []Input{{"of", "a/v"}}}, []Source{number("a/v", "V")}},
	} {
		_, err := c.r.Build(c.sources)
		var fault *measure.Fault
		if !errors.As(err, &fault) || !strings.Contains(fault.Reason, c.says) {
			t.Errorf("%+v: %v does not say %q", c.r, err, c.says)
		}
	}
}

func TestCirclesAreNamed(t *testing.T) {
	order, err := Order(map[string][]string{"a/c": {"a/b", "a/x"}, "a/b": {"a/a"}, "a/a": {"a/x"}})
	if err != nil || strings.Join(order, " ") != "a/a a/b a/c" {
		t.Errorf("%v %v", order, err)
	}
	_, err = Order(map[string][]string{"a/c": {"a/b"}, "a/b": {"a/a"}, "a/a": {"a/x", "a/c"}})
	if err == nil || !strings.Contains(err.Error(), "a/a from a/c from a/b from a/a goes in a circle") {
		t.Errorf("a circle gave %v", err)
	}
}

func TestRecipesInWords(t *testing.T) {
	limit := 20.0
	of := []Input{{"of", "a/v"}}
	for words, r := range map[string]Recipe{
		"forecast of a/v over 1d, until it meets 20": {Kind: "forecast",
			Window: measure.Duration(24 * 3600e9), Limit: &limit, Of: of},
		"hours left of a/v over 6h, the low end": {Kind: "hours-left",
			Window: measure.Duration(6 * 3600e9), Edge: "low", Of: of},
		"charge of a/v, curve lead-acid, 6 cells, divider 3.2": {Kind: "charge", Curve: "lead-acid", Cells: 6,
			Divider: 3.2, Of: of},
		"dew point of a/t and a/h, over ice": {Kind: "dew-point", Over: "ice",
			Of: []Input{{"air", "a/t"}, {"humidity", "a/h"}}},
		"times usual of a/v, by cycles":       {Kind: "times-usual", Count: "cycles", Of: of},
		"on when a/v is above 11, deadband 1": {Kind: "on-off", When: "above 11", Deadband: 1, Of: of},
		"highest of a/1, a/2 and a/3": {Kind: "highest",
			Of: []Input{{"a", "a/1"}, {"b", "a/2"}, {"c", "a/3"}}},
		"(x - y) * 2.0, with x = a/1, y = a/2": {Kind: "formula", Formula: "(x - y) * 2.0",
			Of: []Input{{"x", "a/1"}, {"y", "a/2"}}},
	} {
		if got := r.Words(); got != words {
			t.Errorf("%q, not %q", got, words)
		}
	}
}

// The range of the coefficients holds for the air that goes in and for the dew point that comes out: nothing is given
// beyond it.
func TestDewPointsEndWithTheirRange(t *testing.T) {
	for _, c := range []struct {
		air, humidity float64
		over          string
		given         bool
	}{
		{-45, 100, "water", true}, {-45.1, 100, "water", false}, {60, 100, "water", true}, {60.1, 50, "water", false},
		{-40, 60, "water", true}, {-40, 50, "water", false}, {20, 0.1, "water", false}, {20, 1, "water", true},
		{-40, 10, "ice", true}, {-45, 4.5, "ice", false}, {-45, 5, "ice", true}, {10, 50, "ice", false},
		{10, 40, "ice", true}, {-40, 50, "either", true}, {20, 0, "water", false}, {20, 106, "water", false},
	} {
		dew, given := DewPoint(c.air, c.humidity, c.over)
		if given != c.given {
			t.Errorf("air of %v °C at %v %%, over %s: %v, given %v", c.air, c.humidity, c.over, dew, given)
		}
	}
}
