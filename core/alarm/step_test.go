package alarm

import (
	"slices"
	"strings"
	"testing"
	"time"

	"jauntylark/core/measure"
)

const second = measure.Duration(1e9)

// at is an instant given in seconds.
func at(seconds float64) measure.Instant { return measure.Instant(seconds * 1000) }

// run steps readings given as (seconds, value) pairs and says what happened as "raised@12".
func run(g *Guard, until float64, pairs ...float64) string {
	var readings []measure.Reading
	for i := 0; i < len(pairs); i += 2 {
		readings = append(readings, measure.Reading{At: at(pairs[i]), Value: pairs[i+1]})
	}
	var words []string
	for _, tr := range Replay(g, readings, at(until)) {
		words = append(words, map[TransitionKind]string{Raised: "raised", Cleared: "cleared"}[tr.Kind]+"@"+
			number(float64(tr.At)/1000))
	}
	return strings.Join(words, " ")
}

func TestDelaysAndDeadband(t *testing.T) {
	above := Guard{Rung: Rung{When: Test{Kind: Above, A: 30}, Deadband: 1, OnDelay: 10 * second, OffDelay: 10 * second}}
	prompt := Guard{Rung: Rung{When: Test{Kind: Above, A: 30}, Deadband: 1}}
	for _, c := range []struct {
		name  string
		guard Guard
		until float64
		pairs []float64
		want  string
	}{
		{"a value holds until the next reading", above, 100, []float64{1, 31}, "raised@11"},
		{"not yet due", above, 10.9, []float64{1, 31}, ""},
		{"due exactly", above, 11, []float64{1, 31}, "raised@11"},
		{"the limit itself does not meet above", above, 100, []float64{1, 30}, ""},
		{"a reading in the deadband zone ends a pending raise", above, 100, []float64{1, 31, 5, 29.5, 6, 31},
			"raised@16"},
		{"a reading at the due instant comes before it", above, 100, []float64{1, 31, 11, 20}, ""},
		{"a newer reading settles at the due instant", above, 11.5, []float64{1, 31, 11.5, 20}, "raised@11"},
		{"clears only past the deadband", above, 100, []float64{1, 31, 20, 29.5}, "raised@11"},
		{"clears at 29 exactly", above, 100, []float64{1, 31, 20, 29}, "raised@11 cleared@30"},
		{"a reading in the zone ends a pending clear", above, 100, []float64{1, 31, 20, 28, 25, 29.5, 40, 28},
			"raised@11 cleared@50"},
		{"no delay at all", prompt, 100, []float64{1, 31, 2, 29.5, 3, 29, 4, 31}, "raised@1 cleared@3 raised@4"},
		{"older readings change nothing", prompt, 100, []float64{5, 20, 4, 31, 5, 31}, ""},
	} {
		if got := run(&c.guard, c.until, c.pairs...); got != c.want {
			t.Errorf("%s: got %q, want %q", c.name, got, c.want)
		}
	}
}

func TestMetAndClear(t *testing.T) {
	for _, c := range []struct {
		test        string
		deadband    float64
		value       float64
		met, closed bool
	}{
		{"above 30", 1, 30, false, false}, {"above 30", 1, 30.1, true, false}, {"above 30", 1, 29, false, true},
		{"at least 30", 1, 30, true, false}, {"at least 30", 1, 29, false, false},
		{"at least 30", 1, 28.9, false, true},
		{"below 3", 0.5, 3, false, false}, {"below 3", 0.5, 2.9, true, false}, {"below 3", 0.5, 3.5, false, true},
		{"at most 3", 0, 3, true, false}, {"at most 3", 0, 3.1, false, true},
		{"outside 3..9", 0.5, 2.9, true, false}, {"outside 3..9", 0.5, 9.1, true, false},
		{"outside 3..9", 0.5, 3.4, false, false},
		{"outside 3..9", 0.5, 3.5, false, true}, {"outside 3..9", 0.5, 8.5, false, true},
		{"outside 3..9", 0.5, 8.6, false, false},
		{"inside 3..9", 0.5, 3, true, false}, {"inside 3..9", 0.5, 9.5, false, false},
		{"inside 3..9", 0.5, 9.6, false, true},
		{"is on", 0, 1, true, false}, {"is on", 0, 0, false, true}, {"is off", 0, 0, true, false},
		{"is off", 0, 1, false, true},
	} {
		test, err := ParseTest(c.test)
		if err != nil {
			t.Fatal(err)
		}
		if met, closed := test.Met(c.value), (&Rung{When: test, Deadband: c.deadband}).Clear(c.value); met != c.met ||
			closed != c.closed {
			t.Errorf("%s deadband %v at %v: met %v clear %v, want %v %v", c.test, c.deadband, c.value, met, closed,
				c.met, c.closed)
		}
	}
}

