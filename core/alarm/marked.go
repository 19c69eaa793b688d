package alarm

import (
	"cmp"
	"math"
	"slices"
	"sort"

	"jauntylark/core/measure"
)

// Marked tells how many of the past alarms that people marked a replay would have raised too.
type Marked struct {
	Real      int `json:"real"`
	RealOf    int `json:"real_of"`
	Useful    int `json:"useful"`
	UsefulOf  int `json:"useful_of"`
	False     int `json:"false"`
	FalseOf   int `json:"false_of"`
	NotRaised int `json:"not_raised" doc:"of its alarms, those that were never raised"`
}

// Meet compares the alarms of a replay, in order of their raises, with those of the past that people have marked: they
// meet where they stand at the same time on the same side. It takes time with their number, not with its square.
func Meet(would []Occurrence, past []Alarm) *Marked {
	m := &Marked{}
	for side := High; side <= Low; side++ {
		var raised []*Occurrence // of one side they do not overlap
		for i := range would {
			if would[i].Side == side {
				raised = append(raised, &would[i])
			}
		}
		var known []*Alarm
		for i := range past {
			if past[i].Side == side {
				known = append(known, &past[i])
			}
		}
		m.count(raised, known)
	}
	return m
}

func (m *Marked) count(would []*Occurrence, past []*Alarm) {
	slices.SortStableFunc(past, func(a, b *Alarm) int { return cmp.Compare(a.RaisedAt, b.RaisedAt) })
	ends := make([]measure.Instant, len(past)) // of this one, or of one before it, the latest
	for i, a := range past {
		ends[i] = endOf(a.ClearedAt)
		if i > 0 {
			ends[i] = max(ends[i], ends[i-1])
		}
		first := sort.Search(len(would), func(k int) bool { return endOf(would[k].ClearedAt) >= a.RaisedAt })
		met := 0
		if first < len(would) && would[first].RaisedAt <= endOf(a.ClearedAt) {
			met = 1
		}
		switch a.Mark {
		case MarkReal:
			m.Real, m.RealOf = m.Real+met, m.RealOf+1
		case MarkUseful:
			m.Useful, m.UsefulOf = m.Useful+met, m.UsefulOf+1
		case MarkFalse:
			m.False, m.FalseOf = m.False+met, m.FalseOf+1
		}
	}
	for _, o := range would {
		before := sort.Search(len(past), func(k int) bool { return past[k].RaisedAt > endOf(o.ClearedAt) })
		if before == 0 || ends[before-1] < o.RaisedAt {
			m.NotRaised++
		}
	}
}

// endOf is when an alarm is over: never, where it still stands.
func endOf(cleared *measure.Instant) measure.Instant {
	if cleared == nil {
		return math.MaxInt64
	}
	return *cleared
}
