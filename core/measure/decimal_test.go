package measure

import (
	"fmt"
	"math"
	"math/rand/v2"
	"strconv"
	"testing"
)

// Figures are added as they are written.
func TestSumsAreDecimal(t *testing.T) {
	for _, c := range []struct{ a, b, want float64 }{
		{0.3, -0.1, 0.2}, {0.1, 0.2, 0.3}, {12.2, 2.04, 14.24}, {1e-12, 2e-12, 3e-12}, {1e300, 1e-300, 1e300},
		{123456789.1, 0.2, 123456789.3}, {-0.3, 0.1, -0.2}, {5, 0, 5}, {0, 0.7, 0.7},
		{math.MaxFloat64, math.MaxFloat64, math.Inf(1)}, {0.1, -0.1, 0},
	} {
		if got := Sum(c.a, c.b); got != c.want {
			t.Errorf("%v and %v make %v, want %v", c.a, c.b, got, c.want)
		}
	}
	r := rand.New(rand.NewPCG(21, 2))
	for range 20_000 { // against whole numbers of a random decimal place
		places := r.IntN(13)
		x, y := r.Int64N(1e9)-5e8, r.Int64N(1e9)-5e8
		figure := func(n int64) float64 {
			v, err := strconv.ParseFloat(fmt.Sprintf("%de-%d", n, places), 64)
			if err != nil {
				t.Fatal(err)
			}
			return v
		}
		if got := Sum(figure(x), figure(y)); got != figure(x+y) {
			t.Fatalf("%v and %v make %v, want %v", figure(x), figure(y), got, figure(x+y))
		}
	}
}

func TestConversionsAreDecimal(t *testing.T) {
	for _, c := range []struct {
		value    float64
		from, to Unit
		want     float64
	}{
		{1.1, "m", "cm", 110}, {0.07, "bar", "hPa", 70}, {2.3, "kW", "W", 2300}, {4.35, "V", "mV", 4350},
		{16.1, "mm", "cm", 1.61}, {36, "km/h", "m/s", 10}, {0.57, "l", "ml", 570},
		{1.005, "kWh", "Wh", 1005}, {8.7e-9, "F", "F", 8.7e-9}, {1e-15, "m", "km", 1e-18},
		{49, "[degF]", "Cel", 9.444444444},
	} {
		if got, err := Convert(c.value, c.from, c.to); err != nil || got != c.want {
			t.Errorf("%v %s is %v %s, want %v: %v", c.value, c.from, got, c.to, c.want, err)
		}
	}
	for v := 1; v <= 20_000; v++ { // whole and tenths, there and back
		for _, pair := range [][2]Unit{{"m", "cm"}, {"bar", "hPa"}, {"kWh", "J"}, {"l", "ml"}, {"min", "s"}} {
			value := float64(v) / 10
			there, _ := Convert(value, pair[0], pair[1])
			if back, _ := Convert(there, pair[1], pair[0]); back != value {
				t.Fatalf("%v %s is %v %s, and back %v", value, pair[0], there, pair[1], back)
			}
		}
	}
}

func TestSettle(t *testing.T) {
	for _, c := range []struct{ v, of, want float64 }{
		{0.1 + 0.2, 0.2, 0.3}, {100.01 - 100, 100, 0.01}, {0, 5, 0}, {math.Inf(1), 0, math.Inf(1)}, {1e-320, 0, 1e-320},
		{123456.7, 0, 123456.7}, {9.007199254740993e15, 0, 9.007199254741e15},
	} {
		if got := Settle(c.v, c.of); got != c.want {
			t.Errorf("%v of %v is %v, want %v", c.v, c.of, got, c.want)
		}
	}
}

func BenchmarkSettle(b *testing.B) {
	v := 0.1
	for b.Loop() {
		v = Settle(v+0.2, 0.2) - 0.2
	}
}

// However large or small they are, figures of up to twelve digits are kept by Settle as they are written, with noise of
// binary computing taken off.
func TestSettleKeepsWhatIsWritten(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 50_000 {
		v, err := strconv.ParseFloat(fmt.Sprintf("%de%d", r.Int64N(1e12)-5e11, r.IntN(60)-36), 64)
		if err != nil {
			t.Fatal(err)
		}
		noisy := math.Nextafter(math.Nextafter(v, math.Inf(1)), math.Inf(1))
		if Settle(v, 0) != v || Settle(noisy, 0) != v {
			t.Fatalf("%v is settled to %v, and %v to %v", v, Settle(v, 0), noisy, Settle(noisy, 0))
		}
	}
}
