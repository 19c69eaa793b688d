package series

import (
	"encoding/binary"
	"errors"
	"math"
	"math/bits"

	"jauntylark/core/measure"
)

// The body of a block is bytes that a function of the database can read too (docs/block-format.md).
// Numbers are varints, seven bits a byte, lowest first; signed ones in zigzag form.
//
//	1 byte   version
//	uvarint  how many readings
//	1 byte   form of the times,  uvarint their length, times
//	1 byte   form of the values, uvarint their length, values
//	pairs of uvarints: quality and how many readings have it; nothing when all are good
//
// Times are the first instant and then the change of each step to the next (delta of delta), one by
// one or as pairs with how often it comes. Values are decimals (the number of decimals, then the steps
// between them as whole numbers) or, where one value is no decimal of few digits, the bits that differ
// from the value before.
const (
	bodyVersion = 1

	timesEach = 0 // one change of step a reading
	timesRuns = 1 // pairs of change and how many readings

	valuesBits    = 0   // XOR with the value before
	valuesDecimal = 100 // and up: plus the number of decimals
	mostDecimals  = 12
	wholeLimit    = 1 << 53 // whole numbers below are exact in a float64
)

var errBody = errors.New("series: not the body of a block")

var powers = [mostDecimals + 1]float64{1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12}

// encode gives the body of readings, which must be in ascending order of time and at least one.
func encode(readings []measure.Reading) []byte {
	body := make([]byte, 0, 64+2*len(readings))
	body = append(body, bodyVersion)
	body = binary.AppendUvarint(body, uint64(len(readings)))
	body = appendSection(body, timesOf(readings))
	body = appendSection(body, valuesOf(readings))
	return appendQualities(body, readings)
}

// section is a part of a body in one of its forms.
type section struct {
	form byte
	data []byte
}

func appendSection(body []byte, s section) []byte {
	body = append(body, s.form)
	body = binary.AppendUvarint(body, uint64(len(s.data)))
	return append(body, s.data...)
}

func timesOf(readings []measure.Reading) section {
	first := binary.AppendVarint(nil, int64(readings[0].At))
	each, runs := append(make([]byte, 0, len(readings)+16), first...), append(make([]byte, 0, 64), first...)
	step, change, times := int64(0), int64(0), uint64(0)
	for i := 1; i < len(readings); i++ {
		next := int64(readings[i].At - readings[i-1].At)
		c := next - step
		step = next
		each = binary.AppendVarint(each, c)
		if times > 0 && c == change {
			times++
			continue
		}
		runs = appendRun(runs, change, times)
		change, times = c, 1
	}
	runs = appendRun(runs, change, times)
	if len(runs) < len(each) {
		return section{timesRuns, runs}
	}
	return section{timesEach, each}
}

func appendRun(runs []byte, change int64, times uint64) []byte {
	if times == 0 {
		return runs
	}
	return binary.AppendUvarint(binary.AppendVarint(runs, change), times)
}

func valuesOf(readings []measure.Reading) section {
	differing := func() section { return section{valuesBits, bitsOf(readings)} }
	decimals, ok := decimalsOf(readings)
	if !ok {
		return differing()
	}
	data, last := make([]byte, 0, 2*len(readings)), int64(0)
	for i := range readings {
		whole := int64(math.RoundToEven(readings[i].Value * powers[decimals]))
		data = binary.AppendVarint(data, whole-last)
		last = whole
	}
	if len(data) > 4*len(readings) { // wide steps: the bits may be shorter
		if s := differing(); len(s.data) < len(data) {
			return s
		}
	}
	return section{byte(valuesDecimal + decimals), data}
}

// decimalsOf gives how many decimals all values can be written with, to the last bit.
func decimalsOf(readings []measure.Reading) (int, bool) {
	decimals := 0
	for i := range readings {
		v := readings[i].Value
		for !isDecimal(v, decimals) {
			if decimals++; decimals > mostDecimals {
				return 0, false
			}
		}
	}
	for i := range readings { // a value of few decimals may not survive many
		if !isDecimal(readings[i].Value, decimals) {
			return 0, false
		}
	}
	return decimals, true
}

func isDecimal(v float64, decimals int) bool {
	whole := math.RoundToEven(v * powers[decimals])
	return math.Abs(whole) < wholeLimit && math.Float64bits(float64(int64(whole))/powers[decimals]) == math.Float64bits(
		v)
}

// bitsOf writes, for each value, a byte with the number of zero bytes before (high half) and after
// (low half) the bytes that differ, and these bytes, highest first.
func bitsOf(readings []measure.Reading) []byte {
	data, last := make([]byte, 0, 9*len(readings)), uint64(0)
	for i := range readings {
		now := math.Float64bits(readings[i].Value)
		differ := now ^ last
		last = now
		if differ == 0 {
			data = append(data, 0x80)
			continue
		}
		before, after := bits.LeadingZeros64(differ)/8, bits.TrailingZeros64(differ)/8
		data = append(data, byte(before<<4|after))
		for b := 7 - before; b >= after; b-- {
			data = append(data, byte(differ>>(8*b)))
		}
	}
	return data
}

func appendQualities(body []byte, readings []measure.Reading) []byte {
	all := measure.Quality(0)
	for i := range readings {
		all |= readings[i].Quality
	}
	if all == 0 {
		return body
	}
	for start := 0; start < len(readings); {
		end := start + 1
		for end < len(readings) && readings[end].Quality == readings[start].Quality {
			end++
		}
		body = binary.AppendUvarint(binary.AppendUvarint(body, uint64(readings[start].Quality)), uint64(end-start))
		start = end
	}
	return body
}
