package alarm

import (
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/wall"
)

// The table of docs/alarm-states.md: what a guard "above 30", deadband 1, both delays 10 s, does in each state at each
// event. Each cell of the document is a case of this test.
var (
	tableStates = []string{"calm", "rising", "standing", "easing", "easing, latching", "waiting for reset",
		"not looking"}
	tableEvents = []string{"value beyond the limit", "value in the deadband", "clear value", "delay ends", "silence",
		"acknowledged", "reset", "looks no more", "looks again", "guard changed", "disproved", "guard removed"}
)

// inState brings a guard into a state: at 100 s, the last reading at 95 s.
func inState(name string) (*Guard, State) {
	g := &Guard{Rung: Rung{When: Test{Kind: Above, A: 30}, Deadband: 1, OnDelay: 10 * second, OffDelay: 10 * second,
		Severity: Warning}}
	g.Latch = name == "easing, latching" || name == "waiting for reset"
	readings := map[string][]float64{"calm": {95, 20}, "rising": {95, 31}, "standing": {80, 31},
		"easing": {80, 31, 95, 20}, "easing, latching": {80, 31, 95, 20}, "waiting for reset": {70, 31, 85, 20},
		"not looking": {95, 31}}[name]
	var s State
	for i := 0; i < len(readings); i += 2 {
		s, _ = Step(g, s, Event{Kind: NewReading, At: at(readings[i]), Value: readings[i+1]}, nil)
	}
	if name == "not looking" {
		s, _ = Step(g, s, Event{Kind: Arming, At: at(96), Off: OutOfUse}, nil)
	}
	s, _ = Step(g, s, Event{Kind: DueInstant, At: at(100)}, nil)
	return g, s
}

func stateName(g *Guard, s State) string {
	switch phase := s.Rungs[0].Phase; {
	case s.Off != 0 && s.Sides[High].Latched:
		return "not looking, waiting for reset"
	case s.Off != 0:
		return "not looking"
	case s.Sides[High].Latched && phase == Rising:
		return "waiting for reset, rising"
	case s.Sides[High].Latched:
		return "waiting for reset"
	case g.Latch && phase == Easing:
		return "easing, latching"
	default:
		return phase.String()
	}
}

var transitionNames = map[TransitionKind]string{Raised: "raised", Cleared: "over", Acknowledged: "acknowledged",
	Worsened: "worse", Eased: "eased", Latched: "waits", Recurred: "recurred"}

// cell says what becomes of a state at an event: the state after it, and in bold what was told.
func cell(state, event string) string {
	g, s := inState(state)
	var e Event
	value := func(v float64) Event { return Event{Kind: NewReading, At: at(101), Value: v} }
	switch event {
	case "value beyond the limit":
		e = value(32)
	case "value in the deadband":
		e = value(29.5)
	case "clear value":
		e = value(20)
	case "delay ends":
		e = Event{Kind: DueInstant, At: at(111)}
	case "silence":
		e = Event{Kind: Silence, At: at(101)}
	case "acknowledged":
		e = Event{Kind: Acknowledge, At: at(101)}
	case "reset":
		e = Event{Kind: Reset, At: at(101)}
	case "looks no more":
		e = Event{Kind: Arming, At: at(101), Off: OutOfUse}
	case "looks again":
		e = Event{Kind: Arming, At: at(101)}
	case "guard changed": // its limit is 15 now
		changed := *g
		changed.When.A = 15
		g, e = &changed, Event{Kind: Begin, At: at(101), Off: s.Off}
	case "disproved":
		e = Event{Kind: Disproved, At: at(101), Value: 20}
	case "guard removed":
		e = Event{Kind: End, At: at(101)}
	}
	after, told := Step(g, s, e, nil)
	text := stateName(g, after)
	if event == "guard removed" {
		text = "gone"
	} else if after.SilentSince != 0 {
		text += ", delays stand still"
	}
	if text == state {
		text = "–"
	}
	for _, tr := range told {
		text += fmt.Sprintf(", **%s**", transitionNames[tr.Kind])
	}
	return strings.TrimPrefix(text, "–, ")
}

func TestTheTableOfStatesInTheDocs(t *testing.T) {
	document, err := os.ReadFile("../../docs/alarm-states.md")
	if err != nil {
		t.Fatal(err)
	}
	written := map[string][]string{}
	for line := range strings.Lines(string(document)) {
		cells := strings.Split(strings.Trim(strings.TrimSpace(line), "|"), "|")
		for i := range cells {
			cells[i] = strings.TrimSpace(cells[i])
		}
		if len(cells) == len(tableEvents)+1 {
			written[cells[0]] = cells[1:]
		}
	}
	if heads := written["state"]; strings.Join(heads, "|") != strings.Join(tableEvents, "|") {
		t.Fatalf("the table's head is %v", heads)
	}
	for _, state := range tableStates {
		row := []string{state}
		for i, event := range tableEvents {
			is := cell(state, event)
			row = append(row, is)
			if written[state] == nil || written[state][i] != is {
				t.Errorf("%s, %s: Step gives %q, the document says otherwise", state, event, is)
			}
		}
		if t.Failed() {
			t.Logf("| %s |", strings.Join(row, " | "))
		}
	}
}

