package alarm

import (
	"math/rand/v2"
	"slices"
	"testing"

	"jauntylark/core/measure"
)

// ticked is the second implementation: slow and obviously right. It lives through every
// millisecond from the first to the last and asks, at each, what the rules say there.
func ticked(g *Guard, readings []measure.Reading, silences []measure.Instant, until measure.Instant) []Transition {
	silent := false
	at := map[measure.Instant]float64{}
	for _, r := range readings {
		at[r.At] = r.Value
	}
	var out []Transition
	var held, extreme float64
	seen, raised, metSince, clearSince := false, false, measure.Instant(-1), measure.Instant(-1)
	for now := measure.Instant(1); now <= until; now++ {
		if v, ok := at[now]; ok {
			held, seen, silent = v, true, false
		}
		silent = silent || slices.Contains(silences, now)
		if !seen {
			continue
		}
		if g.When.Met(held) {
			if metSince < 0 {
				metSince = now
				if !raised {
					extreme = held
				}
			}
		} else {
			metSince = -1
		}
		if g.When.Clear(held, g.Deadband) {
			if clearSince < 0 {
				clearSince = now
			}
		} else {
			clearSince = -1
		}
		if (raised || metSince >= 0) && g.When.Further(held, extreme) {
			extreme = held
		}
		if silent { // delays stand still
			if metSince >= 0 {
				metSince++
			}
			if clearSince >= 0 {
				clearSince++
			}
			continue
		}
		switch {
		case !raised && metSince >= 0 && now.Sub(metSince) >= duration(g.OnDelay):
			raised = true
			out = append(out, Transition{Raised, now, held, extreme, DueInstant})
		case raised && clearSince >= 0 && now.Sub(clearSince) >= duration(g.OffDelay):
			raised = false
			out = append(out, Transition{Cleared, now, held, extreme, DueInstant})
		}
	}
	return out
}

func randomGuard(r *rand.Rand) *Guard {
	delay := func() measure.Duration {
		return measure.Duration(r.IntN(4)*r.IntN(12)) * measure.Duration(1e6)
	}
	g := &Guard{Severity: Warning, OnDelay: delay(), OffDelay: delay()}
	g.When.Kind = Kind(1 + r.IntN(int(IsOff)))
	g.When.A = float64(r.IntN(7))
	if g.When.Kind == Outside || g.When.Kind == Inside {
		g.When.B = g.When.A + float64(4+r.IntN(4))
	}
	if !g.When.Switched() {
		g.Deadband = float64(r.IntN(5)) / 2
	}
	if g.When.Switched() {
		g.When.A = 0
	}
	return g
}

func randomReadings(r *rand.Rand) []measure.Reading {
	readings := make([]measure.Reading, r.IntN(60))
	at, value := measure.Instant(r.IntN(3)), float64(r.IntN(12))
	for i := range readings {
		at += measure.Instant(1 + r.IntN(1+r.IntN(15)))
		if r.IntN(3) > 0 {
			value = float64(r.IntN(12))
		}
		readings[i] = measure.Reading{At: at, Value: value}
	}
	return readings
}

// The same readings give the same transitions: in one go, cut into batches with restarts and sweeps
// between them, and by the second implementation.
func TestStepAgreesWithTheSecondImplementation(t *testing.T) {
	rounds := 60_000
	if testing.Short() {
		rounds = 5_000
	}
	raised := 0
	for seed := range rounds {
		r := rand.New(rand.NewPCG(uint64(seed), 7))
		g, readings := randomGuard(r), randomReadings(r)
		if err := g.Check(); err != nil {
			t.Fatalf("seed %d makes a guard that is none: %v", seed, err)
		}
		until := measure.Instant(1000)
		want := ticked(g, readings, nil, until)
		if got := Replay(g, readings, until); !slices.Equal(got, want) {
			t.Fatalf("seed %d, %s deadband %v on %v off %v\nreadings %v\nReplay  %+v\nticked  %+v", seed, g.When, g.Deadband, g.OnDelay, g.OffDelay, readings, got, want)
		}
		if got := inBatches(r, g, readings, until); !slices.Equal(got, want) {
			t.Fatalf("seed %d, in batches\ngot  %+v\nwant %+v", seed, got, want)
		}
		raised += len(want)
	}
	if raised < rounds/2 {
		t.Errorf("only %d transitions in %d rounds; the rounds prove little", raised, rounds)
	}
}

// inBatches lives as the service does: readings come in packs, after each the kept part of the state
// goes through storage, and now and then the sweeper comes by at an instant that no reading is
// before any more.
func inBatches(r *rand.Rand, g *Guard, readings []measure.Reading, until measure.Instant) []Transition {
	var s State
	var out []Transition
	for len(readings) > 0 {
		n := 1 + r.IntN(len(readings))
		for _, reading := range readings[:n] {
			s, out = Step(g, s, Event{Kind: NewReading, At: reading.At, Value: reading.Value}, out)
		}
		readings = readings[n:]
		kept := s
		s = State{Phase: kept.Phase, Acknowledged: kept.Acknowledged, Since: kept.Since, RaisedAt: kept.RaisedAt, Extreme: kept.Extreme}
		s.HeldAt, s.Held, s.Stepped = kept.HeldAt, kept.Held, kept.Stepped // these come from the signal
		if len(readings) > 0 && r.IntN(2) == 0 {
			s, out = Step(g, s, Event{Kind: DueInstant, At: readings[0].At - 1}, out)
		}
	}
	_, out = Step(g, s, Event{Kind: DueInstant, At: until}, out)
	return out
}

