package feed

import (
	"cmp"
	"encoding/binary"
	"errors"
	"slices"
	"time"

	"jauntylark/core/measure"
)

// Stretch is a part of a signal's time, both ends included, in which its readings are others.
type Stretch struct {
	Signal int64
	From   measure.Instant
	Until  measure.Instant
}

// Near is how far apart two stretches of a signal may lie to be told as one: few readings lie between them.
const Near = time.Minute

// Together joins stretches of a signal that touch or lie near each other, and puts them in order of signals and time.
func Together(all []Stretch) []Stretch {
	slices.SortFunc(all, func(a, b Stretch) int {
		return cmp.Or(cmp.Compare(a.Signal, b.Signal), cmp.Compare(a.From, b.From))
	})
	joined := all[:0]
	for _, s := range all {
		if last := len(joined) - 1; last >= 0 && joined[last].Signal == s.Signal && s.From <= joined[last].Until.Add(Near) {
			joined[last].Until = max(joined[last].Until, s.Until)
			continue
		}
		joined = append(joined, s)
	}
	return joined
}

// Pack packs stretches that are in order, as Together leaves them: signals as differences, times as differences from
// an instant near to most of them.
func Pack(all []Stretch, near measure.Instant) []byte {
	packed := binary.AppendVarint(make([]byte, 0, 16+6*len(all)), int64(near))
	signal := int64(0)
	for _, s := range all {
		packed = binary.AppendUvarint(packed, uint64(s.Signal-signal))
		packed = binary.AppendVarint(packed, int64(near-s.From))
		packed = binary.AppendUvarint(packed, uint64(s.Until-s.From))
		signal = s.Signal
	}
	return packed
}

// ErrPacked says that bytes are no packed stretches.
var ErrPacked = errors.New("these are no packed stretches")

// Unpack gives what was packed.
func Unpack(packed []byte) ([]Stretch, error) {
	near, n := binary.Varint(packed)
	if n <= 0 {
		return nil, ErrPacked
	}
	var all []Stretch
	signal := int64(0)
	for packed = packed[n:]; len(packed) > 0; {
		ahead, a := binary.Uvarint(packed)
		if a <= 0 {
			return nil, ErrPacked
		}
		back, b := binary.Varint(packed[a:])
		if b <= 0 {
			return nil, ErrPacked
		}
		long, c := binary.Uvarint(packed[a+b:])
		if c <= 0 {
			return nil, ErrPacked
		}
		signal += int64(ahead)
		from := measure.Instant(near - back)
		all = append(all, Stretch{Signal: signal, From: from, Until: from + measure.Instant(long)})
		packed = packed[a+b+c:]
	}
	return all, nil
}
