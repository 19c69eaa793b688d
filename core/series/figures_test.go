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
		f := NewFolder(edges, hold)
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
	f := NewFolder([]measure.Instant{0, 100}, 1000)
	f.Add([]measure.Reading{{At: 0, Value: 10}, {At: 90, Value: 20}, {At: 100, Value: 30}})
	first := f.Figures()[0]
	if plain, held := first.Means(); *plain != 15 || *held != 11 {
		t.Errorf("plain %v, time-weighted %v", *plain, *held)
	}
	if plain, held := (&Figures{}).Means(); plain != nil || held != nil {
		t.Error("a mean of nothing")
	}
	huge := NewFolder([]measure.Instant{0, 100}, 1000)
	huge.Add([]measure.Reading{{At: 0, Value: math.MaxFloat64}, {At: 50, Value: math.MaxFloat64}, {At: 99, Value: 1}})
	if g := huge.Figures()[0]; math.IsInf(g.Sum, 0) || math.IsInf(g.Held, 0) {
		t.Errorf("no number any more: %+v", g)
	}
}

func TestPeriods(t *testing.T) {
	for text, good := range map[string]bool{"1h": true, "15m": true, "1d": true, "7d": true, "6h": true, "1s": true, "7h": false, "25h": false, "0s": false, "36h": false, "500ms": false, "x": false} {
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
	if got := (7 * Day).Start(at("2026-11-22T12:00:00Z"), dublin).Time().In(dublin); got.Weekday() != time.Monday || got.Day() != 16 {
		t.Errorf("the week begins on %v", got)
	}
	for _, zone := range []string{"America/Asuncion", "Asia/Kathmandu", "Africa/Cairo", "America/Sao_Paulo"} { // midnights that do not exist
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
