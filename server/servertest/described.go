package servertest

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"mime"
	"net/http"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/server"
)

// described holds each answer that a test gets to what the API's description says of it.
type described struct {
	through http.RoundTripper
	t       testing.TB
	over    atomic.Bool // the test has ended
}

// Described gives a client whose answers are held to the description; transport is nil for the usual one.
func Described(t testing.TB, transport http.RoundTripper) *http.Client {
	if transport == nil {
		transport = http.DefaultTransport
	}
	d := &described{through: transport, t: t}
	t.Cleanup(func() { d.over.Store(true) })
	return &http.Client{Transport: d}
}

// RoundTrip asks, and holds the answer to the description.
func (d *described) RoundTrip(r *http.Request) (*http.Response, error) {
	answer, err := d.through.RoundTrip(r)
	if err != nil || r.Method == http.MethodHead || answer.Header.Get("Content-Encoding") != "" {
		return answer, err
	}
	kind, _, _ := mime.ParseMediaType(answer.Header.Get("Content-Type"))
	if kind != "application/json" && kind != "application/problem+json" {
		return answer, nil
	}
	body, err := io.ReadAll(answer.Body)
	answer.Body.Close()
	answer.Body = io.NopCloser(bytes.NewReader(body))
	if err != nil {
		return nil, err
	}
	if wrong := notDescribed(r, answer.StatusCode, kind, body); wrong != "" && !d.over.Load() {
		d.t.Errorf("%s %s: %d is not as it is described: %s: %.600s", r.Method, r.URL.Path, answer.StatusCode, wrong, body)
	}
	return answer, nil
}

// place is an operation of the description, by the form of its path.
type place struct {
	method string
	path   *regexp.Regexp
	is     *huma.Operation
}

var description = sync.OnceValues(func() (*huma.OpenAPI, []place) {
	doc, err := server.DescribeAPI()
	if err != nil {
		panic(err)
	}
	var places []place
	parameter := regexp.MustCompile(`\\\{\w+\\\}`)
	for _, path := range slices.Sorted(maps.Keys(doc.Paths)) {
		form := regexp.MustCompile("^" + parameter.ReplaceAllString(regexp.QuoteMeta(path), "[^/]+") + "$")
		item := doc.Paths[path]
		for method, is := range map[string]*huma.Operation{http.MethodGet: item.Get, http.MethodPut: item.Put,
			http.MethodPost: item.Post, http.MethodPatch: item.Patch, http.MethodDelete: item.Delete} {
			if is != nil {
				places = append(places, place{method, form, is})
			}
		}
	}
	return doc, places
})

// notDescribed says how an answer is another than its description; empty: it is as described.
func notDescribed(r *http.Request, code int, kind string, body []byte) string {
	doc, places := description()
	at := slices.IndexFunc(places, func(p place) bool { return p.method == r.Method && p.path.MatchString(r.URL.Path) })
	if at < 0 || code == http.StatusMethodNotAllowed || code == http.StatusInternalServerError {
		return ""
	}
	answer := places[at].is.Responses[strconv.Itoa(code)]
	if answer == nil {
		return "there is no such answer"
	}
	if name, is := strings.CutPrefix(answer.Ref, "#/components/responses/"); is {
		answer = doc.Components.Responses[name]
	}
	form := answer.Content[kind]
	if form == nil {
		return "it does not come as " + kind
	}
	var value any
	if err := json.Unmarshal(body, &value); err != nil {
		return err.Error()
	}
	found := &huma.ValidateResult{}
	huma.Validate(doc.Components.Schemas, form.Schema, huma.NewPathBuffer([]byte("body"), 4), huma.ModeReadFromServer,
		value, found)
	var all []string
	for _, err := range found.Errors {
		all = append(all, fmt.Sprint(err))
	}
	return strings.Join(all, "; ")
}
