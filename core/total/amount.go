package total

import (
	"fmt"
	"math"
	"math/big"
	"math/bits"
)

// Amount is a whole number of 128 bits: millionths of a unit times milliseconds.
type Amount struct {
	high int64
	low  uint64
}

// Add gives the sum.
func (a Amount) Add(b Amount) Amount {
	low, carry := bits.Add64(a.low, b.low, 0)
	return Amount{a.high + b.high + int64(carry), low}
}

// AddProduct gives a + x × y.
func (a Amount) AddProduct(x, y int64) Amount {
	high, low := bits.Mul64(uint64(x), uint64(y))
	// The product of two's complement numbers (Warren, Hacker's Delight, 8.3).
	signed := int64(high) - (x>>63)&y - (y>>63)&x
	return a.Add(Amount{signed, low})
}

// Big gives the number.
func (a Amount) Big() *big.Int {
	n := big.NewInt(a.high)
	n.Lsh(n, 64)
	return n.Add(n, new(big.Int).SetUint64(a.low))
}

// Units gives the number as units times seconds.
func (a Amount) Units() float64 {
	f, _ := new(big.Float).SetInt(a.Big()).Float64()
	return f / 1e9
}

// MarshalText writes the number in decimals.
func (a Amount) MarshalText() ([]byte, error) { return a.Big().Append(nil, 10), nil }

// UnmarshalText reads what MarshalText wrote.
func (a *Amount) UnmarshalText(text []byte) error {
	n, ok := new(big.Int).SetString(string(text), 10)
	if !ok || n.BitLen() > 127 {
		return fmt.Errorf("%q is no amount", text)
	}
	a.low = new(big.Int).And(n, new(big.Int).SetUint64(math.MaxUint64)).Uint64()
	a.high = new(big.Int).Rsh(n, 64).Int64()
	return nil
}

// millionths gives a value in millionths, the finest that is added up.
func millionths(v float64) int64 {
	return int64(math.Round(max(-9e12, min(9e12, v)) * 1e6))
}
