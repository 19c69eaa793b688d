package people

import (
	"bytes"
	"context"
	"errors"
	"html/template"
	"io"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"

	"jauntylark/api"
	"jauntylark/core/alarm"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/notify"
	"jauntylark/pipeline/respond"
	"jauntylark/server/web"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// acknowledgeOperations has the operations of this file answered.
func acknowledgeOperations(v *web.Server) {
	v.Echo.Match([]string{http.MethodGet, http.MethodHead}, "/take/:token",
		func(c *echo.Context) error { return serveTake(v, c) })
	v.Echo.POST("/take/:token", func(c *echo.Context) error { return acknowledgeByLink(v, c) })
	web.AnswerFile(v, api.CallBack.Operation, serveCallback)
}

// takePage is what a link in a message opens: the alarm in words and one button. Looking at it does nothing, so that
// mail scanners, which fetch links, take nothing.
var takePage = template.Must(template.New("take").Parse(`<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width">
<meta name="robots" content="noindex">
<title>{{.Heading}}</title>
<style>
:root { color-scheme: light dark; --paper: #fffdf8; --ink: #1f2a37; --soft: #52606d; --accent: #1d5f8a; --on: #ffffff; }
@media (prefers-color-scheme: dark) { :root { --paper: #11161c; --ink: #e6e9ec; --soft: #a3adb8; --accent: #8cc4ea; --on: #0b1015; } }
body { font: 18px/1.5 system-ui, sans-serif; color: var(--ink); background: var(--paper); margin: 0 auto; max-width: 560px; padding: 32px 20px; }
h1 { font-size: 26px; line-height: 1.25; margin: 0 0 12px; text-wrap: balance; }
p { margin: 10px 0; }
.soft { color: var(--soft); }
button { font: 600 20px/1.2 system-ui, sans-serif; background: var(--accent); color: var(--on); border: 0; border-radius: 6px; padding: 18px 28px; width: 100%; margin: 20px 0; cursor: pointer; }
button:focus-visible { outline: 3px solid var(--ink); outline-offset: 3px; }
</style>
</head>
<body>
<main>
<h1>{{.Heading}}</h1>
{{range .Says}}<p>{{.}}</p>
{{end}}{{if .Button}}<form method="post"><button type="submit">I have it</button></form>
{{end}}<p class="soft">{{.Site}}, watched by Jaunty Lark</p>
</main>
</body>
</html>
`))

type acknowledgeView struct {
	Heading, Site string
	Says          []string
	Button        bool
}

func showTake(v *web.Server, c *echo.Context, status int, view acknowledgeView) error {
	here, err := config.Site(c.Request().Context(), v.Store)
	if err != nil {
		status, view = http.StatusServiceUnavailable, acknowledgeView{Heading: "The service cannot answer now",
			Says: []string{"Try again in a moment."}}
	}
	view.Site = here.Name
	h := c.Response().Header()
	h.Set("Content-Security-Policy",
		"default-src 'none'; style-src 'unsafe-inline'; form-action 'self'; frame-ancestors 'none'; base-uri 'none'")
	h.Set("Cache-Control", "no-store")
	h.Set("Referrer-Policy", "no-referrer")
	var page bytes.Buffer
	if err := takePage.Execute(&page, view); err != nil {
		return err
	}
	return c.HTMLBlob(status, page.Bytes())
}

// serveTake shows the page of a link.
func serveTake(v *web.Server, c *echo.Context) error {
	ctx := c.Request().Context()
	id, err := v.Signer.Notice(c.Param("token"), v.Pipeline.Now())
	if err != nil {
		return refuseTake(v, c, err)
	}
	n, err := events.Notice(ctx, v.Store, id)
	if err != nil {
		return refuseTake(v, c, err)
	}
	a, err := events.Alarm(ctx, v.Store, n.AlarmID)
	if err != nil {
		return refuseTake(v, c, err)
	}
	used, err := events.LinkUsed(ctx, v.Store, id)
	if err != nil {
		return refuseTake(v, c, err)
	}
	return showTake(v, c, http.StatusOK, acknowledgeViewOf(v, c, a, used))
}

// acknowledgeViewOf says how an alarm stands.
func acknowledgeViewOf(v *web.Server, c *echo.Context, a alarm.Alarm, used bool) acknowledgeView {
	view := acknowledgeView{Heading: a.Sentence}
	here, _ := config.Site(c.Request().Context(), v.Store)
	drill := ""
	if a.Drill {
		drill = "This is a drill: nothing is wrong. "
	}
	view.Says = append(view.Says, drill+strings.ToUpper(string(a.Severity[:1]))+string(a.Severity[1:])+", since "+
		roster.When(here, a.RaisedAt)+".")
	if a.Advice != "" {
		view.Says = append(view.Says, "What to do: "+a.Advice)
	}
	switch {
	case a.AcknowledgedAt != nil:
		view.Says = append(view.Says, a.AcknowledgedBy+" has it.")
	case a.State == alarm.StateOver:
		view.Heading, view.Says = alarm.Was(a.Sentence), append(view.Says, endedWords(here, a)+".")
	case used:
		view.Says = append(view.Says, "This link was used before.")
	default:
		view.Button = true
	}
	return view
}

// endedWords say why an alarm is over.
func endedWords(here site.Site, a alarm.Alarm) string {
	test, _ := alarm.ParseTest(a.When) // of an alarm that no guard stands behind, there is none
	return roster.MessageData{Alarm: a, Test: test, Site: here}.Ended()
}

// refuseTake says why a link opens nothing.
func refuseTake(v *web.Server, c *echo.Context, err error) error {
	view := acknowledgeView{Heading: "This link opens nothing"}
	status := http.StatusNotFound
	switch {
	case errors.Is(err, notify.ErrForged), errors.Is(err, store.ErrNotFound):
		view.Says = []string{"It was not made here, or was cut off on its way. Copy all of it, or sign in to the " +
			"console."}
	case errors.Is(err, notify.ErrExpired):
		status, view.Says = http.StatusGone, []string{"It is too old. Sign in to the console to see how things stand."}
	case errors.Is(err, respond.ErrUsed):
		status, view.Says = http.StatusConflict,
			[]string{"It was used before. Sign in to the console to see how things stand."}
	default:
		v.Log.Warn("a link could not be answered", "error", err)
		status, view = http.StatusServiceUnavailable, acknowledgeView{Heading: "The service cannot answer now",
			Says: []string{"Try again in a moment."}}
	}
	return showTake(v, c, status, view)
}

// acknowledgeByLink marks the alarm as the reader's.
func acknowledgeByLink(v *web.Server, c *echo.Context) error {
	id, err := v.Signer.Notice(c.Param("token"), v.Pipeline.Now())
	if err != nil {
		return refuseTake(v, c, err)
	}
	a, err := respond.TakeByNotice(c.Request().Context(), v.Pipeline, id)
	if err != nil {
		return refuseTake(v, c, err)
	}
	view := acknowledgeView{Heading: "Thank you", Says: []string{a.AcknowledgedBy + " has it: " + a.Sentence + ".",
		"Everybody who was told hears so."}}
	if a.Advice != "" {
		view.Says = append(view.Says, "What to do: "+a.Advice)
	}
	return showTake(v, c, http.StatusOK, view)
}

// callbackMost bounds what a gateway may bring.
const callbackMost = 64 << 10

// serveCallback takes what a carrier's gateway calls back with: a receipt, or somebody's answer.
func serveCallback(v *web.Server, c *echo.Context) error {
	carrier, ctx := c.Param("carrier"), c.Request().Context()
	gateway := v.Gateways[carrier]
	if gateway == nil || !v.Signer.IsCallback(carrier, c.Param("secret")) {
		return huma.Error404NotFound("There is no such callback.")
	}
	text, err := io.ReadAll(io.LimitReader(c.Request().Body, callbackMost))
	if err != nil {
		return huma.Error400BadRequest("The body could not be read.")
	}
	fields := notify.Fields(text, c.Request().Header.Get("Content-Type"))
	form, reply := gateway.Receipt, gateway.Reply
	switch {
	case reply.Text != "" && fields[reply.Text] != "":
		err = onceRecorded(ctx, func() error {
			_, err := respond.TakeReply(ctx, v.Pipeline, respond.Reply{Carrier: carrier, GatewayID: fields[reply.ID],
				From: plainNumber(fields[reply.From]), Text: fields[reply.Text]})
			return err
		})
	case form.ID != "" && fields[form.ID] != "" && fields[form.State] != "":
		state := fields[form.State]
		delivered, failed := slices.Contains(form.Delivered, state), slices.Contains(form.Failed, state)
		if delivered || failed { // others are on the way
			said := strings.TrimSpace(state + ": " + fields[form.Reason])
			err = onceRecorded(ctx, func() error {
				return respond.TakeReceipt(ctx, v.Pipeline,
					respond.Receipt{Carrier: carrier, GatewayID: fields[form.ID], OK: delivered,
						Answer: strings.TrimSuffix(said, ":")})
			})
		}
	default:
		return huma.Error422UnprocessableEntity(
			"This is neither a receipt nor an answer by the gateway's description; it has the fields " +
				fieldNames(fields) + ".")
	}
	if err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// A gateway may call back before what it answered is written down, so a message that is not known yet is looked for
// again.
const (
	recordedWithin = 3 * time.Second
	recordedLook   = 100 * time.Millisecond
)

// onceRecorded does something about a message, again and again for a while as long as there is no such message.
func onceRecorded(ctx context.Context, do func() error) error {
	for end := time.Now().Add(recordedWithin); ; {
		err := do()
		if !errors.Is(err, store.ErrNotFound) || time.Now().After(end) {
			return err
		}
		select {
		case <-ctx.Done():
			return err
		case <-time.After(recordedLook):
		}
	}
}

func fieldNames(fields map[string]string) string {
	names := make([]string, 0, len(fields))
	for name := range fields {
		names = append(names, name)
	}
	slices.Sort(names)
	return strings.Join(names[:min(len(names), 20)], ", ")
}

// plainNumber takes what is not part of a telephone number out of one.
func plainNumber(from string) string {
	if !strings.HasPrefix(strings.TrimSpace(from), "+") {
		return from
	}
	return strings.NewReplacer(" ", "", "-", "").Replace(from)
}
