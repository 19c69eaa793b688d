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
		c.SetRequest(retold(c.Request().WithContext(ctx)))
		handler(&humaContext{op: op, c: c})
		return nil
	})
}

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
