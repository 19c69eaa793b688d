package series

import (
	"cmp"
	"slices"

	"jauntylark/core/measure"
)

// Merged tells what became of the readings that were merged into others.
type Merged struct {
	Added     int
	Same      int // were there already, with the same value
	Replaced  int
	Conflicts []measure.Reading // another value is there already; left out, unless replacing
}

// Merge gives old and fresh, each in strictly ascending order of time, as one such run. Where both have a
// reading at an instant, the old one stays, unless replace says that a fresh one of another value takes
// its place.
func Merge(old, fresh []measure.Reading, replace bool) ([]measure.Reading, Merged) {
	all := make([]measure.Reading, 0, len(old)+len(fresh))
	var told Merged
	for len(old) > 0 && len(fresh) > 0 {
		switch o, f := &old[0], &fresh[0]; {
		case o.At < f.At:
			all, old = append(all, *o), old[1:]
			continue
		case f.At < o.At:
			all, told.Added = append(all, *f), told.Added+1
		case f.Value == o.Value:
			all, old, told.Same = append(all, *o), old[1:], told.Same+1
		case replace:
			all, old, told.Replaced = append(all, *f), old[1:], told.Replaced+1
		default:
			all, old, told.Conflicts = append(all, *o), old[1:], append(told.Conflicts, *f)
		}
		fresh = fresh[1:]
	}
	told.Added += len(fresh)
	return append(append(all, old...), fresh...), told
}

// InOrder sorts readings by time. Of several at one instant the first stays when they read the same;
// those that read otherwise are given apart.
func InOrder(readings []measure.Reading) (sorted, others []measure.Reading) {
	slices.SortStableFunc(readings, func(a, b measure.Reading) int { return cmp.Compare(a.At, b.At) })
	sorted = readings[:0]
	for _, r := range readings {
		if n := len(sorted); n > 0 && sorted[n-1].At == r.At {
			if sorted[n-1].Value != r.Value {
				others = append(others, r)
			}
			continue
		}
		sorted = append(sorted, r)
	}
	return sorted, others
}

// Without gives readings without those from from up to and with until.
func Without(readings []measure.Reading, from, until measure.Instant) (rest, taken []measure.Reading) {
	begin, _ := slices.BinarySearchFunc(readings, from, atInstant)
	end, _ := slices.BinarySearchFunc(readings, until+1, atInstant)
	return slices.Concat(readings[:begin], readings[end:]), slices.Clone(readings[begin:end])
}

// Cut gives those of readings from from up to and with until.
func Cut(readings []measure.Reading, from, until measure.Instant) []measure.Reading {
	begin, _ := slices.BinarySearchFunc(readings, from, atInstant)
	end, _ := slices.BinarySearchFunc(readings, until+1, atInstant)
	return readings[begin:max(begin, end)]
}

func atInstant(r measure.Reading, at measure.Instant) int { return cmp.Compare(r.At, at) }
