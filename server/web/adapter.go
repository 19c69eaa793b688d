package web

import (
	"context"
	"crypto/tls"
	"io"
	"mime/multipart"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"jauntylark/api"
	"jauntylark/meter"
)

// adapter puts huma's operations onto Echo's routes.
type adapter struct {
	echo *echo.Echo
	once func(*api.Operation) echo.MiddlewareFunc // for operations that make something
	v    *Server
}

var pathParameters = strings.NewReplacer("{", ":", "}", "")

func (a *adapter) Handle(op *huma.Operation, handler func(huma.Context)) {
	declared := op.Metadata["operation"].(*api.Operation)
	addRoute(a.echo, declared, func(c *echo.Context) error {
		ctx, end := meter.Follow(c.Request().Context(), op.OperationID)
		defer end(nil)
		c.SetRequest(retold(c.Request().WithContext(ctx), c.Response().Header()))
		handler(&humaContext{op: op, c: c})
		return nil
	}, a.through(declared)...)
}

// through is what a request passes on its way to an operation.
func (a *adapter) through(op *api.Operation) []echo.MiddlewareFunc {
	if op.Makes() {
		return []echo.MiddlewareFunc{packed, a.once(op)}
	}
	if op.Method == http.MethodPatch && op.Saves == nil {
		return []echo.MiddlewareFunc{packed, takeAway(a.v, op)}
	}
	return []echo.MiddlewareFunc{packed}
}

// addRoute has an operation answered at its place; one that shows something and ends is asked for its head alone too.
func addRoute(e *echo.Echo, op *api.Operation, answer echo.HandlerFunc, through ...echo.MiddlewareFunc) {
	path := pathParameters.Replace(api.Root + op.Path)
	e.Add(op.Method, path, answer, through...)
	switch {
	case op.Method != http.MethodGet:
	case op.Takes == api.TakesOpen || op.Takes == api.TakesStream:
		e.Add(http.MethodHead, path, func(c *echo.Context) error {
			c.Response().Header().Set("Allow", http.MethodGet)
			return echo.ErrMethodNotAllowed
		})
	default:
		e.Add(http.MethodHead, path, answer, through...)
	}
}

// packed packs answers with gzip where nobody can learn a secret by the length of what is packed beside it: for those who
// sign in by a header, which no page of a stranger sends, and lines of readings.
var packed = middleware.GzipWithConfig(middleware.GzipConfig{MinLength: 1400, Skipper: func(c *echo.Context) bool {
	r := c.Request()
	return r.Header.Get("Authorization") == "" && r.URL.Path != api.ListLines.At().Path
}})

func (a *adapter) ServeHTTP(w http.ResponseWriter, r *http.Request) { a.echo.ServeHTTP(w, r) }

// humaContext is one request and its answer, as huma sees them.
type humaContext struct {
	op     *huma.Operation
	c      *echo.Context
	status int
}

func (x *humaContext) Operation() *huma.Operation { return x.op }

func (x *humaContext) Context() context.Context { return x.c.Request().Context() }

func (x *humaContext) TLS() *tls.ConnectionState { return x.c.Request().TLS }

func (x *humaContext) Method() string { return x.c.Request().Method }

func (x *humaContext) Host() string { return x.c.Request().Host }

func (x *humaContext) RemoteAddr() string { return x.c.RealIP() }

func (x *humaContext) URL() url.URL { return *x.c.Request().URL }

// Param gives a part of the path. Echo leaves it as it was written when that is not how Go would write it: a browser
// writes @ as %40.
func (x *humaContext) Param(name string) string {
	value := x.c.Param(name)
	if plain, err := url.PathUnescape(value); err == nil && x.c.Request().URL.RawPath != "" {
		return plain
	}
	return value
}

func (x *humaContext) Query(name string) string { return x.c.QueryParam(name) }

func (x *humaContext) Header(name string) string { return x.c.Request().Header.Get(name) }

func (x *humaContext) BodyReader() io.Reader { return x.c.Request().Body }

func (x *humaContext) Status() int { return x.status }

func (x *humaContext) BodyWriter() io.Writer { return x.c.Response() }

func (x *humaContext) Version() huma.ProtoVersion {
	r := x.c.Request()
	return huma.ProtoVersion{Proto: r.Proto, ProtoMajor: r.ProtoMajor, ProtoMinor: r.ProtoMinor}
}

func (x *humaContext) EachHeader(each func(name, value string)) {
	for name, values := range x.c.Request().Header {
		for _, value := range values {
			each(name, value)
		}
	}
}

func (x *humaContext) GetMultipartForm() (*multipart.Form, error) { return x.c.MultipartForm() }

func (x *humaContext) SetReadDeadline(deadline time.Time) error {
	return http.NewResponseController(x.c.Response()).SetReadDeadline(deadline)
}

func (x *humaContext) SetStatus(code int) {
	x.status = code
	x.c.Response().WriteHeader(code)
}

func (x *humaContext) SetHeader(name, value string) { x.c.Response().Header().Set(name, value) }

func (x *humaContext) AppendHeader(name, value string) { x.c.Response().Header().Add(name, value) }
