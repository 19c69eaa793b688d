package series

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"jauntylark/core/measure"
)

// slowly computes one period's figures millisecond by millisecond.
func slowly(readings []measure.Reading, from, until, hold measure.Instant) Figures {
	g := Figures{At: from}
	var usable []measure.Reading
	for _, r := range readings {
		inside := r.At >= from && r.At < until
		if !r.Quality.Usable() {
			if inside {
				g.LeftOut++
			}
			continue
		}
		if usable = append(usable, r); inside {
			g.count(&r)
		}
	}
	for at := from; at < until; at++ {
		for i := 0; i+1 < len(usable); i++ {
			if usable[i].At <= at && at < usable[i+1].At && usable[i+1].At-usable[i].At <= hold {
				g.Held += usable[i].Value
				g.HeldFor++
			}
		}
	}
	return g
}

func TestFiguresAgreeWithCountingEachMillisecond(t *testing.T) {
	for seed := range uint64(300) {
		r := rand.New(rand.NewPCG(seed, 4))
		readings := make([]measure.Reading, r.IntN(40))
		at := measure.Instant(0)
		for i := range readings {
			at += measure.Instant(1 + r.IntN(40)*r.IntN(5))
			readings[i] = measure.Reading{At: at, Value: float64(r.IntN(9) - 4)}
			if r.IntN(5) == 0 {
				readings[i].Quality = measure.Implausible
			}
		}
		hold := measure.Instant(1 + r.IntN(120))
		edges := []measure.Instant{measure.Instant(r.IntN(50))}
		for range 1 + r.IntN(12) {
			edges = append(edges, edges[len(edges)-1]+measure.Instant(1+r.IntN(90)))
		}
		var want []Figures
		for i := 0; i+1 < len(edges); i++ {
			if g := slowly(readings, edges[i], edges[i+1], hold); g.Count+g.LeftOut+int(g.HeldFor) > 0 {
				want = append(want, g)
			}
		}
		f := NewAggregator(edges, hold)
		for rest := readings; len(rest) > 0; {
			n := 1 + r.IntN(len(rest))
			f.Add(rest[:n])
			rest = rest[n:]
		}
		if got := f.Figures(); !slices.Equal(got, want) {
			t.Fatalf("seed %d:\n got %+v\nwant %+v", seed, got, want)
		}
	}
}

func TestBothMeans(t *testing.T) {
	f := NewAggregator([]measure.Instant{0, 100}, 1000)
	f.Add([]measure.Reading{{At: 0, Value: 10}, {At: 90, Value: 20}, {At: 100, Value: 30}})
	first := f.Figures()[0]
	if plain, held := first.Means(); *plain != 15 || *held != 11 {
		t.Errorf("plain %v, time-weighted %v", *plain, *held)
	}
	if plain, held := (&Figures{}).Means(); plain != nil || held != nil {
		t.Error("a mean of nothing")
	}
	huge := NewAggregator([]measure.Instant{0, 100}, 1000)
	huge.Add([]measure.Reading{{At: 0, Value: math.MaxFloat64}, {At: 50, Value: math.MaxFloat64}, {At: 99, Value: 1}})
	if g := huge.Figures()[0]; math.IsInf(g.Sum, 0) || math.IsInf(g.Held, 0) {
		t.Errorf("no number any more: %+v", g)
	}
}

func TestPeriods(t *testing.T) {
	for text, good := range map[string]bool{"1h": true, "15m": true, "1d": true, "7d": true, "6h": true, "1s": true,
		"7h": false, "25h": false, "0s": false, "36h": false, "500ms": false, "x": false} {
		if _, err := ParsePeriod(text); (err == nil) != good {
			t.Errorf("%s: %v", text, err)
		}
	}
	dublin, err := time.LoadLocation("Europe/Dublin")
	if err != nil {
		t.Fatal(err)
	}
	at := func(text string) measure.Instant {
		var i measure.Instant
		if err := i.UnmarshalText([]byte(text)); err != nil {
			t.Fatal(err)
		}
		return i
	}
	// On 25 October 2026 the clocks go back: the day has 25 hours.
	edges := Day.Edges(at("2026-10-24T23:30:00Z"), at("2026-10-26T12:00:00Z"), dublin)
	want := []measure.Instant{at("2026-10-24T23:00:00Z"), at("2026-10-26T00:00:00Z"), at("2026-10-27T00:00:00Z")}
	if !slices.Equal(edges, want) {
		t.Errorf("%v, want %v", edges, want)
	}
	if got := (7 * Day).Start(at("2026-11-22T12:00:00Z"), dublin).Time().In(dublin); got.Weekday() != time.Monday ||
		got.Day() != 16 {
		t.Errorf("the week begins on %v", got)
	}
	// midnights that do not exist
	for _, zone := range []string{"America/Asuncion", "Asia/Kathmandu", "Africa/Cairo", "America/Sao_Paulo"} {
		z, err := time.LoadLocation(zone)
		if err != nil {
			t.Fatal(err)
		}
		from := at("2010-01-01T00:00:00Z")
		edges := Day.Edges(from, at("2026-01-01T00:00:00Z"), z)
		for i := 1; i < len(edges); i++ {
			if d := edges[i].Sub(edges[i-1]); d < 22*time.Hour || d > 26*time.Hour {
				t.Fatalf("%s: the day from %v has %v", zone, edges[i-1].Time().In(z), d)
			}
		}
		if len(edges) < 5843 || len(edges) > 5847 {
			t.Errorf("%s: %d days", zone, len(edges))
		}
	}
}

