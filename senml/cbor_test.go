package senml

import (
	"encoding/hex"
	"encoding/json"
	"math"
	"slices"
	"strings"
	"testing"

	"github.com/fxamacker/cbor/v2"

	"jauntylark/core/measure"
)

// The CBOR of RFC 8428 section 6 (figure 1), which says the same as the JSON of section 5.1.3 but for
// its version.
const rfcFigure1 = `
87a721781b75726e3a6465763a6f773a3130653230373361303130383030363a22fb41d303a15b00106223614120050067766f6c7461676501615602fb405e066666666666
a3006763757272656e74062402fb3ff3333333333333
a3006763757272656e74062302fb3ff4cccccccccccd
a3006763757272656e74062202fb3ff6666666666666
a3006763757272656e74062102f93e00
a3006763757272656e74062002fb3ff999999999999a
a3006763757272656e74060002fb3ffb333333333333`

func TestTheCBORExampleOfTheRFC(t *testing.T) {
	body, err := hex.DecodeString(strings.Join(strings.Fields(rfcFigure1), ""))
	if err != nil {
		t.Fatal(err)
	}
	samples, refused, err := DecodeCBOR(body, now)
	if err != nil || len(refused) != 0 || len(samples) != 7 {
		t.Fatalf("%+v %+v %v", samples, refused, err)
	}
	first := measure.Sample{Name: "urn:dev:ow:10e2073a0108006:voltage", Unit: "V", Value: 120.1, At: 1276020076001}
	if samples[0] != first {
		t.Errorf("%+v, want %+v", samples[0], first)
	}
	for i, want := range []float64{1.2, 1.3, 1.4, 1.5, 1.6, 1.7} {
		s := samples[i+1]
		if s.Value != want || s.Unit != "A" || s.At != 1276020076001-measure.Instant(5-i)*1000 ||
			s.Name != "urn:dev:ow:10e2073a0108006:current" {
			t.Errorf("record %d: %+v", i+1, s)
		}
	}
}

// pack writes a pack with the labels of JSON as CBOR.
func packCBOR(t testing.TB, jsonText string) []byte {
	numbers := map[string]int64{}
	for n, label := range labels {
		numbers[label] = n
	}
	var records []map[string]any
	if err := json.Unmarshal([]byte(jsonText), &records); err != nil {
		t.Fatal(err)
	}
	out := make([]map[any]any, len(records))
	for i, r := range records {
		out[i] = map[any]any{}
		for label, value := range r {
			if n, known := numbers[label]; known {
				out[i][n] = value
			} else {
				out[i][label] = value
			}
		}
	}
	body, err := cbor.Marshal(out)
	if err != nil {
		t.Fatal(err)
	}
	return body
}

var formPacks = []string{
	`[{"bn":"fern-house/","bv":20,"bs":100,"bu":"W","n":"air","v":1.5,"t":-10},{"n":"lamp","v":1,"s":50},{"n":"door","vb":true},{"n":"state","vs":"running"},{"n":"meter","s":7}]`,
	`[{"n":"a","v":"x"},{"n":"b","v":1}]`,
	`[{"n":"a","vb":1},{"n":"b","vs":2},{"bver":"x"}]`,
	`[{"n":"a","v":1,"vs":"two values"}]`,
	`[{"n":"a","v":1,"must_":2}]`,
	`[{"bver":11,"n":"a","v":1}]`,
	`[{"n":"a","v":1,"unknown":2}]`,
	`[{"bn":"a"},{"bt":1800000000},{"n":"","v":3}]`,
}

// The two forms say the same.
func TestJSONAndCBORAgree(t *testing.T) {
	for _, text := range formPacks {
		samples, refused, err := DecodeJSON([]byte(text), now)
		fromCBOR, refusedCBOR, errCBOR := DecodeCBOR(packCBOR(t, text), now)
		if !slices.Equal(samples, fromCBOR) || len(refused) != len(refusedCBOR) || (err == nil) != (errCBOR == nil) {
			t.Errorf("%s\nJSON %+v %+v %v\nCBOR %+v %+v %v", text, samples, refused, err, fromCBOR, refusedCBOR,
				errCBOR)
			continue
		}
		for i := range refused {
			if refused[i].Field != refusedCBOR[i].Field || refused[i].Index != refusedCBOR[i].Index {
				t.Errorf("%s: JSON refuses %+v, CBOR %+v", text, refused[i], refusedCBOR[i])
			}
		}
	}
}

