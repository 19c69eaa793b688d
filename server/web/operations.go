package web

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"net/http"
	"reflect"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"

	"jauntylark/api"
	"jauntylark/intake/httpin"
)

// Does is what answers an operation: by whom it is asked is in its context.
type Does[In, Out any] func(context.Context, *Server, *In) (Out, error)

// Answer has an operation answered by a function.
func Answer[In, Out any](v *Server, op api.Op[In, Out], do Does[In, Out]) {
	AnswerAs(v, op, func(ctx context.Context, v *Server, in *In) (*api.Body[Out], error) {
		out, err := do(ctx, v, in)
		if err == nil && op.IsList() {
			out, err = listPage(ctx, op, out)
		}
		return &api.Body[Out]{Body: filled(out)}, err
	})
}

// filled gives an answer, a list that has nothing as an empty one.
func filled[Out any](out Out) Out {
	if list := reflect.ValueOf(&out).Elem(); list.Kind() == reflect.Slice && list.IsNil() {
		list.Set(reflect.MakeSlice(list.Type(), 0, 0))
	}
	return out
}

// listPage gives the page of a list that is asked for, and says where the next one is.
func listPage[In, Out any](ctx context.Context, op api.Op[In, Out], all Out) (page Out, err error) {
	asked := requestOf(ctx)
	part, next, err := op.PageOf(all, asked.query)
	if err != nil {
		return page, err
	}
	if next != nil && asked.answer != nil {
		asked.answer.Set("Link", fmt.Sprintf(`<%s?%s>; rel="next"`, asked.path, next.Encode()))
	}
	return part.(Out), nil
}

// Carry has an operation done that answers nothing.
func Carry[In any](v *Server, op api.Op[In, api.None], do func(context.Context, *Server, *In) error) {
	AnswerAs(v, op, func(ctx context.Context, v *Server, in *In) (*api.None, error) {
		return &api.None{}, do(ctx, v, in)
	})
}

// AnswerAs has an operation answered in a form of its own, with headers or as a stream.
func AnswerAs[In, Out, Form any](v *Server, op api.Op[In, Out], do Does[In, *Form]) {
	v.served[op.Operation] = true
	huma.Register(v.api, op.Describe(v.api.OpenAPI().Components.Schemas),
		func(ctx context.Context, in *In) (*Form, error) {
			out, err := do(ctx, v, in)
			if err != nil {
				return nil, v.problemOf(op.Operation, err)
			}
			if body, has := any(out).(*api.Body[Out]); has {
				requestOf(ctx).located(op.Made(in, body.Body))
			}
			return out, nil
		})
}

// AnswerFile has an operation answered by a handler of its own, which finds its person and its time as others do.
func AnswerFile(v *Server, op *api.Operation, do func(*Server, *echo.Context) error) {
	d := op.Describe(v.api.OpenAPI().Components.Schemas)
	v.api.OpenAPI().AddOperation(&d)
	v.served[op] = true
	addRoute(v.Echo, op, func(c *echo.Context) error {
		err := v.operateFile(op, c, func(c *echo.Context) error { return do(v, c) })
		var own *echo.HTTPError
		if err == nil || errors.As(err, &own) || errors.Is(err, echo.ErrNotFound) {
			return err
		}
		return v.answerProblem(c, v.problemOf(op, err))
	})
}

// Blob answers with a file that runs nothing in a browser, or with what kept it from being made.
func Blob(c *echo.Context, kind string, body []byte, err error) error {
	if err != nil {
		return err
	}
	c.Response().Header().Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; sandbox")
	return Ranged(c, kind, body)
}

// Ranged answers with a file of a known length, or with the ranges of it that are asked for (RFC 9110 section 14).
func Ranged(c *echo.Context, kind string, body []byte) error {
	h := c.Response().Header()
	h.Set("Content-Type", kind)
	if h.Get("ETag") == "" {
		h.Set("ETag", tagOfBytes(body))
	}
	answer := &rangeAnswer{ResponseWriter: c.Response()}
	http.ServeContent(answer, c.Request(), "", time.Time{}, bytes.NewReader(body))
	if !answer.beyond {
		return nil
	}
	return sendProblem(c, api.FaultOf(http.StatusRequestedRangeNotSatisfiable).Problem(
		fmt.Sprintf("The file has %d bytes.", len(body)),
		api.WrongPart{Location: "header.Range", Message: "asks for no part of the file"}))
}

// rangeAnswer keeps back the plain text of an answer about a range that is not there.
type rangeAnswer struct {
	http.ResponseWriter
	beyond bool
}

// WriteHeader begins the answer, where there is such a range.
func (a *rangeAnswer) WriteHeader(code int) {
	if a.beyond = code == http.StatusRequestedRangeNotSatisfiable; !a.beyond {
		a.ResponseWriter.WriteHeader(code)
	}
}

// Write writes the file.
func (a *rangeAnswer) Write(body []byte) (int, error) {
	if a.beyond {
		return len(body), nil
	}
	return a.ResponseWriter.Write(body)
}

// intakeOperations has what devices send answered.
func (v *Server) intakeOperations(way *httpin.Way) {
	for op, do := range map[*api.Operation]echo.HandlerFunc{
		api.SendReadings.Operation:  way.Receive,
		api.SendFrame.Operation:     way.ReceiveFrame,
		api.GetOrders.Operation:     way.Orders,
		api.ConfirmOrders.Operation: way.Confirm,
		api.ConfirmOutput.Operation: way.ConfirmOutput,
	} {
		AnswerFile(v, op, func(_ *Server, c *echo.Context) error { return do(c) })
	}
}

// operateFile runs a handler for a person who has the role, in its turn. Devices say who they are to the handler.
func (v *Server) operateFile(op *api.Operation, c *echo.Context, do echo.HandlerFunc) error {
	if op.Role == "" || op.Keyed {
		return do(c)
	}
	ctx, person, err := v.mayAsk(c.Request().Context(), op, tokenOf(c.Request()))
	if err == nil {
		err = knownQuery(op, c.Request().URL)
	}
	if err != nil {
		return err
	}
	ctx, done, err := v.turn(context.WithValue(ctx, personKey, person), op, person)
	if err != nil {
		return err
	}
	defer done()
	c.SetRequest(c.Request().WithContext(ctx))
	return do(c)
}
