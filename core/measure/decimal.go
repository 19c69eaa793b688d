package measure

import (
	"math"
	"math/big"
	"strconv"
)

// Sum adds two figures as the decimals that people write: 0.3 and -0.1 make 0.2, where adding the binary numbers makes
// 0.19999999999999998. The sum is the number nearest to the exact one of the shortest decimals that read back as a and
// b; it is infinite where that is too large.
func Sum(a, b float64) float64 {
	switch {
	case a == 0:
		return b
	case b == 0:
		return a
	}
	const places = 1e9 // nearly all figures have nine decimals at most; then whole numbers add up exactly
	if x, y := math.Round(a*places), math.Round(b*places); math.Abs(x) < 1<<52 && math.Abs(y) < 1<<52 &&
		x/places == a && y/places == b {
		return (x + y) / places
	}
	x, y := decimal(a), decimal(b)
	if x == nil || y == nil {
		return a + b
	}
	sum, _ := x.Add(x, y).Float64()
	return sum
}

// decimal is the shortest decimal that reads back as v; nil where there is none.
func decimal(v float64) *big.Rat {
	r, ok := new(big.Rat).SetString(strconv.FormatFloat(v, 'g', -1, 64))
	if !ok {
		return nil
	}
	return r
}

// digits is how many significant digits of what was computed in binary are trusted: the computation's few roundings
// stay below, and figures of up to as many digits come out as they are written.
const digits = 14

// Settle rounds v, which was computed in binary from figures as large as of, to the digits that these carry, so that
// 1.1 m is 110 cm and not 110.00000000000001.
func Settle(v, of float64) float64 {
	largest := max(math.Abs(v), math.Abs(of))
	if v == 0 || !(largest >= 1e-8 && largest < 1e22) {
		return settleFar(v, largest)
	}
	// The power of ten at or above the largest, from the power of two: 30103 / 100000 is a little over log10 2.
	exponent := int(math.Float64bits(largest)>>52) - 1022
	places := digits - (exponent*30103+99_999)/100_000
	if exponent < 0 {
		places = digits - exponent*30103/100_000
	}
	if places < 0 {
		return math.Round(v/tens[-places]) * tens[-places]
	}
	return math.Round(v*tens[places]) / tens[places]
}

// tens are the powers of ten that are exact numbers.
var tens = [...]float64{1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15, 1e16, 1e17,
	1e18, 1e19, 1e20, 1e21, 1e22}

// settleFar is Settle of figures so small or large that the power of ten to multiply with is no exact number.
func settleFar(v, largest float64) float64 {
	if v == 0 || !(largest >= 1e-280 && largest <= math.MaxFloat64) {
		return v
	}
	// Written in decimal and read again; figures that cancel each other keep what the largest carries.
	places := digits - 1 - int(math.Floor(math.Log10(largest))-math.Floor(math.Log10(math.Abs(v))))
	if places < 0 {
		return 0
	}
	settled, _ := strconv.ParseFloat(strconv.FormatFloat(v, 'e', places, 64), 64)
	return settled
}
