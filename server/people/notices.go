package people

import (
	"context"
	"slices"
	"strings"

	"jauntylark/api"
	"jauntylark/core/alarm"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/pipeline/respond"
	"jauntylark/server/web"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// noticesOperations has the operations of this file answered.
func noticesOperations(v *web.Server) {
	web.Answer(v, api.ListNotices, listNotices)
	web.Answer(v, api.ListCarriers, listCarriers)
	web.Answer(v, api.ListPlaceholders, listPlaceholders)
	web.Answer(v, api.PreviewNotice, previewNotice)
	web.Answer(v, api.GetPushKey, getPushKey)
	web.Answer(v, api.SwitchPushOn, switchPushOn)
	web.Answer(v, api.SwitchPushOff, switchPushOff)
}

func listNotices(ctx context.Context, v *web.Server, in *api.ListNoticesIn) ([]api.NoticeStory, error) {
	before, err := in.Before()
	if err != nil {
		return nil, err
	}
	notices, err := events.Notices(ctx, v.Store, events.NoticeQuery{Alarm: in.Alarm, State: in.State,
		Contact: in.Contact, Carrier: in.Carrier, Before: before, Limit: in.More()})
	out := make([]api.NoticeStory, len(notices))
	for i, n := range notices {
		out[i] = api.NoticeStory{Notice: n.Public(), Advice: n.WhatToDo()}
	}
	return out, err
}

func listCarriers(ctx context.Context, v *web.Server, _ *api.None) ([]api.CarrierNow, error) {
	states, err := events.Carriers(ctx, v.Store)
	if err != nil {
		return nil, err
	}
	waiting, err := events.Waiting(ctx, v.Store)
	if err != nil {
		return nil, err
	}
	out := make([]api.CarrierNow, len(roster.Carriers))
	for i, name := range roster.Carriers {
		out[i] = api.CarrierNow{CarrierState: roster.CarrierState{Name: name}, On: slices.Contains(v.CarriersOn, name),
			Waiting: waiting[name], How: switchedOnBy(name)}
		for _, s := range states {
			if s.Name == name {
				out[i].CarrierState, out[i].Failing = s, respond.Failing(s, v.Pipeline.Now())
			}
		}
	}
	return out, nil
}

func switchedOnBy(name string) string {
	switch c, _ := roster.CarrierOf(name); {
	case c.Gateway:
		return "with a gateway in the file that --carriers names"
	case c.Needs != "":
		return "with " + c.Needs
	}
	return "always on"
}

func listPlaceholders(context.Context, *web.Server, *api.None) ([]roster.Placeholder, error) {
	return roster.Placeholders, nil
}

func previewNotice(ctx context.Context, v *web.Server, in *api.Body[api.PreviewOrder]) (api.Previewed, error) {
	if err := roster.CheckTemplates(in.Body.Templates); err != nil {
		return api.Previewed{}, err
	}
	here, err := config.Site(ctx, v.Store)
	if err != nil {
		return api.Previewed{}, err
	}
	m := roster.Example(here, v.Pipeline.Now())
	if in.Body.Alarm != 0 {
		if m.Alarm, err = events.Alarm(ctx, v.Store, in.Body.Alarm); err != nil {
			return api.Previewed{}, web.Missing(err, "alarm", "of this number", nil)
		}
		m.Test, _ = alarm.ParseTest(m.Alarm.When)
	}
	if in.Body.On == roster.Return && m.Alarm.ClearedAt == nil {
		now := max(v.Pipeline.Now(), m.Alarm.RaisedAt)
		m.Alarm.ClearedAt = &now
	}
	if v.URL != "" {
		m.Take = strings.TrimRight(v.URL, "/") + "/take/" + v.Signer.Token(0, v.Pipeline.Now())
	}
	words := roster.Sample(in.Body.On, m, in.Body.Templates)
	out := api.Previewed{Forms: []roster.Form{}}
	for _, carrier := range roster.Carriers {
		out.Forms = append(out.Forms, roster.FormOf(carrier, words, m))
	}
	return out, nil
}

func getPushKey(_ context.Context, v *web.Server, _ *api.None) (api.PushKey, error) {
	return api.PushKey{Key: v.PushPublic}, nil
}

// ownContact gives the contact of the person who asks: the one with the person's e-mail address, or else a new one.
func ownContact(ctx context.Context, v *web.Server) (roster.Contact, error) {
	person := web.PersonOf(ctx)
	contacts, err := config.Contacts(ctx, v.Store)
	if err != nil {
		return roster.Contact{}, err
	}
	names := map[string]bool{}
	for _, c := range contacts {
		names[c.Name] = true
		if slices.ContainsFunc(c.Addresses, func(a roster.Address) bool {
			return a.Carrier == roster.Mail && strings.EqualFold(a.To, person.Email)
		}) {
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
	return roster.Contact{Name: name, Title: person.Name,
		Addresses: roster.Addresses{{Carrier: roster.Mail, To: person.Email}}}, nil
}

func switchPushOn(ctx context.Context, v *web.Server, in *api.Body[api.PushOrder]) (roster.Contact, error) {
	c, err := ownContact(ctx, v)
	if err != nil {
		return roster.Contact{}, err
	}
	a := roster.Address{Carrier: roster.Push, To: in.Body.Endpoint, Keys: &in.Body.Keys}
	if err := a.Check(); err != nil {
		return roster.Contact{}, err
	}
	c.Addresses = append(slices.DeleteFunc(c.Addresses, a.Same), a)
	return saveContact(ctx, v, c)
}

func switchPushOff(ctx context.Context, v *web.Server, in *api.Body[api.PushOrder]) (roster.Contact, error) {
	c, err := ownContact(ctx, v)
	if err != nil {
		return roster.Contact{}, err
	}
	c.Addresses = slices.DeleteFunc(c.Addresses, func(a roster.Address) bool {
		return a.Carrier == roster.Push && a.To == in.Body.Endpoint
	})
	return saveContact(ctx, v, c)
}