func TestSumsTextAndData(t *testing.T) {
	samples, refused, err := DecodeJSON([]byte(formPacks[0]), now)
	want := []measure.Sample{
		{Index: 0, Name: "fern-house/air", Unit: "W", Value: 21.5, At: now - 10_000},
		{Index: 1, Name: "fern-house/lamp-sum", Unit: "J", Value: 150}, {Index: 1, Name: "fern-house/lamp", Unit: "W",
			Value: 21},
		{Index: 2, Name: "fern-house/door", Unit: "W", Value: 1, Form: measure.FormBool},
		{Index: 3, Name: "fern-house/state", Unit: "W", Form: measure.FormText, Text: "running"},
		{Index: 4, Name: "fern-house/meter-sum", Unit: "J", Value: 107},
	}
	if err != nil || len(refused) != 0 || !slices.Equal(samples, want) {
		t.Errorf("%+v\nwant %+v\n%+v %v", samples, want, refused, err)
	}
	body, _ := cbor.Marshal([]map[int]any{{0: "blob", 8: []byte{0, 255, 62}}})
	samples, refused, err = DecodeCBOR(body, now)
	if err != nil || len(refused) != 0 || samples[0].Form != measure.FormData || samples[0].Text != "AP8-" {
		t.Errorf("%+v %+v %v", samples, refused, err)
	}
	fromJSON, _, _ := DecodeJSON([]byte(`[{"n":"blob","vd":"AP8-"}]`), now)
	if !slices.Equal(samples, fromJSON) {
		t.Errorf("CBOR %+v, JSON %+v", samples, fromJSON)
	}
}

// Section 4.4: what must be understood and is not, and a newer version, cost the whole pack.
func TestAPackThatMustNotBeUsed(t *testing.T) {
	for text, says := range map[string]string{`[{"n":"a","v":1},{"n":"b","v":2,"colour_":3}]`: `"colour_"`,
		`[{"n":"a","v":1},{"bver":11,"n":"b","v":2}]`: "bver 11", `[{"bver":0,"n":"b","v":2}]`: "bver 0"} {
		for form, decode := range map[string]func() ([]measure.Sample, []measure.Refusal, error){
			"JSON": func() ([]measure.Sample, []measure.Refusal, error) { return DecodeJSON([]byte(text), now) },
			"CBOR": func() ([]measure.Sample, []measure.Refusal, error) { return DecodeCBOR(packCBOR(t, text), now) },
		} {
			if samples, refused, err := decode(); err == nil || !strings.Contains(err.Error(), says) ||
				samples != nil || refused != nil {
				t.Errorf("%s %s: %+v %+v %v", form, text, samples, refused, err)
			}
		}
	}
}

func TestNumbersOfCBOR(t *testing.T) {
	for name, c := range map[string]struct {
		value any
		want  float64
		fine  bool
	}{
		"integer": {7, 7, true}, "negative": {-7, -7, true}, "float32": {float32(0.5), 0.5, true},
		"decimal fraction": {cbor.Tag{Number: 4, Content: []any{-2, 27315}}, 273.15, true},
		"NaN":              {math.NaN(), 0, false}, "infinity": {math.Inf(1), 0, false}, "text": {"7", 0, false},
		"decimal fraction that is none": {cbor.Tag{Number: 4, Content: []any{-2}}, 0, false},
		"huge exponent":                 {cbor.Tag{Number: 4, Content: []any{900, 1}}, 0, false},
	} {
		body, err := cbor.Marshal([]map[int]any{{0: "a", 2: c.value}})
		if err != nil {
			t.Fatal(err)
		}
		samples, refused, err := DecodeCBOR(body, now)
		if err != nil || c.fine && (len(samples) != 1 || samples[0].Value != c.want) || !c.fine &&
			(len(refused) != 1 || refused[0].Field != "v") {
			t.Errorf("%s: %+v %+v %v", name, samples, refused, err)
		}
	}
}

func FuzzDecodeCBOR(f *testing.F) {
	for _, text := range formPacks {
		f.Add(packCBOR(f, text))
	}
	f.Add([]byte{0x9f, 0xff})
	f.Fuzz(func(t *testing.T, body []byte) {
		samples, refused, err := DecodeCBOR(body, now)
		if err != nil && (samples != nil || refused != nil) {
			t.Fatal("an error and an answer")
		}
		for _, s := range samples {
			if math.IsNaN(s.Value) || math.IsInf(s.Value, 0) || s.At < 0 || len(s.Text) > measure.MaxText {
				t.Fatalf("%+v", s)
			}
		}
		for _, r := range refused {
			if r.Reason == "" {
				t.Fatalf("refused without a reason: %+v", r)
			}
		}
	})
}
