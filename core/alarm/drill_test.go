package alarm

import (
	"math/rand/v2"
	"testing"
)

// Whatever a guard looks for, its drill raises the alarm of its severest rung, and leaves the guard as it was.
func TestADrillRaisesTheSeverestRung(t *testing.T) {
	for _, text := range []string{"above 30", "at least 30", "below -5", "at most 0", "outside 3..9", "inside 3..9",
		"is on", "is off", `is "open"`, `is not "open"`, "silent for 10m", "stuck", "faulty"} {
		test, err := ParseTest(text)
		if err != nil {
			t.Fatal(err)
		}
		g := Guard{Rung: Rung{When: test, Severity: Warning, OnDelay: 3600e9}, Armed: "holidays",
			OutOfUse: &Pause{By: "x"}}
		_, raised := g.Drill(1000)
		if raised.Kind != Raised || g.About(raised) == nil || g.About(raised).When != test {
			t.Errorf("%s: %+v", text, raised)
		}
		if g.OnDelay != 3600e9 {
			t.Errorf("%s: the guard was changed", text)
		}
	}
	random := rand.New(rand.NewPCG(3, 3))
	for range 2000 {
		g := Guard{Rung: Rung{When: Test{Kind: Above, A: 10 + random.Float64()}, Severity: Advisory, OnDelay: 5e9}}
		g.Rungs = Rungs{{When: Test{Kind: Above, A: 20 + random.Float64()}, Severity: Warning}}
		if random.IntN(2) == 0 {
			g.Rungs = append(g.Rungs, Rung{When: Test{Kind: Below, A: -random.Float64()}, Severity: Critical})
		}
		if err := g.Check(); err != nil {
			t.Fatal(err)
		}
		value, raised := g.Drill(5000)
		rung := g.About(raised)
		if rung == nil || rung.Severity != g.Severest() || !rung.When.Met(value) {
			t.Fatalf("%+v: %v %+v", g, value, raised)
		}
	}
}
