package server_test

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"regexp"
	"slices"
	"strings"
	"testing"

	"jauntylark/api"
	"jauntylark/server/servertest"
)

// told is an answer as it came over the wire.
type told struct {
	code   int
	header http.Header
	body   []byte
}

// problem reads the answer as a problem document.
func (a told) problem(t *testing.T) (p api.Problem) {
	t.Helper()
	if kind := a.header.Get("Content-Type"); kind != api.ProblemType {
		t.Errorf("%d comes as %s: %s", a.code, kind, a.body)
	}
	if err := json.Unmarshal(a.body, &p); err != nil || p.Status != a.code {
		t.Errorf("%s: %v", a.body, err)
	}
	return p
}

// wire sends a request as it stands, with header names and values in turn.
func wire(t *testing.T, s *servertest.Service, at api.Place, body string, header ...string) told {
	t.Helper()
	r, err := http.NewRequest(at.Method, s.Owner.URL+at.Path, strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	if body != "" {
		r.Header.Set("Content-Type", "application/json")
	}
	r.Header.Set("Authorization", "Bearer "+s.Owner.Token)
	r.Header.Set("Accept-Encoding", "identity")
	for i := 0; i+1 < len(header); i += 2 {
		if r.Header.Set(header[i], header[i+1]); header[i+1] == "" {
			r.Header.Del(header[i])
		}
	}
	answer, err := s.HTTP.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	defer answer.Body.Close()
	all, err := io.ReadAll(answer.Body)
	if err != nil {
		t.Fatal(err)
	}
	return told{answer.StatusCode, answer.Header, all}
}

// Each problem has a type that stays, the page of which says what to do, and names where it stands.
func TestProblemsHaveATypeAndAPlace(t *testing.T) {
	s := servertest.Start(t)
	s.Send(s.Device("d"), `{"temp": 20}`)
	s.Guard(object{"name": "hot", "signal": "d/temp", "when": "above 30", "severity": "warning", "advice": "Open."})
	for _, c := range []struct {
		at     api.Place
		body   string
		header []string
		kind   string
		where  string
	}{
		{api.AddGuard.At(), `{"name": `, nil, "unreadable", ""},
		{api.GetGuard.At("hot"), "", []string{"Authorization", ""}, "not-signed-in", ""},
		{api.GetGuard.At("hot"), "", []string{"Authorization", "Bearer nobody"}, "not-signed-in", ""},
		{api.GetGuard.At("hott"), "", nil, "not-there", ""},
		{api.Place{Method: "GET", Path: "/api/v1/nothing"}, "", nil, "not-there", ""},
		{api.Place{Method: "TRACE", Path: "/api/v1/guards"}, "", nil, "no-such-method", ""},
		{api.AddGuard.At(), `{"name": "hot", "signal": "d/temp", "when": "above 30", "severity": "warning"}`, nil,
			"name-taken", ""},
		{api.PutGuard.At("hot"), `{"name": "hot", "signal": "d/temp", "when": "above 30", "severity": "warning"}`, nil,
			"left-out", "body.advice"},
		{api.PutGuard.At("hot"), `{"name": "hot", "signal": "d/temp", "when": "above 30", "severity": "warning"}`,
			[]string{"If-Match", `"old"`}, "changed", ""},
		{api.AddGuard.At(), `name: hot`, []string{"Content-Type", "text/yaml"}, "wrong-type", ""},
		{api.AddGuard.At(), `{"name": "x", "signal": "d/temp", "when": "above 30", "severity": "dire"}`, nil, "refused",
			"body.severity"},
		{api.AddGuard.At(), `{"name": "x", "signal": "d/tmp", "when": "above 30", "severity": "warning"}`, nil,
			"refused", "body.signal"},
		{api.ListAlarms.At().Raw("limit=0"), "", nil, "refused", "query.limit"},
		{api.ListAlarms.At().Raw("since=yesterday"), "", nil, "refused", "query.since"},
		{api.ListReadings.At("d", "temp").Raw("since=2026-02-01T00:00:00Z&until=2026-01-01T00:00:00Z"), "", nil,
			"refused", "query.until"},
		{api.ExportReadings.At().Raw("what=d/tmp"), "", nil, "refused", "query.what"},
		{api.ListAlarms.At().Raw("sinse=2026-01-01T00:00:00Z"), "", nil, "unknown-parameter", "query.sinse"},
		{api.GetAlarm.At("x"), "", nil, "refused", "path.id"},
		{api.StreamReadings.At(), "", nil, "refused", "query.signal"},
	} {
		answer := wire(t, s, c.at, c.body, c.header...)
		p := answer.problem(t)
		if p.Type != api.ProblemsPath+c.kind || p.Title == "" || len(p.Detail) < 8 || p.Detail == "validation failed" ||
			strings.Contains(p.Detail, `""`) {
			t.Errorf("%s %s: %+v", c.at, c.body, p)
		}
		if c.where != "" && (len(p.Errors) == 0 || p.Errors[0].Location != c.where) {
			t.Errorf("%s: it stands at %+v, not %s", c.at, p.Errors, c.where)
		}
		if how := answer.header.Get("WWW-Authenticate"); (answer.code == 401) != strings.HasPrefix(how, "Bearer realm=") {
			t.Errorf("%s: %d says %q", c.at, answer.code, how)
		}
		page := wire(t, s, api.Place{Method: "GET", Path: p.Type}, "", "Authorization", "")
		if page.code != http.StatusOK || !bytes.Contains(page.body, []byte("What to do")) {
			t.Errorf("the page of %s: %d", p.Type, page.code)
		}
	}
	list := wire(t, s, api.Place{Method: "GET", Path: api.ProblemsPath}, "", "Authorization", "")
	for _, f := range api.Faults {
		if !bytes.Contains(list.body, []byte(f.Type())) {
			t.Errorf("the list of problems has no %s", f.Name)
		}
	}
	if page := wire(t, s, api.Place{Method: "GET", Path: api.ProblemsPath + "none"}, ""); page.code != http.StatusNotFound {
		t.Error("a page of no problem:", page.code)
	}
}

// What is wrong with a body is told without what is in it: it may be a secret.
func TestAWrongBodyGivesNoSecretAway(t *testing.T) {
	s := servertest.Start(t)
	const secret = "Correct-Horse-9"
	for at, body := range map[api.Place]string{
		api.SignIn.At(): `{"email": 7, "password": "` + secret + `"}`,
		api.AddPerson.At(): `{"email": "x@hollowbrook.example", "role": "king", "nick": "` + secret +
			`", "password": "` + secret + `"}`,
		api.CreateToken.At():        `{"email": "x@hollowbrook.example", "password": ["` + secret + `"]}`,
		api.AddDevice.At():          `{"name": "d", "settings": "` + secret + `", "code": "` + secret + `"}`,
		api.PutContact.At("orla"):   `{"name": "orla", "addresses": "` + secret + `"}`,
		api.SwitchPushOn.At():       `{"endpoint": 1, "keys": {"auth": "` + secret + `"}}`,
		api.PatchContact.At("orla"): `{"name": {"password": "` + secret + `"}}`,
	} {
		answer := wire(t, s, at, body)
		if answer.code < 400 {
			t.Errorf("%s took %s", at, body)
		}
		if bytes.Contains(answer.body, []byte(secret)) {
			t.Errorf("%s gives it away: %s", at, answer.body)
		}
	}
}

// What was made is answered with 201 and where it is; there it is shown.
func TestWhatIsMadeSaysWhereItIs(t *testing.T) {
	s := servertest.Start(t)
	s.Send(s.Device("d"), `{"temp": 20}`)
	for _, c := range []struct {
		at   api.Place
		body string
		want string
	}{
		{api.AddDevice.At(), `{"name": "e"}`, "/api/v1/devices/e"},
		{api.AddGuard.At(), `{"name": "hot", "signal": "d/temp", "when": "above 30", "severity": "warning"}`,
			"/api/v1/guards/hot"},
		{api.AddAsset.At(), `{"name": "pump-house", "signals": ["d"]}`, "/api/v1/assets/pump-house"},
		{api.AddPerson.At(), `{"email": "una@hollowbrook.example", "role": "viewer"}`,
			"/api/v1/people/una@hollowbrook.example"},
		{api.PutContact.At("bran"), `{"name": "bran", "addresses": [{"carrier": "e-mail", "to": "b@hollowbrook.example"}]}`,
			"/api/v1/contacts/bran"},
		{api.PutRoster.At("night"), `{"name": "night", "steps": [{"who": ["bran"]}]}`, "/api/v1/rosters/night"},
		{api.PatchGuard.At("hot"), `{"on_delay": "2m"}`, ""},
	} {
		answer := wire(t, s, c.at, c.body)
		where := answer.header.Get("Location")
		if where != c.want || (answer.code == http.StatusCreated) != (c.want != "") {
			t.Errorf("%s: %d at %q, not %q: %s", c.at, answer.code, where, c.want, answer.body)
		}
		if where == "" {
			continue
		}
		if shown := wire(t, s, api.Place{Method: "GET", Path: where}, ""); shown.code != http.StatusOK {
			t.Errorf("what is at %s: %d %s", where, shown.code, shown.body)
		}
	}
	again := wire(t, s, api.PutRoster.At("night"), `{"name": "night", "title": "Night", "steps": [{"who": ["bran"]}]}`, "If-Match", "*")
	if again.code != http.StatusOK || again.header.Get("Location") != "" {
		t.Errorf("saved again: %d %v", again.code, again.header)
	}
}

// The head of what is shown is asked for alone, a file of a known length in ranges, and answers come packed to whom a
// header signs in.
func TestHeadsRangesAndPackedAnswers(t *testing.T) {
	s := servertest.Start(t)
	s.Send(s.Device("d"), `{"temp": 20}`)
	for n := range 30 {
		s.Guard(object{"name": fmt.Sprintf("hot-%d", n), "signal": "d/temp", "when": "above 30", "severity": "warning"})
	}
	head := wire(t, s, api.Place{Method: "HEAD", Path: api.GetGuard.At("hot-1").Path}, "")
	whole := wire(t, s, api.GetGuard.At("hot-1"), "")
	if head.code != http.StatusOK || len(head.body) > 0 || head.header.Get("ETag") != whole.header.Get("ETag") {
		t.Errorf("the head of a guard: %d %v", head.code, head.header)
	}
	live := wire(t, s, api.Place{Method: "HEAD", Path: api.WatchLive.At().Path}, "")
	if live.code != http.StatusMethodNotAllowed {
		t.Errorf("the head of a stream without an end: %d", live.code)
	}
	s.Do(api.AddAsset.At(), object{"name": "pump", "signals": []string{"d"}}, nil)
	label := wire(t, s, api.GetLabel.At("pump"), "")
	part := wire(t, s, api.GetLabel.At("pump"), "", "Range", "bytes=5-14")
	if part.code != http.StatusPartialContent || !bytes.Equal(part.body, label.body[5:15]) {
		t.Errorf("a range of a file: %d %q", part.code, part.body)
	}
	beyond := wire(t, s, api.GetLabel.At("pump"), "", "Range", "bytes=10000000-")
	if p := beyond.problem(t); p.Type != api.ProblemsPath+"range-not-there" ||
		beyond.header.Get("Content-Range") != fmt.Sprintf("bytes */%d", len(label.body)) {
		t.Errorf("a range that is not there: %+v %v", p, beyond.header)
	}
	packed := wire(t, s, api.ListGuards.At(), "", "Accept-Encoding", "gzip")
	unpacked, err := gzip.NewReader(bytes.NewReader(packed.body))
	if err != nil || packed.header.Get("Content-Encoding") != "gzip" {
		t.Fatal(packed.header, err)
	}
	if text, err := io.ReadAll(unpacked); err != nil || !bytes.Equal(text, wire(t, s, api.ListGuards.At(), "").body) {
		t.Error("packed it is another answer:", err)
	}
}

// A device is told what is left of its rate before it is refused.
func TestADeviceIsToldWhatIsLeftOfItsRate(t *testing.T) {
	s := servertest.Start(t)
	d := s.Device("d")
	answer := wire(t, s, api.SendReadings.At(), `{"temp": 20, "wet": 1}`, "Authorization", "Bearer "+d.Token)
	const all = `"messages";q=4000;w=20, "readings";q=200000;w=20`
	left := regexp.MustCompile(`^"messages";r=(3999|4000);t=[01], "readings";r=(199\d+|200000);t=[01]$`)
	if answer.code != http.StatusNoContent || answer.header.Get("RateLimit-Policy") != all ||
		!left.MatchString(answer.header.Get("RateLimit")) {
		t.Errorf("%d %v", answer.code, answer.header)
	}
}

// Signals and guards are asked for by device and by signal; together that is what either gives.
func TestSignalsAndGuardsByWhatTheyAreOf(t *testing.T) {
	s := servertest.Start(t)
	s.Send(s.Device("d"), `{"temp": 20, "wet": 1}`)
	s.Send(s.Device("e"), `{"temp": 21}`)
	for _, signal := range []string{"d/temp", "d/wet", "e/temp"} {
		s.Guard(object{"name": strings.ReplaceAll(signal, "/", "-"), "signal": signal, "when": "above 30",
			"severity": "warning"})
	}
	for query, want := range map[string][]string{
		"":                            {"d/temp", "d/wet", "e/temp"},
		"device=d":                    {"d/temp", "d/wet"},
		"signal=d/wet&signal=e/temp":  {"d/wet", "e/temp"},
		"signal=d/wet&device=e":       {"d/wet", "e/temp"},
		"device=no-such-thing":        nil,
		"device=d&device=e":           {"d/temp", "d/wet", "e/temp"},
		"signal=d/we&signal=d/temp/x": nil,
	} {
		var signals []struct{ Device, Name string }
		var guards []struct{ Signal string }
		s.Do(api.ListSignals.At().Raw(query), nil, &signals)
		s.Do(api.ListGuards.At().Raw(query), nil, &guards)
		var is, of []string
		for _, one := range signals {
			is = append(is, one.Device+"/"+one.Name)
		}
		for _, one := range guards {
			of = append(of, one.Signal)
		}
		slices.Sort(is)
		slices.Sort(of)
		if !slices.Equal(is, want) || !slices.Equal(of, want) {
			t.Errorf("%s: signals %v, guards of %v, want %v", query, is, of, want)
		}
	}
}
