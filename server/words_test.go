package server_test

import (
	"encoding/json"
	"net/http"
	"strings"
	"testing"

	"jauntylark/api"
	"jauntylark/server/servertest"
)

// Text that no record can hold, or that would be changed unseen, is refused with its field, wherever it stands; what is
// merely odd is kept as it is.
func TestOddTexts(t *testing.T) {
	s := servertest.Start(t)
	pond := s.Device("pond")
	s.Send(pond, `{"oxygen": 8}`)
	token := s.Owner.Token
	for name, c := range map[string]struct{ method, path, body, says string }{
		"zero in a title": {"PATCH", api.GetDevice.At("pond").Path, `{"title": "a\u0000b"}`,
			"title: has the control character U+0000"},
		"escape in a title": {"PATCH", api.GetDevice.At("pond").Path, `{"title": "a\u001b[31m"}`,
			"title: has the control character U+001B"},
		"line break in a title": {"PATCH", api.GetDevice.At("pond").Path, `{"title": "a\nb"}`,
			"title: has a line break"},
		"half a pair": {"PATCH", api.GetDevice.At("pond").Path, `{"title": "\ud800"}`, `title: has \\ud800`},
		"broken UTF-8": {"PATCH", api.GetDevice.At("pond").Path, "{\"title\": \"\xff\"}",
			"title: has broken UTF-8"},
		"in a person's name": {"POST", api.ListPeople.At().Path,
			`{"email": "x@hollowbrook.example", "name": "X\r\nBcc: y", "role": "viewer", "password": "` +
				servertest.Password + `"}`, "name: has a line break"},
		"deep in a body": {"PUT", api.GetRoster.At("night").Path,
			`{"steps": [{"after": "0s", "tell": ["o\u0000"]}]}`, "steps.0.tell.0: has the control"},
		"zero in a note":      {"POST", api.ListJournal.At().Path, `{"text": "a\u0000"}`, "text: has the control"},
		"path":                {"GET", api.GetDevice.At("po\x00nd").Path, "", "path: has the control"},
		"broken path":         {"GET", api.GetDevice.At("\xff").Path, "", "path: has broken UTF-8"},
		"path of the console": {"GET", "/alarms/%00", "", "path: has the control"},
		"query": {"GET", api.ListJournal.At().Asking("words", "\x00").Path, "",
			"query.words: has the control"},
		"broken query": {"GET", api.ExportReadings.At().Asking("what", "\xff").Path, "",
			"query.what: has broken UTF-8"},
		"name of a parameter": {"GET", api.ListAlarms.At().Raw("%00=1").Path, "",
			"a parameter's name has the control"},
		"no query at all": {"GET", api.ListAlarms.At().Raw("a=%zz").Path, "", "query: cannot be read"},
	} {
		status, answer, _ := call(t, c.method, s.URL+c.path, token, "application/json", c.body)
		if status < 400 || status >= 500 || !strings.Contains(answer, c.says) {
			t.Errorf("%s: %d %s, want %s", name, status, answer, c.says)
		}
	}
	for _, text := range []string{"=1+1", "+cmd|' /C calc'!A0", "Über 水 🐟", "\ufffd", "<b>x</b>", `\ud800`,
		"'; drop table device; --"} {
		body, _ := json.Marshal(object{"title": text})
		if status, answer, _ := call(t, "PATCH", s.URL+api.GetDevice.At("pond").Path, token, "application/json",
			string(body)); status != http.StatusOK || s.Look("pond").Title != text {
			t.Errorf("%q: %d %s, kept as %q", text, status, answer, s.Look("pond").Title)
		}
	}
	if status, answer, _ := call(t, "POST", s.URL+api.ListJournal.At().Path, token, "application/json",
		`{"text": "one\ntwo"}`); status != http.StatusNoContent {
		t.Error("a note of two lines:", status, answer)
	}
	if status, answer, _ := call(t, "POST", s.URL+api.SendReadings.At().Path, pond.Token, "application/json",
		`{"oxygen": 9}`, "Idempotency-Key", "\xff\xfe"); status != http.StatusBadRequest ||
		!strings.Contains(answer, "Idempotency-Key has broken UTF-8") {
		t.Error("an idempotency key:", status, answer)
	}
}

// Text that begins like a formula is harmless in a CSV file, and the same again when that is read here.
func TestFormulasInFiles(t *testing.T) {
	s := servertest.Start(t)
	s.Send(s.Device("pond"), `{"state": "=1+1"}`)
	csv := string(exported(t, s, "what=pond/state&names=bare&values=raw"))
	if !strings.Contains(csv, ",'=1+1,") {
		t.Error(csv)
	}
	other := s.Device("other")
	if refused, err := other.SendReadings(t.Context(), "text/csv", []byte(csv)); err != nil || len(refused) > 0 {
		t.Fatal(refused, err)
	}
	var page struct{ Readings []struct{ Text string } }
	s.Do(api.ListReadings.At("other", "state"), nil, &page)
	if len(page.Readings) != 1 || page.Readings[0].Text != "=1+1" {
		t.Errorf("%+v", page)
	}
}
