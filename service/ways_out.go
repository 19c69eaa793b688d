package service

import (
	"context"
	"fmt"
	"net"
	"os"
	"strings"

	"jauntylark/api"
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/core/statement"
	"jauntylark/notify"
	"jauntylark/pipeline"
	"jauntylark/pipeline/respond"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// waysOut are the carriers that a service has switched on.
type waysOut struct {
	carriers map[string]notify.Carrier
	gateways map[string]*notify.Gateway
	mail     *notify.Mail
}

// signerOf gives what signs links, callbacks and webhooks.
func signerOf(ctx context.Context, records *store.Store) (notify.Signer, error) {
	key, err := config.SigningKey(ctx, records)
	return notify.Signer{Key: key}, err
}

// open joins the carriers with the records, and gives the site's public key for Web Push.
func (o *waysOut) open(ctx context.Context, s Settings, records *store.Store, pipe *pipeline.Pipeline,
	signer notify.Signer, now func() measure.Instant, listener net.Listener) (push string, err error) {
	outside := notify.NewOutside(s.Private)
	drawing := func(draw func(context.Context, alarm.Alarm, site.Site) ([]byte, error)) func(context.Context,
		int64) ([]byte, error) {
		return notify.SharedChart(func(ctx context.Context, id int64) ([]byte, error) {
			here, err := config.Site(ctx, records)
			if err != nil {
				return nil, err
			}
			a, err := events.Alarm(ctx, records, id)
			if err != nil {
				return nil, err
			}
			return draw(ctx, a, here)
		})
	}
	facts := notify.Facts{Signer: signer, Now: now,
		Site:  func(ctx context.Context) (site.Site, error) { return config.Site(ctx, records) },
		Alarm: func(ctx context.Context, id int64) (alarm.Alarm, error) { return events.Alarm(ctx, records, id) },
		Before: func(ctx context.Context, n roster.Notice) ([]roster.Notice, error) {
			return events.SentBefore(ctx, records, n)
		},
		Chart: drawing(func(ctx context.Context, a alarm.Alarm, here site.Site) ([]byte, error) {
			return notify.ChartOf(ctx, records, a, here, now())
		}),
		Frame: drawing(func(ctx context.Context, a alarm.Alarm, here site.Site) ([]byte, error) {
			return notify.FrameOf(ctx, records, a, here)
		}),
		Sheet: func(ctx context.Context, name string, from measure.Instant) (statement.Sheet, error) {
			return sheetOf(ctx, records, pipe, name, from)
		}}
	if o.mail != nil {
		o.mail.Facts = facts
	}
	o.carriers[roster.Webhook] = &notify.Webhook{Client: outside, Facts: facts}
	for name, gateway := range o.gateways {
		base := s.URL
		if base == "" {
			base = "http://" + listener.Addr().String()
		}
		callback := strings.TrimRight(base, "/") + api.CallBack.At(name, signer.Callback(name)).Path
		o.carriers[name] = notify.Stated{Carrier: &notify.Through{Gateway: gateway, Client: notify.NewOutside(true),
			Callback: callback}, Facts: facts}
	}
	newPrivate, newPublic, err := notify.NewPushKeys()
	if err != nil {
		return "", err
	}
	private, public, err := config.PushKeys(ctx, records, newPrivate, newPublic)
	if err != nil {
		return "", err
	}
	subject := "https://jaunty-lark.invalid"
	if s.URL != "" {
		subject = s.URL
	}
	o.carriers[roster.Push] = notify.Stated{Carrier: &notify.Push{Client: outside, Private: private, Public: public,
		Subject: subject}, Facts: facts}
	return public, nil
}

// posts gives what posts the feed of changes to readers.
func (s Settings) posts(records *store.Store, pipe *pipeline.Pipeline, signer notify.Signer) *notify.Feed {
	return &notify.Feed{Store: records, Client: notify.NewOutside(s.Private), Signer: signer, Log: s.Log, Now: pipe.Now,
		Judge: func(ctx context.Context) error { return respond.JudgeReaders(ctx, pipe) }}
}

// sheetOf makes the sheet of a statement for the period that begins at an instant.
func sheetOf(ctx context.Context, records *store.Store, pipe *pipeline.Pipeline, name string,
	from measure.Instant) (statement.Sheet, error) {
	all, err := config.Statements(ctx, records)
	if err != nil {
		return statement.Sheet{}, err
	}
	here, err := config.Site(ctx, records)
	if err != nil {
		return statement.Sheet{}, err
	}
	for i := range all {
		if all[i].Name == name {
			return respond.Sheet(ctx, pipe, &all[i], all[i].PeriodAt(from, here.Location()))
		}
	}
	return statement.Sheet{}, fmt.Errorf("the statement %s was removed", name)
}

// openOut reads the settings of the carriers.
func (s Settings) openOut() (out waysOut, err error) {
	out.carriers = map[string]notify.Carrier{}
	if s.SMTP != "" {
		if out.mail, err = notify.NewMail(s.SMTP); err != nil {
			return out, err
		}
		out.carriers[roster.Mail] = out.mail
	}
	text := s.Gateways
	if s.Carriers != "" {
		if text, err = os.ReadFile(s.Carriers); err != nil {
			return out, fmt.Errorf("--carriers: %w", err)
		}
	}
	if len(text) > 0 {
		if out.gateways, err = notify.ParseGateways(text); err != nil {
			return out, fmt.Errorf("--carriers: %w", err)
		}
	}
	return out, nil
}