func TestParseTest(t *testing.T) {
	for text, want := range map[string]string{
		"above 30": "above 30", " Above   3e1 ": "above 30", "at least -2.5": "at least -2.5",
		"outside 3..9":   "outside 3..9",
		"outside 3 .. 9": "outside 3..9", "inside -1..-0.5": "inside -1..-0.5", "IS ON": "is on",
		"at most 0": "at most 0",
	} {
		got, err := ParseTest(text)
		if err != nil || got.String() != want {
			t.Errorf("ParseTest(%q) = %q, %v; want %q", text, got, err, want)
		}
	}
	for text, says := range map[string]string{
		"": "is not a test", "over 30": "is not a test", "above": "no limit", "above30": "no limit",
		"above thirty": "not a number",
		"above NaN":    "not a number", "above Inf": "not a number", "outside 3": "two limits",
		"outside 9..3": "lower limit comes first", "is on 3": "too much",
	} {
		if _, err := ParseTest(text); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("ParseTest(%q) = %v; want an error that says %q", text, err, says)
		}
	}
}

func FuzzParseTest(f *testing.F) {
	for _, text := range []string{"above 30", "outside 3..9", "is on", "inside -1..2e5"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		first, err := ParseTest(text)
		if err != nil {
			return
		}
		again, err := ParseTest(first.String())
		if err != nil || again != first {
			t.Fatalf("%q reads as %v, written and read again as %v, %v", text, first, again, err)
		}
	})
}

func TestGuardCheckNamesTheField(t *testing.T) {
	good := func() Guard {
		return Guard{Rung: Rung{When: Test{Kind: Outside, A: 3, B: 9}, Deadband: 3, Severity: Warning},
			Tell: []string{"orla@hollowbrook.example"}}
	}
	g := good()
	if err := g.Check(); err != nil {
		t.Fatal(err)
	}
	for field, spoil := range map[string]func(*Guard){
		"when":      func(g *Guard) { g.When = Test{} },
		"deadband":  func(g *Guard) { g.Deadband = 3.1 },
		"on_delay":  func(g *Guard) { g.OnDelay = maxDelay + 1 },
		"severity":  func(g *Guard) { g.Severity = "dire" },
		"least_gap": func(g *Guard) { g.LeastGap = maxGap + 1 },
	} {
		g := good()
		spoil(&g)
		fault, ok := g.Check().(*measure.Fault)
		if !ok || fault.Field != field {
			t.Errorf("spoilt %s: %v", field, g.Check())
		}
	}
}

// A guard that begins, changes or ends looks at the held value at that instant (semantics 16).
func TestBeginAndEnd(t *testing.T) {
	g := &Guard{Rung: Rung{When: Test{Kind: Above, A: 30}, OnDelay: 10 * second}}
	held := State{HeldAt: at(5), Held: 31, Stepped: at(5)}
	s, out := Step(g, held, Event{Kind: Begin, At: at(100)}, nil)
	if s.Rungs[0].Phase != Rising || s.Rungs[0].Since != at(100) || len(out) != 0 {
		t.Fatalf("begin with a bad value: %+v %+v", s, out)
	}
	if again, _ := Step(g, s, Event{Kind: NewReading, At: at(99), Value: 20}, nil); again.Kept != s.Kept ||
		again.Stepped != s.Stepped {
		t.Error("a reading from before the guard began was stepped")
	}
	s, out = Step(g, s, Event{Kind: DueInstant, At: at(111)}, nil)
	if s.Rungs[0].Phase != Standing || len(out) != 1 || out[0].At != at(110) {
		t.Fatalf("raise after begin: %+v %+v", s, out)
	}
	lower := &Guard{Rung: Rung{When: Test{Kind: Above, A: 25}}}
	if s, out = Step(lower, s, Event{Kind: Begin, At: at(120)}, nil); s.Rungs[0].Phase != Standing || len(out) != 0 {
		t.Fatalf("a limit under which it would still stand: %+v %+v", s, out)
	}
	higher := &Guard{Rung: Rung{When: Test{Kind: Above, A: 40}}}
	if cleared, out := Step(higher, s, Event{Kind: Begin, At: at(130)}, nil); cleared.Rungs[0].Phase != Calm ||
		len(out) != 1 || out[0].Kind != Cleared {
		t.Fatalf("a limit under which it would not stand: %+v %+v", cleared, out)
	}
	s, out = Step(lower, s, Event{Kind: Acknowledge, At: at(131)}, nil)
	if !s.Sides[High].Acknowledged || len(out) != 1 {
		t.Fatalf("acknowledge: %+v %+v", s, out)
	}
	if _, out = Step(lower, s, Event{Kind: Acknowledge, At: at(132)}, nil); len(out) != 0 {
		t.Error("acknowledged twice")
	}
	want := []Transition{{Cleared, High, 1, End, at(140), 31, 31}}
	if s, out = Step(lower, s, Event{Kind: End, At: at(140)}, nil); s.Rungs[0].Phase != Calm ||
		!slices.Equal(out, want) {
		t.Fatalf("end: %+v %+v", s, out)
	}
}

