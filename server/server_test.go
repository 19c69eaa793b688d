package server_test

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"strings"
	"testing"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/alarm"
	"jauntylark/core/site"
	"jauntylark/server"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

// call makes one request and gives status and body.
func call(t *testing.T, method, url, token, contentType, body string, headers ...string) (int, string, http.Header) {
	t.Helper()
	r, err := http.NewRequest(method, url, strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Content-Type", contentType)
	if token != "" {
		r.Header.Set("Authorization", "Bearer "+token)
	}
	for i := 0; i < len(headers); i += 2 {
		r.Header.Set(headers[i], headers[i+1])
	}
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	defer answer.Body.Close()
	text, err := io.ReadAll(answer.Body)
	if err != nil {
		t.Fatal(err)
	}
	return answer.StatusCode, string(text), answer.Header
}

// One reading travels all the way to one person, and back to quiet.
func TestFirstLight(t *testing.T) {
	storetest.Long(t)
	s := servertest.Start(t)
	door := s.Device("greenhouse-door")
	s.Send(door, `{"temp": 21.5}`)
	s.Guard(map[string]any{"signal": "greenhouse-door/temp", "when": "above 30", "deadband": 1, "on_delay": "200ms",
		"off_delay": "200ms", "severity": "critical", "tell": []string{"orla@hollowbrook.example"}})
	s.Send(door, `{"temp": 31.5}`)
	storetest.Eventually(t, "the raise is mailed", func() bool { return len(s.Inbox.Messages()) == 1 })
	raise := s.Inbox.Messages()[0]
	if raise.To != "orla@hollowbrook.example" || raise.Subject != "Critical: Greenhouse door temp is above 30" ||
		!strings.Contains(raise.Text, "It reads 31.5, and the limit is 30.") {
		t.Errorf("the raise: %+v", raise)
	}
	s.Send(door, `{"temp": 20}`)
	storetest.Eventually(t, "the return is mailed", func() bool { return len(s.Inbox.Messages()) == 2 })
	if back := s.Inbox.Messages()[1]; !strings.HasPrefix(back.Subject, "Over after ") ||
		!strings.Contains(back.Text, "as far as 31.5, and reads 20 now") {
		t.Errorf("the return: %+v", back)
	}
	if all := s.Alarms(); len(all) != 1 || all[0].State != alarm.StateOver || all[0].Signal != "greenhouse-door/temp" {
		t.Errorf("alarms: %+v", all)
	}
	var story api.AlarmStory
	if err := s.Owner.Call(context.Background(), api.GetAlarm.At("1"), nil, &story); err != nil ||
		len(story.Notices) != 2 || len(story.Journal) != 2 {
		t.Fatalf("the story: %+v %v", story, err)
	}
	if d := story.Notices[1].Deliveries; len(d) != 1 || !d[0].OK || !strings.Contains(d[0].Answer, "queued") {
		t.Errorf("the server's own answer was not kept: %+v", d)
	}
}

func TestBadInput(t *testing.T) {
	s := servertest.Start(t)
	key := s.Device("d").Token
	s.Send(&client.Client{URL: s.URL, Token: key}, `{"temp": 20}`)
	const flat, pack = "application/json", "application/senml+json"
	for _, c := range []struct {
		name, key, kind, body string
		status                int
		says                  []string
	}{
		{"unknown key", "nobody's", flat, `{"temp": 1}`, 401, []string{"key is not known"}},
		{"no key", "", flat, `{"temp": 1}`, 401, []string{"Bearer KEY"}},
		{"not JSON", key, flat, `temp=1`, 400, []string{"not JSON"}},
		{"a number", key, pack, `7`, 400, []string{"JSON number", "array of records"}},
		{"another type", key, "text/html", `x`, 415, []string{"text/html", "application/senml+json"}},
		{"no type", key, "", `{"temp": 1}`, 415, nil},
		{"NaN alone", key, flat, `{"temp": NaN}`, 422, []string{"Record 0", `"temp"`, "NaN"}},
		{"infinity beside a good one", key, pack, `[{"n":"temp","v":-inf},{"n":"temp","v":3,"t":-1}]`, 200,
			[]string{`"accepted":1`, `"index":0`, `"field":"v"`}},
		{"too large a number", key, flat, `{"temp": 1e999}`, 422, []string{"1e999"}},
		{"no name", key, flat, `{"Air Temp": 1}`, 422, []string{`perhaps \"air-temp\"`}},
		{"a time more than a day ahead", key, flat, `{"temp": 1, "at": "2999-01-01T00:00:00Z"}`, 422,
			[]string{"more than a day ahead", `"field":"at"`}},
		{"no time", key, flat, `{"temp": 1, "at": "noon"}`, 422, []string{"noon", "RFC 3339"}},
		{"empty object", key, flat, `{}`, 422, []string{"has no signal"}},
		{"empty pack", key, pack, `[]`, 204, nil},
		{"10 MB", key, flat, strings.Repeat(" ", 10<<20), 413, []string{"longer than"}},
		{"1 MB of nesting", key, flat, strings.Repeat("[", 1<<20), 400, []string{"depth"}},
		{"1 MB of nested objects", key, flat, strings.Repeat(`{"a":`, 1<<18), 400, []string{"depth"}},
		{"too many records", key, pack, "[" + strings.Repeat(`{"n":"temp","v":1},`, 10_000) + `{"n":"temp","v":1}]`,
			413, []string{"10000 records"}},
		{"a contrary unit", key, pack, `[{"n":"p","u":"Pa","v":1,"t":-2},{"n":"p","u":"Cel","v":1,"t":-1}]`, 200,
			[]string{`"accepted":1`, `"index":1`, `"field":"u"`, "cannot be given in Pa"}},
	} {
		status, body, h := call(t, "POST", s.URL+api.SendReadings.At().Path, c.key, c.kind, c.body)
		if status != c.status {
			t.Errorf("%s: %d %s, want %d", c.name, status, body, c.status)
		}
		for _, says := range c.says {
			if !strings.Contains(body, says) {
				t.Errorf("%s: %s does not say %q", c.name, body, says)
			}
		}
		if status >= 400 && h.Get("Content-Type") != "application/problem+json" {
			t.Errorf("%s: answered as %s", c.name, h.Get("Content-Type"))
		}
	}
	var signals []site.Signal
	if err := s.Owner.Call(context.Background(), api.ListSignals.At(), nil, &signals); err != nil || len(signals) != 2 {
		t.Errorf("bad input has made signals: %+v %v", signals, err)
	}
}

func TestIdempotencyKeyOverHTTP(t *testing.T) {
	s := servertest.Start(t)
	key := s.Device("d").Token
	for range 3 {
		if status, body, _ := call(t, "POST", s.URL+api.SendReadings.At().Path, key, "application/json", `{"temp": 1}`,
			"Idempotency-Key", "k1"); status != 204 {
			t.Fatal(status, body)
		}
	}
	if status, body, _ := call(t, "POST", s.URL+api.SendReadings.At().Path, key, "application/json", `{"temp": 1}`,
		"Idempotency-Key", strings.Repeat("k", 201)); status != 400 {
		t.Error("a key that is too long:", status, body)
	}
	var page api.Readings
	if err := s.Owner.Call(context.Background(), api.ListReadings.At("d", "temp"), nil, &page); err != nil ||
		len(page.Readings) != 1 {
		t.Errorf("%+v %v", page, err)
	}
}

func TestReadingsArePagedAndLinesReduced(t *testing.T) {
	s := servertest.Start(t)
	d := s.Device("d")
	var body bytes.Buffer
	body.WriteString(`[{"bn":"d/","n":"temp","v":0,"t":-5000}`)
	for i := 1; i < 5000; i++ {
		fmt.Fprintf(&body, `,{"n":"temp","v":%d,"t":%d}`, i%97, i-5000)
	}
	body.WriteString("]")
	if refused, err := d.SendReadings(context.Background(), "application/senml+json", body.Bytes()); err != nil ||
		len(refused) > 0 {
		t.Fatal(refused, err)
	}
	total, next := 0, "since=2000-01-01T00:00:00Z"
	for range 10 {
		var page api.Readings
		if err := s.Owner.Call(context.Background(), api.ListReadings.At("d", "temp").Raw("limit=700&"+next), nil,
			&page); err != nil {
			t.Fatal(err)
		}
		if total += len(page.Readings); page.Next == nil {
			break
		}
		next = "since=" + page.Next.String()
	}
	if total != 5000 {
		t.Errorf("%d readings over all pages", total)
	}
	var line api.Line
	if err := s.Owner.Call(context.Background(), api.GetLine.At("d", "temp").Asking("since", "2000-01-01T00:00:00Z",
		"columns", "100"), nil, &line); err != nil {
		t.Fatal(err)
	}
	if !line.Reduced || line.Of != 5000 || len(line.At) > 400 || len(line.At) != len(line.Value) {
		t.Errorf("line of %d, %d points, reduced %v", line.Of, len(line.At), line.Reduced)
	}
	for at, says := range map[api.Place]string{
		api.ListReadings.At("d", "tmp"): "Did you mean d/temp?",
		api.ListReadings.At("d", "temp").Asking("since", "2026-01-02T00:00:00Z", "until",
			"2026-01-01T00:00:00Z"): "is before since",
	} {
		var problem *client.Problem
		if err := s.Owner.Call(context.Background(), at, nil, nil); !errors.As(err, &problem) ||
			!strings.Contains(problem.Error(), says) {
			t.Errorf("%s: %v", at, err)
		}
	}
}

// description is the API's, in YAML.
func description(t *testing.T) []byte {
	t.Helper()
	api, err := server.DescribeAPI()
	if err != nil {
		t.Fatal(err)
	}
	text, err := api.YAML()
	if err != nil {
		t.Fatal(err)
	}
	return text
}

func TestTheOpenAPIDocumentIsCurrent(t *testing.T) {
	want := description(t)
	kept, err := os.ReadFile("../docs/openapi.yaml")
	if err != nil || !bytes.Equal(kept, want) {
		t.Errorf("docs/openapi.yaml is old; run: bin/jaunty openapi > docs/openapi.yaml (%v)", err)
	}
	s := servertest.Start(t)
	if status, body, _ := call(t, "GET", s.URL+"/api/openapi.yaml", "", "", ""); status != 200 ||
		!strings.HasPrefix(body, "components:") || !strings.Contains(body, "openapi: 3.1.0") {
		t.Errorf("%d %.200s", status, body)
	}
}

func TestHealthAndUnknownPaths(t *testing.T) {
	s := servertest.Start(t)
	for _, path := range []string{"/", "/health/live", "/health/ready"} {
		if status, _, _ := call(t, "HEAD", s.URL+path, "", "", ""); status != 200 {
			t.Errorf("HEAD %s: %d", path, status)
		}
	}
	for path, want := range map[string]int{"/health/live": 200, "/health/ready": 200, api.Root + "/nothing": 404,
		"/files/nothing.js": 404, "/alarms/7": 200} {
		status, body, h := call(t, "GET", s.URL+path, "", "", "")
		if status != want {
			t.Errorf("%s: %d %.100s", path, status, body)
		}
		if csp := h.Get("Content-Security-Policy"); path == "/alarms/7" &&
			(!strings.Contains(csp, "script-src 'self'") || strings.Contains(csp, "unsafe")) {
			t.Errorf("the console's policy: %s", csp)
		}
	}
}
