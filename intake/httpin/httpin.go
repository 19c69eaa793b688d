// Package httpin takes readings over HTTP, and gives devices their orders: POST /api/v1/intake, GET and
// PUT /api/v1/intake/orders.
package httpin

import (
	"compress/gzip"
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"net/http"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"jauntylark/api"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/intake"
	"jauntylark/intake/admission"
	"jauntylark/pipeline/credential"
	"jauntylark/pipeline/reading"
)

// Protocol is what this way in is called.
const Protocol = "HTTP"

// Way is the way in over HTTP.
type Way struct {
	Admission *admission.Control
	// Person gives the person whom a token lets in; pipeline.ErrKeyUnknown when it lets nobody in.
	Person   func(ctx context.Context, token string) (site.Person, error)
	Stopping <-chan struct{} // closed when the service stops; nil: never
}

// Receive answers 204 when all was taken and committed, 200 with what was refused when something
// was taken, 202 when an arrival's readings are kept, and a problem document otherwise.
func (w *Way) Receive(c *echo.Context) error {
	r := c.Request()
	visit, err := w.visit(c)
	if err != nil {
		return answerError(c, err)
	}
	once, err := idempotencyKey(r)
	if err != nil {
		return answerError(c, err)
	}
	give, err := w.roomFor(c, visit.Sender, intake.MaxBody)
	if err != nil {
		return answerError(c, err)
	}
	defer give()
	visit.IdempotencyKey = once
	if visit.Body, err = readBody(c, intake.MaxBody); err != nil {
		return answerError(c, err)
	}
	result, err := w.Admission.Receive(r.Context(), visit)
	w.tellQuotas(c, visit)
	return received(c, result, err, func(first measure.Refusal) string {
		return fmt.Sprintf("No reading was taken. Record %d, field %q: %s", first.Index, first.Field, first.Reason)
	})
}

// tellQuotas says how much of its rate a device has left (the draft of the IETF on RateLimit fields, version 10): what
// may come at once after a pause, and within how many seconds that is so again.
func (w *Way) tellQuotas(c *echo.Context, visit *admission.Visit) {
	if visit.Known == nil || visit.Known.Device == nil {
		return
	}
	var policies, left []string
	for _, q := range w.Admission.Quotas(visit.Known.Device.ID, time.Now()) {
		policies = append(policies, fmt.Sprintf("%q;q=%d;w=%d", q.Of, q.All, admission.Burst))
		left = append(left, fmt.Sprintf("%q;r=%d;t=%d", q.Of, q.Left, int(math.Ceil(q.Refill.Seconds()))))
	}
	h := c.Response().Header()
	h.Set("RateLimit-Policy", strings.Join(policies, ", "))
	h.Set("RateLimit", strings.Join(left, ", "))
}

// idempotencyKey is by what a sender tells that it sends the same again; empty: it does not tell.
func idempotencyKey(r *http.Request) (string, error) {
	once := r.Header.Get("Idempotency-Key")
	if len(once) > api.LongestOnce {
		return "", fmt.Errorf("the Idempotency-Key is %d characters long; it may have %d", len(once), api.LongestOnce)
	}
	if wrong := measure.WrongText(once, false); wrong != "" {
		return "", fmt.Errorf("the Idempotency-Key %s", wrong)
	}
	return once, nil
}

// received answers with what became of a visit; none says why nothing was taken.
func received(c *echo.Context, result reading.Outcome, err error, none func(first measure.Refusal) string) error {
	switch {
	case err != nil:
		return answerError(c, err)
	case result.Arrival:
		return c.JSON(http.StatusAccepted, api.Kept{Arrival: "waiting", Kept: result.Accepted,
			Refused: append([]measure.Refusal{}, result.Refused...)})
	case len(result.Refused) == 0:
		return c.NoContent(http.StatusNoContent)
	case result.Accepted > 0:
		return c.JSON(http.StatusOK, api.Accepted{Accepted: result.Accepted, Refused: result.Refused})
	}
	problem := api.FaultOf(http.StatusUnprocessableEntity).Problem(none(result.Refused[0]))
	problem.Refused = result.Refused
	return answer(c, problem)
}

// errEncoding says that the content encoding is not read.
var errEncoding = errors.New("the content encoding is not read; send the body as it is, or with gzip")

// roomWaits is how long a long body waits for room before it is refused.
const roomWaits = 5 * time.Second

