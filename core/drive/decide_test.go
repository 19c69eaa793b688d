package drive

import (
	"fmt"
	"math/rand/v2"
	"os"
	"strings"
	"testing"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
)

var tableDemands = []struct {
	name string
	d    Demand
}{
	{"emergency", Demand{Rank: Emergency, Value: On}}, {"safety, off", Demand{Rank: Safety, Value: Off}},
	{"hand, on", Demand{Rank: ByHand, Value: On}}, {"hand, off", Demand{Rank: ByHand, Value: Off}},
	{"interlock, on", Demand{Rank: Driven, Value: On}}, {"schedule, on", Demand{Rank: Scheduled, Value: On}},
	{"nothing", Demand{Rank: Rested, Value: Off}},
}

var tableStands = []struct {
	name  string
	state State
}{
	{"off", State{Ordered: Off, By: Rested, TurnedAt: at(-3000)}},
	{"off, for too short a time", State{Ordered: Off, By: Rested, TurnedAt: at(-60)}},
	{"off, no start left", State{Ordered: Off, By: Rested, TurnedAt: at(-600),
		Started: Instants{at(-3000), at(-2000), at(-1000)}}},
	{"on", State{Ordered: On, By: Driven, TurnedAt: at(-3000)}},
	{"on, for too short a time", State{Ordered: On, By: Driven, TurnedAt: at(-60)}},
}

// The table of docs/outputs.md: what a fan whose safe state is on, that runs 5 min and stands still 2 min at least and
// may start three times an hour, does in each state at each demand. Each cell of the document is a case of this test.
func TestOrdersAreTheTable(t *testing.T) {
	lines := []string{"| | " + func() (s string) {
		var names []string
		for _, d := range tableDemands {
			names = append(names, d.name)
		}
		return strings.Join(names, " | ")
	}() + " |", "|---" + strings.Repeat("|---", len(tableDemands)) + "|"}
	for _, stand := range tableStands {
		row := []string{stand.name}
		for _, d := range tableDemands {
			after, turned := fan().Order(stand.state, d.d, at(0))
			cell := string(after.Ordered)
			switch {
			case after.Waiting != nil:
				cell = fmt.Sprintf("%s, and %s in %v", after.Ordered, after.Waiting.To, after.Waiting.Until.Sub(at(0)))
			case turned:
				cell = "**" + cell + "**"
			}
			row = append(row, cell)
		}
		lines = append(lines, "| "+strings.Join(row, " | ")+" |")
	}
	table := strings.Join(lines, "\n")
	text, err := os.ReadFile("../../docs/outputs.md")
	if err != nil {
		t.Fatal(err)
	}
	if !strings.Contains(string(text), table) {
		t.Errorf("docs/outputs.md does not say what is so:\n%s", table)
	}
}

func TestWhoWins(t *testing.T) {
	o := fan()
	o.Safe = Off
	strongest := []Demand{{Rank: Emergency, Value: Off}, {Rank: Safety, Value: On}, {Rank: ByHand, Value: Off},
		{Rank: Driven, Value: On}, {Rank: Scheduled, Value: On}}
	for n := range strongest {
		some := append([]Demand{}, strongest[n:]...)
		rand.Shuffle(len(some), func(i, j int) { some[i], some[j] = some[j], some[i] })
		if got := o.Choose(some); got.Rank != strongest[n].Rank || got.Value != strongest[n].Value {
			t.Errorf("of %v: %+v", some, got)
		}
	}
	if got := o.Choose(nil); got.Rank != Rested || got.Value != Off {
		t.Errorf("nothing asks: %+v", got)
	}
	if got := o.Choose([]Demand{{Rank: Safety, Value: On, Severity: alarm.Critical, Order: 1},
		{Rank: Safety, Value: Off, Order: 2}}); got.Value != Off {
		t.Error("between two safety interlocks the safe state wins")
	}
	beacon := &Output{Spec: Spec{Kind: KindColour, Safe: "#000000"}}
	critical, warning := Demand{Rank: Driven, Value: "#ff0000", Severity: alarm.Critical, Order: 2},
		Demand{Rank: Driven, Value: "#ff8000", Severity: alarm.Warning, Order: 1}
	if got := beacon.Choose([]Demand{warning, critical}); got.Value != "#ff0000" {
		t.Error("what looks for what is worse wins")
	}
	older := Demand{Rank: Driven, Value: "#0000ff", Severity: alarm.Warning, Order: 0}
	if got := beacon.Choose([]Demand{warning, older}); got.Value != "#0000ff" {
		t.Error("then what was made first")
	}
}

