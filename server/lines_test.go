package server_test

import (
	"context"
	"net/url"
	"strings"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/board"
	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/site"
	"jauntylark/server/servertest"
)

// stretchOf writes the stretch of readings a minute apart that minutes stored.
func stretchOf(from measure.Instant, n int) string {
	return "since=" + url.QueryEscape(from.String()) + "&until=" +
		url.QueryEscape((from + measure.Instant(n)*60_000).String())
}

// The lines of several signals keep each one's shortest spike, and say where readings are of no use.
func TestLinesOfSeveralSignals(t *testing.T) {
	s := servertest.Start(t)
	s.Device("d")
	const n = 3000
	from := minutes(t, s, "a", "Cel", n, func(i int) float64 {
		if i == 1777 {
			return 95
		}
		return 20
	})
	minutes(t, s, "b", "%", n, func(i int) float64 { return float64(i % 100) })
	var got api.Lines
	s.Do(api.ListLines.At().Raw("signal=d/a&signal=d/b&columns=100&"+stretchOf(from, n)), nil, &got)
	if len(got.Lines) != 2 || got.Lines[0].Signal != "d/a" || len(got.Lines[0].At) > 400 || len(got.Lines[0].At) < 100 {
		t.Fatalf("the lines have %d and %d points", len(got.Lines), len(got.Lines[0].At))
	}
	spike := false
	for i, v := range got.Lines[0].Value {
		spike = spike || v == 95 && got.Lines[0].At[i] == from+1777*60_000
	}
	if !spike {
		t.Error("the spike of one reading is not in the line")
	}
	for query, words := range map[string][]string{
		"signal=d/c":          {"d/c", "d/a"},
		"signal=d/a&since=x":  {"since"},
		"signal=d/a&signal=e": {"e"},
		"":                    {"signal"},
	} {
		said := refusedAny(t, s.Owner, api.ListLines.At().Raw(query))
		for _, w := range words {
			if !strings.Contains(said, w) {
				t.Errorf("%q: %q does not name %q", query, said, w)
			}
		}
	}
}

// refusedAny gives what a request that is refused says.
func refusedAny(t *testing.T, c *client.Client, at api.Place) string {
	t.Helper()
	err := c.Call(context.Background(), at, nil, nil)
	if err == nil {
		t.Fatal(at, "was not refused")
	}
	return err.Error()
}

// Tails tell what came since, of each signal its own, and nothing twice.
func TestTails(t *testing.T) {
	s := servertest.Start(t)
	d := s.Device("d")
	s.Send(d, `{"a": 1, "b": 10}`)
	since := time.Now()
	time.Sleep(20 * time.Millisecond)
	s.Send(d, `{"a": 2}`)
	ask := func(since time.Time) (got []api.Tail) {
		s.Do(api.ListTails.At().Asking("signal", "d/b", "signal", "d/a", "since", since.Format(time.RFC3339Nano)), nil,
			&got)
		return got
	}
	got := ask(since)
	if len(got) != 2 || got[0].Signal != "d/b" || len(got[0].At) != 0 || len(got[1].Value) != 1 ||
		got[1].Value[0] != 2 {
		t.Fatalf("%+v", got)
	}
	if again := ask(got[1].At[0].Time()); len(again[1].At) != 0 {
		t.Errorf("asked from its last reading on, it told that again: %+v", again)
	}
	if said := refusedAny(t, s.Owner, api.ListTails.At().Asking("signal", "d/a", "since",
		time.Now().Add(-2*time.Hour).Format(time.RFC3339))); !strings.Contains(said, "an hour") {
		t.Error("a tail of two hours:", said)
	}
}

