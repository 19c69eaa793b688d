package demo

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"jauntylark/api"
	"jauntylark/core/alarm"
	"jauntylark/core/feed"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
)

// people are the demo's contacts. The duty phone has no e-mail, the boiler firm gets signed requests, and Tadhg sleeps
// by day.
func (s *Site) people() []roster.Contact {
	return []roster.Contact{
		{Name: "duty-phone", Title: "The duty phone",
			Addresses: roster.Addresses{{Carrier: roster.Text, To: "+353860000003"},
				{Carrier: roster.Voice, To: "+353860000003"}}},
		{Name: "tadhg", Title: "Tadhg", Quiet: "daily 09:00-16:00", Passes: alarm.Warning,
			Addresses: roster.Addresses{{Carrier: roster.Mail, To: "tadhg@hollowbrook.example"},
				{Carrier: roster.Text, To: "+353860000002"}, {Carrier: roster.Voice, To: "+353860000002"}}},
		{Name: "orla", Title: "Orla", Addresses: roster.Addresses{{Carrier: roster.Mail, To: Owner},
			{Carrier: roster.Text, To: "+353860000001"}, {Carrier: roster.Voice, To: "+353860000001"},
			{Carrier: roster.Chat, To: "glasshouse"}}},
		{Name: "boiler-firm", Title: "The boiler firm",
			Addresses: roster.Addresses{{Carrier: roster.Mail, To: "desk@hollowbrook.example"}}},
	}
}

// rosters are the demo's: the glasshouse wakes people by steps, the boiler calls on everybody at once.
var rosters = []roster.Roster{
	{Name: "glasshouse", Title: "Glasshouse", Repeat: minutes(20), Steps: roster.Steps{
		{Who: []string{"orla"}, By: []string{roster.Mail, roster.Chat}, Hours: "daily 07:00-22:00"},
		{Who: []string{roster.OnDuty}, By: []string{roster.Text}, Hours: "daily 22:00-07:00"},
		{Who: []string{"orla"}, By: []string{roster.Text, roster.Push}, From: alarm.Warning, After: minutes(5),
			Hours: "daily 07:00-22:00"},
		{Who: []string{roster.OnDuty, "duty-phone"}, By: []string{roster.Voice}, From: alarm.Warning,
			After: minutes(10)}},
		Rotation: &roster.Rotation{Who: []string{"tadhg", "orla"}, Since: "2026-01-05", At: "09:00", Weeks: 1}},
	{Name: "boiler", Title: "Boiler", Repeat: minutes(5), Steps: roster.Steps{
		{Who: []string{"orla", "tadhg", "duty-phone", "boiler-firm"}, By: []string{}},
		{Who: []string{"duty-phone"}, By: []string{roster.Voice}, From: alarm.Critical, After: minutes(2)}}},
}

// reach makes contacts and rosters, and switches on what the site itself tells. What is there already stays, but for
// where the stand-in listens, which changes with each start.
func (s *Site) reach(ctx context.Context) error {
	var known []roster.Contact
	if err := s.Owner.Call(ctx, api.ListContacts.At(), nil, &known); err != nil {
		return err
	}
	if len(known) > 0 {
		return s.follow(ctx, known)
	}
	for _, c := range s.people() {
		more, err := s.standIns(c.Name)
		if err != nil {
			return err
		}
		c.Addresses = append(c.Addresses, more...)
		if err := s.Owner.Call(ctx, api.PutContact.At(c.Name), c, nil); err != nil {
			return fmt.Errorf("contact %s: %w", c.Name, err)
		}
	}
	for _, r := range rosters {
		if err := s.Owner.Call(ctx, api.PutRoster.At(r.Name), r, nil); err != nil {
			return fmt.Errorf("roster %s: %w", r.Name, err)
		}
	}
	own := roster.SiteReach{Tell: []string{"orla"}, QuietWord: &roster.QuietWord{To: "orla", At: "08:00"}}
	if s.Gateway != nil {
		own.Heartbeat = &roster.Heartbeat{URL: s.Gateway.URL + "/heartbeat", Every: minutes(1)}
	}
	if err := s.Owner.Call(ctx, api.PutReach.At(), own, nil); err != nil {
		return err
	}
	return s.rememberGateway()
}

