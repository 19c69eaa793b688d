package people

import (
	"context"
	"slices"
	"strings"

	"jauntylark/api"
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/pipeline/respond"
	"jauntylark/server/place"
	"jauntylark/server/web"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// reachOperations has the operations of this file answered.
func reachOperations(v *web.Server) {
	web.Answer(v, api.HandBackAlarm, handBack)
	web.Answer(v, api.ListContacts, listContacts)
	web.Keep(v, api.GetContact, getContact, api.PutContact, putContact, api.PatchContact)
	web.Carry(v, api.RemoveContact, removeContact)
	web.Answer(v, api.TestContact, testContact)
	web.Answer(v, api.ListRosters, listRosters)
	web.Keep(v, api.GetRoster, getRoster, api.PutRoster, putRoster, api.PatchRoster)
	web.Carry(v, api.RemoveRoster, removeRoster)
	web.Answer(v, api.ShowRosterAt, showRosterAt)
	web.Answer(v, api.PlanRoster, planRoster)
	web.Keep(v, api.GetReach, getReach, api.PutReach, putReach, api.PatchReach)
	web.Answer(v, api.StartDrill, startDrill)
	web.Answer(v, api.ListDrills, listDrills)
	web.Answer(v, api.GetDrill, getDrill)
	web.Carry(v, api.StopDrill, stopDrill)
}

func listContacts(ctx context.Context, v *web.Server, _ *api.None) ([]roster.Contact, error) {
	contacts, err := config.Contacts(ctx, v.Store)
	for i := range contacts {
		contacts[i] = seenBy(ctx, contacts[i])
	}
	return contacts, err
}

// seenBy gives a contact as the person who asks may see it: what may be a secret in an address is for keepers.
func seenBy(ctx context.Context, c roster.Contact) roster.Contact {
	c = c.Public()
	if person := web.PersonOf(ctx); !person.Role.May(site.Keeper) {
		for i, a := range c.Addresses {
			c.Addresses[i] = a.Hidden()
		}
	}
	return c
}

// findContact finds a contact by name; the error names the nearest one.
func findContact(ctx context.Context, v *web.Server, name string) (roster.Contact, error) {
	contacts, err := config.Contacts(ctx, v.Store)
	return web.Named(contacts, err, "contact", name, func(c roster.Contact) string { return c.Name })
}

func getContact(ctx context.Context, v *web.Server, in *api.ContactPath) (roster.Contact, error) {
	c, err := findContact(ctx, v, in.Contact)
	return seenBy(ctx, c), err
}

func putContact(ctx context.Context, v *web.Server, in *api.PutContactIn) (roster.Contact, error) {
	in.Body.Name = in.Contact
	return saveContact(ctx, v, in.Body)
}

// saveContact stores a contact and tells the secrets of its new webhooks, once.
func saveContact(ctx context.Context, v *web.Server, c roster.Contact) (roster.Contact, error) {
	fresh, err := respond.SaveContact(ctx, v.Pipeline, &c, web.Actor(ctx))
	if err != nil {
		return roster.Contact{}, err
	}
	c = c.Public()
	for i := range c.Addresses {
		if a := &c.Addresses[i]; a.Carrier == roster.Webhook && slices.Contains(fresh, a.ID) {
			a.Secret = v.Signer.WebhookSecret(a.ID)
		}
	}
	return c, nil
}

func removeContact(ctx context.Context, v *web.Server, in *api.ContactPath) error {
	return respond.RemoveContact(ctx, v.Pipeline, in.Contact, web.Actor(ctx))
}

func testContact(ctx context.Context, v *web.Server, in *api.TestContactIn) (api.TestSent, error) {
	var by []string
	if in.Body != nil {
		by = in.Body.By
	}
	for _, carrier := range by {
		if !slices.Contains(roster.Carriers, carrier) {
			return api.TestSent{}, web.Wrong("by", site.Unknown("carrier", carrier, roster.Carriers)+"; carriers are "+
				strings.Join(roster.Carriers, ", "))
		}
	}
	ids, err := respond.TestContact(ctx, v.Pipeline, in.Contact, by, web.Actor(ctx))
	return api.TestSent{Notices: ids}, err
}

func listRosters(ctx context.Context, v *web.Server, _ *api.None) ([]roster.Roster, error) {
	return config.Rosters(ctx, v.Store)
}

// findRoster finds a roster by name; the error names the nearest one.
func findRoster(ctx context.Context, v *web.Server, name string) (roster.Roster, error) {
	rosters, err := config.Rosters(ctx, v.Store)
	return web.Named(rosters, err, "roster", name, func(r roster.Roster) string { return r.Name })
}

func getRoster(ctx context.Context, v *web.Server, in *api.RosterPath) (roster.Roster, error) {
	return findRoster(ctx, v, in.Roster)
}

func putRoster(ctx context.Context, v *web.Server, in *api.PutRosterIn) (roster.Roster, error) {
	in.Body.Name = in.Roster
	err := respond.SaveRoster(ctx, v.Pipeline, &in.Body, web.Actor(ctx))
	return in.Body, err
}

func removeRoster(ctx context.Context, v *web.Server, in *api.RosterPath) error {
	return respond.RemoveRoster(ctx, v.Pipeline, in.Roster, web.Actor(ctx))
}

func planRoster(ctx context.Context, v *web.Server, in *api.Body[api.PlanOrder]) (api.RosterPlan, error) {
	plan := api.RosterPlan{At: v.Pipeline.Now(), Severity: in.Body.Severity, Kind: in.Body.Kind}
	if in.Body.At != nil {
		plan.At = *in.Body.At
	}
	if plan.Severity == "" {
		plan.Severity = alarm.Critical
	}
	if plan.Kind == "" {
		plan.Kind = roster.OfLimit
	}
	if in.Body.Roster.Name == "" {
		in.Body.Roster.Name = "new"
	}
	calls, err := respond.Plan(ctx, v.Pipeline, &in.Body.Roster, roster.About{Severity: plan.Severity, Kind: plan.Kind},
		plan.At)
	plan.Calls = append([]roster.Told{}, calls...)
	return plan, err
}

func showRosterAt(ctx context.Context, v *web.Server, in *api.ShowRosterAtIn) (api.RosterPlan, error) {
	r, err := findRoster(ctx, v, in.Roster)
	if err != nil {
		return api.RosterPlan{}, err
	}
	order := api.PlanOrder{Roster: r, Severity: in.Severity, Kind: in.Kind}
	if !in.At.IsZero() {
		at := measure.InstantOf(in.At)
		order.At = &at
	}
	return planRoster(ctx, v, &api.Body[api.PlanOrder]{Body: order})
}

func getReach(ctx context.Context, v *web.Server, _ *api.None) (api.ReachNow, error) {
	own, err := config.SiteReach(ctx, v.Store)
	if err != nil {
		return api.ReachNow{}, err
	}
	heart, err := events.Heart(ctx, v.Store)
	return api.ReachNow{SiteReach: own, Heart: heart}, err
}

func putReach(ctx context.Context, v *web.Server, in *api.Body[roster.SiteReach]) (api.ReachNow, error) {
	if err := respond.SetReach(ctx, v.Pipeline, &in.Body, web.Actor(ctx)); err != nil {
		return api.ReachNow{}, err
	}
	return getReach(ctx, v, nil)
}

func handBack(ctx context.Context, v *web.Server, in *api.AlarmPath) (alarm.Alarm, error) {
	return respond.HandBack(ctx, v.Pipeline, in.ID, web.Actor(ctx))
}

func startDrill(ctx context.Context, v *web.Server, in *api.StartDrillIn) (roster.Drill, error) {
	if _, err := place.FindGuard(ctx, v, in.Guard); err != nil {
		return roster.Drill{}, err
	}
	d, err := respond.StartDrill(ctx, v.Pipeline, in.Guard, in.Outputs, web.Actor(ctx))
	if err != nil {
		return roster.Drill{}, err
	}
	return drillWithSteps(ctx, v, d.ID)
}

func listDrills(ctx context.Context, v *web.Server, in *api.Page) ([]roster.Drill, error) {
	before, err := in.Before()
	if err != nil {
		return nil, err
	}
	return events.Drills(ctx, v.Store, before, in.More())
}

func getDrill(ctx context.Context, v *web.Server, in *api.DrillPath) (roster.Drill, error) {
	return drillWithSteps(ctx, v, in.ID)
}

// drillWithSteps gives a drill with its steps.
func drillWithSteps(ctx context.Context, v *web.Server, id int64) (roster.Drill, error) {
	d, err := events.Drill(ctx, v.Store, id)
	if err != nil {
		return roster.Drill{}, web.Missing(err, "drill", "of this number", nil)
	}
	a, err := events.Alarm(ctx, v.Store, d.AlarmID)
	if err != nil {
		return roster.Drill{}, err
	}
	notices, err := events.Notices(ctx, v.Store, events.NoticeQuery{Alarm: d.AlarmID, Limit: 1000})
	if err != nil {
		return roster.Drill{}, err
	}
	slices.Reverse(notices)
	d.Tell(a, notices)
	return d, nil
}

func stopDrill(ctx context.Context, v *web.Server, in *api.DrillPath) error {
	d, err := events.Drill(ctx, v.Store, in.ID)
	if err != nil {
		return web.Missing(err, "drill", "of this number", nil)
	}
	return respond.StopDrill(ctx, v.Pipeline, d.AlarmID, web.Actor(ctx))
}
