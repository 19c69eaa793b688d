package intake

import (
	"strings"
	"testing"
)

// A text that a decoder would change unseen costs its record alone, whatever the form of the body.
func TestTextsThatWouldBeChangedUnseen(t *testing.T) {
	for name, c := range map[string]struct{ kind, body, field string }{
		"flat, half a pair": {FlatJSON, `[{"a": 1}, {"b": "x\ud800", "c": 2}]`, "b"},
		"flat, zero":        {FlatJSON, `[{"a": 1}, {"b": "x\u0000", "c": 2}]`, "b"},
		"flat, UTF-8":       {FlatJSON, "[{\"a\": 1}, {\"b\": \"x\xff\", \"c\": 2}]", "b"},
		"SenML, half a pair": {SenMLJSON,
			`[{"bn": "", "n": "a", "v": 1}, {"n": "b", "vs": "\ud800"}, {"n": "c", "v": 2}]`, "vs"},
		"SenML, zero": {SenMLJSON, `[{"n": "a", "v": 1}, {"n": "b", "vs": "\u0000"}, {"n": "c", "v": 2}]`, "vs"},
		"SenML, UTF-8": {SenMLJSON,
			"[{\"n\": \"a\", \"v\": 1}, {\"n\": \"b\", \"vs\": \"\xff\"}, {\"n\": \"c\", \"v\": 2}]", "vs"},
		"SenML, data": {SenMLJSON, `[{"n": "a", "v": 1}, {"n": "b", "vd": "\ud800"}, {"n": "c", "v": 2}]`, "vd"},
		"CSV, zero":   {CSV, "at,signal,value,text\n,a,1,\n,b,,x\x00\n,c,2,\n", "text"},
		"CSV, UTF-8":  {CSV, "at,signal,value,text\n,a,1,\n,b,,x\xff\n,c,2,\n", "text"},
	} {
		samples, refused, err := Decode(c.kind, []byte(c.body), now)
		if err != nil || len(samples) != 2 || len(refused) != 1 || refused[0].Index != 1 ||
			refused[0].Field != c.field || samples[0].Name != "a" || samples[1].Name != "c" {
			t.Errorf("%s: %+v %+v %v", name, samples, refused, err)
		}
		for _, s := range samples {
			if strings.Contains(s.Text, "\ufffd") {
				t.Errorf("%s: changed to %q", name, s.Text)
			}
		}
	}
	for _, body := range []string{`{"a": "\ud83d\udc1f é = 1"}`, "{\"a\": \"one\\ntwo \ufffd\"}", `{"a": "=1+1"}`} {
		if samples, refused, err := Decode(FlatJSON, []byte(body), now); err != nil || len(refused) > 0 ||
			len(samples) != 1 {
			t.Errorf("%s: %+v %v", body, refused, err)
		}
	}
}
