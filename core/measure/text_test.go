package measure

import (
	"encoding/json"
	"strings"
	"testing"
)

func TestWrongTexts(t *testing.T) {
	for text, want := range map[string]string{
		"Übergabe 12 °C, 水位 🐟": "", "": "", "\ufffd": "", // as somebody wrote it
		"a\x00b": "U+0000", "a\x1bb": "U+001B", "a\x7f": "U+007F", "a\u0085b": "U+0085",
		"a\xffb": "broken UTF-8 at byte 1", "a\nb": "line break", "a\u2028b": "line break", "a\tb": "U+0009",
	} {
		if got := WrongText(text, false); (want == "") != (got == "") || !strings.Contains(got, want) {
			t.Errorf("%q: %q, want %q", text, got, want)
		}
	}
	if wrong := WrongText("one\r\n\ttwo", true); wrong != "" {
		t.Error("several lines:", wrong)
	}
	if WrongText("one\x00", true) == "" {
		t.Error("several lines may have no zero")
	}
}

func TestWrongTextsInJSONAreFoundByTheirFields(t *testing.T) {
	lines := func(path string) bool { return strings.HasSuffix(path, "note") }
	for body, want := range map[string]string{
		`{"a": "b", "n": 1.5, "x": [true, null, {"y": "\ud83d\udc1f \\ud800 \" \u00e9"}], "note": "a\nb"}`: "",
		`{"title": "\u0000"}`:                  "title: has the control character U+0000",
		`{"a": {"b": [1, {"title": "x\ny"}]}}`: "a.b.1.title: has a line break",
		`{"a": ["x", "\ud800"]}`:               `a.1: has \ud800, half`,
		`{"a": "\udc1f\ud83d"}`:                `a: has \udc1f, half`,
		`{"a": "\ud83dx"}`:                     `a: has \ud83d, half`,
		`{"a": "\ud83d\u0041"}`:                `a: has \ud83d, half`,
		"{\"a\": \"\xff\"}":                    "a: has broken UTF-8",
		"{\"\xff\": 1}":                        "a field's name: has broken UTF-8",
		`{"a": {"\u0000": 1}}`:                 "a.a field's name: has the control character",
		`"\u0007"`:                             ": has the control character U+0007",
		`{"a": `:                               "", `{"a": [1, }`: "", `nonsense`: "", ``: "", `{"a" 1}`: "", `[[[`: "",
		`{"a":"b"`: "",
	} {
		got := ""
		if err := CheckJSON([]byte(body), lines); err != nil {
			got = err.Error()
		}
		if (want == "") != (got == "") || !strings.HasPrefix(got, want) {
			t.Errorf("%s: %q, want %q", body, got, want)
		}
	}
}

// What is let through is decoded to what was sent: encoding it again and decoding that gives the same.
func FuzzCheckJSON(f *testing.F) {
	for _, seed := range []string{`{"a": ["x", {"b": "\ud83d\udc1f"}]}`, `"\ud800"`, "[\"\xff\"]", `{"a":`,
		`[1,2,{"\u0041":null}]`} {
		f.Add([]byte(seed))
	}
	f.Fuzz(func(t *testing.T, body []byte) {
		err := CheckJSON(body, func(string) bool { return true })
		if err != nil || !json.Valid(body) {
			return
		}
		var v any
		if json.Unmarshal(body, &v) != nil {
			return
		}
		if text, _ := json.Marshal(v); strings.Contains(string(text), `\ufffd`) &&
			!strings.Contains(string(body), "\ufffd") && !strings.Contains(strings.ToLower(string(body)), `\ufffd`) {
			t.Errorf("%q was changed to %q", body, text)
		}
	})
}
