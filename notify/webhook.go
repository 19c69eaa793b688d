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
	// the notice of the raise to the same address
	First func(ctx context.Context, n roster.Notice) (roster.Notice, error)
	Chart func(ctx context.Context, alarmID int64) ([]byte, error) // the last hour, PNG; nil: nothing to draw
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
	ID      int64            `json:"id"` // the same when the request is repeated
	Kind    string           `json:"kind"`
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
	var body []byte
	kind := "application/json"
	if n.Route.Format == "cap" && about != nil {
		kind = "application/cap+xml"
		body, err = w.capAlert(ctx, n, here, *about)
	} else {
		body, err = w.posted(ctx, n, here, about)
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

func (w *Webhook) posted(ctx context.Context, n roster.Notice, here site.Site, about *alarm.Alarm) ([]byte, error) {
	p := Posted{ID: n.ID, Kind: n.Kind, At: n.CreatedAt, Drill: n.Route.Drill, Site: here.Name, Subject: n.Subject,
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
