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

	"jauntylark/api"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/site"
	"jauntylark/intake/admission"
	"jauntylark/pipeline/commit"
	"jauntylark/store"
	"jauntylark/store/archive"
	"jauntylark/store/timeseries"
)

// expected is how huma begins to say which values a field may have.
const expected = `expected value to be one of "`

// init has all problems made as the API describes them. None says what the value of a field was, which may be a secret;
// only of a field that takes one of some words it is told which one came, and which is perhaps meant.
func init() {
	huma.NewError = func(status int, message string, errs ...error) huma.StatusError {
		problem := api.FaultOf(status).Problem(message)
		for _, err := range errs {
			if err == nil {
				continue
			}
			part := api.WrongPart{Message: err.Error()}
			if d, is := err.(*huma.ErrorDetail); is {
				part = wrongPart(d)
			}
			problem.Errors = append(problem.Errors, part)
		}
		if message == "validation failed" && len(problem.Errors) > 0 {
			problem.Detail = toldOf(problem.Errors)
		}
		return problem
	}
}

// wrongPart tells what is wrong with a part of a request in our words.
func wrongPart(d *huma.ErrorDetail) api.WrongPart {
	part := api.WrongPart{Location: d.Location, Message: d.Message}
	if field, reason, odd := strings.Cut(d.Message, ": has "); odd && d.Location == "body" { // of checkedJSON
		return api.WrongPart{Location: "body." + field, Message: "has " + reason}
	}
	if list, found := strings.CutPrefix(d.Message, expected); found {
		words := slices.DeleteFunc(strings.Split(strings.TrimSuffix(list, `"`), ", "),
			func(w string) bool { return w == "" })
		field, _, _ := strings.Cut(d.Location[strings.LastIndex(d.Location, ".")+1:], "[")
		if part.Message = site.Unknown(field, fmt.Sprint(d.Value), words); !strings.HasSuffix(part.Message, "?") {
			part.Message += "; it is one of " + strings.Join(words, ", ")
		}
		return part
	}
	switch is := d.Value.(type) {
	case bool, float64, int, int64:
		part.Message += fmt.Sprintf("; it is %v", is)
	case string:
		if is != "" && !strings.HasPrefix(d.Location, "body") {
			part.Message += fmt.Sprintf("; it is %q", is)
		}
	}
	return part
}

// toldOf says in a sentence what is wrong with the parts of a request.
func toldOf(wrong []api.WrongPart) string {
	_, field, _ := strings.Cut(wrong[0].Location, ".")
	text := strings.TrimPrefix(field+": ", ": ") + wrong[0].Message
	if more := len(wrong) - 1; more > 0 {
		text += " (and " + prose.Count(more, "other part is", "other parts are") + " wrong)"
	}
	return text
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

// problemOf is problem of an operation: what is wrong with a request that has no body stands in its query or its path.
func (v *Server) problemOf(op *api.Operation, err error) error {
	err = v.problem(err)
	var problem *api.Problem
	if op.HasBody() || !errors.As(err, &problem) {
		return err
	}
	for i, part := range problem.Errors {
		field, of := strings.CutPrefix(part.Location, "body.")
		switch {
		case !of:
		case strings.Contains(op.Path, "{"+field+"}"):
			problem.Errors[i].Location = "path." + field
		default:
			problem.Errors[i].Location = "query." + field
		}
	}
	return err
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
	case errors.Is(err, store.ErrTaken):
		return api.NameTaken.Problem(err.Error())
	case errors.Is(err, timeseries.ErrInUse), errors.Is(err, archive.ErrStaysGone):
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
	_ = sendProblem(c, api.FaultOf(status).Problem(detail))
}

// problemIn gives the problem document of an error that is answered with a code.
func problemIn(err error) *api.Problem {
	var problem *api.Problem
	var status huma.StatusError
	switch {
	case errors.As(err, &problem):
		return problem
	case errors.As(err, &status):
		return api.FaultOf(status.GetStatus()).Problem(err.Error())
	}
	return api.FaultOf(http.StatusInternalServerError).Problem(err.Error())
}

func sendProblem(c *echo.Context, problem *api.Problem) error {
	body, err := json.Marshal(problem)
	if err != nil {
		return err
	}
	c.Response().Header().Del(echo.HeaderContentType) // of the file that was meant to be sent; Blob keeps it
	return c.Blob(problem.Status, api.ProblemType, body)
}
