// Package series computes on long runs of readings: blocks that hold them in few bytes, what is known
// of a block without opening it, figures by period, and exact line reduction for charts.
package series

import (
	"math"
	"math/bits"

	"jauntylark/core/measure"
)

// BlockReadings is how many readings a block holds at most.
const BlockReadings = 4096

// Block is a stretch of one signal's readings, sealed. The blocks of a signal do not overlap.
type Block struct {
	Head
	Body []byte `db:"body"`
}

// Head is what is known of a block without opening it. Lowest and highest are over all readings, and
// are the earliest where several read the same; sums are over the usable ones.
type Head struct {
	FirstAt measure.Instant `db:"first_at"`
	LastAt  measure.Instant `db:"last_at"`
	Count   int             `db:"count"`
	First   float64         `db:"first_value"`
	Last    float64         `db:"last_value"`
	LowAt   measure.Instant `db:"low_at"`
	Low     float64         `db:"low"`
	HighAt  measure.Instant `db:"high_at"`
	High    float64         `db:"high"`
	Sum     float64         `db:"sum"`
	// value times the milliseconds to the next usable reading in the block, summed
	Held    float64 `db:"held"`
	HeldFor int64   `db:"held_for"` // those milliseconds, summed
	Gap     int64   `db:"gap"`      // the longest of them
	Usable  int     `db:"usable"`
	Marks   Marks   `db:"marks"`
	Digest  int64   `db:"digest"`
}

// Marks counts the readings that carry each mark, in the order of the marks' bits; nil when none
// carries any.
type Marks []int32

// Seal packs readings, which must be in strictly ascending order of time and at least one, into a block.
func Seal(readings []measure.Reading) Block {
	return Block{Head: headOf(readings), Body: encode(readings)}
}

func headOf(readings []measure.Reading) Head {
	first, last := &readings[0], &readings[len(readings)-1]
	h := Head{FirstAt: first.At, First: first.Value, LastAt: last.At, Last: last.Value, Count: len(readings),
		LowAt: first.At, Low: first.Value, HighAt: first.At, High: first.Value}
	before := -1
	for i := range readings {
		r := &readings[i]
		if r.Value < h.Low {
			h.Low, h.LowAt = r.Value, r.At
		}
		if r.Value > h.High {
			h.High, h.HighAt = r.Value, r.At
		}
		h.Digest += digest(r)
		if r.Quality != 0 {
			h.Marks = h.Marks.with(r.Quality)
		}
		if !r.Quality.Usable() {
			continue
		}
		h.Usable++
		h.Sum += r.Value
		if before >= 0 {
			gap := int64(r.At - readings[before].At)
			h.Held += readings[before].Value * float64(gap)
			h.HeldFor += gap
			h.Gap = max(h.Gap, gap)
		}
		before = i
	}
	h.Sum, h.Held = finite(h.Sum), finite(h.Held)
	return h
}

// finite keeps a sum of huge values in what a float64 can hold.
func finite(sum float64) float64 { return max(-math.MaxFloat64, min(math.MaxFloat64, sum)) }

func (m Marks) with(q measure.Quality) Marks {
	if m == nil {
		m = make(Marks, measure.MarkCount)
	}
	for rest := uint16(q); rest != 0; rest &= rest - 1 {
		if bit := bits.TrailingZeros16(rest); bit < len(m) {
			m[bit]++
		}
	}
	return m
}

// digest is a number that tells a reading from others (the finalizer of SplitMix64 over instant, bits
// and quality). The digest of many is the sum of theirs, so that it depends neither on their order nor
// on how they fall into blocks.
func digest(r *measure.Reading) int64 {
	return int64(mix(mix(mix(uint64(r.At))+math.Float64bits(r.Value)) + uint64(r.Quality)))
}

func mix(z uint64) uint64 {
	z += 0x9e3779b97f4a7c15
	z = (z ^ z>>30) * 0xbf58476d1ce4e5b9
	z = (z ^ z>>27) * 0x94d049bb133111eb
	return z ^ z>>31
}

// Digest is the sum of the digests of readings.
func Digest(readings []measure.Reading) (sum int64) {
	for i := range readings {
		sum += digest(&readings[i])
	}
	return sum
}

// SealAll packs readings, in strictly ascending order of time, into as few full blocks as they need.
func SealAll(readings []measure.Reading) []Block {
	blocks := make([]Block, 0, len(readings)/BlockReadings+1)
	for len(readings) > 0 {
		n := min(len(readings), BlockReadings)
		blocks = append(blocks, Seal(readings[:n]))
		readings = readings[n:]
	}
	return blocks
}
