package server_test

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"reflect"
	"strings"
	"testing"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/alarm"
	"jauntylark/core/site"
	"jauntylark/server/servertest"
)

// noPages are the operations that give a list which is not told in pages, and why.
var noPages = map[string]string{
	"get-code": "as many as there are carriers", "kit-changes": "as many as were asked about",
	"list-tails": "as many as were asked for", "list-doubts": "of the stretch that was asked for",
	"get-stand-in-inbox": "a stand-in's", "match-labels": "as many as were asked about",
}

// seen fills a site with some of each noun.
func seen(t *testing.T, s *servertest.Service) {
	t.Helper()
	for i := range 3 {
		d := s.Device(fmt.Sprintf("box-%d", i))
		s.Send(d, fmt.Sprintf(`{"v": %d, "w": 1}`, i))
		s.Guard(map[string]any{"name": fmt.Sprintf("g-%d", i), "signal": fmt.Sprintf("box-%d/v", i), "when": "above 10"})
		s.Send(d, fmt.Sprintf(`{"v": %d}`, i+20))
		s.Do(api.PutContact.At(fmt.Sprintf("c-%d", i)), map[string]any{"title": "C"}, nil)
		s.Do(api.AddAsset.At(), map[string]any{"name": fmt.Sprintf("a-%d", i)}, nil)
		s.Do(api.StartRun.At(), map[string]any{"asset": fmt.Sprintf("a-%d", i), "title": "R"}, nil)
	}
}

// Each list is told in pages: one by one they give what the whole gives, in its order, and end.
func TestPagesOfLists(t *testing.T) {
	s := servertest.Start(t)
	seen(t, s)
	lists, long := 0, 0
	for _, op := range api.All() {
		if op.Method != http.MethodGet || op.Out.Kind() != reflect.Slice {
			continue
		}
		if noPages[op.Name] != "" {
			if op.IsList() {
				t.Errorf("%s is told in pages: %s", op.Name, noPages[op.Name])
			}
			continue
		}
		if lists++; !op.IsList() {
			t.Errorf("%s is not told in pages", op.Name)
			continue
		}
		at := op.At(map[string][]any{"{device}": {"box-0"}, "{board}": {"home"}, "{asset}": {"a-0"}}[pathPart(op.Path)]...)
		if op.Name == "list-board-versions" {
			continue // a board of its own
		}
		var whole, parts []any
		if op.Name == "list-alarms" {
			at = at.Asking("all", true)
		}
		s.Do(at, nil, &whole)
		for next, n := with(at, "limit", "1"), 0; next != ""; n++ {
			got := wire(t, s, api.Place{Method: http.MethodGet, Path: next}, "")
			var page []any
			if err := json.Unmarshal(got.body, &page); err != nil || len(page) > 1 || n > len(whole) {
				t.Fatalf("%s: page %d: %s %v", next, n, got.body, err)
			}
			parts = append(parts, page...)
			next = linked(got.header)
		}
		if len(parts) != len(whole) || fmt.Sprint(names(parts)) != fmt.Sprint(names(whole)) {
			t.Errorf("%s: in pages %v, whole %v", op.Name, names(parts), names(whole))
		}
		if len(whole) > 2 {
			long++
		}
	}
	if lists < 30 || long < 10 {
		t.Errorf("%d lists, %d of them long enough to tell anything", lists, long)
	}
}

func pathPart(path string) string {
	if _, rest, named := strings.Cut(path, "{"); named {
		name, _, _ := strings.Cut(rest, "}")
		return "{" + name + "}"
	}
	return ""
}

func with(at api.Place, name, value string) string {
	if strings.Contains(at.Path, "?") {
		return at.And(name, value).Path
	}
	return at.Asking(name, value).Path
}

// linked is where the next page is.
func linked(h http.Header) string {
	at, _, next := strings.Cut(strings.TrimPrefix(h.Get("Link"), "<"), `>; rel="next"`)
	if !next {
		return ""
	}
	return at
}

// names tells which things are in a list: what they hold may change meanwhile.
func names(list []any) (out []string) {
	for _, one := range list {
		fields := one.(map[string]any)
		for _, key := range []string{"id", "name", "email", "signal", "code", "number", "kind"} {
			if fields[key] != nil {
				out = append(out, fmt.Sprint(fields["device"], fields[key]))
				break
			}
		}
	}
	return out
}

// A page begins after what the last one ended with, also where that was removed meanwhile.
func TestAPageAfterWhatIsGone(t *testing.T) {
	s := servertest.Start(t)
	seen(t, s)
	got := wire(t, s, api.ListDevices.At().Asking("limit", 2), "")
	next := linked(got.header)
	if next != api.ListDevices.At().Asking("cursor", "box-1", "limit", 2).Path {
		t.Fatalf("next is %q", next)
	}
	s.Do(api.RemoveDevice.At("box-1"), nil, nil)
	var rest []site.Device
	s.Do(api.Place{Method: http.MethodGet, Path: next}, nil, &rest)
	if len(rest) != 1 || rest[0].Name != "box-2" {
		t.Errorf("after what is gone: %+v", rest)
	}
	all, err := client.All(context.Background(), s.Owner, api.ListAlarms, api.ListAlarmsIn{All: true,
		Page: api.Page{Limit: 1}})
	if err != nil || len(all) != 3 || all[0].ID < all[2].ID {
		t.Errorf("%d alarms: %v", len(all), err)
	}
	for path, want := range map[string]string{
		api.ListDevices.At().Asking("limit", 0).Path:     "query.limit",
		api.ListDevices.At().Asking("limit", "all").Path: "query.limit",
		api.ListAlarms.At().Asking("cursor", "x").Path:   "query.cursor",
		api.ListTrials.At().Asking("cursor", "x").Path:   "query.cursor",
		api.ListRuns.At().Asking("cursor", "x").Path:     "query.cursor",
		api.ListAlarms.At().Asking("before", 3).Path:     "query.before",
	} {
		got := wire(t, s, api.Place{Method: http.MethodGet, Path: path}, "")
		if p := got.problem(t); p.Status != 422 || len(p.Errors) != 1 || p.Errors[0].Location != want {
			t.Errorf("%s: %s", path, got.body)
		}
	}
}

