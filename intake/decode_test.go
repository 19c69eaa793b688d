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
	samples, refused, err := Decode("application/json; charset=utf-8",
		[]byte(`{"temp": 21.5, "door": true, "lid": false, "at": "2026-03-01T14:05:00Z"}`), now)
	want := []measure.Sample{{Name: "door", At: at, Value: 1, Form: measure.FormBool},
		{Name: "lid", At: at, Form: measure.FormBool}, {Name: "temp", At: at, Value: 21.5}}
	if err != nil || len(refused) != 0 || !slices.Equal(samples, want) {
		t.Errorf("%+v %+v %v", samples, refused, err)
	}
	samples, refused, err = Decode("application/json",
		[]byte(` [{"a": 1}, {"a": null, "b": 2}, 7, {"a": {"b": 1}}, {"a": 1, "at": 5}, {}] `), now)
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
		samples, refused, err := Decode("application/senml+json", []byte(`[{"n":"a","v":1},{"n":"b","v": `+word+
			` },{"n":"c","v":3}]`), now)
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

func TestCSV(t *testing.T) {
	at := measure.Instant(1_772_373_900_000)
	samples, refused, err := Decode("text/csv; charset=utf-8",
		[]byte("\ufeffat,signal,value,unit\r\n2026-03-01T14:05:00Z,temp,21.5,Cel\r\n,door,true,\r\n\"2026-03-01T15:05:00+01:00\",temp,22,\r\n"), now)
	want := []measure.Sample{{Name: "temp", At: at, Value: 21.5, Unit: "Cel"},
		{Index: 1, Name: "door", Value: 1, Form: measure.FormBool}, {Index: 2, Name: "temp", At: at, Value: 22}}
	if err != nil || len(refused) != 0 || !slices.Equal(samples, want) {
		t.Errorf("%+v %+v %v", samples, refused, err)
	}
	samples, refused, err = Decode("text/csv",
		[]byte("signal,value,at\na,1,\nb,warm,\nc,NaN,\nd,1,yesterday\ne,1\nf,2,\n"), now)
	if err != nil || len(samples) != 2 || len(refused) != 4 {
		t.Fatalf("%+v %+v %v", samples, refused, err)
	}
	for i, want := range []measure.Refusal{{Index: 1, Signal: "b", Field: "value"},
		{Index: 2, Signal: "c", Field: "value"}, {Index: 3, Signal: "d", Field: "at"}, {Index: 4}} {
		if r := refused[i]; r.Index != want.Index || r.Signal != want.Signal || r.Field != want.Field {
			t.Errorf("%+v, want %+v", r, want)
		}
	}
	for body, says := range map[string]string{"": "no header", "at,signal\n": "lacks value",
		"at,signal,value,colour\n": `"colour"`, "at,signal,value\n\"a": "not CSV"} {
		if _, _, err := Decode("text/csv", []byte(body), now); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v", body, err)
		}
	}
	if _, _, err := Decode("text/csv", []byte("at,signal,value\n"+strings.Repeat(",a,1\n", MaxRecords+1)),
		now); err == nil {
		t.Error("a body with too many lines was taken")
	}
}

func TestTextInFlatJSON(t *testing.T) {
	samples, refused, err := Decode("application/json", []byte(`{"firmware": "1.4.2", "temp": "21.5", "gap": "NaN"}`),
		now)
	if err != nil || len(samples) != 1 || samples[0].Form != measure.FormText || samples[0].Text != "1.4.2" ||
		len(refused) != 2 || !strings.Contains(refused[1].Reason, "leave the quotes out") {
		t.Errorf("%+v %+v %v", samples, refused, err)
	}
}

func TestGuess(t *testing.T) {
	for body, want := range map[string]string{
		`{"temp": 1}`: FlatJSON, ` [{"n":"a","v":1}]`: SenMLJSON, `[{"bn":"x/","n":"a","v":1}]`: SenMLJSON,
		`[{"temp": 1}]`:             FlatJSON,
		"\x81\xa2\x00\x61a\x02\x01": SenMLCBOR, "at,signal,value\n": CSV, "": FlatJSON,
	} {
		if got := Guess([]byte(body)); got != want {
			t.Errorf("%q is guessed to be %s, want %s", body, got, want)
		}
	}
}

func TestBareValuesAndReports(t *testing.T) {
	for body, want := range map[string]measure.Sample{"21.5": {Value: 21.5},
		" true\n": {Value: 1, Form: measure.FormBool}, `"idle"`: {Form: measure.FormText, Text: "idle"}} {
		want.Name = "s"
		if samples, refused := Bare("s", []byte(body)); len(refused) != 0 || len(samples) != 1 || samples[0] != want {
			t.Errorf("%q: %+v %+v", body, samples, refused)
		}
	}
	for _, body := range []string{"", "warm", "NaN", "1e999", "{}"} {
		if samples, refused := Bare("s", []byte(body)); len(samples) != 0 || len(refused) != 1 {
			t.Errorf("%q: %+v %+v", body, samples, refused)
		}
	}
	for body, version := range map[string]int{"3": 3, `{"version": 4, "interval": 60}`: 4} {
		if r, err := DecodeReport([]byte(body)); err != nil || r.Version != version {
			t.Errorf("%q: %+v %v", body, r, err)
		}
	}
	for _, body := range []string{"", "-1", "x", `{"version": -2}`, `{"verson": 2}`} {
		if _, err := DecodeReport([]byte(body)); err == nil {
			t.Errorf("%q was taken", body)
		}
	}
}
