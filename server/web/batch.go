package web

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"mime"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/api"
	"jauntylark/core/site"
	"jauntylark/store"
)

// batchOperations has the operation of this file answered.
func batchOperations(v *Server) { AnswerAs(v, api.DoBatch, doBatch) }

// inBatch are the headers that a request of a batch may have; outOfBatch, those that its answer tells.
var (
	inBatch    = []string{"Content-Type", "Idempotency-Key", "If-Match", "If-None-Match"}
	outOfBatch = []string{"ETag", "Location", "Retry-After"}
)

// doBatch does the requests of a batch one after the other, and tells each answer as soon as it is there.
func doBatch(ctx context.Context, v *Server, in *api.Body[api.Batch]) (*huma.StreamResponse, error) {
	for i, r := range in.Body.Requests {
		if field, reason := wrongInBatch(r); reason != "" {
			return nil, Wrong(fmt.Sprintf("requests[%d].%s", i, field), reason)
		}
	}
	whole := requestOf(ctx).whole
	return &huma.StreamResponse{Body: func(h huma.Context) {
		h.SetHeader("Content-Type", "application/json")
		out := h.BodyWriter()
		fmt.Fprint(out, `{"answers":[`)
		for i, r := range in.Body.Requests {
			if whole.Context().Err() != nil { // nobody hears what would be done
				return
			}
			text, err := json.Marshal(v.doOne(whole, r))
			if err != nil {
				return
			}
			if i > 0 {
				text = append([]byte(",\n"), text...)
			}
			if _, err := out.Write(text); err != nil {
				return
			}
			if f, can := out.(http.Flusher); can {
				f.Flush()
			}
		}
		fmt.Fprintln(out, "]}")
	}}, nil
}

// wrongInBatch tells what is wrong with a request before any is done; empty: nothing is.
func wrongInBatch(r api.BatchRequest) (field, reason string) {
	path, _, _ := strings.Cut(r.Path, "?")
	if _, err := url.ParseRequestURI(r.Path); err != nil {
		return "path", fmt.Sprintf("%q is no path", r.Path)
	}
	if !strings.HasPrefix(path, api.Root+"/") {
		return "path", fmt.Sprintf("%q does not begin with %s/", r.Path, api.Root)
	}
	if op := api.Find(r.Method, path); op != nil && !op.InBatch() {
		return "path", op.Place().String() + " is not done in a batch"
	}
	for name := range r.Headers {
		if !slices.Contains(inBatch, http.CanonicalHeaderKey(name)) {
			return "headers", site.Unknown("header", name, inBatch)
		}
	}
	return "", ""
}

// doOne does one request of a batch as if it had come alone.
func (v *Server) doOne(whole *http.Request, asked api.BatchRequest) api.BatchAnswer {
	r := whole.Clone(store.For(whole.Context(), store.Pages))
	for _, name := range append([]string{"Accept-Encoding", "Content-Length", "Range"}, inBatch...) {
		r.Header.Del(name)
	}
	body := bodyOf(asked)
	if body != nil {
		r.Header.Set("Content-Type", "application/json")
	}
	for name, value := range asked.Headers {
		r.Header.Set(name, value)
	}
	r.URL, _ = url.ParseRequestURI(asked.Path) // which wrongInBatch has read
	r.Method, r.RequestURI = asked.Method, asked.Path
	r.Body, r.ContentLength = io.NopCloser(bytes.NewReader(body)), int64(len(body))
	a := &answer{header: http.Header{}}
	v.Echo.ServeHTTP(a, r)
	return a.inBatch()
}

// bodyOf gives the body of a request of a batch; nil: it has none.
func bodyOf(r api.BatchRequest) []byte {
	if r.Body.IsZero() {
		return nil
	}
	var text string
	for name, value := range r.Headers {
		kind, _, _ := mime.ParseMediaType(value)
		if http.CanonicalHeaderKey(name) == "Content-Type" && !strings.HasSuffix(kind, "json") &&
			json.Unmarshal(r.Body.RawMessage, &text) == nil {
			return []byte(text)
		}
	}
	return r.Body.RawMessage
}

// inBatch is an answer as a batch tells it.
func (a *answer) inBatch() api.BatchAnswer {
	told := api.BatchAnswer{Status: cmp.Or(a.code, http.StatusOK), Headers: map[string]string{}}
	for _, name := range outOfBatch {
		if value := a.header.Get(name); value != "" {
			told.Headers[name] = value
		}
	}
	if body := bytes.TrimSpace(a.body.Bytes()); json.Valid(body) {
		told.Body = api.Any{RawMessage: body}
	}
	return told
}