// Hours joined to longer periods say what a fold over the readings says, but for rounding.
func TestHoursJoinToLongerPeriods(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3))
	zone, err := time.LoadLocation("Asia/Tokyo") // whole hours from UTC, so that hours fall into days
	if err != nil {
		t.Fatal(err)
	}
	var readings []measure.Reading
	for at := measure.Instant(1_790_000_000_000); len(readings) < 4000; at += measure.Instant(1 + r.IntN(600_000)) {
		q := measure.Quality(0)
		if r.IntN(9) == 0 {
			q = measure.Stuck
		}
		readings = append(readings, measure.Reading{At: at, Value: math.Round(r.NormFloat64() * 10), Quality: q})
	}
	fold := func(p Period) []Figures {
		f := NewAggregator(p.Edges(readings[0].At, readings[len(readings)-1].At, zone), HoldLimit(0))
		f.Add(readings)
		return f.Figures()
	}
	for _, p := range []Period{Period(6 * time.Hour), Day, 7 * Day} {
		want, got := fold(p), Join(fold(Hour), p, zone)
		if len(got) != len(want) {
			t.Fatalf("%v: %d periods, want %d", p, len(got), len(want))
		}
		for i := range got {
			if math.Abs(got[i].Held-want[i].Held) > 1e-3 || math.Abs(got[i].Sum-want[i].Sum) > 1e-6 {
				t.Errorf("%v: %+v, want %+v", p, got[i], want[i])
			}
			got[i].Held, got[i].Sum = want[i].Held, want[i].Sum
			if p < Day && got[i] != want[i] || got[i].Count != want[i].Count || got[i].LowAt != want[i].LowAt ||
				got[i].HighAt != want[i].HighAt || got[i].HeldFor != want[i].HeldFor {
				t.Errorf("%v: %+v, want %+v", p, got[i], want[i])
			}
		}
	}
	if got := Join(fold(Hour), Period(time.Minute), zone); len(got) != 0 {
		t.Errorf("hours made %d minutes", len(got))
	}
}

func TestSplicePutsFreshFiguresInPlace(t *testing.T) {
	at := func(instants ...measure.Instant) (figures []Figures) {
		for _, i := range instants {
			figures = append(figures, Figures{At: i})
		}
		return figures
	}
	for _, c := range []struct {
		old, fresh  []Figures
		from, until measure.Instant
		want        []Figures
	}{
		{at(0, 10, 20, 30), at(10, 15), 10, 30, at(0, 10, 15, 30)},
		{at(0, 10), at(20), 20, 30, at(0, 10, 20)},
		{at(10, 20), at(0), 0, 10, at(0, 10, 20)},
		{at(0, 10, 20), nil, 0, 30, nil},
		{nil, at(5), 0, 10, at(5)},
	} {
		if got := Splice(slices.Clone(c.old), c.fresh, c.from, c.until); !slices.Equal(got, c.want) {
			t.Errorf("%v into %v: %v, want %v", c.fresh, c.old, got, c.want)
		}
	}
}

func TestCornersAreInOrderEachOnce(t *testing.T) {
	f := Figures{At: 0, Count: 5, FirstAt: 1, First: 3, LowAt: 8, Low: 1, HighAt: 4, High: 9, LastAt: 9, Last: 2}
	if got, want := f.Corners(100), []measure.Reading{{At: 1, Value: 3}, {At: 4, Value: 9}, {At: 8, Value: 1},
		{At: 9, Value: 2}}; !slices.Equal(got, want) {
		t.Errorf("%v, want %v", got, want)
	}
	if got := f.Corners(5); len(got) != 2 {
		t.Errorf("before 5: %v", got)
	}
	one := Figures{Count: 1, FirstAt: 7, First: 1, LowAt: 7, Low: 1, HighAt: 7, High: 1, LastAt: 7, Last: 1}
	if got := one.Corners(100); len(got) != 1 {
		t.Errorf("of one reading: %v", got)
	}
	if got := (&Figures{LeftOut: 3}).Corners(100); got != nil {
		t.Errorf("of none: %v", got)
	}
}
