package server

import (
	"context"
	"slices"
	"strings"

	"jauntylark/api"
	"jauntylark/core/alarm"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/pipeline/respond"
	"jauntylark/store"
)

func (v *Server) listNotices(ctx context.Context, in *api.ListNoticesIn) ([]api.NoticeStory, error) {
	notices, err := v.store.Notices(ctx, store.NoticeQuery{Alarm: in.Alarm, State: in.State, Contact: in.Contact, Carrier: in.Carrier, Before: in.Before, Limit: in.Limit})
	out := make([]api.NoticeStory, len(notices))
	for i, n := range notices {
		out[i] = api.NoticeStory{Notice: n.Public(), Advice: n.WhatToDo()}
	}
	return out, err
}

func (v *Server) listCarriers(ctx context.Context, _ *api.None) ([]api.CarrierNow, error) {
	states, err := v.store.Carriers(ctx)
	if err != nil {
		return nil, err
	}
	waiting, err := v.store.Waiting(ctx)
	if err != nil {
		return nil, err
	}
	out := make([]api.CarrierNow, len(roster.Carriers))
	for i, name := range roster.Carriers {
		out[i] = api.CarrierNow{CarrierState: roster.CarrierState{Name: name}, On: slices.Contains(v.CarriersOn, name), Waiting: waiting[name], How: switchedOnBy(name)}
		for _, s := range states {
			if s.Name == name {
				out[i].CarrierState, out[i].Failing = s, respond.Failing(s, v.pipeline.Now())
			}
		}
	}
	return out, nil
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

func (v *Server) listPlaceholders(context.Context, *api.None) ([]roster.Placeholder, error) {
	return roster.Placeholders, nil
}

func (v *Server) previewNotice(ctx context.Context, in *api.Body[api.PreviewOrder]) (api.Previewed, error) {
	if err := roster.CheckTemplates(in.Body.Templates); err != nil {
		return api.Previewed{}, err
	}
	here, err := v.store.Site(ctx)
	if err != nil {
		return api.Previewed{}, err
	}
	m := roster.Example(here, v.pipeline.Now())
	if in.Body.Alarm != 0 {
		if m.Alarm, err = v.store.Alarm(ctx, in.Body.Alarm); err != nil {
			return api.Previewed{}, missing(err, "alarm", "of this number", nil)
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
	out := api.Previewed{Forms: []roster.Form{}}
	for _, carrier := range roster.Carriers {
		out.Forms = append(out.Forms, roster.FormOf(carrier, words, m))
	}
	return out, nil
}

func (v *Server) getPushKey(context.Context, *api.None) (api.PushKey, error) {
	return api.PushKey{Key: v.PushPublic}, nil
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

func (v *Server) switchPushOn(ctx context.Context, in *api.Body[api.PushOrder]) (roster.Contact, error) {
	c, err := v.ownContact(ctx)
	if err != nil {
		return roster.Contact{}, err
	}
	a := roster.Address{Carrier: roster.Push, To: in.Body.Endpoint, Keys: &in.Body.Keys}
	if err := a.Check(); err != nil {
		return roster.Contact{}, err
	}
	c.Addresses = append(slices.DeleteFunc(c.Addresses, a.Same), a)
	return v.saveContact(ctx, c)
}

func (v *Server) switchPushOff(ctx context.Context, in *api.Body[api.PushOrder]) (roster.Contact, error) {
	c, err := v.ownContact(ctx)
	if err != nil {
		return roster.Contact{}, err
	}
	c.Addresses = slices.DeleteFunc(c.Addresses, func(a roster.Address) bool { return a.Carrier == roster.Push && a.To == in.Body.Endpoint })
	return v.saveContact(ctx, c)
}