// A rung further out carries those inside of it, so easing from it never ends an alarm that still stands.
func TestTheOuterRungCarriesTheInner(t *testing.T) {
	g := &Guard{Rung: Rung{When: Test{Kind: Above, A: 30}, OnDelay: 60 * second, Severity: Warning},
		Rungs: Rungs{{When: Test{Kind: Above, A: 40}, Severity: Critical}}}
	var words []string
	for _, tr := range Replay(g, []measure.Reading{{At: at(1), Value: 45}, {At: at(5), Value: 35},
		{At: at(10), Value: 20}}, at(100)) {
		words = append(words, fmt.Sprint(transitionNames[tr.Kind], tr.Level))
	}
	if got := strings.Join(words, " "); got != "raised2 eased1 over1" {
		t.Error(got)
	}
}

// story is one row of the document's table of orders: what happens to a guard "above 30" with a second rung "above 40",
// and what is told.
type story struct {
	what  string
	guard func(*testing.T) *Guard
	lives []Event
}

func twoRungs(inner, outer measure.Duration) func(*testing.T) *Guard {
	return func(*testing.T) *Guard {
		return &Guard{Rung: Rung{When: Test{Kind: Above, A: 30}, OffDelay: inner, Severity: Warning},
			Rungs: Rungs{{When: Test{Kind: Above, A: 40}, OffDelay: outer, Severity: Warning}}}
	}
}

func armed(hours string) func(*testing.T) *Guard {
	return func(t *testing.T) *Guard {
		calendar, err := wall.NewCalendar(hours, time.UTC, nil)
		if err != nil {
			t.Fatal(err)
		}
		g := &Guard{Rung: Rung{When: Test{Kind: Above, A: 30}, Severity: Warning}}
		g.In(calendar)
		return g
	}
}

func read(seconds, value float64) Event {
	return Event{Kind: NewReading, At: at(seconds), Value: value}
}

var stories = []story{
	{"the inner rung's off-delay ends before the outer one's", twoRungs(10*second, 60*second),
		[]Event{read(1, 45), read(5, 20), {Kind: DueInstant, At: at(100)}}},
	{"the outer rung's off-delay ends before the inner one's", twoRungs(60*second, 10*second),
		[]Event{read(1, 45), read(5, 20), {Kind: DueInstant, At: at(100)}}},
	{"both end at one instant", twoRungs(10*second, 10*second),
		[]Event{read(1, 45), read(5, 20), {Kind: DueInstant, At: at(100)}}},
	{"the inner one's has ended, and the value is beyond its limit again while the outer one eases",
		twoRungs(10*second, 60*second), []Event{read(1, 45), read(5, 20), read(30, 35),
			{Kind: DueInstant, At: at(100)}}},
	{"the hours begin at the instant of a reading beyond the limit", armed("00:01-00:02"),
		[]Event{read(1, 20), read(60, 35)}},
	{"the hours begin at the instant of a reading that is in order, after one beyond the limit", armed("00:01-00:02"),
		[]Event{read(1, 35), read(60, 20)}},
	{"the hours end at the instant of a reading beyond the limit", armed("00:00-00:01"),
		[]Event{read(1, 20), read(60, 35)}},
	{"the hours end at the instant of a reading that goes further", armed("00:00-00:01"),
		[]Event{read(1, 35), read(60, 50)}},
}

func (s *story) told(t *testing.T) string {
	g := s.guard(t)
	var state State
	var all []Transition
	for _, e := range s.lives {
		state, all = Step(g, state, e, all)
	}
	var words []string
	for _, tr := range all {
		rung := ""
		if g.Count() > 1 && tr.Kind != Cleared {
			rung = " at " + g.Level(g.About(tr))
		}
		words = append(words, fmt.Sprintf("%s%s after %v, went to %v", transitionNames[tr.Kind], rung,
			measure.Duration(tr.At*1e6), tr.Extreme))
	}
	if len(words) == 0 {
		return "nothing"
	}
	return strings.Join(words, "; ")
}

func TestTheTableOfOrdersInTheDocs(t *testing.T) {
	document, err := os.ReadFile("../../docs/alarm-states.md")
	if err != nil {
		t.Fatal(err)
	}
	for _, s := range stories {
		if row := fmt.Sprintf("| %s | %s |", s.what, s.told(t)); !strings.Contains(string(document), row+"\n") {
			t.Errorf("the document does not have the row\n%s", row)
		}
	}
}