// standIns are the addresses of a contact at the stand-in.
func (s *Site) standIns(contact string) (roster.Addresses, error) {
	switch {
	case s.Gateway == nil:
		return nil, nil
	case contact == "boiler-firm":
		return roster.Addresses{{Carrier: roster.Webhook, To: s.Gateway.URL + "/hook"},
			{Carrier: roster.Webhook, To: s.Gateway.URL + "/hook?as=cap", Format: "cap"}}, nil
	case contact == "orla":
		phone, err := s.Gateway.Subscribe("orlas-phone")
		if err != nil {
			return nil, err
		}
		p256dh, auth := phone.Keys()
		return roster.Addresses{{Carrier: roster.Push, To: phone.Endpoint,
			Keys: &roster.PushKeys{P256dh: p256dh, Auth: auth}}}, nil
	}
	return nil, nil
}

// follow puts the stand-in's addresses of today in place of those of the last start.
func (s *Site) follow(ctx context.Context, known []roster.Contact) error {
	was := s.Memory.Gateway
	if s.Gateway == nil || was == "" {
		return nil
	}
	for _, c := range known {
		kept := slices.DeleteFunc(slices.Clone(c.Addresses), func(a roster.Address) bool {
			return strings.HasPrefix(a.To, was+"/")
		})
		if len(kept) == len(c.Addresses) {
			continue
		}
		more, err := s.standIns(c.Name)
		if err != nil {
			return err
		}
		c.Addresses = append(kept, more...)
		if err := s.Owner.Call(ctx, api.PutContact.At(c.Name), c, nil); err != nil {
			return fmt.Errorf("contact %s: %w", c.Name, err)
		}
	}
	var own roster.SiteReach
	if err := s.Owner.Call(ctx, api.GetReach.At(), nil, &own); err != nil {
		return err
	}
	if own.Heartbeat != nil && strings.HasPrefix(own.Heartbeat.URL, was+"/") {
		own.Heartbeat.URL = s.Gateway.URL + "/heartbeat"
		if err := s.Owner.Call(ctx, api.PutReach.At(), own, nil); err != nil {
			return err
		}
	}
	return s.rememberGateway()
}

func (s *Site) rememberGateway() error {
	if s.Gateway == nil {
		return nil
	}
	s.Memory.Gateway = s.Gateway.URL
	return s.Memory.keep()
}

// readers lets a spreadsheet ask for what the pond reads, and has alarms posted to a ticket system, for which the stand-in
// stands in, wherever it listens now.
func (s *Site) readers(ctx context.Context) error {
	all := map[string]object{"spreadsheet": {"kinds": []string{feed.Readings}, "devices": []string{"pond"}, "url": ""}}
	if s.Gateway != nil {
		all["tickets"] = object{"kinds": []string{feed.Alarm}, "devices": []string{}, "url": s.Gateway.URL + "/hook"}
	}
	for name, body := range all {
		var r feed.Reader
		if err := s.Owner.Call(ctx, api.PutReader.At(name), body, &r); err != nil {
			return fmt.Errorf("reader %s: %w", name, err)
		}
		if r.Keyed {
			continue
		}
		if err := s.Owner.Call(ctx, api.NewReaderKey.At(name), nil, nil); err != nil {
			return fmt.Errorf("reader %s: %w", name, err)
		}
	}
	return nil
}

// state makes the demo's statements.
func (s *Site) state(ctx context.Context) error {
	for name, body := range map[string]object{
		"electricity": {"title": "Electricity", "kind": "energy", "every": "month", "at": "07:00",
			"tell": []string{"orla"}},
		"alarms": {"title": "Alarms", "kind": "alarms", "every": "week", "at": "08:00",
			"tell": []string{"orla", "tadhg"}},
		"totals": {"title": "Totals", "kind": "totals", "every": "day", "at": "07:00", "tell": []string{}},
	} {
		if err := s.Owner.Call(ctx, api.PutStatement.At(name), body, nil); err != nil {
			return fmt.Errorf("statement %s: %w", name, err)
		}
	}
	return nil
}

func minutes(n int) measure.Duration { return measure.Duration(time.Duration(n) * time.Minute) }
