package total

import (
	"database/sql/driver"
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

// Scan reads the amount from its column.
func (a *Amount) Scan(v any) error {
	var text string
	switch v := v.(type) {
	case []byte:
		text = string(v)
	case string:
		text = v
	default:
		return fmt.Errorf("%T is no amount", v)
	}
	n, ok := new(big.Int).SetString(text, 10)
	if !ok || n.BitLen() > 127 {
		return fmt.Errorf("%q is no amount", text)
	}
	a.low = new(big.Int).And(n, new(big.Int).SetUint64(math.MaxUint64)).Uint64()
	a.high = new(big.Int).Rsh(n, 64).Int64()
	return nil
}

// Value writes the amount into its column.
func (a Amount) Value() (driver.Value, error) { return a.Big().String(), nil }

// millionths gives a value in millionths, the finest that is added up.
func millionths(v float64) int64 {
	return int64(math.Round(max(-9e12, min(9e12, v)) * 1e6))
}
