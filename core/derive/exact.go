package derive

import "math"

// exactSum adds and takes away numbers without any rounding, so that the sum of a window is the same
// whichever way it came about. It is a fixed-point number wide enough for every float64 (Kulisch and
// Miranker 1986): limb i counts 2^(32i-1152).
type exactSum struct {
	limbs   [70]int64
	pending int // additions since the carries were settled
}

const exactBias = 1152

// add adds a finite number; a negative sign takes it away.
func (s *exactSum) add(x float64, sign int64) {
	if x == 0 {
		return
	}
	fraction, exponent := math.Frexp(x)
	mantissa := int64(fraction * (1 << 53))
	if mantissa < 0 {
		mantissa, sign = -mantissa, -sign
	}
	place := exponent - 53 + exactBias
	i, shift := place/32, uint(place%32)
	low := uint64(mantissa) << shift // the lower 64 bits of it
	high := uint64(mantissa) >> (64 - shift)
	s.limbs[i] += sign * int64(low&math.MaxUint32)
	s.limbs[i+1] += sign * int64(low>>32)
	s.limbs[i+2] += sign * int64(high)
	if s.pending++; s.pending == 1<<30 {
		s.settle()
	}
}

// settle carries, so that all limbs but the last are between 0 and 2^32.
func (s *exactSum) settle() {
	s.pending = 0
	for i := 0; i < len(s.limbs)-1; i++ {
		carry := s.limbs[i] >> 32
		s.limbs[i] -= carry << 32
		s.limbs[i+1] += carry
	}
}

// value gives the sum, rounded by no more than two units in the last place, always the same for the same
// sum.
func (s *exactSum) value() float64 {
	s.settle()
	if s.limbs[len(s.limbs)-1] < 0 {
		negative := exactSum{}
		for i, l := range s.limbs {
			negative.limbs[i] = -l
		}
		return -negative.value()
	}
	top := len(s.limbs) - 1
	for top > 0 && s.limbs[top] == 0 {
		top--
	}
	sum := 0.0
	for i := max(0, top-3); i <= top; i++ {
		sum += math.Ldexp(float64(s.limbs[i]), 32*i-exactBias)
	}
	return sum
}
