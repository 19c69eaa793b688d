package quality

import (
	"math/rand/v2"
	"testing"
	"time"

	"jauntylark/core/measure"
)

func number(v float64) *float64 { return &v }

const second = measure.Instant(1000)

// judgeAll gives the marks of a run of values, one a second.
func judgeAll(r *Rules, s State, values ...float64) (marks []measure.Quality, after State) {
	for i, v := range values {
		var q measure.Quality
		s, q = Judge(r, s, measure.Instant(i+1)*second, v)
		marks = append(marks, q)
	}
	return marks, s
}

func expect(t *testing.T, what string, got []measure.Quality, want ...measure.Quality) {
	t.Helper()
	for i := range want {
		if got[i] != want[i] {
			t.Errorf("%s: reading %d is %v, not %v", what, i, got[i], want[i])
		}
	}
}

func TestMarks(t *testing.T) {
	span := Rules{SpanLow: number(0), SpanHigh: number(500)}
	got, _ := judgeAll(&span, State{}, 0, 500, -0.1, 500.1)
	expect(t, "the ends of the span are plausible", got, 0, 0, measure.Implausible, measure.Implausible)

	stuck := Rules{StuckAfter: measure.Duration(3 * time.Second)}
	got, _ = judgeAll(&stuck, State{}, 7, 7, 7, 7, 7, 8, 8)
	expect(t, "stuck from three seconds on", got, 0, 0, 0, measure.Stuck, measure.Stuck, 0, 0)

	warm := Rules{WarmUp: measure.Duration(2 * time.Second)}
	got, _ = judgeAll(&warm, State{}.PowerOn(2*second), 1, 2, 3, 4, 5)
	expect(t, "warming follows power-on", got, 0, measure.Warming, measure.Warming, 0, 0)
	got, _ = judgeAll(&warm, State{}, 1, 2, 3)
	expect(t, "nothing warms that nobody switched on", got, 0, 0, 0)
}

func TestAGapMeansPowerOnlyWhereItIsSaid(t *testing.T) {
	for _, c := range []struct {
		gap  time.Duration
		want measure.Quality
	}{{0, 0}, {time.Minute, measure.Warming}, {time.Hour, 0}} {
		r := Rules{WarmUp: measure.Duration(time.Minute), WarmGap: measure.Duration(c.gap)}
		s, _ := Judge(&r, State{}, second, 1)
		if _, q := Judge(&r, s, second.Add(2*time.Minute), 1); q != c.want {
			t.Errorf("after a gap of 2m with warm_gap %v: %v, not %v", c.gap, q, c.want)
		}
	}
}

func TestAnUnwatchedValueIsNotStuck(t *testing.T) {
	r := Rules{StuckAfter: measure.Duration(time.Minute)}
	s, _ := Judge(&r, State{}, second, 5)
	if _, q := Judge(&r, s, second.Add(time.Hour), 5); q != 0 {
		t.Errorf("the same value after an hour without readings is %v", q)
	}
}

func TestALateReadingMovesNothing(t *testing.T) {
	r := Rules{StuckAfter: measure.Duration(time.Second), SpanHigh: number(10)}
	_, s := judgeAll(&r, State{}, 1, 1, 2)
	after, q := Judge(&r, s, second, 11)
	if after != s || q != measure.Implausible {
		t.Errorf("a late reading gave %v and moved %+v to %+v", q, s, after)
	}
}

func TestSensorFault(t *testing.T) {
	r := Rules{SpanLow: number(0.5), FailsTo: Low, FaultAfter: measure.Duration(3 * time.Second)}
	var s State
	faults := []bool{}
	for i, v := range []float64{5, 0, 0, 0, 0, 5, 0} {
		at := measure.Instant(i+1) * second
		var q measure.Quality
		var fault bool
		s, q = Judge(&r, s, at, v)
		s, fault = s.Faulty(&r, at, q, false)
		faults = append(faults, fault)
	}
	for i, want := range []bool{false, false, false, false, true, false, false} {
		if faults[i] != want {
			t.Errorf("reading %d: fault %v", i, faults[i])
		}
	}
	if s, fault := (State{FaultSince: second}).Faulty(&r, 9*second, measure.Implausible, true); fault ||
		s.FaultSince != 0 {
		t.Error("a reading that a guard took for an alarm counts as a fault")
	}
	if s, _ := (State{FaultSince: second}).Faulty(&r, 9*second, measure.Implausible|measure.Warming,
		false); s.FaultSince != second {
		t.Error("a warming reading ends the count")
	}
}

// Judging in one go and with a stop anywhere gives the same marks.
func TestJudgingGoesOnFromItsState(t *testing.T) {
	r := Rules{SpanLow: number(1), SpanHigh: number(8), StuckAfter: measure.Duration(4 * time.Second),
		WarmUp: measure.Duration(5 * time.Second), WarmGap: measure.Duration(20 * time.Second)}
	rng := rand.New(rand.NewPCG(1, 2))
	for range 200 {
		var at measure.Instant
		var s State
		sinceSame, last := measure.Instant(0), -1.0
		warmUntil := measure.Instant(0)
		for n := range 60 {
			gap := measure.Instant(1+rng.IntN(3)) * second
			if rng.IntN(15) == 0 {
				gap = 30 * second
			}
			at += gap
			v := float64(rng.IntN(10))
			if rng.IntN(2) == 0 && last >= 0 {
				v = last
			}
			if v != last || gap > 4*second {
				sinceSame = at
			}
			if n > 0 && gap > 20*second {
				warmUntil = at + 5*second
			}
			var want measure.Quality
			if v < 1 || v > 8 {
				want |= measure.Implausible
			}
			if at-sinceSame >= 4*second {
				want |= measure.Stuck
			}
			if at < warmUntil {
				want |= measure.Warming
			}
			last = v
			var q measure.Quality
			if s, q = Judge(&r, s, at, v); q != want {
				t.Fatalf("at %d, value %v: %v, not %v", at, v, q, want)
			}
		}
	}
}

func TestRulesAreChecked(t *testing.T) {
	for _, c := range []struct {
		field string
		r     Rules
	}{{"span", Rules{SpanLow: number(2), SpanHigh: number(1)}}, {"fails_to", Rules{FailsTo: "up"}},
		{"warm_gap", Rules{WarmGap: 1}}, {"stuck_after", Rules{StuckAfter: -1}}} {
		if fault, ok := c.r.Check().(*measure.Fault); !ok || fault.Field != c.field {
			t.Errorf("%s: %v", c.field, c.r.Check())
		}
	}
}
