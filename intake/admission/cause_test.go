package admission

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"testing"
	"time"

	"github.com/jackc/pgx/v5/pgconn"

	"jauntylark/core/measure"
	"jauntylark/intake"
	"jauntylark/intake/gate"
	"jauntylark/meter"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/credential"
)

// Each cause is told by each protocol in one way, however deep it lies in an error.
func TestCauses(t *testing.T) {
	for name, c := range map[string]struct {
		err     error
		http    int
		coap    string
		mqtt    byte
		retry   time.Duration
		outcome string
	}{
		"away":          {commit.ErrAway, 503, "5.03", 128, awayRetry, meter.Away},
		"no room":       {commit.ErrNoRoom, 507, "5.03", 151, roomRetry, meter.Away},
		"disk full":     {&pgconn.PgError{Code: "53100"}, 507, "5.03", 151, roomRetry, meter.Refused},
		"ours":          {commit.ErrFailed, 500, "5.00", 128, 0, meter.Failed},
		"taken back":    {context.Canceled, 503, "5.03", 128, awayRetry, meter.Away},
		"took too long": {context.DeadlineExceeded, 503, "5.03", 128, awayRetry, meter.Away},
		"shut out":      {&ErrShutOut{For: 7 * time.Second}, 429, "4.29", 151, 7 * time.Second, meter.Refused},
		"too fast":      {&ErrTooFast{For: 3 * time.Second}, 429, "4.29", 151, 3 * time.Second, meter.Refused},
		"crowded":       {ErrCrowded, 429, "4.29", 151, awayRetry, meter.Refused},
		"arrivals full": {credential.ErrFull, 429, "4.29", 151, time.Hour, meter.Refused},
		"unknown key":   {credential.ErrKeyUnknown, 401, "4.01", 135, 0, meter.Refused},
		"another's":     {ErrNotAllowed("it may not"), 403, "4.03", 135, 0, meter.Refused},
		"turned away":   {credential.ErrTurnedAway, 403, "4.03", 135, 0, meter.Refused},
		"no such topic": {ErrTopic("there is none"), 404, "4.04", 144, 0, meter.Refused},
		"too long":      {ErrTooLong(10), 413, "4.13", 151, 0, meter.Refused},
		"too many":      {intake.ErrTooMany, 413, "4.13", 151, 0, meter.Refused},
		"media type":    {intake.ErrMediaType, 415, "4.15", 153, 0, meter.Refused},
		"a fault":       {&measure.Fault{Field: "v", Reason: "is none"}, 422, "4.22", 153, 0, meter.Refused},
		"broken":        {errors.New("unexpected end"), 400, "4.00", 153, 0, meter.Refused},
	} {
		for _, err := range []error{c.err, fmt.Errorf("in a pack: %w", c.err),
			errors.Join(c.err, errors.New("besides"))} {
			got := CauseOf(err)
			code := fmt.Sprintf("%d.%02d", got.CoAP>>5, got.CoAP&31)
			if got.HTTP != c.http || code != c.coap || got.MQTT != c.mqtt || got.Retry != c.retry {
				t.Errorf("%s (%v): %+v, CoAP %s", name, err, got, code)
			}
			if out := outcomeOf(err); out != c.outcome {
				t.Errorf("%s counts as %s, not %s", name, out, c.outcome)
			}
			if got.HTTP >= 500 && got.HTTP != 500 && got.Words == "" {
				t.Errorf("%s says nothing to who is to send it again", name)
			}
		}
	}
	if outcomeOf(nil) != meter.Taken || Away(nil) {
		t.Error("no error is taken")
	}
}

// What may be sent again is never acknowledged, over any protocol.
func TestWhatIsAwayIsNoReasonOfTheSenders(t *testing.T) {
	for _, err := range []error{commit.ErrAway, commit.ErrNoRoom, commit.ErrFailed, context.Canceled,
		context.DeadlineExceeded} {
		c := CauseOf(err)
		if !Away(err) || c.HTTP < http.StatusInternalServerError || c.CoAP>>5 != 5 || c.MQTT < 128 {
			t.Errorf("%v: %+v", err, c)
		}
	}
}

func TestRoomForLongBodies(t *testing.T) {
	d := &Control{rooms: gate.NewShares[string](roomInAll, OfOne)}
	one, two := d.RoomOf(credential.Sender{Key: [32]byte{1}}),
		d.RoomOf(credential.Sender{Key: [32]byte{2}, Name: "another name"})
	take := func(r Room) func() {
		ctx, cancel := context.WithTimeout(context.Background(), 20*time.Millisecond)
		defer cancel()
		give, err := r.Take(ctx, intake.MaxBody)
		if err != nil && !errors.Is(err, ErrCrowded) {
			t.Errorf("no room is told as %v", err)
		}
		return give
	}
	var held []func()
	for n := range 4 {
		give := take(one)
		if give == nil {
			t.Fatalf("no room for body %d of one sender", n+1)
		}
		held = append(held, give)
	}
	if take(one) != nil {
		t.Error("a fifth of one sender found room")
	}
	if give := take(two); give == nil {
		t.Error("another sender is held up")
	} else {
		give()
	}
	held[0]()
	if held[0] = take(one); held[0] == nil {
		t.Fatal("what was given back is not free")
	}
	for _, give := range held {
		give()
	}
	if n := d.rooms.Users(); n != 0 {
		t.Errorf("%d senders are remembered though nothing of them is on its way", n)
	}
	// Many senders share what there is in all.
	taken := 0
	for i := range 100 {
		if take(d.RoomOf(credential.Sender{Key: [32]byte{byte(i), 9}})) != nil {
			taken++
		}
	}
	if taken != roomInAll/intake.MaxBody {
		t.Errorf("%d long bodies at once, not %d", taken, roomInAll/intake.MaxBody)
	}
}
