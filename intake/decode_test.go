package intake

import (
	"math"
	"slices"
	"strings"
	"testing"

	"jauntylark/core/measure"
)

const now = measure.Instant(1_790_000_000_000)

func TestFlat(t *testing.T) {
	at := measure.Instant(1_772_373_900_000)
	samples, refused, err := Decode("application/json; charset=utf-8", []byte(`{"temp": 21.5, "door": true, "lid": false, "at": "2026-03-01T14:05:00Z"}`), now)
	want := []measure.Sample{{Name: "door", At: at, Value: 1, Form: measure.FormBool}, {Name: "lid", At: at, Form: measure.FormBool}, {Name: "temp", At: at, Value: 21.5}}
	if err != nil || len(refused) != 0 || !slices.Equal(samples, want) {
		t.Errorf("%+v %+v %v", samples, refused, err)
	}
	samples, refused, err = Decode("application/json", []byte(` [{"a": 1}, {"a": null, "b": 2}, 7, {"a": {"b": 1}}, {"a": 1, "at": 5}, {}] `), now)
	if err != nil || len(samples) != 2 || samples[1].Name != "b" || samples[1].Index != 1 {
		t.Fatalf("%+v %v", samples, err)
	}
	var indices []int
	for _, r := range refused {
		indices = append(indices, r.Index)
	}
	if !slices.Equal(indices, []int{1, 2, 3, 4, 5}) {
		t.Errorf("refused %+v", refused)
	}
}

// What C libraries print for no number costs one record and not the pack.
func TestNotANumberIsRefusedAlone(t *testing.T) {
	for _, word := range []string{"NaN", "nan", "-nan", "Infinity", "-inf", "+Inf"} {
		samples, refused, err := Decode("application/senml+json", []byte(`[{"n":"a","v":1},{"n":"b","v": `+word+` },{"n":"c","v":3}]`), now)
		if err != nil || len(samples) != 2 || len(refused) != 1 || refused[0].Index != 1 || refused[0].Field != "v" {
			t.Errorf("%s: %+v %+v %v", word, samples, refused, err)
		}
	}
	if samples, _, err := Decode("application/json", []byte(`{"nan": 1}`), now); err != nil || len(samples) != 1 {
		t.Errorf("a signal called nan: %+v %v", samples, err)
	}
}

func TestNameSpeaksTheSendersLanguage(t *testing.T) {
	refused := func() []measure.Refusal {
		return []measure.Refusal{{Signal: "temp", Field: "t"}, {Signal: "temp", Field: "vb"}}
	}
	if got := Name("application/json", refused()); got[0].Field != "at" || got[1].Field != "temp" {
		t.Errorf("%+v", got)
	}
	if got := Name("application/senml+json", refused()); got[0].Field != "t" || got[1].Field != "vb" {
		t.Errorf("%+v", got)
	}
}

func FuzzFlat(f *testing.F) {
	f.Add([]byte(`{"temp": 21.5, "door": true, "at": "2026-03-01T14:05:00Z"}`))
	f.Add([]byte(`[{"a": NaN}, 7, null, {"a": 1e999}]`))
	f.Fuzz(func(t *testing.T, body []byte) {
		samples, refused, err := Decode("application/json", body, now)
		if err != nil && (samples != nil || refused != nil) {
			t.Fatal("an error and an answer")
		}
		if err == nil && len(samples)+len(refused) == 0 && strings.TrimSpace(string(body)) != "[]" {
			bare := strings.Join(strings.Fields(string(body)), "")
			if bare != "[]" {
				t.Fatalf("%q is neither taken nor refused", body)
			}
		}
		for _, s := range samples {
			if math.IsNaN(s.Value) || math.IsInf(s.Value, 0) || s.At < 0 {
				t.Fatalf("%+v", s)
			}
		}
	})
}
