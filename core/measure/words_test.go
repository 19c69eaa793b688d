package measure

import (
	"encoding/json"
	"math"
	"os"
	"testing"
	"time"

	"jauntylark/core/prose"
)

// The table of cases is that of the console too (console/words_test.go).
func TestWords(t *testing.T) {
	text, err := os.ReadFile("testdata/words.json")
	if err != nil {
		t.Fatal(err)
	}
	var cases struct {
		Lengths []struct {
			Seconds float64
			Words   string
		}
		Counts []struct {
			N                int
			One, Many, Words string
		}
		Amounts []struct {
			Value float64
			Unit  Unit
			Words string
		}
		Steps []struct {
			Value, Step float64
			Words       string
		}
		Values []struct {
			Value, Step float64
			Unit        Unit
			Words       string
		}
		Seen []struct {
			Step, Words float64
			From, To    Unit
		}
	}
	if err := json.Unmarshal(text, &cases); err != nil {
		t.Fatal(err)
	}
	for _, c := range cases.Lengths {
		if got := prose.Length(time.Duration(c.Seconds * float64(time.Second))); got != c.Words {
			t.Errorf("%v s: %q, want %q", c.Seconds, got, c.Words)
		}
	}
	for _, c := range cases.Counts {
		if got := prose.Count(c.N, c.One, c.Many); got != c.Words {
			t.Errorf("%d: %q, want %q", c.N, got, c.Words)
		}
	}
	for _, c := range cases.Amounts {
		if got := Amount(c.Value, c.Unit); got != c.Words {
			t.Errorf("%v %s: %q, want %q", c.Value, c.Unit, got, c.Words)
		}
	}
	for _, c := range cases.Steps {
		if got := Stepped(c.Value, c.Step); got != c.Words {
			t.Errorf("%v by %v: %q, want %q", c.Value, c.Step, got, c.Words)
		}
	}
	for _, c := range cases.Values {
		if got := Say(c.Value, c.Unit, c.Step); got != c.Words {
			t.Errorf("%v %s by %v: %q, want %q", c.Value, c.Unit, c.Step, got, c.Words)
		}
	}
	for _, c := range cases.Seen {
		if got := StepIn(c.Step, c.From, c.To); math.Abs(got-c.Words) > c.Words/1e9 {
			t.Errorf("a step of %v %s is one of %v %s, want %v", c.Step, c.From, got, c.To, c.Words)
		}
	}
	if len(cases.Lengths)*len(cases.Counts)*len(cases.Amounts)*len(cases.Steps)*len(cases.Values)*len(cases.Seen) == 0 {
		t.Error("a table is empty")
	}
}

func TestRound(t *testing.T) {
	for _, c := range []struct {
		value  float64
		places int
		want   string
	}{{0.125, 2, "0.13"}, {-0.125, 2, "-0.13"}, {-0.001, 2, "0.00"}, {1.005, 2, "1.01"}, {2, 0, "2"}, {31, 1, "31.0"},
		{1e20, 2, "100000000000000000000.00"}} {
		// it is a little less, in binary
		if got := Round(c.value, c.places); got != c.want && !(c.value == 1.005 && got == "1.00") {
			t.Errorf("%v to %d: %s, want %s", c.value, c.places, got, c.want)
		}
	}
}
