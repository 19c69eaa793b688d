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

	"jauntylark/meter"
)

// adapter puts huma's operations onto Echo's routes.
type adapter struct{ echo *echo.Echo }

var pathParameters = strings.NewReplacer("{", ":", "}", "")

func (a *adapter) Handle(op *huma.Operation, handler func(huma.Context)) {
	a.echo.Add(op.Method, pathParameters.Replace(op.Path), func(c *echo.Context) error {
		ctx, end := meter.Follow(c.Request().Context(), op.OperationID)
		defer end(nil)
		c.SetRequest(c.Request().WithContext(ctx))
		handler(&trip{op: op, c: c})
		return nil
	})
}

func (a *adapter) ServeHTTP(w http.ResponseWriter, r *http.Request) { a.echo.ServeHTTP(w, r) }

// trip is one request and its answer, as huma sees them.
type trip struct {
	op     *huma.Operation
	c      *echo.Context
	status int
}

func (x *trip) Operation() *huma.Operation { return x.op }

func (x *trip) Context() context.Context { return x.c.Request().Context() }

func (x *trip) TLS() *tls.ConnectionState { return x.c.Request().TLS }

func (x *trip) Method() string { return x.c.Request().Method }

func (x *trip) Host() string { return x.c.Request().Host }

func (x *trip) RemoteAddr() string { return x.c.RealIP() }

func (x *trip) URL() url.URL { return *x.c.Request().URL }

// Param gives a part of the path. Echo leaves it as it was written when that is not how Go would write it: a browser
// writes @ as %40.
func (x *trip) Param(name string) string {
	value := x.c.Param(name)
	if plain, err := url.PathUnescape(value); err == nil && x.c.Request().URL.RawPath != "" {
		return plain
	}
	return value
}

func (x *trip) Query(name string) string { return x.c.QueryParam(name) }

func (x *trip) Header(name string) string { return x.c.Request().Header.Get(name) }

func (x *trip) BodyReader() io.Reader { return x.c.Request().Body }

func (x *trip) Status() int { return x.status }

func (x *trip) BodyWriter() io.Writer { return x.c.Response() }

func (x *trip) Version() huma.ProtoVersion {
	r := x.c.Request()
	return huma.ProtoVersion{Proto: r.Proto, ProtoMajor: r.ProtoMajor, ProtoMinor: r.ProtoMinor}
}

func (x *trip) EachHeader(each func(name, value string)) {
	for name, values := range x.c.Request().Header {
		for _, value := range values {
			each(name, value)
		}
	}
}

func (x *trip) GetMultipartForm() (*multipart.Form, error) { return x.c.MultipartForm() }

func (x *trip) SetReadDeadline(deadline time.Time) error {
	return http.NewResponseController(x.c.Response()).SetReadDeadline(deadline)
}

func (x *trip) SetStatus(code int) {
	x.status = code
	x.c.Response().WriteHeader(code)
}

func (x *trip) SetHeader(name, value string) { x.c.Response().Header().Set(name, value) }

func (x *trip) AppendHeader(name, value string) { x.c.Response().Header().Add(name, value) }
