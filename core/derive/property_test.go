package derive

import (
	"math"
	"math/big"
	"math/rand/v2"
	"slices"
	"testing"

	"jauntylark/core/calibrate"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// The same sum is the same number, however it came about, and the nearest two.
func TestExactSums(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 6))
	for range 300 {
		var values []float64
		for range 1 + rng.IntN(40) {
			values = append(values, math.Ldexp(rng.Float64()*2-1, rng.IntN(2000)-1000))
		}
		extra := []float64{1e300, -3.5, math.SmallestNonzeroFloat64, math.MaxFloat64 / 2}
		var a, b exactSum
		exact := new(big.Float).SetPrec(4000)
		for _, v := range values {
			a.add(v, 1)
			exact.Add(exact, new(big.Float).SetFloat64(v))
		}
		for _, v := range append(slices.Clone(extra), values...) {
			b.add(-v, -1)
		}
		for _, v := range extra {
			b.add(v, -1)
		}
		want, _ := exact.Float64()
		if a.value() != b.value() || math.Abs(a.value()-want) > 4e-16*math.Abs(want) {
			t.Fatalf("%v and %v, not %v", a.value(), b.value(), want)
		}
	}
}

// recipes of every kind, over inputs 0 (a number), 1 (another) and 2 (on or off).
func recipes() map[string]struct {
	r  Recipe
	of []int
} {
	limit := 50.0
	type with = struct {
		r  Recipe
		of []int
	}
	minute := measure.Duration(60e9)
	one := []Input{{"of", "x"}}
	all := map[string]with{
		"on-off": {Recipe{When: "above 20", Deadband: 3, Of: one}, []int{0}},
		"charge": {Recipe{Curve: "own", Points: calibrate.Pairs{{Shown: 0, Reference: 0},
			{Shown: 60, Reference: 100}}, Of: one}, []int{0}},
		"charging":         {Recipe{Window: 2 * minute, Deadband: 40, Of: one}, []int{0}},
		"hours-left":       {Recipe{Window: 2 * minute, Edge: "low", Of: one}, []int{0}},
		"forecast":         {Recipe{Window: 3 * minute, Limit: &limit, Of: one}, []int{0}},
		"rate":             {Recipe{Window: minute, Of: one}, []int{0}},
		"moving-mean":      {Recipe{Window: 2 * minute, Of: one}, []int{0}},
		"moving-median":    {Recipe{Window: minute, Of: one}, []int{0}},
		"moving-deviation": {Recipe{Window: minute, Of: one}, []int{0}},
		"on-for":           {Recipe{Of: one}, []int{2}},
		"off-for":          {Recipe{Of: one}, []int{2}},
		"cycles":           {Recipe{Window: 2 * minute, Of: one}, []int{2}},
		"on-time":          {Recipe{Window: 2 * minute, Of: one}, []int{2}},
		"times-usual":      {Recipe{Count: "on-time", Of: one}, []int{2}},
		"unlike-usual":     {Recipe{Of: one}, []int{0}},
		"readings-over":    {Recipe{When: "above 30", Last: 7, Of: one}, []int{0}},
		"difference":       {Recipe{Of: []Input{{"a", "x"}, {"b", "y"}}}, []int{0, 1}},
		"highest":          {Recipe{Of: []Input{{"a", "x"}, {"b", "y"}}}, []int{0, 1}},
		"formula": {Recipe{Formula: "lamp ? x : y", Of: []Input{{"lamp", "z"}, {"x", "x"}, {"y", "y"}}},
			[]int{2, 0, 1}},
	}
	for name, w := range all {
		w.r.Kind = name
		all[name] = w
	}
	return all
}