// roomFor takes room for a body of so many bytes at most before it is read, and gives what gives it back.
func (w *Way) roomFor(c *echo.Context, sender credential.Sender, most int64) (give func(), err error) {
	r := c.Request()
	long := most
	if r.ContentLength >= 0 && r.Header.Get("Content-Encoding") == "" {
		long = min(r.ContentLength, most)
	}
	if long <= admission.LongBody {
		return func() {}, nil
	}
	ctx, cancel := context.WithTimeout(r.Context(), roomWaits)
	defer cancel()
	return w.Admission.RoomOf(sender).Take(ctx, long)
}

// readBody reads the body, unpacked when it is packed with gzip (RFC 9110 section 8.4.1.3).
func readBody(c *echo.Context, most int64) ([]byte, error) {
	r := c.Request()
	limited := http.MaxBytesReader(c.Response(), r.Body, most)
	switch strings.ToLower(r.Header.Get("Content-Encoding")) {
	case "", "identity":
		return io.ReadAll(limited)
	case "gzip", "x-gzip":
	default:
		return nil, fmt.Errorf("%w: it is %q", errEncoding, r.Header.Get("Content-Encoding"))
	}
	unpacked, err := gzip.NewReader(limited)
	if err != nil {
		return nil, fmt.Errorf("the body is not gzip: %w", err)
	}
	body, err := io.ReadAll(io.LimitReader(unpacked, most+1))
	if err == nil && int64(len(body)) > most {
		return nil, &http.MaxBytesError{Limit: most}
	}
	if err != nil {
		return nil, fmt.Errorf("the body is not gzip: %w", err)
	}
	return body, nil
}

// visit begins a visit by finding out who sends, by the bearer key or token.
func (w *Way) visit(c *echo.Context) (*admission.Visit, error) {
	r := c.Request()
	key := Bearer(r.Header.Get("Authorization"))
	sender := credential.Sender{Key: sha256.Sum256([]byte(key)), Name: r.Header.Get(api.DeviceHeader),
		Protocol: Protocol, Address: c.RealIP()}
	v := &admission.Visit{Sender: sender, ContentType: r.Header.Get("Content-Type")}
	directory, _ := w.Admission.Look()
	who, err := directory.Identify(sender, w.Admission.Pipeline.Now())
	if errors.Is(err, credential.ErrKeyUnknown) {
		var person site.Person
		person, err = w.Person(r.Context(), key)
		switch {
		case errors.Is(err, credential.ErrKeyUnknown):
			who, err = w.Admission.Who(r.Context(), sender)
		case err == nil && !person.Role.May(site.Keeper):
			return nil, errViewer
		case err == nil:
			v.Sender = credential.Sender{Person: person.Email, Protocol: Protocol, Address: c.RealIP()}
		}
	}
	v.Known = &who
	return v, err
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

const errViewer = admission.ErrNotAllowed("to send readings by hand takes the role keeper")

// answerError says why something could not be done: what HTTP alone knows here, all else as its cause says.
func answerError(c *echo.Context, err error) error {
	var tooLong *http.MaxBytesError
	cause := admission.CauseOf(err)
	status, detail := cause.HTTP, cause.Words
	switch {
	case errors.As(err, &tooLong):
		status, detail = http.StatusRequestEntityTooLarge, fmt.Sprintf("The body is longer than %d bytes.",
			tooLong.Limit)
	case errors.Is(err, errEncoding):
		status = http.StatusUnsupportedMediaType
	case errors.Is(err, credential.ErrNoName):
		detail = "This is the enrolment key; name the device in the header " + api.DeviceHeader + "."
	case status == http.StatusUnauthorized:
		detail = "The key is not known. Send the device's key as 'Authorization: Bearer KEY'."
	case errors.Is(err, context.Canceled) && c.Request().Context().Err() != nil:
		return nil // nobody is there to be told
	}
	if detail == "" {
		detail = err.Error()
	}
	if cause.Retry > 0 {
		c.Response().Header().Set("Retry-After", fmt.Sprint(int(math.Ceil(cause.Retry.Seconds()))))
	}
	return answer(c, api.FaultOf(status).Problem(detail))
}

func answer(c *echo.Context, p *api.Problem) error {
	body, err := json.Marshal(p)
	if err != nil {
		return err
	}
	return c.Blob(p.Status, api.ProblemType, body)
}
