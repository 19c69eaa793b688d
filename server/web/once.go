package web

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"net/http"

	"github.com/labstack/echo/v5"

	"jauntylark/api"
	"jauntylark/core/measure"
	"jauntylark/store"
)

// outcome is what is kept of a request that came with an Idempotency-Key.
type outcome struct {
	Request string `json:"request"`            // what was asked, as a hash
	Code    int    `json:"code,omitempty"`     // 0: it is being answered
	Place   string `json:"location,omitempty"` // of what was made
	Tag     string `json:"etag,omitempty"`
	Kind    string `json:"type,omitempty"`
	Sealed  []byte `json:"sealed,omitempty"` // the body, which may have a secret
}

// once answers a request that makes something, and comes again with the same Idempotency-Key, as it was answered the
// first time: nothing is made twice, and who lost an answer is told what was told once. What was not done is forgotten,
// so that it can be tried again.
func (v *Server) once(op *api.Operation) echo.MiddlewareFunc {
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		return func(c *echo.Context) error {
			if c.Request().Header.Get("Idempotency-Key") == "" {
				return next(c)
			}
			return v.answerForKey(op, c, next)
		}
	}
}

// answerForKey answers a request that has an Idempotency-Key.
func (v *Server) answerForKey(op *api.Operation, c *echo.Context, next echo.HandlerFunc) error {
	r := c.Request()
	key := r.Header.Get("Idempotency-Key")
	if wrong := measure.WrongText(key, false); len(key) > api.LongestOnce || wrong != "" {
		return sendProblem(c, api.FaultOf(http.StatusUnprocessableEntity).Problem(
			fmt.Sprintf("The Idempotency-Key may have %d bytes of text.", api.LongestOnce),
			api.WrongPart{Location: "header.Idempotency-Key", Message: "is too long, or no text"}))
	}
	person, err := v.whoMay(r.Context(), tokenOf(r), op.Role)
	if err != nil { // which the operation says
		return next(c)
	}
	sender := "requests of " + person.Email
	asked, err := hashOf(c, op.Most)
	if err != nil {
		return sendProblem(c, api.FaultOf(http.StatusRequestEntityTooLarge).Problem("The body is longer than is read."))
	}
	first, before, err := v.begin(r.Context(), sender, key, outcome{Request: asked})
	if err != nil {
		return v.answerProblem(c, v.problem(err))
	}
	if !first {
		return v.again(c, before, asked)
	}
	return v.answerOnce(c, next, sender, key, asked)
}

// hashOf gives what a request asks for as a hash, and lets its body be read again.
func hashOf(c *echo.Context, most int64) (string, error) {
	r := c.Request()
	body, err := io.ReadAll(http.MaxBytesReader(c.Response(), r.Body, most))
	if err != nil {
		return "", err
	}
	r.Body = io.NopCloser(bytes.NewReader(body))
	hash := sha256.New()
	fmt.Fprintln(hash, r.Method, r.URL.EscapedPath(), r.URL.RawQuery, r.Header.Get("Content-Type"))
	hash.Write(body)
	return hex.EncodeToString(hash.Sum(nil)), nil
}

// kept is the time in which something is kept of a request, also where who asked has gone.
func kept(ctx context.Context) (context.Context, context.CancelFunc) {
	return context.WithTimeout(context.WithoutCancel(store.For(ctx, store.Pages)), askedWithin)
}

// begin notes that a request is being answered; where one with its key was before, that is given.
func (v *Server) begin(ctx context.Context, sender, key string, o outcome) (first bool, before outcome, err error) {
	ctx, cancel := kept(ctx)
	defer cancel()
	text, err := json.Marshal(o)
	if err != nil {
		return false, before, err
	}
	was, err := store.BeginOutcome(ctx, v.Store, sender, key, text, v.Pipeline.Now())
	if err != nil || was == nil {
		return err == nil, before, err
	}
	return false, before, json.Unmarshal(was, &before)
}

// answerOnce answers a request for the first time, and keeps the answer where something was made. It goes on when who
// asked has gone: that is who asks again.
func (v *Server) answerOnce(c *echo.Context, next echo.HandlerFunc, sender, key, asked string) error {
	c.SetRequest(c.Request().WithContext(context.WithoutCancel(c.Request().Context())))
	made := &answer{header: c.Response().Header().Clone()}
	plain := c.Response()
	c.SetResponse(made)
	err := next(c)
	c.SetResponse(plain)
	limited, cancel := kept(c.Request().Context())
	defer cancel()
	if err != nil || made.code < 200 || made.code > 299 {
		if err := store.ForgetOutcome(limited, v.Store, sender, key); err != nil {
			v.Log.Warn("what was not done could not be forgotten", "error", err)
		}
		if err != nil {
			return err
		}
		return made.pass(c)
	}
	h := made.header
	text, err := json.Marshal(outcome{Request: asked, Code: made.code, Place: h.Get("Location"), Tag: h.Get("ETag"),
		Kind: h.Get("Content-Type"), Sealed: v.Admission.Seal.Close(made.body.String())})
	if err == nil {
		err = store.KeepOutcome(limited, v.Store, sender, key, text, v.Pipeline.Now())
	}
	if err != nil {
		v.Log.Warn("an answer could not be kept for its Idempotency-Key", "error", err)
	}
	return made.pass(c)
}

// pass answers with what was answered to a request within.
func (a *answer) pass(c *echo.Context) error {
	h := c.Response().Header()
	for name, values := range a.header {
		h[name] = values
	}
	c.Response().WriteHeader(max(a.code, http.StatusOK))
	_, err := c.Response().Write(a.body.Bytes())
	return err
}

// again answers a request whose key came before.
func (v *Server) again(c *echo.Context, before outcome, asked string) error {
	switch {
	case before.Request != asked:
		return sendProblem(c, api.OtherRequest.Problem("This Idempotency-Key came with another request before; send a "+
			"new one with each new request.", api.WrongPart{Location: "header.Idempotency-Key",
			Message: "came with another request"}))
	case before.Code == 0:
		c.Response().Header().Set("Retry-After", "1")
		return sendProblem(c, api.UnderWay.Problem("The first request with this Idempotency-Key has no answer yet. If "+
			"that stays so, its answer was lost: look whether what it makes is there."))
	}
	body, err := v.Admission.Seal.Open(before.Sealed)
	if err != nil {
		return v.answerProblem(c, v.problem(err))
	}
	h := c.Response().Header()
	for name, value := range map[string]string{"Location": before.Place, "ETag": before.Tag} {
		if value != "" {
			h.Set(name, value)
		}
	}
	return c.Blob(before.Code, before.Kind, []byte(body))
}