// A batch does each request as if it had come alone, tells each answer, and does nothing where it is wrong itself.
func TestABatch(t *testing.T) {
	s := servertest.Start(t)
	s.Send(s.Device("box"), `{"v": 1}`)
	var told api.BatchAnswers
	do := func(c *client.Client, requests ...map[string]any) {
		t.Helper()
		told = api.BatchAnswers{}
		if err := c.Call(context.Background(), api.DoBatch.At(), map[string]any{"requests": requests}, &told); err != nil {
			t.Fatal(err)
		}
		if len(told.Answers) != len(requests) {
			t.Fatalf("%d answers to %d requests", len(told.Answers), len(requests))
		}
	}
	statuses := func() (all []int) {
		for _, a := range told.Answers {
			all = append(all, a.Status)
		}
		return all
	}
	add := map[string]any{"method": "POST", "path": api.AddDevice.At().Path, "body": map[string]any{"name": "gate"},
		"headers": map[string]string{"Idempotency-Key": "one"}}
	do(s.Owner, add,
		map[string]any{"method": "PATCH", "path": api.SetSignal.At("box", "v").Path, "body": map[string]any{"title": "Vee"}},
		map[string]any{"method": "PATCH", "path": api.SetSignal.At("box", "w").Path, "body": map[string]any{"title": "?"}},
		map[string]any{"method": "POST", "path": api.AddGuard.At().Path,
			"body": map[string]any{"name": "g", "signal": "box/v", "when": "above 10"}},
		map[string]any{"method": "PATCH", "path": api.PatchGuard.At("g").Path, "headers": map[string]string{"if-match": `"x"`},
			"body": map[string]any{"when": "above 5"}},
		map[string]any{"method": "POST", "path": api.SendReadings.At().Path, "body": map[string]any{"box/v": 30}},
		map[string]any{"method": "POST", "path": api.SendReadings.At().Path, "body": "at,signal,value\n,box/v,31\n",
			"headers": map[string]string{"Content-Type": "text/csv"}},
		map[string]any{"method": "DELETE", "path": api.RemoveGuard.At("none").Path},
		map[string]any{"method": "POST", "path": "/api/v1/nowhere"})
	if got := fmt.Sprint(statuses()); got != "[201 200 404 201 412 204 204 404 405]" {
		t.Errorf("%s: %s", got, told.Answers[5].Body.RawMessage)
	}
	if told.Answers[0].Headers["Location"] != api.GetDevice.At("gate").Path || told.Answers[1].Headers["ETag"] == "" {
		t.Errorf("headers: %+v", told)
	}
	var problem api.Problem
	if err := json.Unmarshal(told.Answers[2].Body.RawMessage, &problem); err != nil || problem.Status != 404 {
		t.Errorf("a problem: %s %v", told.Answers[2].Body.RawMessage, err)
	}
	if v := s.Signal("box/v"); v.Title != "Vee" || v.Value == nil || *v.Value != 31 {
		t.Errorf("the signal: %+v", v)
	}
	key := string(told.Answers[0].Body.RawMessage)
	if do(s.Owner, add); told.Answers[0].Status != 201 || string(told.Answers[0].Body.RawMessage) != key {
		t.Errorf("again with its key: %+v", told)
	}
	s.Do(api.AddPerson.At(), map[string]any{"email": "v@b.example", "role": site.Viewer, "password": "a long secret"}, nil)
	viewer := s.SignIn("v@b.example", "a long secret")
	if do(viewer, add); told.Answers[0].Status != 403 {
		t.Errorf("a viewer: %+v", told)
	}
	var guards []alarm.Guard
	for body, want := range map[string]string{
		`{"requests": []}`: "body.requests",
		`{"requests": [{"method": "PUT", "path": "/api/v1/guards/x", "body": {"signal": "box/v", "when": "above 1"}},
			{"method": "POST", "path": "/api/v1/session", "body": {}}]}`: "body.requests[1].path",
		`{"requests": [{"method": "GET", "path": "/api/v1/guards"}]}`:                                            "body.requests[0].method",
		`{"requests": [{"method": "POST", "path": "/api/v1/batch", "body": {}}]}`:                                "body.requests[0].path",
		`{"requests": [{"method": "POST", "path": "/elsewhere", "body": {}}]}`:                                   "body.requests[0].path",
		`{"requests": [{"method": "POST", "path": "/api/v1/guards", "bodi": {}}]}`:                               "body.requests[0].bodi",
		`{"requests": [{"method": "POST", "path": "/api/v1/guards", "headers": {"Authorization": "Bearer x"}}]}`: "body.requests[0].headers",
	} {
		got := wire(t, s, api.DoBatch.At(), body)
		if p := got.problem(t); p.Status != 422 || len(p.Errors) == 0 || p.Errors[0].Location != want {
			t.Errorf("%s: %s", body, got.body)
		}
	}
	if s.Do(api.ListGuards.At(), nil, &guards); len(guards) != 1 {
		t.Errorf("a batch that is wrong was begun: %+v", guards)
	}
}
