package alarm

import (
	"fmt"
	"strconv"
	"testing"

	"jauntylark/core/measure"
)

// tenths writes so many tenths as people do, and reads it.
func tenths(t *testing.T, n int) float64 {
	t.Helper()
	v, err := strconv.ParseFloat(fmt.Sprintf("%d.%d", n/10, n%10), 64)
	if err != nil {
		t.Fatal(err)
	}
	return v
}

// Every limit from 0.1 to 50 with every deadband from 0.1 to 2, in tenths, of all six tests, in degrees Celsius and
// Fahrenheit over a signal in degrees Celsius: a reading of exactly the limit, and one of exactly the limit moved by
// the deadband, are judged as the words say, and so is what lies a tenth to either side.
func TestLimitsAreDecimalAsPeopleWriteThem(t *testing.T) {
	for _, unit := range []measure.Unit{"Cel", "[degF]"} {
		convert, err := measure.Converter(unit, "Cel")
		if err != nil {
			t.Fatal(err)
		}
		var table [700]float64
		for i := range table { // readings in tenths, as the signal stores them
			n := i - 50
			if table[i] = tenths(t, max(n, -n)); n < 0 {
				table[i] = -table[i]
			}
			if convert != nil {
				table[i] = convert(table[i])
			}
		}
		shown := func(n int) float64 { return table[n+50] }
		for limit := 1; limit <= 500; limit++ {
			for deadband := 1; deadband <= 20; deadband++ {
				checkDecimal(t, shown, convert, limit, deadband)
			}
		}
	}
}

func checkDecimal(t *testing.T, shown func(int) float64, convert func(float64) float64, limit, deadband int) {
	t.Helper()
	const width = 45 // tenths; more than two deadbands
	for _, c := range []struct {
		kind       Kind
		met, clear func(n int) bool // of a reading in tenths
	}{
		{Above, func(n int) bool { return n > limit }, func(n int) bool { return n <= limit-deadband }},
		{AtLeast, func(n int) bool { return n >= limit }, func(n int) bool { return n < limit-deadband }},
		{Below, func(n int) bool { return n < limit }, func(n int) bool { return n >= limit+deadband }},
		{AtMost, func(n int) bool { return n <= limit }, func(n int) bool { return n > limit+deadband }},
		{Outside, func(n int) bool { return n < limit || n > limit+width },
			func(n int) bool { return limit+deadband <= n && n <= limit+width-deadband }},
		{Inside, func(n int) bool { return limit <= n && n <= limit+width },
			func(n int) bool { return n < limit-deadband || n > limit+width+deadband }},
	} {
		r := Rung{When: Test{Kind: c.kind, A: tenths(t, limit)}, Deadband: tenths(t, deadband), Severity: Warning}
		if c.kind == Outside || c.kind == Inside {
			r.When.B = tenths(t, limit+width)
		}
		if convert != nil {
			r.In(convert)
		}
		if err := r.check(); err != nil {
			t.Fatal(err)
		}
		for _, edge := range []int{limit, limit - deadband, limit + deadband, limit + width, limit + width - deadband,
			limit + width + deadband} {
			for n := edge - 1; n <= edge+1; n++ {
				if met, clear := r.When.Met(shown(n)), r.Clear(shown(n)); met != c.met(n) || clear != c.clear(n) {
					t.Fatalf("%v, deadband %d tenths, %v: a reading of %d tenths is met %v, clear %v", r.When, deadband,
						r.Clears, n, met, clear)
				}
			}
		}
	}
}

// What is skipped in a replay is what changes nothing, to the last digit.
func TestQuietValuesEndWhereTheTestsDo(t *testing.T) {
	for kind := Above; kind <= Inside; kind++ {
		r := Rung{When: Test{Kind: kind, A: 0.3, B: 5.3}, Deadband: 0.1, Severity: Warning}
		if err := r.check(); err != nil {
			t.Fatal(err)
		}
		for n := -10; n < 70; n++ {
			v := tenths(t, max(n, -n))
			if n < 0 {
				v = -v
			}
			if low, high := r.quiet(false); v >= low && v <= high && r.When.Met(v) {
				t.Errorf("%v is met at %v, which is said to be quiet", r.When, v)
			}
			if low, high := r.quiet(true); v >= low && v <= high && r.Clear(v) {
				t.Errorf("%v is clear at %v, which is said to be quiet", r.When, v)
			}
		}
	}
}
