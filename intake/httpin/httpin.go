// Package httpin takes readings over HTTP: POST /api/v1/intake.
package httpin

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/intake"
	"jauntylark/pipeline"
)

// Way is the way in over HTTP.
type Way struct {
	Pipeline *pipeline.Pipeline
	// Person gives the person whom a token lets in; pipeline.ErrKeyUnknown when it lets nobody in.
	Person func(ctx context.Context, token string) (site.Person, error)
}

// Problem is an RFC 9457 problem document with the records that were refused.
type Problem struct {
	Type     string            `json:"type"`
	Title    string            `json:"title"`
	Status   int               `json:"status"`
	Detail   string            `json:"detail"`
	Rejected []measure.Refusal `json:"rejected,omitempty"`
}

const maxIdempotencyKey = 200

// Receive answers 204 when all was taken and committed, 200 with what was refused when something
// was taken, and a problem document otherwise.
func (w *Way) Receive(c *echo.Context) error {
	r := c.Request()
	arrived := w.Pipeline.Now()
	sender, err := w.sender(r)
	if err != nil {
		return answerError(c, err)
	}
	once := r.Header.Get("Idempotency-Key")
	if len(once) > maxIdempotencyKey {
		return answerError(c, fmt.Errorf("the Idempotency-Key is %d characters long; it may have %d", len(once), maxIdempotencyKey))
	}
	body, err := io.ReadAll(http.MaxBytesReader(c.Response(), r.Body, intake.MaxBody))
	if err != nil {
		return answerError(c, err)
	}
	samples, refused, err := intake.Decode(r.Header.Get("Content-Type"), body, arrived)
	if err != nil {
		return answerError(c, err)
	}
	outcome := pipeline.Outcome{}
	if len(samples) > 0 {
		outcome, err = w.Pipeline.Submit(r.Context(), &pipeline.Pack{Sender: sender, Arrived: arrived, Samples: samples, IdempotencyKey: once})
		if err != nil {
			return answerError(c, err)
		}
	}
	refused = append(refused, intake.Name(r.Header.Get("Content-Type"), outcome.Rejected)...)
	switch {
	case len(refused) == 0:
		return c.NoContent(http.StatusNoContent)
	case outcome.Accepted > 0:
		return c.JSON(http.StatusOK, map[string]any{"accepted": outcome.Accepted, "rejected": refused})
	}
	first := refused[0]
	return answer(c, Problem{Status: http.StatusUnprocessableEntity, Rejected: refused,
		Detail: fmt.Sprintf("No reading was taken. Record %d, field %q: %s", first.Index, first.Field, first.Reason)})
}

// sender finds out who sends, by the bearer key or token.
func (w *Way) sender(r *http.Request) (pipeline.Sender, error) {
	key := Bearer(r.Header.Get("Authorization"))
	if key == "" {
		return pipeline.Sender{}, pipeline.ErrKeyUnknown
	}
	sender := pipeline.Sender{Key: sha256.Sum256([]byte(key))}
	known, err := w.Pipeline.KnowsKey(r.Context(), sender.Key)
	if known || err != nil {
		return sender, err
	}
	person, err := w.Person(r.Context(), key)
	if err != nil {
		return pipeline.Sender{}, err
	}
	if !person.Role.May(site.Keeper) {
		return pipeline.Sender{}, errViewer
	}
	return pipeline.Sender{Person: person.Email}, nil
}

// Bearer gives the key or token of an Authorization header (RFC 6750 section 2.1); empty when it has
// none, or one that is far too long.
func Bearer(header string) string {
	const scheme = "bearer "
	if len(header) < len(scheme) || len(header) > 200 || !strings.EqualFold(header[:len(scheme)], scheme) {
		return ""
	}
	return strings.TrimSpace(header[len(scheme):])
}

var errViewer = errors.New("to send readings by hand takes the role keeper")

func answerError(c *echo.Context, err error) error {
	var tooLong *http.MaxBytesError
	p := Problem{Status: http.StatusBadRequest, Detail: err.Error()}
	switch {
	case errors.Is(err, pipeline.ErrKeyUnknown):
		c.Response().Header().Set("WWW-Authenticate", `Bearer realm="jaunty"`)
		p.Status, p.Detail = http.StatusUnauthorized, "The key is not known. Send the device's key as 'Authorization: Bearer KEY'."
	case errors.Is(err, errViewer):
		p.Status = http.StatusForbidden
	case errors.Is(err, pipeline.ErrAway):
		c.Response().Header().Set("Retry-After", "2")
		p.Status, p.Detail = http.StatusServiceUnavailable, "The database is away; nothing was taken. Send the same again."
	case errors.As(err, &tooLong):
		p.Status, p.Detail = http.StatusRequestEntityTooLarge, fmt.Sprintf("The body is longer than %d bytes.", tooLong.Limit)
	case errors.Is(err, intake.ErrTooMany):
		p.Status = http.StatusRequestEntityTooLarge
	case errors.Is(err, intake.ErrMediaType):
		p.Status = http.StatusUnsupportedMediaType
	case errors.Is(err, context.Canceled):
		return nil // nobody is there to be told
	}
	return answer(c, p)
}

func answer(c *echo.Context, p Problem) error {
	p.Type, p.Title = "about:blank", http.StatusText(p.Status)
	body, err := json.Marshal(p)
	if err != nil {
		return err
	}
	return c.Blob(p.Status, "application/problem+json", body)
}