// A tail that begins before the readings were sealed has them all, and one of a computed signal moves on.
func TestTailsOfSealedAndComputedSignals(t *testing.T) {
	s := servertest.Start(t)
	d := s.Device("d")
	minutes(t, s, "a", "Cel", 40, func(i int) float64 { return float64(i) })
	s.Do(api.PutRecipe.At("d", "b"), object{"recipe": object{"kind": "formula", "formula": "v * 2.0",
		"of": []object{{"as": "v", "signal": "d/a"}}}}, nil)
	ask := func(since time.Time) (got []api.Tail) {
		s.Do(api.ListTails.At().Asking("signal", "d/a", "signal", "d/b", "since", since.Format(time.RFC3339Nano)), nil,
			&got)
		return got
	}
	for _, tail := range ask(time.Now().Add(-50 * time.Minute)) {
		if len(tail.At) != 40 {
			t.Errorf("of %s came %d of 40 readings", tail.Signal, len(tail.At))
		}
	}
	since := time.Now()
	time.Sleep(10 * time.Millisecond)
	s.Send(d, `{"a": 50}`)
	if got := ask(since); len(got[1].Value) != 1 || got[1].Value[0] != 100 {
		t.Errorf("of the computed signal came %+v", got[1])
	}
}

// States over time have the lengths that the readings say, for a switch and by bands.
func TestStatesOverTime(t *testing.T) {
	s := servertest.Start(t)
	s.Device("d")
	// 25 low, 25 high, twice
	from := minutes(t, s, "v", "Cel", 100, func(i int) float64 { return float64(i / 25 % 2 * 10) })
	if said := refusedAny(t, s.Owner, api.ListStates.At("d", "v").Raw(stretchOf(from, 100))); !strings.Contains(said,
		"bands") {
		t.Error("a number without bands:", said)
	}
	s.Do(api.SetSignal.At("d", "v"), object{"bands": []object{{"name": "cool", "to": 5}, {"name": "warm", "from": 5}}},
		nil)
	var c board.Course
	s.Do(api.ListStates.At("d", "v").Raw(stretchOf(from, 100)), nil, &c)
	if len(c.Stretches) != 4 || c.Stretches[0].State != "cool" || c.Stretches[3].State != "warm" {
		t.Fatalf("%+v", c.Stretches)
	}
	for _, sum := range c.States {
		if sum.Lasted != 50*60_000 || sum.Times != 2 {
			t.Errorf("%+v", sum)
		}
	}
}

// A spread counts each reading once, and knows the hours of the site's own day.
func TestSpreadOfAStretch(t *testing.T) {
	s := servertest.Start(t)
	s.Do(api.PutSite.At(), site.Site{Name: "x", Zone: "Asia/Kolkata"}, nil)
	s.Device("d")
	const n = 2 * 24 * 60
	from := minutes(t, s, "v", "Cel", n, func(i int) float64 { return float64(i % 10) })
	var got series.Spread
	s.Do(api.GetSpread.At("d", "v").Raw("bins=10&"+stretchOf(from, n)), nil, &got)
	sum := 0
	for _, c := range got.Counts {
		sum += c
	}
	if sum != n || got.Low != 0 || got.High != 9 || got.Mean == nil || *got.Mean != 4.5 || len(got.Hours) != 24 {
		t.Fatalf("%d readings, %v to %v, mean %v, %d hours", sum, got.Low, got.High, got.Mean, len(got.Hours))
	}
	for _, h := range got.Hours {
		if h.Count != 120 {
			t.Errorf("hour %d has %d readings", h.Hour, h.Count)
		}
	}
	s.Send(s.Device("e"), `{"mode": "idle"}`)
	if said := refusedAny(t, s.Owner, api.GetSpread.At("e", "mode")); !strings.Contains(said, "text") {
		t.Error("a spread of texts:", said)
	}
}

// A stream that is opened anew with the number of the last commit tells only what was missed.
func TestLiveResumesByQuery(t *testing.T) {
	s := servertest.Start(t)
	d := s.Device("d")
	s.Send(d, `{"a": 1}`)
	last := changes(t, s.Owner, "", func(c site.Update) bool { return c.CommitNo > 0 })
	s.Send(d, `{"a": 2}`)
	s.Send(d, `{"a": 3}`)
	answer, err := s.Owner.Fetch(context.Background(), api.WatchLive.At().Asking("since", last), nil)
	if err != nil {
		t.Fatal(err)
	}
	defer answer.Body.Close()
	first := make([]byte, 4096)
	got, _ := answer.Body.Read(first)
	if text := string(first[:got]); !strings.Contains(text, `"value":3`) || strings.Contains(text, `"value":1`) {
		t.Errorf("resumed after %s it told %q", last, text)
	}
}
