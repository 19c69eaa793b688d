package board

import "testing"

func TestStatesWrittenAsTests(t *testing.T) {
	for text, want := range map[string]string{`is "flame"`: "flame", "is on": "on", "flame": "flame",
		"silent": "silent", `is  "very dry"`: "very dry", "island": "island"} {
		if got := plainState(text); got != want {
			t.Errorf("%s: %q, want %q", text, got, want)
		}
	}
}
