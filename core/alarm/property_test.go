package alarm

import (
	"cmp"
	"encoding/json"
	"math/rand/v2"
	"slices"
	"testing"

	"jauntylark/core/measure"
)

// plain leaves out why, and puts what happens at one instant in order of sides.
func plain(all []Transition) []Transition {
	all = slices.Clone(all)
	for i := range all {
		if all[i].Cause = 0; all[i].Kind == Acknowledged || all[i].Kind == Cleared {
			all[i].Level = 0
		}
	}
	slices.SortStableFunc(all, func(a, b Transition) int {
		return cmp.Or(cmp.Compare(a.At, b.At), cmp.Compare(a.Side, b.Side))
	})
	return all
}

// stepped lives as the service does: readings come in packs, at each act and now and then between packs the kept part
// of the state goes through storage, and the sweeper comes by at instants that no reading is before any more. Readings
// that come again, or too late, are thrown in.
func stepped(r *rand.Rand, g *Guard, readings []measure.Reading, silences []measure.Instant, acts []happen,
	until measure.Instant) []Transition {
	var s State
	var out []Transition
	restart := func() {
		var kept Kept
		data, _ := s.Kept.MarshalBinary()
		if err := kept.UnmarshalBinary(data); err != nil {
			panic(err)
		}
		s.Kept = kept
	}
	step := func(e Event) { s, out = Step(g, s, e, out) }
	for now := measure.Instant(tick); now <= until; now += tick {
		if len(readings) > 0 && readings[0].At == now {
			step(Event{Kind: NewReading, At: now, Value: readings[0].Value})
			readings = readings[1:]
			if r.IntN(4) == 0 {
				step(Event{Kind: NewReading, At: now - tick*measure.Instant(r.IntN(3)), Value: float64(r.IntN(12))})
			}
		}
		if len(silences) > 0 && silences[0] == now {
			step(Event{Kind: Silence, At: now})
			silences = silences[1:]
		}
		acting := len(acts) > 0 && acts[0].at == now
		if acting || r.IntN(9) == 0 {
			step(Event{Kind: DueInstant, At: now})
			restart()
		}
		for len(acts) > 0 && acts[0].at == now {
			if acts[0].g != nil {
				g = acts[0].g
			}
			step(acts[0].e)
			acts = acts[1:]
		}
	}
	step(Event{Kind: DueInstant, At: until})
	return out
}

func describe(g *Guard) string {
	data, _ := json.Marshal(g)
	if g.calendar != nil {
		data = append(data, "with hours"...)
	}
	return string(data)
}

// Step agrees with the second implementation over random guards, readings, silences, acts of people, changed guards,
// armed hours, restarts, repeats and late readings.
func TestStepAgreesWithTheModel(t *testing.T) {
	rounds := 30_000
	if testing.Short() {
		rounds = 5_000
	}
	kinds := map[TransitionKind]int{}
	const until = 500 * tick
	for seed := range rounds {
		r := rand.New(rand.NewPCG(uint64(seed), 7))
		g, readings := randomGuard(r), randomReadings(r, until)
		for i := range g.Count() {
			if err := g.At(i).check(); err != nil {
				t.Fatalf("seed %d makes a guard that is none: %v", seed, err)
			}
		}
		silences := randomSilences(r, readings)
		acts := randomActs(r, silences, until)
		want := newModel(g).live(readings, silences, acts, until)
		got := stepped(r, g, readings, silences, acts, until)
		if !slices.Equal(plain(got), plain(want)) {
			for i := range want {
				if i >= len(got) || plain(got)[i] != plain(want)[i] {
					t.Logf("first difference at %d", i)
					break
				}
			}
			t.Fatalf("seed %d, %s\nreadings %v\nsilences %v\nacts %+v\nStep  %+v\nmodel %+v", seed, describe(g),
				readings, silences, acts, plain(got), plain(want))
		}
		for _, tr := range want {
			kinds[tr.Kind]++
		}
	}
	for k := Raised; k <= Recurred; k++ {
		if kinds[k] < rounds/100 {
			t.Errorf("transition %d came only %d times in %d rounds; the rounds prove little of it", k, kinds[k],
				rounds)
		}
	}
}

// A replay, which passes quickly over what moves nothing, gives what Step gives, however the readings are cut.
func TestRunAgreesWithStep(t *testing.T) {
	rounds := 60_000
	if testing.Short() {
		rounds = 6_000
	}
	const until = 500 * tick
	found := 0
	for seed := range rounds {
		r := rand.New(rand.NewPCG(uint64(seed), 9))
		g, readings := randomGuard(r), randomReadings(r, until)
		for i := range readings {
			if r.IntN(9) == 0 {
				readings[i].Quality = measure.Stuck
			}
		}
		var want []Occurrence
		open := [2]int{}
		for _, tr := range Replay(g, readings, until) {
			switch tr.Kind {
			case Raised:
				want = append(want, Occurrence{Side: tr.Side, RaisedAt: tr.At, Value: tr.Value, Extreme: tr.Extreme})
				open[tr.Side] = len(want)
			case Cleared:
				at := tr.At
				want[open[tr.Side]-1].ClearedAt, want[open[tr.Side]-1].Extreme = &at, tr.Extreme
			}
		}
		run := NewRun(g, 0, measure.Reading{})
		for rest := readings; len(rest) > 0; {
			n := 1 + r.IntN(len(rest))
			run.Take(rest[:n], nil)
			rest = rest[n:]
		}
		got := run.Finish(until)
		if len(got) != len(want) {
			t.Fatalf("seed %d, %s: %d alarms, want %d\nreadings %v\ngot %+v\nwant %+v", seed, describe(g), len(got),
				len(want), readings, got, want)
		}
		for i := range got {
			w, g := want[i], got[i]
			if g.RaisedAt != w.RaisedAt || g.Value != w.Value || (g.ClearedAt == nil) != (w.ClearedAt == nil) ||
				g.ClearedAt != nil && (*g.ClearedAt != *w.ClearedAt || g.Extreme != w.Extreme) {
				t.Fatalf("seed %d: alarm %d is %+v, want %+v", seed, i, g, w)
			}
		}
		found += len(got)
	}
	if found < rounds/2 {
		t.Errorf("only %d alarms in %d rounds; the rounds prove little", found, rounds)
	}
}