// Over any history of demands: one state at a time, which is what was asked or what was before; least times and the
// most starts are kept by all but emergency and safety, which are obeyed at once; and what waits is done when it may
// be.
func TestOrdersKeepTheirPromises(t *testing.T) {
	for seed := range uint64(400) {
		r := rand.New(rand.NewPCG(seed, 2))
		o := fan()
		now := at(0)
		var starts []measure.Instant
		var turned measure.Instant
		demand := func() Demand {
			return Demand{Rank: ranks[r.IntN(len(ranks))], Value: []Value{On, Off}[r.IntN(2)]}
		}
		o.State, _ = o.Order(State{}, Demand{Rank: Rested, Value: Off}, now)
		for range 300 {
			now += measure.Instant(r.IntN(240_000))
			before, d := o.State, demand()
			after, moved := o.Order(before, d, now)
			switch {
			case after.Ordered != d.Value && after.Ordered != before.Ordered:
				t.Fatalf("seed %d: %s from nowhere", seed, after.Ordered)
			case d.Rank.Unbound() && after.Ordered != d.Value:
				t.Fatalf("seed %d: %s is not obeyed", seed, d.Rank)
			case moved != (after.Ordered != before.Ordered):
				t.Fatalf("seed %d: turned is %v", seed, moved)
			case after.Ordered != d.Value && (after.Waiting == nil || after.Waiting.To != d.Value ||
				after.Waiting.Until <= now):
				t.Fatalf("seed %d: it waits for nothing: %+v", seed, after)
			case after.Ordered == d.Value && (after.Waiting != nil || after.By != d.Rank):
				t.Fatalf("seed %d: %+v", seed, after)
			}
			if moved && !d.Rank.Unbound() && turned != 0 {
				least := o.LeastOff
				if before.Ordered == On {
					least = o.LeastOn
				}
				if now.Sub(turned) < time.Duration(least) {
					t.Fatalf("seed %d: turned after %v", seed, now.Sub(turned))
				}
				lately := 0
				for _, s := range starts {
					if s > now-hour {
						lately++
					}
				}
				if after.Ordered == On && lately >= o.Starts {
					t.Fatalf("seed %d: start %d of the hour", seed, lately+1)
				}
			}
			if moved {
				if turned = now; after.Ordered == On {
					starts = append(starts, now)
				}
			}
			o.State = after
			if w := after.Waiting; w != nil && r.IntN(2) == 0 {
				if now = w.Until; o.Due() != now {
					t.Fatalf("seed %d: due at %v, not at %v", seed, o.Due(), now)
				}
				done, moved := o.Order(after, d, now)
				if !moved || done.Ordered != d.Value {
					t.Fatalf("seed %d: the wait is over and nothing moves: %+v", seed, done)
				}
				if turned = now; done.Ordered == On {
					starts = append(starts, now)
				}
				o.State = done
			}
		}
	}
}

// The same state, asked for by something else, is an order of its own as to whom, and no turn.
func TestWhoOrdersSinceWhen(t *testing.T) {
	s, _ := fan().Order(State{}, Demand{Rank: Driven, Value: On, Interlock: "a", Why: "one"}, at(0))
	s.No = 7
	again, turned := fan().Order(s, Demand{Rank: Driven, Value: On, Interlock: "a", Why: "two"}, at(5))
	if turned || again.OrderedAt != at(0) || again.Why != "two" {
		t.Errorf("%+v", again)
	}
	other, turned := fan().Order(s, Demand{Rank: ByHand, Value: On, Who: "Orla"}, at(9))
	if turned || other.OrderedAt != at(9) || other.TurnedAt != at(0) || other.No != 7 {
		t.Errorf("%+v", other)
	}
}

// A clock that is set back makes nothing wait for longer than its least time.
func TestAClockThatIsSetBack(t *testing.T) {
	after, _ := fan().Order(State{Ordered: On, By: Driven, TurnedAt: at(7200)}, Demand{Rank: Rested, Value: Off}, at(0))
	if after.Waiting == nil || after.Waiting.Until != at(300) {
		t.Errorf("%+v", after.Waiting)
	}
}

func TestATrialCountsRuns(t *testing.T) {
	o := *fan()
	o.Safe, o.Starts = Off, 0
	i := Interlock{Name: "x", Signal: "a/b", When: "above 3", Set: On, Latch: true}
	trial := NewReplay(i, o)
	// 5 min at least: to 400
	for _, s := range []Sight{{At: at(0)}, {At: at(100), Driven: true, Why: "high"}, {At: at(160)},
		{At: at(500), Driven: true, Why: "high"}, // 2 min off at least: from 520 on
		{At: at(1000), Driven: true, Why: "high"}, {At: at(1100)}, {At: at(3000), Blind: "silent"}, {At: at(3600)},
		{At: at(4000), Driven: true, Why: "high"}} {
		trial.See(s)
	}
	got := trial.Finish(at(4100))
	if got.Starts != 3 || got.Running != measure.Duration((300+580+100)*time.Second) ||
		got.Longest != measure.Duration(580*time.Second) || got.Busiest != 2 || got.Stretches[2].Until != nil ||
		got.Blind != 0 {
		t.Errorf("%+v", got)
	}
	edge := func(v float64) *float64 { return &v }
	vent := Output{Spec: Spec{Kind: KindLevel, Safe: "0"}}
	levels := NewReplay(Interlock{Name: "y", Signal: "a/b",
		Bands: Bands{{To: edge(10), Set: "0"}, {To: edge(20), Set: "40"}, {Set: "90"}}}, vent)
	for n, v := range []float64{5, 15, 25, 15, 5, 25} {
		levels.See(Sight{At: at(float64(n * 100)), Value: v, Number: true})
	}
	if got := levels.Finish(at(600)); got.Starts != 2 || got.Running != measure.Duration(400*time.Second) ||
		got.Longest != measure.Duration(300*time.Second) || len(got.Stretches) != 4 {
		t.Errorf("from one level to another is no start: %+v", got)
	}
	o.Safe, o.Rest = On, Off
	blind := NewReplay(i, o)
	blind.See(Sight{At: at(0), Blind: "nothing came yet"})
	blind.See(Sight{At: at(600)})
	if got := blind.Finish(at(1000)); got.Blind != measure.Duration(600*time.Second) || got.Starts != 1 {
		t.Errorf("%+v", got)
	}
}
