package client_test

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/client"
)

// answering is a client of a service that answers each call as answer does.
func answering(t *testing.T, answer http.HandlerFunc) *client.Client {
	t.Helper()
	s := httptest.NewServer(answer)
	t.Cleanup(s.Close)
	return &client.Client{URL: s.URL + "/", Token: "secret"}
}

func TestDoSendsAndReadsJSON(t *testing.T) {
	c := answering(t, func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		fmt.Fprintf(w, `{"said": %q}`, r.Method+" "+r.URL.RequestURI()+" "+r.Header.Get("Authorization")+" "+
			r.Header.Get("Content-Type")+" "+string(body))
	})
	var out struct{ Said string }
	if err := c.Call(context.Background(), api.Place{Method: http.MethodPut, Path: "/api/v1/guards/a?x=1"},
		map[string]int{"limit": 3}, &out); err != nil {
		t.Fatal(err)
	}
	if want := `PUT /api/v1/guards/a?x=1 Bearer secret application/json {"limit":3}`; out.Said != want {
		t.Errorf("%q, want %q", out.Said, want)
	}
	c.Token = ""
	if err := c.Call(context.Background(), api.Place{Method: http.MethodGet, Path: "/"}, nil, &out); err != nil ||
		strings.Contains(out.Said, "Bearer") {
		t.Errorf("without a token: %q %v", out.Said, err)
	}
	if err := c.Call(context.Background(), api.Place{Method: http.MethodGet, Path: "/"}, make(chan int),
		nil); err == nil {
		t.Error("what is no JSON was sent")
	}
}

// A refusal is a problem with what is wrong with each field, whatever stands between answers.
func TestRefusalsAreProblems(t *testing.T) {
	for _, k := range []struct {
		status       int
		header, body string
		says         string
		after        time.Duration
	}{
		{422, "", `{"status":422,"title":"Unprocessable Entity","detail":"validation failed","errors":[{"location":"body.when","message":"is no test"},{"location":"body.tell","message":"there is nobody"}]}`,
			"validation failed; when: is no test; tell: there is nobody", 0},
		// said once
		{422, "", `{"status":422,"detail":"when: is no test","errors":[{"location":"body.when","message":"is no test"}]}`, "when: is no test", 0},
		{404, "", `{"status":404,"title":"Not Found"}`, "404 Not Found", 0},
		{429, "7", `{"status":429,"detail":"too fast"}`, "too fast", 7 * time.Second},
		{502, "", `<html>bad gateway</html>`, "answered 502 Bad Gateway", 0},
	} {
		c := answering(t, func(w http.ResponseWriter, _ *http.Request) {
			if k.header != "" {
				w.Header().Set("Retry-After", k.header)
			}
			w.WriteHeader(k.status)
			fmt.Fprint(w, k.body)
		})
		err := c.Call(context.Background(), api.Place{Method: http.MethodGet, Path: "/x"}, nil, nil)
		var problem *client.Problem
		if !errors.As(err, &problem) || problem.Status != k.status || !strings.HasSuffix(problem.Error(), k.says) ||
			problem.After != k.after {
			t.Errorf("%d %s: %v (%+v)", k.status, k.body, err, problem)
		}
	}
}

func TestAServiceThatDoesNotAnswerIsNamed(t *testing.T) {
	c := answering(t, nil)
	c.URL = "http://127.0.0.1:1"
	err := c.Call(context.Background(), api.Place{Method: http.MethodGet, Path: "/"}, nil, nil)
	if err == nil || !strings.HasPrefix(err.Error(), "the service at http://127.0.0.1:1 does not answer: ") {
		t.Error(err)
	}
}

