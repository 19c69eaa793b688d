package series

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"jauntylark/core/measure"
)

// drawn makes readings of a random sort: regular or jittery times, decimals, switches, any bits.
func drawn(r *rand.Rand, n int) []measure.Reading {
	readings := make([]measure.Reading, n)
	at := measure.Instant(r.Int64N(4e12)) - 1e12
	step, jitter := measure.Instant(1+r.IntN(100_000)), 1+r.IntN(1000)*r.IntN(2)
	decimals, sort, marked := math.Pow(10, float64(r.IntN(8))), r.IntN(5), r.IntN(3) == 0
	for i := range readings {
		at += step + measure.Instant(r.IntN(jitter))
		readings[i] = measure.Reading{At: at}
		v := &readings[i].Value
		switch sort {
		case 0:
			*v = math.Round(r.NormFloat64()*1000) / decimals
		case 1:
			*v = float64(r.IntN(2))
		case 2:
			*v = math.Sin(float64(i) / 50)
		case 3:
			for *v = math.NaN(); math.IsNaN(*v) || math.IsInf(*v, 0); {
				*v = math.Float64frombits(r.Uint64())
			}
		case 4:
			*v = []float64{0, math.Copysign(0, -1), 0.1 + 0.2, math.MaxFloat64, math.SmallestNonzeroFloat64, 1e15,
				9007199254740993}[r.IntN(7)]
		}
		if marked && r.IntN(4) == 0 {
			readings[i].Quality = measure.Quality(r.IntN(1 << measure.MarkCount))
		}
	}
	return readings
}

// same tells whether two runs agree to the last bit.
func same(a, b []measure.Reading) bool {
	return slices.EqualFunc(a, b, func(x, y measure.Reading) bool {
		return x.At == y.At && math.Float64bits(x.Value) == math.Float64bits(y.Value) && x.Quality == y.Quality
	})
}

func TestABlockGivesBackWhatWentIn(t *testing.T) {
	var room []measure.Reading
	for seed := range uint64(3000) {
		r := rand.New(rand.NewPCG(seed, 2))
		readings := drawn(r, 1+r.IntN(400))
		b := Seal(readings)
		var err error
		if room, err = Decode(b.Body, room[:0]); err != nil || !same(room, readings) {
			t.Fatalf("seed %d: %v", seed, err)
		}
		low, high := slices.MinFunc(readings, byValue), slices.MaxFunc(readings, byValue)
		if b.Count != len(readings) || b.FirstAt != readings[0].At || b.Low != low.Value || b.High != high.Value ||
			b.Digest != Digest(readings) {
			t.Fatalf("seed %d: head %+v", seed, b.Head)
		}
		for i := range readings { // each place counts for the digest
			was := readings[i]
			readings[i].Value = math.Float64frombits(math.Float64bits(was.Value) ^ 1)
			if Digest(readings) == b.Digest {
				t.Fatalf("seed %d: another value, the same digest", seed)
			}
			readings[i] = was
		}
	}
}

func byValue(a, b measure.Reading) int {
	switch {
	case a.Value < b.Value:
		return -1
	case a.Value > b.Value:
		return 1
	}
	return 0
}

func FuzzDecode(f *testing.F) {
	r := rand.New(rand.NewPCG(1, 1))
	for range 20 {
		f.Add(Seal(drawn(r, 1+r.IntN(30))).Body)
	}
	f.Fuzz(func(t *testing.T, body []byte) {
		readings, err := Decode(body, nil)
		if err != nil {
			if len(readings) != 0 {
				t.Fatal("readings out of a broken body")
			}
			return
		}
		for i := 1; i < len(readings); i++ {
			if readings[i].At <= readings[i-1].At {
				return // what nobody would seal
			}
		}
		if again, err := Decode(encode(readings), nil); err != nil || !same(again, readings) {
			t.Fatalf("%v\n%v\n%v", err, readings, again)
		}
	})
}

// Every prefix of a body, and a body with a byte more, is told as broken.
func TestABodyThatIsCutIsBroken(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	for range 200 {
		readings := drawn(r, 2+r.IntN(40))
		readings[0].Quality = measure.Late // so that the qualities are there
		body := encode(readings)
		for n := range body {
			if got, err := Decode(body[:n], nil); err == nil && same(got, readings) {
				t.Fatalf("%d of %d bytes were enough", n, len(body))
			}
		}
	}
	if _, err := Decode(append(encode(drawn(r, 5)), 0, 1, 2), nil); err == nil {
		t.Error("bytes after the end were not noticed")
	}
}

func TestRegularReadingsTakeLittle(t *testing.T) {
	readings := make([]measure.Reading, BlockReadings)
	for i := range readings {
		readings[i] = measure.Reading{At: measure.Instant(i * 1000),
			Value: math.Round(210+30*math.Sin(float64(i)/300)) / 10}
	}
	if n := len(Seal(readings).Body); n > BlockReadings+64 {
		t.Errorf("%d bytes for %d readings", n, len(readings))
	}
}

// Merging agrees with a map, in any order and cut, and the digest follows.
func TestMergeAgreesWithAMap(t *testing.T) {
	for seed := range uint64(500) {
		r := rand.New(rand.NewPCG(seed, 3))
		model, all := map[measure.Instant]float64{}, []measure.Reading{}
		for range 1 + r.IntN(6) {
			fresh, want, replace := []measure.Reading{}, Merged{}, r.IntN(2) == 0
			for at := range measure.Instant(60) {
				if r.IntN(3) > 0 {
					continue
				}
				f := measure.Reading{At: at, Value: float64(r.IntN(3))}
				fresh = append(fresh, f)
				old, there := model[at]
				switch {
				case !there:
					want.Added++
				case old == f.Value:
					want.Same++
				case replace:
					want.Replaced++
				default:
					want.Conflicts = append(want.Conflicts, f)
					continue
				}
				model[at] = f.Value
			}
			merged, told := Merge(all, fresh, replace)
			all = merged
			if told.Added != want.Added || told.Same != want.Same || told.Replaced != want.Replaced ||
				!slices.Equal(told.Conflicts, want.Conflicts) {
				t.Fatalf("seed %d: %+v, want %+v", seed, told, want)
			}
		}
		if len(all) != len(model) || !slices.IsSortedFunc(all,
			func(a, b measure.Reading) int { return int(a.At - b.At) }) {
			t.Fatalf("seed %d: %d readings, want %d", seed, len(all), len(model))
		}
		for _, x := range all {
			if model[x.At] != x.Value {
				t.Fatalf("seed %d: %+v", seed, x)
			}
		}
		rest, taken := Without(all, 10, 30)
		if got := Cut(all, 10, 30); !slices.Equal(got, taken) || Digest(rest)+Digest(taken) != Digest(all) {
			t.Fatalf("seed %d: cut %v, taken %v", seed, got, taken)
		}
	}
}

func TestInOrderKeepsTheFirstOfAnInstant(t *testing.T) {
	sorted, others := InOrder([]measure.Reading{{At: 3, Value: 1}, {At: 1, Value: 5}, {At: 3, Value: 1},
		{At: 1, Value: 6}, {At: 2}})
	if !slices.Equal(sorted, []measure.Reading{{At: 1, Value: 5}, {At: 2}, {At: 3, Value: 1}}) ||
		!slices.Equal(others, []measure.Reading{{At: 1, Value: 6}}) {
		t.Errorf("%v %v", sorted, others)
	}
}
