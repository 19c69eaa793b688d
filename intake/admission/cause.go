package admission

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"time"

	"jauntylark/core/frame"
	"jauntylark/core/measure"
	"jauntylark/intake"
	"jauntylark/meter"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/credential"
	"jauntylark/store"
)

// ErrNotAllowed says what a sender may not do.
type ErrNotAllowed string

// Error says it.
func (e ErrNotAllowed) Error() string { return string(e) }

// ErrTopic says why a topic is none that a device publishes to.
type ErrTopic string

// Error says it.
func (e ErrTopic) Error() string { return string(e) }

// ErrTooLong says how many bytes something may have.
type ErrTooLong int

// Error says it.
func (e ErrTooLong) Error() string { return fmt.Sprintf("it is longer than %d bytes", int(e)) }

// Cause is why something could not be done, as each protocol says it.
type Cause struct {
	HTTP  int           // status, RFC 9110
	CoAP  byte          // code, RFC 7252 section 12.1.2, as RFC 8075 section 7 maps it
	MQTT  byte          // reason code of PUBACK and PUBREC, MQTT 5 section 2.4
	Words string        // where the error's own do not say enough; else empty
	Retry time.Duration // after which the same may succeed; 0: not by waiting
}

const (
	awayRetry = 2 * time.Second
	roomRetry = time.Minute
)

// The causes, from HTTP's status to those of the others.
var (
	wrongSyntax  = Cause{HTTP: http.StatusBadRequest, CoAP: coap(4, 0), MQTT: 0x99}
	unknownKey   = Cause{HTTP: http.StatusUnauthorized, CoAP: coap(4, 1), MQTT: 0x87, Words: "The key is not known."}
	notAllowed   = Cause{HTTP: http.StatusForbidden, CoAP: coap(4, 3), MQTT: 0x87}
	wrongTopic   = Cause{HTTP: http.StatusNotFound, CoAP: coap(4, 4), MQTT: 0x90}
	tooLong      = Cause{HTTP: http.StatusRequestEntityTooLarge, CoAP: coap(4, 13), MQTT: 0x97}
	wrongType    = Cause{HTTP: http.StatusUnsupportedMediaType, CoAP: coap(4, 15), MQTT: 0x99}
	wrongContent = Cause{HTTP: http.StatusUnprocessableEntity, CoAP: coap(4, 22), MQTT: 0x99}
	tooFast      = Cause{HTTP: http.StatusTooManyRequests, CoAP: coap(4, 29), MQTT: 0x97}
	failed       = Cause{HTTP: http.StatusInternalServerError, CoAP: coap(5, 0), MQTT: 0x80}
	away         = Cause{HTTP: http.StatusServiceUnavailable, CoAP: coap(5, 3), MQTT: 0x80, Retry: awayRetry,
		Words: "The database is away; nothing was taken. Send the same again."}
	slow = Cause{HTTP: http.StatusServiceUnavailable, CoAP: coap(5, 3), MQTT: 0x80, Retry: awayRetry,
		Words: "This took too long and was ended. Ask for less at once, or try again in a moment."}
	noRoom = Cause{HTTP: http.StatusInsufficientStorage, CoAP: coap(5, 3), MQTT: 0x97, Retry: roomRetry,
		Words: "The service's disk is full; nothing was taken. Send the same again when there is room."}
)

func coap(class, detail byte) byte { return class<<5 | detail }

// CauseOf finds the cause of an error. One that nobody knows is a mistake in what was sent: what comes from the
// database is wrapped in commit.ErrAway, or commit.ErrFailed, by whoever asked it.
func CauseOf(err error) Cause {
	var fast *ErrTooFast
	var shut *ErrShutOut
	var fault *measure.Fault
	var barred ErrNotAllowed
	var topic ErrTopic
	var long ErrTooLong
	is := func(targets ...error) bool {
		for _, target := range targets {
			if errors.Is(err, target) {
				return true
			}
		}
		return false
	}
	after := func(c Cause, d time.Duration) Cause {
		c.Retry = d
		return c
	}
	switch {
	case is(commit.ErrNoRoom), store.NoRoom(err):
		return noRoom
	case errors.As(err, &shut):
		return after(tooFast, shut.For)
	case errors.As(err, &fast):
		return after(tooFast, fast.For)
	case is(ErrCrowded):
		return after(tooFast, awayRetry)
	case is(credential.ErrFull):
		return after(tooFast, time.Hour)
	case is(credential.ErrKeyUnknown):
		return unknownKey
	case errors.As(err, &barred), is(credential.ErrTurnedAway, credential.ErrOwnKey):
		return notAllowed
	case errors.As(err, &topic):
		return wrongTopic
	case errors.As(err, &long), is(intake.ErrTooMany):
		return tooLong
	case is(intake.ErrMediaType, frame.ErrMediaType):
		return wrongType
	case errors.As(err, &fault):
		return wrongContent
	case !is(commit.ErrAway) && store.TookTooLong(err):
		return slow
	case is(commit.ErrAway, context.Canceled):
		return away
	case is(commit.ErrFailed):
		return failed
	}
	return wrongSyntax
}

// outcomeOf gives the outcome of a visit, as it is counted.
func outcomeOf(err error) string {
	switch {
	case err == nil:
		return meter.Taken
	case errors.Is(err, commit.ErrFailed):
		return meter.Failed
	case Away(err):
		return meter.Away
	}
	return meter.Refused
}

// Away tells whether err means that the same may succeed later, so that it must not be acknowledged.
func Away(err error) bool {
	return err != nil && (errors.Is(err, commit.ErrAway) || errors.Is(err, commit.ErrFailed) ||
		errors.Is(err, context.Canceled) || errors.Is(err, context.DeadlineExceeded))
}
