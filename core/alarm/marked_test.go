package alarm

import (
	"math/rand/v2"
	"testing"

	"jauntylark/core/measure"
)

// Meeting is counted as by looking at each pair.
func TestMeetAgreesWithLookingAtEachPair(t *testing.T) {
	met := 0
	for seed := range 3000 {
		r := rand.New(rand.NewPCG(uint64(seed), 1))
		at := [2]measure.Instant{}
		var would []Occurrence
		for range r.IntN(12) {
			side := r.IntN(2)
			at[side] += measure.Instant(1 + r.IntN(20))
			o := Occurrence{Side: Side(side), RaisedAt: at[side]}
			at[side] += measure.Instant(r.IntN(20))
			end := at[side]
			o.ClearedAt = &end
			would = append(would, o)
		}
		if n := len(would); n > 0 && r.IntN(3) == 0 {
			would[n-1].ClearedAt = nil
		}
		var past []Alarm
		for range r.IntN(12) {
			a := Alarm{Side: Side(r.IntN(2)), RaisedAt: measure.Instant(r.IntN(150)),
				Mark: []string{"", MarkReal, MarkFalse, MarkUseful}[r.IntN(4)]}
			if end := a.RaisedAt + measure.Instant(r.IntN(40)); r.IntN(5) > 0 {
				a.ClearedAt = &end
			}
			past = append(past, a)
		}
		var want Marked
		meets := func(o *Occurrence, a *Alarm) bool {
			return o.Side == a.Side && (a.ClearedAt == nil || o.RaisedAt <= *a.ClearedAt) &&
				(o.ClearedAt == nil || a.RaisedAt <= *o.ClearedAt)
		}
		for i := range past {
			n := 0
			for j := range would {
				if meets(&would[j], &past[i]) {
					n = 1
				}
			}
			switch past[i].Mark {
			case MarkReal:
				want.Real, want.RealOf = want.Real+n, want.RealOf+1
			case MarkFalse:
				want.False, want.FalseOf = want.False+n, want.FalseOf+1
			case MarkUseful:
				want.Useful, want.UsefulOf = want.Useful+n, want.UsefulOf+1
			}
		}
		for j := range would {
			found := false
			for i := range past {
				found = found || meets(&would[j], &past[i])
			}
			if !found {
				want.NotRaised++
			}
		}
		if got := *Meet(would, past); got != want {
			t.Fatalf("seed %d: %+v, want %+v", seed, got, want)
		}
		met += want.Real
	}
	if met < 1000 {
		t.Errorf("only %d met", met)
	}
}
