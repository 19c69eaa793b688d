package prose

import (
	"testing"
	"time"
)

func TestList(t *testing.T) {
	for want, words := range map[string][]string{"": nil, "a": {"a"}, "a and b": {"a", "b"},
		"a, b and c": {"a", "b", "c"}} {
		if got := List(words); got != want {
			t.Errorf("%q: %q, not %q", words, got, want)
		}
	}
}

func TestCapital(t *testing.T) {
	for text, want := range map[string]string{"pump runs": "Pump runs", "CO2": "CO2", "a": "A"} {
		if got := Capital(text); got != want {
			t.Errorf("%q: %q, not %q", text, got, want)
		}
	}
}

// A length has its two largest parts that follow each other, and no more.
func TestLength(t *testing.T) {
	for d, want := range map[time.Duration]string{
		0: "less than a second", 499 * time.Millisecond: "less than a second", time.Second: "1 second",
		61 * time.Second:        "1 minute 1 second",
		time.Hour + time.Second: "1 hour", 65 * time.Minute: "1 hour 5 minutes", 49*time.Hour +
			time.Minute: "2 days 1 hour",
	} {
		if got := Length(d); got != want {
			t.Errorf("%s: %q, not %q", d, got, want)
		}
	}
}

func TestCount(t *testing.T) {
	for n, want := range map[int]string{0: "0 alarms", 1: "1 alarm", -1: "-1 alarm", 2: "2 alarms"} {
		if got := Count(n, "alarm", "alarms"); got != want {
			t.Errorf("%d: %q, not %q", n, got, want)
		}
	}
}