// stretches of readings with gaps and unusable ones, on instants that the inputs share now and then.
func randomInputs(rng *rand.Rand, length int, step measure.Instant) [3][]measure.Reading {
	var in [3][]measure.Reading
	x := 30.0
	skip := [3]int{}
	for n := range length {
		at := measure.Instant(n+1) * step
		x += rng.Float64()*4 - 2
		for i := range in {
			if rng.IntN(60) == 0 {
				skip[i] = rng.IntN(40)
			}
			if skip[i] > 0 || rng.IntN(4) == 0 {
				skip[i] = max(0, skip[i]-1)
				continue
			}
			v := math.Round(x*10) / 10
			switch i {
			case 1:
				v = math.Round(rng.Float64() * 100)
			case 2:
				v = float64(n / 7 % 2)
			}
			q := measure.Quality(0)
			if rng.IntN(20) == 0 {
				q = measure.Implausible
			}
			in[i] = append(in[i], measure.Reading{At: at, Value: v, Quality: q})
		}
	}
	return in
}

// streams gives what a machine needs of the inputs to compute from an instant on.
func streams(in [3][]measure.Reading, of []int, from measure.Instant) []Stream {
	out := make([]Stream, len(of))
	for k, i := range of {
		rest := in[i]
		out[k] = func() (measure.Reading, bool, error) {
			for len(rest) > 0 && rest[0].At < from {
				rest = rest[1:]
			}
			if len(rest) == 0 {
				return measure.Reading{}, false, nil
			}
			r := rest[0]
			rest = rest[1:]
			return r, true, nil
		}
	}
	return out
}

// Computing again from any instant gives what was given before, to the last bit.
func TestComputedAgainIsTheSame(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 8))
	for name, w := range recipes() {
		step, length, runs := measure.Instant(5000), 400, 25
		if name == "times-usual" || name == "unlike-usual" {
			step, length, runs = 1_200_000, 2500, 5
		}
		sources := []Source{{"x", site.KindNumber, "V", 12 * step, 0}, {"y", site.KindNumber, "V", 3 * step, 0},
			{"z", site.KindSwitch, "", 6 * step, 0}}
		var of []Source
		for _, i := range w.of {
			of = append(of, sources[i])
		}
		given := 0
		for range runs {
			in := randomInputs(rng, length, step)
			m := build(t, w.r, of...)
			whole := collect(t, m.Over(streams(in, w.of, 0), 0, nil))
			given += len(whole)
			from := measure.Instant(rng.IntN(length)) * step
			var before *measure.Reading
			rest := 0
			for rest < len(whole) && whole[rest].At < from {
				before = &whole[rest]
				rest++
			}
			m = build(t, w.r, of...)
			again := collect(t, m.Over(streams(in, w.of, from-m.Reach()), from, before))
			if !slices.Equal(again, whole[rest:]) {
				for i := range again {
					if i >= len(whole[rest:]) || again[i] != whole[rest+i] {
						t.Logf("first differs at %+v, before it was %+v", again[i], whole[min(len(whole)-1, rest+i)])
						break
					}
				}
				t.Fatalf("%s from %d: %d readings differ from %d", name, from, len(again), len(whole)-rest)
			}
		}
		if given == 0 {
			t.Errorf("%s gave nothing at all", name)
		}
	}
}

func collect(t *testing.T, r *Runner) (all []measure.Reading) {
	t.Helper()
	for {
		reading, some, err := r.Next()
		if err != nil {
			t.Fatal(err)
		}
		if !some {
			return all
		}
		all = append(all, reading)
	}
}

func FuzzFormula(f *testing.F) {
	for _, text := range []string{"t - 1", "t > 3.0 ? t : v", "math.greatest(t, v)", "(", "t[0]", "a.b",
		"[1.0].all(x, x > 0.0)", "'\\u0000'", "t\n+v"} {
		f.Add(text)
	}
	sources := []Source{number("a/t", "Cel"), number("a/v", "V")}
	f.Fuzz(func(t *testing.T, text string) {
		r := Recipe{Kind: "formula", Formula: text, Of: []Input{{"t", "a/t"}, {"v", "a/v"}}}
		m, err := r.Build(sources)
		if err != nil {
			return
		}
		m.Hold(0, 1, 20)
		m.Hold(1, 1, -1)
		if v, ok := m.Compute(1); ok && (math.IsNaN(v) || math.IsInf(v, 0)) {
			t.Errorf("%q gives %v", text, v)
		}
	})
}