// A pack is taken whole, in part or not at all, and what was refused is told.
func TestReadingsAreTakenWholeOrInPart(t *testing.T) {
	c := answering(t, func(w http.ResponseWriter, r *http.Request) {
		switch body, _ := io.ReadAll(r.Body); string(body) {
		case "whole":
			w.WriteHeader(http.StatusNoContent)
		case "part":
			fmt.Fprint(w, `{"accepted":1,"rejected":[{"signal":"b","field":"value","reason":"is no number"}]}`)
		default:
			w.WriteHeader(http.StatusUnprocessableEntity)
			fmt.Fprint(w,
				`{"status":422,"detail":"nothing was taken","rejected":[{"signal":"a","reason":"is unknown"}]}`)
		}
	})
	if refused, err := c.SendReadings(context.Background(), "text/csv", []byte("whole")); err != nil || refused != nil {
		t.Error("whole:", refused, err)
	}
	if refused, err := c.SendReadings(context.Background(), "text/csv", []byte("part")); err != nil ||
		len(refused) != 1 || refused[0].Reason != "is no number" {
		t.Error("in part:", refused, err)
	}
	_, err := c.SendReadings(context.Background(), "text/csv", []byte("none"))
	var problem *client.Problem
	if !errors.As(err, &problem) || len(problem.Refused) != 1 {
		t.Error("not at all:", err)
	}
}

// Files go both ways as they are, and lines are handed on as they come until somebody has enough.
func TestFilesAndLines(t *testing.T) {
	c := answering(t, func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/lines":
			for i := range 5 {
				fmt.Fprintf(w, "{\"n\":%d}\n", i)
			}
		case "/up":
			n, _ := io.Copy(io.Discard, r.Body)
			fmt.Fprintf(w, `{"bytes":%d,"of":%q,"as":%q}`, n, r.Header.Get("Jaunty-Device"),
				r.Header.Get("Content-Type"))
		default:
			_, _ = w.Write([]byte{0, 1, 2, 0xff})
		}
	})
	var file bytes.Buffer
	if err := c.Download(context.Background(), api.Place{Method: http.MethodGet, Path: "/file"}, &file); err != nil ||
		!bytes.Equal(file.Bytes(), []byte{0, 1, 2, 0xff}) {
		t.Error(file.Bytes(), err)
	}
	var up struct {
		Bytes  int
		Of, As string
	}
	if err := c.Upload(context.Background(), api.Place{Method: http.MethodPost, Path: "/up"}, "image/png",
		strings.NewReader("12345"), &up); err != nil || up.Bytes != 5 || up.As != "image/png" {
		t.Errorf("%+v %v", up, err)
	}
	if err := c.SendAs(context.Background(), api.Place{Method: http.MethodPost, Path: "/up"}, "text/csv", "pond",
		[]byte("x")); err != nil {
		t.Error(err)
	}
	enough, seen := errors.New("enough"), 0
	err := c.Lines(context.Background(), api.Place{Method: http.MethodPost, Path: "/lines"}, struct{}{},
		func(line []byte) error {
			var l struct{ N int }
			if err := json.Unmarshal(line, &l); err != nil || l.N != seen {
				t.Errorf("%s: %v", line, err)
			}
			if seen++; seen == 3 {
				return enough
			}
			return nil
		})
	if !errors.Is(err, enough) || seen != 3 {
		t.Error(seen, err)
	}
}

// A stream is followed event by event from the commit that is named, and its end is told.
func TestFollowGivesEachEvent(t *testing.T) {
	c := answering(t, func(w http.ResponseWriter, r *http.Request) {
		fmt.Fprintf(w, "id: 8\nevent: change\ndata: {\"after\":%q}\n\n", r.Header.Get("Last-Event-ID"))
		fmt.Fprint(w, "event: beat\ndata: {}\n\nevent: ended\n")
	})
	var got []string
	err := c.Follow(context.Background(), "7", func(e client.Event) error {
		got = append(got, e.ID+" "+e.Name+" "+string(e.Data))
		return nil
	})
	// what was cut off is no event
	if !errors.Is(err, io.EOF) || fmt.Sprint(got) != `[8 change {"after":"7"}  beat {}]` {
		t.Errorf("%v %v", got, err)
	}
	stop := errors.New("stop")
	if err := c.Follow(context.Background(), "", func(client.Event) error { return stop }); !errors.Is(err, stop) {
		t.Error(err)
	}
}