// Raises and clears take turns, and no transition lies before the one in front of it.
func FuzzStep(f *testing.F) {
	f.Add(uint64(1), uint64(2))
	f.Fuzz(func(t *testing.T, a, b uint64) {
		r := rand.New(rand.NewPCG(a, b))
		g := randomGuard(r)
		var s State
		raised, last := false, measure.Instant(0)
		for range 200 {
			e := Event{Kind: EventKind(1 + r.IntN(5)), At: measure.Instant(r.IntN(400)), Value: float64(r.IntN(12))}
			if e.Kind == Begin || e.Kind == End || e.Kind == Acknowledge {
				e.At = max(e.At, s.Stepped, last)
			}
			if e.Kind == Begin {
				s, _ = Step(g, s, Event{Kind: End, At: e.At}, nil)
				g, raised = randomGuard(r), false
			}
			var out []Transition
			s, out = Step(g, s, e, nil)
			if len(out) > 2 {
				t.Fatalf("%d transitions from one event", len(out))
			}
			for _, tr := range out {
				if tr.Kind != Acknowledged { // a person acts at the clock's time, not in event time
					if tr.At < last {
						t.Fatalf("transition at %d after one at %d", tr.At, last)
					}
					last = tr.At
				}
				switch tr.Kind {
				case Raised, Cleared:
					if raised == (tr.Kind == Raised) {
						t.Fatalf("%+v while raised is %v", tr, raised)
					}
					raised = tr.Kind == Raised
				case Acknowledged:
					if !raised {
						t.Fatal("acknowledged without an alarm")
					}
				}
			}
			if raised != s.Raised() {
				t.Fatalf("transitions say raised %v, the state %v", raised, s.Phase)
			}
		}
	})
}

func BenchmarkStep(b *testing.B) {
	g := &Guard{When: Test{Kind: Above, A: 30}, Deadband: 1, OnDelay: measure.Duration(10e9), OffDelay: measure.Duration(10e9)}
	values := make([]float64, 1024)
	for i := range values {
		values[i] = 28 + float64((i*37)%100)/25
	}
	out := make([]Transition, 0, 4)
	var s State
	b.ReportAllocs()
	at := measure.Instant(0)
	for b.Loop() {
		at += 1000
		s, out = Step(g, s, Event{Kind: NewReading, At: at, Value: values[at/1000&1023]}, out[:0])
	}
	b.ReportMetric(float64(b.N)/b.Elapsed().Seconds()/1e6, "Msteps/s")
}

// randomSilences are instants between readings.
func randomSilences(r *rand.Rand, readings []measure.Reading) (silences []measure.Instant) {
	for i := 1; i < len(readings); i++ {
		if gap := int(readings[i].At - readings[i-1].At); gap > 1 && r.IntN(3) == 0 {
			silences = append(silences, readings[i-1].At+1+measure.Instant(r.IntN(gap-1)))
		}
	}
	return silences
}

// While a signal is silent its delays stand still (docs/semantics.md 12), whenever that begins.
func TestDelaysStandStillInSilence(t *testing.T) {
	changed := 0
	for seed := range 20_000 {
		r := rand.New(rand.NewPCG(uint64(seed), 8))
		g, readings := randomGuard(r), randomReadings(r)
		silences := randomSilences(r, readings)
		want := ticked(g, readings, silences, 1000)
		var s State
		var got []Transition
		rest := silences
		for _, reading := range readings {
			for len(rest) > 0 && rest[0] < reading.At {
				s, got = Step(g, s, Event{Kind: Silence, At: rest[0]}, got)
				s, got = Step(g, s, Event{Kind: DueInstant, At: reading.At - 1}, got) // nothing is due in silence
				rest = rest[1:]
			}
			s, got = Step(g, s, Event{Kind: NewReading, At: reading.At, Value: reading.Value}, got)
		}
		_, got = Step(g, s, Event{Kind: DueInstant, At: 1000}, got)
		if !slices.Equal(got, want) {
			t.Fatalf("seed %d, %s deadband %v on %v off %v\nreadings %v\nsilences %v\nStep   %+v\nticked %+v", seed, g.When, g.Deadband, g.OnDelay, g.OffDelay, readings, silences, got, want)
		}
		if !slices.Equal(want, ticked(g, readings, nil, 1000)) {
			changed++
		}
	}
	if changed < 1000 {
		t.Errorf("silence made a difference in only %d rounds", changed)
	}
}
