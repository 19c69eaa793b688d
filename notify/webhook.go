package notify

import (
	"bytes"
	"context"
	"encoding/json"
	"net/http"
	"strconv"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/core/statement"
)

// Facts give what a message carries beside its words.
type Facts struct {
	Site  func(context.Context) (site.Site, error)
	Alarm func(ctx context.Context, id int64) (alarm.Alarm, error)
	// what was sent to the same address about the same alarm before, oldest first
	Before func(ctx context.Context, n roster.Notice) ([]roster.Notice, error)
	Chart  func(ctx context.Context, alarmID int64) ([]byte, error) // the last hour, PNG; nil: nothing to draw
	// the thermal frame of that moment, PNG; nil: none
	Frame  func(ctx context.Context, alarmID int64) ([]byte, error)
	Sheet  func(ctx context.Context, name string, period measure.Instant) (statement.Sheet, error)
	Signer Signer
	Now    func() measure.Instant
}

// Webhook sends notices as signed requests.
type Webhook struct {
	Client *http.Client
	Facts
}

// Posted is the body of a webhook (docs/webhook.md).
type Posted struct {
	ID   int64  `json:"id"` // the same when the request is repeated
	Kind string `json:"kind"`
	// Event is the kind, or repeat: a raise that the address was told before.
	Event        string `json:"event"`
	Conversation string `json:"conversation,omitempty"` // the same for all about one alarm
	Step         int    `json:"step,omitempty"`         // of the roster that called, from 1
	Repeat       int    `json:"repeat,omitempty"`       // how often the address was told the raise before

	At      measure.Instant  `json:"at"` // when it was planned
	Drill   bool             `json:"drill"`
	Site    string           `json:"site"`
	Subject string           `json:"subject"`
	Text    string           `json:"text"`
	Link    string           `json:"link,omitempty"`
	Alarm   *alarm.Alarm     `json:"alarm,omitempty"`
	Sheet   *statement.Sheet `json:"statement,omitempty"`
}

// Send makes one request.
func (w *Webhook) Send(ctx context.Context, n roster.Notice) Result {
	here, err := w.Site(ctx)
	if err != nil {
		return Result{Answer: "the site could not be read"}
	}
	var about *alarm.Alarm
	if n.AlarmID != 0 {
		a, err := w.Alarm(ctx, n.AlarmID)
		if err != nil {
			return Result{Answer: "the alarm could not be read"}
		}
		about = &a
	}
	told, err := w.toldBefore(ctx, n)
	if err != nil {
		return Result{Answer: "what was sent before could not be read"}
	}
	var body []byte
	kind := "application/json"
	if n.Route.Format == "cap" && about != nil {
		kind = "application/cap+xml"
		body, err = capAlert(n, here, *about, told)
	} else {
		body, err = w.posted(ctx, n, here, about, told)
	}
	if err != nil {
		return Result{Answer: "the body could not be made: " + err.Error()}
	}
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, n.Address, bytes.NewReader(body))
	if err != nil {
		return Result{Answer: "the address is wrong", Final: true}
	}
	seconds := unix(w.Now())
	r.Header.Set("Content-Type", kind)
	r.Header.Set("Idempotency-Key", "notice-"+strconv.FormatInt(n.ID, 10))
	r.Header.Set("Jaunty-Time", strconv.FormatInt(seconds, 10))
	r.Header.Set("Jaunty-Signature", "hmac-sha256="+Signature(w.Signer.WebhookSecret(n.Route.AddressID), seconds, body))
	return judged(ask(w.Client, r))
}

// conversation is what an address was told about an alarm before.
type conversation struct {
	id     string
	before []roster.Notice
	repeat int // how often it was told the raise
}

// event is what a notice tells: its kind, or that it repeats.
func (c *conversation) event(n roster.Notice) string {
	if c.repeat > 0 {
		return "repeat"
	}
	return n.Kind
}

func (w *Webhook) toldBefore(ctx context.Context, n roster.Notice) (c conversation, err error) {
	if n.AlarmID == 0 {
		return c, nil
	}
	c.id = "alarm-" + strconv.FormatInt(n.AlarmID, 10)
	if c.before, err = w.Before(ctx, n); err != nil || n.Kind != roster.Raise {
		return c, err
	}
	for _, b := range c.before {
		if b.Kind == roster.Raise {
			c.repeat++
		}
	}
	return c, nil
}

func (w *Webhook) posted(ctx context.Context, n roster.Notice, here site.Site, about *alarm.Alarm,
	told conversation) ([]byte, error) {
	p := Posted{ID: n.ID, Kind: n.Kind, Event: told.event(n), Conversation: told.id, Step: n.Route.Step,
		Repeat: told.repeat, At: n.CreatedAt, Drill: n.Route.Drill, Site: here.Name, Subject: n.Subject,
		Text: n.Text, Link: n.Route.Link, Alarm: about}
	if n.Route.Statement != "" {
		sheet, err := w.Sheet(ctx, n.Route.Statement, n.Route.Period)
		if err != nil {
			return nil, err
		}
		p.Sheet, p.Text = &sheet, sheet.Text()
	}
	return json.Marshal(p)
}
