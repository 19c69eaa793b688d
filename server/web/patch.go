package web

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"maps"
	"mime"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"

	"jauntylark/api"
	"jauntylark/core/site"
)

// inParts has parts of a thing changed: what it is now with what is said (RFC 7396), saved as a whole under the tag of
// what it was.
func (v *Server) inParts(get, put, patch *api.Operation, body *huma.Schema, keeps bool) {
	AnswerFile(v, patch, func(_ *Server, c *echo.Context) error {
		said, err := saidOf(c, patch, body, keeps)
		if err != nil {
			return err
		}
		want := c.Request().Header.Get("If-Match")
		for range triesAnew {
			shown := v.within(c, get.Method, nil, "")
			if shown.code != http.StatusOK {
				return shown.send(c)
			}
			tag := shown.header.Get("ETag")
			if want != "" && !matches(want, tag) {
				return changedMeanwhile(tag)
			}
			var is map[string]any
			if err := decodeExact(shown.body.Bytes(), &is); err != nil {
				return err
			}
			maps.DeleteFunc(is, func(name string, _ any) bool {
				of := body.Properties[name]
				return of == nil || of.ReadOnly
			})
			whole, err := json.Marshal(merged(is, said))
			if err != nil {
				return err
			}
			if saved := v.within(c, put.Method, whole, tag); saved.code != http.StatusPreconditionFailed {
				return saved.send(c)
			}
		}
		return huma.Error503ServiceUnavailable("Too much is changed at once. Try again in a moment.")
	})
}

// saidOf reads what a change of parts says, and refuses what is no part, or none that is set.
func saidOf(c *echo.Context, op *api.Operation, body *huma.Schema, keeps bool) (map[string]any, error) {
	kind, _, _ := mime.ParseMediaType(c.Request().Header.Get("Content-Type"))
	if kind != "" && kind != api.MergePatch && kind != "application/json" {
		return nil, huma.Error415UnsupportedMediaType("A change of parts is " + api.MergePatch + ", not " + kind + ".")
	}
	text, err := io.ReadAll(http.MaxBytesReader(c.Response(), c.Request().Body, op.Most))
	if err != nil {
		return nil, huma.NewError(http.StatusRequestEntityTooLarge, "The body is longer than is read.")
	}
	var whole any
	if err := checkedJSON.Unmarshal(text, &whole); err != nil {
		return nil, huma.Error400BadRequest("The body cannot be read as JSON.", err)
	}
	said, object := whole.(map[string]any)
	if !object {
		return nil, huma.Error422UnprocessableEntity("The body is no JSON object.")
	}
	settable := slices.DeleteFunc(slices.Sorted(maps.Keys(body.Properties)), func(name string) bool {
		return body.Properties[name].ReadOnly
	})
	for _, name := range slices.Sorted(maps.Keys(said)) {
		switch of := body.Properties[name]; {
		case of == nil:
			return nil, Wrong(name, site.Unknown("part", name, settable))
		case of.ReadOnly:
			return nil, Wrong(name, "is told by the service and cannot be set")
		case keeps && said[name] == nil:
			return nil, Wrong(name, "cannot be taken away; say what it is to be")
		}
	}
	return said, decodeExact(text, &said)
}

// decodeExact reads JSON with its numbers as they are written.
func decodeExact(text []byte, into any) error {
	d := json.NewDecoder(bytes.NewReader(text))
	d.UseNumber()
	return d.Decode(into)
}

// merged is what a value becomes by a change of parts (RFC 7396 section 2).
func merged(is, said any) any {
	change, object := said.(map[string]any)
	if !object {
		return said
	}
	whole, was := is.(map[string]any)
	if !was {
		whole = map[string]any{}
	}
	for name, part := range change {
		if part == nil {
			delete(whole, name)
		} else {
			whole[name] = merged(whole[name], part)
		}
	}
	return whole
}

func changedMeanwhile(tag string) error {
	return huma.ErrorWithHeaders(huma.Error412PreconditionFailed(
		"It has been changed meanwhile. Ask for it again, and change what is there now."), http.Header{"Etag": {tag}})
}

// answer is what a request within a request was answered.
type answer struct {
	header http.Header
	code   int
	body   bytes.Buffer
}

func (a *answer) Header() http.Header { return a.header }

func (a *answer) WriteHeader(code int) {
	if a.code == 0 {
		a.code = code
	}
}

func (a *answer) Write(text []byte) (int, error) {
	a.WriteHeader(http.StatusOK)
	return a.body.Write(text)
}

// send passes an answer on.
func (a *answer) send(c *echo.Context) error {
	for _, name := range []string{"ETag", "Location", "Retry-After"} {
		if value := a.header.Get(name); value != "" {
			c.Response().Header().Set(name, value)
		}
	}
	return c.Blob(a.code, a.header.Get("Content-Type"), a.body.Bytes())
}

// within asks another operation at the place of a request, for the same person.
func (v *Server) within(c *echo.Context, method string, body []byte, tag string) *answer {
	r := c.Request().Clone(c.Request().Context())
	r.Method, r.Body, r.ContentLength = method, io.NopCloser(bytes.NewReader(body)), int64(len(body))
	for _, name := range []string{"Accept-Encoding", "If-Match", "If-None-Match", "Content-Type", "Content-Length"} {
		r.Header.Del(name)
	}
	if body != nil {
		r.Header.Set("Content-Type", "application/json")
	}
	if tag != "" {
		r.Header.Set("If-Match", tag)
	}
	a := &answer{header: http.Header{}}
	v.Echo.ServeHTTP(a, r)
	if a.code == 0 {
		a.code = http.StatusOK
	}
	return a
}

// request is what a request brought, for operations that look at more than their input.
type request struct {
	header http.Header
	path   string
	query  url.Values
	body   bytes.Buffer
	answer http.Header // of what is answered
	whole  *http.Request
}

// located says where that is which was made.
func (r *request) located(place string) {
	if place != "" && r.answer != nil {
		r.answer.Set("Location", place)
	}
}

var noRequest = &request{header: http.Header{}}

func requestOf(ctx context.Context) *request {
	if r, is := ctx.Value(requestKey).(*request); is {
		return r
	}
	return noRequest
}

// retold lets an operation see what a request brings while huma reads it.
func retold(r *http.Request, answer http.Header) *http.Request {
	asked := &request{header: r.Header, path: r.URL.EscapedPath(), query: r.URL.Query(), answer: answer}
	r = r.WithContext(context.WithValue(r.Context(), requestKey, asked))
	asked.whole = r
	if strings.EqualFold(r.Method, http.MethodPut) && r.Body != nil {
		r.Body = struct {
			io.Reader
			io.Closer
		}{io.TeeReader(r.Body, &asked.body), r.Body}
	}
	return r
}
