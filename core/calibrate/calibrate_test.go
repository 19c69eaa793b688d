package calibrate

import (
	"math"
	"math/rand/v2"
	"testing"

	"jauntylark/core/measure"
)

func near(t *testing.T, what string, got, want, within float64) {
	t.Helper()
	if math.Abs(got-want) > within || math.IsNaN(got) {
		t.Errorf("%s is %v, not %v", what, got, want)
	}
}

func TestFits(t *testing.T) {
	one, err := FitPairs(Pairs{{20.4, 19.9}}, Usual)
	if err != nil || one.Method != Offset {
		t.Fatal(one, err)
	}
	near(t, "offset from one pair", one.Curve.Apply(20.4), 19.9, 1e-12)
	near(t, "gain of an offset", one.Curve.Apply(30.4)-one.Curve.Apply(20.4), 10, 1e-12)

	two, err := FitPairs(Pairs{{0.4, 0}, {99, 100}}, Usual)
	if err != nil || two.Method != Line || two.Worst != 0 {
		t.Fatal(two, err)
	}
	near(t, "a line through two pairs", two.Curve.Apply(0.4), 0, 1e-12)
	near(t, "a line through two pairs", two.Curve.Apply(99), 100, 1e-12)

	// Anscombe's first set (The American Statistician 27, 1973): y = 3.00 + 0.500 x.
	x := []float64{10, 8, 13, 9, 11, 14, 6, 4, 12, 7, 5}
	y := []float64{8.04, 6.95, 7.58, 8.81, 8.33, 9.96, 7.24, 4.26, 10.84, 4.82, 5.68}
	pairs := Pairs{}
	for i := range x {
		pairs = append(pairs, Pair{x[i], y[i]})
	}
	many, err := FitPairs(pairs, Usual)
	if err != nil {
		t.Fatal(err)
	}
	near(t, "Anscombe's gain", many.Curve.Gain, 0.5001, 5e-5)
	near(t, "Anscombe's offset", many.Curve.Offset, 3.0001, 5e-5)
	if len(many.Warnings) == 0 {
		t.Error("pairs that lie far off the line are not warned of")
	}
}

func TestCornersRiseOrFallThroughout(t *testing.T) {
	f, err := FitPairs(Pairs{{10, 20}, {0, 1}, {5, 6}}, Corners)
	if err != nil {
		t.Fatal(err)
	}
	for _, p := range []Pair{{0, 1}, {5, 6}, {10, 20}, {2.5, 3.5}, {-1, 0}, {11, 22.8}} {
		near(t, "corner", f.Curve.Apply(p.Shown), p.Reference, 1e-12)
	}
	for _, bad := range []Pairs{{{0, 1}, {1, 3}, {2, 2}}, {{0, 1}, {0, 2}}, {{0, 1}, {1, 1}}, {{0, 1}}} {
		if _, err := FitPairs(bad, Corners); err == nil {
			t.Errorf("%v was taken", bad)
		}
	}
	for _, bad := range []Pairs{{}, {{1, math.NaN()}}, {{3, 1}, {3, 2}}, {{1, 5}, {2, 5}}} {
		if f, err := FitPairs(bad, Line); err == nil {
			t.Errorf("%v was taken: %+v", bad, f)
		}
	}
	if _, err := FitPairs(Pairs{{1, 2}}, "spline"); err == nil {
		t.Error("an unknown method was taken")
	}
}

// Every curve can be turned round, and keeps or turns the order of all values.
func TestCurvesAreMonotone(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	for range 2000 {
		var pairs Pairs
		sign := float64(rng.IntN(2)*2 - 1)
		x, y := rng.Float64()*10, rng.Float64()*10
		for range 1 + rng.IntN(6) {
			x, y = x+0.1+rng.Float64(), y+sign*(0.1+rng.Float64())
			pairs = append(pairs, Pair{x, y})
		}
		method := []Method{Usual, Corners}[rng.IntN(2)]
		if len(pairs) == 1 {
			method = Usual
		}
		f, err := FitPairs(pairs, method)
		if err != nil {
			t.Fatal(pairs, err)
		}
		a := rng.Float64()*30 - 10
		b := a + rng.Float64()
		near(t, "turned round", f.Curve.Raw(f.Curve.Apply(a)), a, 1e-6)
		if rises := f.Curve.Apply(b) > f.Curve.Apply(a); b > a+1e-9 && rises == f.Curve.Falls() {
			t.Fatalf("%v does not keep the order of %v and %v", f.Curve, a, b)
		}
	}
}