// Over readings alone a gap longer than the silence limit is a silence, however the readings are cut and whatever is
// passed over.
func TestRunTakesGapsForSilences(t *testing.T) {
	rounds := 6_000
	if testing.Short() {
		rounds = 2_000
	}
	const until, limit = 500 * tick, 6 * tick
	differs := 0
	for seed := range rounds {
		r := rand.New(rand.NewPCG(uint64(seed), 11))
		g, readings := randomGuard(r), randomReadings(r, until)
		for i := range readings {
			if r.IntN(9) == 0 {
				readings[i].Quality = measure.Stuck
			}
		}
		run, plain := NewRun(g, 0, measure.Reading{}), NewRun(g, 0, measure.Reading{})
		run.SilentAfter = limit * 1e6
		var s State
		var all []Transition
		heard := measure.Instant(0)
		// the last is the end
		for _, reading := range append(slices.Clone(readings), measure.Reading{At: until, Quality: measure.Drill}) {
			if heard != 0 && reading.At-heard > limit {
				s, all = Step(g, s, Event{Kind: Silence, At: heard + limit}, all)
			}
			if heard = reading.At; reading.Quality.Usable() {
				s, all = Step(g, s, Event{Kind: NewReading, At: reading.At, Value: reading.Value}, all)
			}
		}
		_, all = Step(g, s, Event{Kind: DueInstant, At: until}, all)
		var want []measure.Instant
		for _, tr := range all {
			if tr.Kind == Raised || tr.Kind == Cleared {
				want = append(want, tr.At)
			}
		}
		for rest := readings; len(rest) > 0; {
			n := 1 + r.IntN(len(rest))
			run.Take(rest[:n], nil)
			rest = rest[n:]
		}
		plain.Take(readings, nil)
		instants := func(found []Occurrence) (all []measure.Instant) {
			for _, o := range found {
				if all = append(all, o.RaisedAt); o.ClearedAt != nil {
					all = append(all, *o.ClearedAt)
				}
			}
			slices.Sort(all)
			return all
		}
		slices.Sort(want)
		got := instants(run.Finish(until))
		if !slices.Equal(got, want) {
			t.Fatalf("seed %d, %s: %v, want %v\nreadings %v", seed, describe(g), got, want, readings)
		}
		if !slices.Equal(got, instants(plain.Finish(until))) {
			differs++
		}
	}
	if differs < rounds/20 {
		t.Errorf("silences mattered in %d of %d rounds; the rounds prove little", differs, rounds)
	}
}

// A replay names the outermost rung that stood, of rungs of one severity too, and after it eased.
func TestReplaysNameTheOutermostRungThatStood(t *testing.T) {
	g := &Guard{Rung: Rung{When: Test{Kind: Below, A: 10}, Severity: Critical},
		Rungs: Rungs{{When: Test{Kind: Below, A: 5}, Severity: Critical}}}
	run := NewRun(g, 0, measure.Reading{})
	run.Take([]measure.Reading{{At: 1000, Value: 8}, {At: 2000, Value: 3}, {At: 3000, Value: 7}, {At: 4000, Value: 20},
		{At: 5000, Value: 9}, {At: 6000, Value: 20}}, nil)
	all := run.Finish(7000)
	if len(all) != 2 || all[0].Level != "low-low" || all[1].Level != "low" {
		t.Errorf("%+v", all)
	}
}

// Raises and clears of a side take turns, and no transition lies before the one in front of it.
func FuzzStep(f *testing.F) {
	f.Add(uint64(1), uint64(2))
	f.Fuzz(func(t *testing.T, a, b uint64) {
		r := rand.New(rand.NewPCG(a, b))
		g := randomGuard(r)
		var s State
		raised, last := [2]bool{}, measure.Instant(0)
		for range 200 {
			e := Event{Kind: EventKind(1 + r.IntN(int(Disproved))), At: tick * measure.Instant(r.IntN(400)),
				Value: float64(r.IntN(12)), Side: Side(r.IntN(2)), Off: Off(r.IntN(3)) << 1}
			if e.Kind >= Begin && e.Kind != Silence && e.Kind != Amended {
				e.At = max(e.At, s.Stepped, last)
			}
			if e.Kind == Begin {
				g = randomGuard(r)
			}
			var out []Transition
			s, out = Step(g, s, e, nil)
			for _, tr := range out {
				// a person acts at the clock's time, not in event time
				if tr.Kind != Acknowledged && tr.Cause != Reset {
					if tr.At < last {
						t.Fatalf("transition at %d after one at %d", tr.At, last)
					}
					last = tr.At
				}
				if (tr.Kind == Raised) == raised[tr.Side] {
					t.Fatalf("%+v while raised is %v", tr, raised)
				}
				if tr.Kind == Raised || tr.Kind == Cleared {
					raised[tr.Side] = tr.Kind == Raised
				}
			}
			for side := range raised {
				if raised[side] != s.Sides[side].Raised() {
					t.Fatalf("transitions say raised %v, the state %+v", raised, s)
				}
			}
		}
	})
}
