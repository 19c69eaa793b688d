package senml

import (
	"math"
	"strings"
	"testing"

	"jauntylark/core/measure"
)

const now = measure.Instant(1_790_000_000_000)

// Examples from RFC 8428 section 5.1, with names that a site allows where the sample goes on to it.
func TestExamplesOfTheRFC(t *testing.T) {
	samples, refused, err := DecodeJSON([]byte(`[{"n":"urn:dev:ow:10e2073a01080063","u":"Cel","v":23.1}]`), now)
	if err != nil || len(refused) != 0 || len(samples) != 1 ||
		samples[0] != (measure.Sample{Name: "urn:dev:ow:10e2073a01080063", Unit: "Cel", Value: 23.1}) {
		t.Fatalf("5.1.1: %+v %+v %v", samples, refused, err)
	}
	samples, refused, err = DecodeJSON([]byte(`[
		{"bn":"urn:dev:ow:10e2073a0108006:","bt":1.276020076001e+09,"bu":"A","bver":5,"n":"voltage","u":"V","v":120.1},
		{"n":"current","t":-5,"v":1.2},{"n":"current","t":-4,"v":1.3},{"n":"current","v":1.7}]`), now)
	if err != nil || len(refused) != 0 || len(samples) != 4 {
		t.Fatalf("5.1.2: %+v %+v %v", samples, refused, err)
	}
	if s := samples[1]; s.Name != "urn:dev:ow:10e2073a0108006:current" || s.Unit != "A" || s.At != 1276020071001 ||
		s.Value != 1.2 {
		t.Errorf("5.1.2: second record %+v", s)
	}
}

func TestBaseValueAndRelativeTime(t *testing.T) {
	samples, refused, err := DecodeJSON(
		[]byte(`[{"bn":"fern-house/","bv":20},{"n":"air","v":1.5,"t":-10},{"n":"glass"},{"n":"door","vb":true}]`), now)
	if err != nil || len(refused) != 0 {
		t.Fatal(refused, err)
	}
	want := []measure.Sample{{Index: 1, Name: "fern-house/air", Value: 21.5, At: now - 10_000},
		{Index: 2, Name: "fern-house/glass", Value: 20}, {Index: 3, Name: "fern-house/door", Value: 1,
			Form: measure.FormBool}}
	for i, w := range want {
		if samples[i] != w {
			t.Errorf("record %d: %+v, want %+v", i, samples[i], w)
		}
	}
}

func TestABadRecordIsRefusedAlone(t *testing.T) {
	for body, field := range map[string]string{
		`{"n":"b","v":"warm"}`: "v", `{"n":"b","v":1e999}`: "v", `{"n":"b","vs":"x","v":1}`: "vs",
		`{"n":"b","vd":"A"}`: "vd", `{"n":"b","vs":"\u0000"}`: "vs",
		`{"n":"b"}`: "v", `{}`: "v", `{"n":"b","v":1,"t":1e300}`: "t", `{"n":"b","v":1,"t":-1e300}`: "t",
		`{"n":7,"v":1}`: "n", `7`: "", `{"n":"b","v":1,"u":3}`: "u",
	} {
		samples, refused, err := DecodeJSON([]byte(`[{"n":"a","v":1},`+body+`,{"n":"c","v":3}]`), now)
		if err != nil || len(samples) != 2 || len(refused) != 1 || refused[0].Index != 1 || refused[0].Field != field ||
			refused[0].Reason == "" {
			t.Errorf("%s: samples %+v refused %+v err %v", body, samples, refused, err)
		}
	}
	if _, refused, _ := DecodeJSON([]byte(`[{"n":"a","bv":1e308,"v":1e308}]`), now); len(refused) != 1 ||
		refused[0].Field != "v" {
		t.Errorf("a sum beyond the largest number: %+v", refused)
	}
}

func TestABodyThatIsNoPack(t *testing.T) {
	for _, body := range []string{``, `{`, `{"n":"a"}`, `"x"`, `[`, `[1,`, strings.Repeat("[", 1<<20),
		`[{"n":"a","v":NaN}]`} {
		if _, _, err := DecodeJSON([]byte(body), now); err == nil {
			t.Errorf("%.20q was taken", body)
		}
	}
}

func FuzzDecodeJSON(f *testing.F) {
	f.Add([]byte(`[{"bn":"a/","bt":1.7e9,"bu":"Cel","n":"b","v":1},{"n":"c","vb":false,"t":-3}]`))
	f.Add([]byte(`[{"n":"b","v":1e999},7,null]`))
	f.Fuzz(func(t *testing.T, body []byte) {
		samples, refused, err := DecodeJSON(body, now)
		if err != nil {
			if samples != nil || refused != nil {
				t.Fatal("an error and an answer")
			}
			return
		}
		for _, s := range samples {
			if math.IsNaN(s.Value) || math.IsInf(s.Value, 0) || s.At < 0 {
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