func TestWarnings(t *testing.T) {
	for _, c := range []struct {
		pairs Pairs
		warns int
	}{{Pairs{{0, 0}, {10, 10.1}}, 0}, {Pairs{{0, 0}, {10, 100}}, 1}, {Pairs{{0, 10}, {10, 0}}, 1},
		{Pairs{{1, 1}, {2, 2}, {3, 9}}, 2}} {
		f, err := FitPairs(c.pairs, Usual)
		if err != nil || len(f.Warnings) != c.warns {
			t.Errorf("%v: %q %v", c.pairs, f.Warnings, err)
		}
	}
}

func TestWhatHoldsWhen(t *testing.T) {
	add := func(v float64) Curve { return Curve{Gain: 1, Offset: v} }
	line := NewTimeline([]Calibration{{ID: 3, From: 200, Curve: add(3)}, {ID: 1, From: 100, Curve: add(1)},
		{ID: 4, From: 100, Curve: add(4)}, {ID: 5, From: 300, Curve: add(5), Retired: true}})
	readings := make([]measure.Reading, 40)
	for i := range readings {
		readings[i].At = measure.Instant(i * 10)
	}
	line.Correct(readings)
	for _, r := range readings {
		want := 0.0
		switch {
		case r.At >= 200:
			want = 3
		case r.At >= 100:
			want = 4 // the later made of two that begin together
		}
		if r.Value != want || line.At(r.At).Offset != want {
			t.Errorf("at %d: %v, not %v", r.At, r.Value, want)
		}
	}
	if line.Until(50) != 99 || line.Until(100) != 199 || line.Until(200) < 1<<60 {
		t.Errorf("ends at %d, %d, %d", line.Until(50), line.Until(100), line.Until(200))
	}
}

// The peak flow of 17 people by two meters, from Bland and Altman's paper (Lancet 1986; i: 307-310): mean
// difference -2.1 l/min, standard deviation 38.8 l/min.
func TestAgreementOfThePaper(t *testing.T) {
	large := []float64{494, 395, 516, 434, 476, 557, 413, 442, 650, 433, 417, 656, 267, 478, 178, 423, 427}
	mini := []float64{512, 430, 520, 428, 500, 600, 364, 380, 658, 445, 432, 626, 260, 477, 259, 350, 451}
	var a, b []measure.Reading
	for i := range large {
		a = append(a, measure.Reading{At: measure.Instant(1000 * (i + 1)), Value: large[i]})
		b = append(b, measure.Reading{At: measure.Instant(1000 * (i + 1)), Value: mini[i]})
	}
	got, err := Agree(a, b, 500)
	if err != nil || got.Count != 17 || got.LeftOut != 0 {
		t.Fatal(got, err)
	}
	near(t, "mean difference", got.Mean, -2.1, 0.05)
	near(t, "deviation", got.Deviation, 38.8, 0.05)
	near(t, "lower limit", got.Low, -78.1, 0.1)
	if _, err := Agree(a[:2], b, 500); err == nil {
		t.Error("two pairs were enough")
	}
	if short, err := Agree(a, b[:5], 500); err != nil || short.LeftOut != 12 {
		t.Errorf("values held for longer than they do: %+v %v", short, err)
	}
}

func TestLagIsFound(t *testing.T) {
	var a, b []measure.Reading
	for i := range 6000 {
		at := measure.Instant(i) * 1000
		v := math.Sin(float64(i)/200) + 0.4*math.Sin(float64(i)/37)
		a = append(a, measure.Reading{At: at, Value: v})
		b = append(b, measure.Reading{At: at + 45_000, Value: v + 3})
	}
	got, err := Agree(a, b, 3000)
	if err != nil || math.Abs(float64(got.Lag-45_000)) > 6000 || got.Likeness < 0.99 {
		t.Errorf("lag %v ms, likeness %v, %v", got.Lag, got.Likeness, err)
	}
	back, _ := Agree(b, a, 3000)
	if math.Abs(float64(back.Lag+45_000)) > 6000 {
		t.Errorf("the other way round the lag is %v ms", back.Lag)
	}
}
