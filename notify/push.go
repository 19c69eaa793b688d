package notify

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"time"

	webpush "github.com/SherClockHolmes/webpush-go"

	"jauntylark/core/alarm"
	"jauntylark/core/roster"
)

// Push sends notices to browsers: Web Push (RFC 8030), encrypted for the browser (RFC 8291), signed with the site's own
// key (RFC 8292).
type Push struct {
	Client          *http.Client
	Private, Public string // the site's keys
	Subject         string // whom a push service can write to: mailto: or https:
}

// Pushed is what the console's service worker is given.
type Pushed struct {
	Title string `json:"title"`
	Body  string `json:"body"`
	Link  string `json:"link"`
	Tag   string `json:"tag"` // a message with the same tag takes the place of the one before
}

const pushLasts = 24 * 60 * 60 // seconds that a push service keeps it for a browser that is away

// Send hands one message to the browser's push service.
func (p *Push) Send(ctx context.Context, n roster.Notice) Result {
	if n.Route.Keys == nil {
		return Result{Answer: "this browser's keys are missing; switch push on again", Final: true}
	}
	said := Pushed{Title: n.Subject, Body: n.Text, Link: "/", Tag: fmt.Sprintf("notice-%d", n.ID)}
	topic := ""
	if n.AlarmID != 0 {
		said.Link, said.Tag = fmt.Sprintf("/alarms/%d", n.AlarmID), fmt.Sprintf("alarm-%d", n.AlarmID)
		topic = said.Tag
	}
	body, err := json.Marshal(said)
	if err != nil {
		return Result{Answer: err.Error(), Final: true}
	}
	urgency := webpush.UrgencyNormal
	if n.Severity == alarm.Critical || n.Severity == alarm.Warning {
		urgency = webpush.UrgencyHigh
	}
	answer, err := webpush.SendNotificationWithContext(ctx, body, &webpush.Subscription{Endpoint: n.Address,
		Keys: webpush.Keys{Auth: n.Route.Keys.Auth, P256dh: n.Route.Keys.P256dh}},
		&webpush.Options{HTTPClient: p.Client, Subscriber: p.Subject, Topic: topic, TTL: pushLasts, Urgency: urgency,
			VAPIDPublicKey: p.Public, VAPIDPrivateKey: p.Private})
	if err != nil {
		return judged(0, nil, 0, err)
	}
	defer answer.Body.Close()
	text, err := io.ReadAll(io.LimitReader(answer.Body, answerMost))
	r := judged(answer.StatusCode, text, retryAfter(answer.Header.Get("Retry-After"), time.Now()), err)
	if answer.StatusCode == http.StatusNotFound || answer.StatusCode == http.StatusGone {
		r.Answer = "the browser has given this up; switch push on again: " + r.Answer
	}
	return r
}

// NewPushKeys makes a key pair for a site.
func NewPushKeys() (private, public string, err error) { return webpush.GenerateVAPIDKeys() }
