package server

import (
	"context"
	"slices"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/store"
)

// NoticeStory is a notice with what to do when it fails.
type NoticeStory struct {
	roster.Notice
	Advice string `json:"advice" doc:"of one that was not delivered: what to do"`
}

func (v *Server) listNotices(ctx context.Context, in *struct {
	Page
	Alarm   int64  `query:"alarm" minimum:"0" doc:"only those of this alarm"`
	State   string `query:"state" enum:"waiting,sent,delivered,given up,held,summed up" doc:"only those in this state"`
	Contact string `query:"contact" doc:"only those to this contact"`
	Carrier string `query:"carrier" enum:"e-mail,text,voice,chat,webhook,push" doc:"only those by this carrier"`
}) (*body[[]NoticeStory], error) {
	notices, err := v.store.Notices(ctx, store.NoticeQuery{Alarm: in.Alarm, State: in.State, Contact: in.Contact, Carrier: in.Carrier, Before: in.Before, Limit: in.Limit})
	out := make([]NoticeStory, len(notices))
	for i, n := range notices {
		out[i] = NoticeStory{n.Public(), n.WhatToDo()}
	}
	return answer(out, err)
}

// CarrierNow is a carrier with whether it works.
type CarrierNow struct {
	store.CarrierState
	On      bool   `json:"on" doc:"it is switched on in the service's settings"`
	Failing bool   `json:"failing" doc:"it keeps failing"`
	Waiting int    `json:"waiting" doc:"notices that wait for it"`
	How     string `json:"how" doc:"how it is switched on"`
}

func (v *Server) listCarriers(ctx context.Context, _ *none) (*body[[]CarrierNow], error) {
	states, err := v.store.Carriers(ctx)
	if err != nil {
		return nil, err
	}
	waiting, err := v.store.Waiting(ctx)
	if err != nil {
		return nil, err
	}
	out := make([]CarrierNow, len(roster.Carriers))
	for i, name := range roster.Carriers {
		out[i] = CarrierNow{CarrierState: store.CarrierState{Name: name}, On: slices.Contains(v.CarriersOn, name), Waiting: waiting[name], How: switchedOnBy(name)}
		for _, s := range states {
			if s.Name == name {
				out[i].CarrierState, out[i].Failing = s, pipeline.Failing(s, v.pipeline.Now())
			}
		}
	}
	return answer(out, nil)
}

func switchedOnBy(carrier string) string {
	switch carrier {
	case roster.Mail:
		return "with --smtp"
	case roster.Webhook, roster.Push:
		return "always on"
	}
	return "with a gateway in the file that --carriers names"
}

func (v *Server) listPlaceholders(context.Context, *none) (*body[[]roster.Placeholder], error) {
	return answer(roster.Placeholders, nil)
}

// PreviewOrder asks how templates read.
type PreviewOrder struct {
	On        string          `json:"on" enum:"raise,silent,worsen,ease,latched,return,hand,taken,summary" doc:"which notice"`
	Templates alarm.Templates `json:"templates,omitempty" required:"false" nullable:"false" doc:"empty: the built-in words"`
	Alarm     int64           `json:"alarm,omitempty" required:"false" minimum:"0" doc:"number of the alarm whose values are shown; a made-up one when left out"`
}

// Previewed is how a notice reads.
type Previewed struct {
	Forms []roster.Form `json:"forms" nullable:"false" doc:"one for each carrier"`
}

func (v *Server) previewNotice(ctx context.Context, in *body[PreviewOrder]) (*body[Previewed], error) {
	if err := roster.CheckTemplates(in.Body.Templates); err != nil {
		return nil, err
	}
	here, err := v.store.Site(ctx)
	if err != nil {
		return nil, err
	}
	m := roster.Example(here, v.pipeline.Now())
	if in.Body.Alarm != 0 {
		if m.Alarm, err = v.store.Alarm(ctx, in.Body.Alarm); err != nil {
			return nil, missing(err, "alarm", "of this number", nil)
		}
		m.Test, _ = alarm.ParseTest(m.Alarm.When)
	}
	if in.Body.On == roster.Return && m.Alarm.ClearedAt == nil {
		now := max(v.pipeline.Now(), m.Alarm.RaisedAt)
		m.Alarm.ClearedAt = &now
	}
	if v.URL != "" {
		m.Take = strings.TrimRight(v.URL, "/") + "/take/" + v.Signer.Token(0, v.pipeline.Now())
	}
	words := roster.Sample(in.Body.On, m, in.Body.Templates)
	out := Previewed{Forms: []roster.Form{}}
	for _, carrier := range roster.Carriers {
		out.Forms = append(out.Forms, roster.FormOf(carrier, words, m))
	}
	return answer(out, nil)
}

// PushKey is the site's own public key for Web Push.
type PushKey struct {
	Key string `json:"key" doc:"base64url, for applicationServerKey"`
}

func (v *Server) getPushKey(context.Context, *none) (*body[PushKey], error) {
	return answer(PushKey{v.PushPublic}, nil)
}

// PushOrder is a browser's subscription.
type PushOrder struct {
	Endpoint string          `json:"endpoint" maxLength:"1000" doc:"address at the browser's push service"`
	Keys     roster.PushKeys `json:"keys,omitempty" required:"false"`
}

// ownContact gives the contact of the person who asks: the one with the person's e-mail address, or else a new one.
func (v *Server) ownContact(ctx context.Context) (roster.Contact, error) {
	person := personOf(ctx)
	contacts, err := v.store.Contacts(ctx)
	if err != nil {
		return roster.Contact{}, err
	}
	names := map[string]bool{}
	for _, c := range contacts {
		names[c.Name] = true
		if slices.ContainsFunc(c.Addresses, func(a roster.Address) bool { return a.Carrier == roster.Mail && strings.EqualFold(a.To, person.Email) }) {
			return c, nil
		}
	}
	stem, _, _ := strings.Cut(person.Email, "@")
	name := site.NameFrom(stem)
	if person.Name != "" {
		name = site.NameFrom(person.Name)
	}
	if name == "" || names[name] || name == roster.OnDuty {
		name = site.NameFrom(strings.ReplaceAll(person.Email, "@", "-at-"))
	}
	return roster.Contact{Name: name, Title: person.Name, Addresses: roster.Addresses{{Carrier: roster.Mail, To: person.Email}}}, nil
}

func (v *Server) switchPushOn(ctx context.Context, in *body[PushOrder]) (*body[roster.Contact], error) {
	c, err := v.ownContact(ctx)
	if err != nil {
		return nil, err
	}
	a := roster.Address{Carrier: roster.Push, To: in.Body.Endpoint, Keys: &in.Body.Keys}
	if err := a.Check(); err != nil {
		return nil, err
	}
	c.Addresses = append(slices.DeleteFunc(c.Addresses, a.Same), a)
	return v.saveContact(ctx, c)
}

func (v *Server) switchPushOff(ctx context.Context, in *body[PushOrder]) (*body[roster.Contact], error) {
	c, err := v.ownContact(ctx)
	if err != nil {
		return nil, err
	}
	c.Addresses = slices.DeleteFunc(c.Addresses, func(a roster.Address) bool { return a.Carrier == roster.Push && a.To == in.Body.Endpoint })
	return v.saveContact(ctx, c)
}