func TestSweptInstantCountsAsStepped(t *testing.T) {
	g := &Guard{Rung: Rung{When: Test{Kind: Above, A: 30}, OnDelay: 10 * second}}
	s, _ := Step(g, State{}, Event{Kind: NewReading, At: at(1), Value: 31}, nil)
	s, out := Step(g, s, Event{Kind: DueInstant, At: at(12)}, nil)
	if len(out) != 1 || s.Stepped != at(11) {
		t.Fatalf("swept: %+v %+v", s, out)
	}
	if again, _ := Step(g, s, Event{Kind: NewReading, At: at(10), Value: 0}, nil); again.Kept != s.Kept ||
		again.Stepped != s.Stepped {
		t.Error("a reading before the swept instant moved the state")
	}
}

// The newest reading can get another value, for as long as nothing was stepped after it.
func TestAnAmendedReading(t *testing.T) {
	g := &Guard{Rung: Rung{When: Test{Kind: Above, A: 5}, OnDelay: measure.Duration(2 * time.Second)}}
	s, _ := Step(g, State{}, Event{Kind: NewReading, At: 1000, Value: 3}, nil)
	s, out := Step(g, s, Event{Kind: Amended, At: 1000, Value: 8}, nil)
	if s.Held != 8 || s.Due(g) != 3000 || len(out) != 0 {
		t.Errorf("amended beyond the limit: %+v %v", s, out)
	}
	if early, _ := Step(g, s, Event{Kind: Amended, At: 500, Value: 1}, nil); early != s {
		t.Errorf("another instant: %+v", early)
	}
	swept, out := Step(g, s, Event{Kind: DueInstant, At: 3000}, nil)
	if len(out) != 1 {
		t.Fatalf("%v", out)
	}
	if after, out := Step(g, swept, Event{Kind: Amended, At: 1000, Value: 1}, nil); after != swept || len(out) != 0 {
		t.Errorf("after a later instant was stepped: %+v %v", after, out)
	}
	if s, _ = Step(g, s, Event{Kind: Amended, At: 1000, Value: 1}, nil); s.Due(g) != 0 {
		t.Errorf("amended back: %+v", s)
	}
}

// A reading that is not older than what is held, but than the instant at which the guard looked last, holds and is not
// looked at until the guard looks again.
func TestWhatComesTooLateHolds(t *testing.T) {
	g := &Guard{Rung: Rung{When: Test{Kind: Above, A: 30}}}
	s, _ := Step(g, State{}, Event{Kind: NewReading, At: at(1), Value: 20}, nil)
	s, _ = Step(g, s, Event{Kind: Begin, At: at(10)}, nil)
	s, out := Step(g, s, Event{Kind: NewReading, At: at(8), Value: 40}, nil)
	if len(out) != 0 || s.Held != 40 || s.HeldAt != at(8) || s.Stepped != at(10) {
		t.Fatalf("%+v %v", s, out)
	}
	if _, out = Step(g, s, Event{Kind: Begin, At: at(12)}, nil); len(out) != 1 || out[0].Kind != Raised ||
		out[0].At != at(12) || out[0].Value != 40 {
		t.Errorf("when it looks again: %v", out)
	}
}
