package web

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/intake/admission"
	"jauntylark/pipeline/commit"
	"jauntylark/store"
	"jauntylark/store/archive"
	"jauntylark/store/timeseries"
)

// expected is how huma begins to say which values a field may have.
const expected = `expected value to be one of "`

// init's problems go through one function: of a field that takes one of some words, they say which one came and which
// is perhaps meant.
func init() {
	plain := huma.NewError
	huma.NewError = func(status int, message string, errs ...error) huma.StatusError {
		for _, err := range errs {
			d, is := err.(*huma.ErrorDetail)
			if !is {
				continue
			}
			if field, reason, odd := strings.Cut(d.Message, ": has "); odd && d.Location == "body" { // of checkedJSON
				d.Location, d.Message, d.Value = "body."+field, "has "+reason, nil
				message = field + ": has " + reason
			}
			if list, found := strings.CutPrefix(d.Message, expected); found {
				words := slices.DeleteFunc(strings.Split(strings.TrimSuffix(list, `"`), ", "),
					func(w string) bool { return w == "" })
				field := d.Location[strings.LastIndex(d.Location, ".")+1:]
				if d.Message = site.Unknown(field, fmt.Sprint(d.Value), words); !strings.HasSuffix(d.Message, "?") {
					d.Message += "; it is one of " + strings.Join(words, ", ")
				}
			}
		}
		return plain(status, message, errs...)
	}
}

// Wrong is the problem of one field of the body.
func Wrong(field, reason string) error {
	return huma.Error422UnprocessableEntity(field+": "+reason, &huma.ErrorDetail{Location: "body." + field,
		Message: reason})
}

// Missing turns store.ErrNotFound into a 404 that names the nearest valid name.
func Missing(err error, what, name string, known []string) error {
	if err == nil || !strings.HasSuffix(err.Error(), store.ErrNotFound.Error()) {
		return err
	}
	detail := "There is no " + what + " " + name + "."
	if near := site.Nearest(name, known); near != "" {
		detail += " Did you mean " + near + "?"
	}
	return huma.Error404NotFound(detail)
}

// Named gives the thing of a name among all of its kind, or a 404 that names the nearest.
func Named[T any](all []T, err error, what, name string, nameOf func(T) string) (T, error) {
	var none T
	if err != nil {
		return none, err
	}
	names := make([]string, len(all))
	for i, one := range all {
		if names[i] = nameOf(one); names[i] == name {
			return one, nil
		}
	}
	return none, Missing(store.ErrNotFound, what, name, names)
}

// problem turns what went wrong into an RFC 9457 problem document.
func (v *Server) problem(err error) error {
	var fault *measure.Fault
	var status huma.StatusError
	switch {
	case err == nil:
		return nil
	case errors.As(err, &status):
		return err
	case errors.As(err, &fault):
		return Wrong(fault.Field, fault.Reason)
	case errors.Is(err, store.ErrNotFound):
		return huma.Error404NotFound(strings.TrimSuffix(err.Error(), ": "+store.ErrNotFound.Error()))
	case errors.Is(err, commit.ErrNotNow):
		return huma.Error409Conflict(strings.TrimSuffix(err.Error(), ": "+commit.ErrNotNow.Error()))
	case errors.Is(err, store.ErrTaken), errors.Is(err, timeseries.ErrInUse), errors.Is(err, archive.ErrStaysGone):
		return huma.Error409Conflict(err.Error())
	case errors.Is(err, context.Canceled):
		return huma.Error503ServiceUnavailable("the request was given up")
	}
	if store.Away(err) && !store.TookTooLong(err) {
		err = fmt.Errorf("%w: %w", commit.ErrAway, err)
	}
	if cause := admission.CauseOf(err); cause.Retry > 0 {
		v.Log.Warn("a request could not be answered", "error", err)
		words := cause.Words
		if cause.HTTP == http.StatusServiceUnavailable && !store.TookTooLong(err) {
			words = "The database is away. Try again in a moment."
		}
		return huma.ErrorWithHeaders(huma.NewError(cause.HTTP, words),
			http.Header{"Retry-After": {fmt.Sprint(int(cause.Retry.Seconds()))}})
	}
	v.Log.Error("request failed", "error", err)
	return huma.Error500InternalServerError("Something went wrong here; the service's log says what.")
}

// answerError writes what Echo itself refuses (no such path, wrong method) as a problem document.
func (v *Server) answerError(c *echo.Context, err error) {
	if r, unwrapErr := echo.UnwrapResponse(c.Response()); unwrapErr == nil && r.Committed {
		return
	}
	status := echo.StatusCode(err)
	if status == 0 {
		status = http.StatusInternalServerError
		v.Log.Error("request failed", "path", c.Request().URL.Path, "error", err)
	}
	detail := "There is nothing at " + c.Request().URL.Path + "."
	if status != http.StatusNotFound {
		detail = http.StatusText(status) + "."
	}
	body, _ := json.Marshal(&huma.ErrorModel{Status: status, Title: http.StatusText(status), Detail: detail})
	_ = c.Blob(status, "application/problem+json", body)
}
