package server

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
	"jauntylark/store"
)

func (v *Server) listContacts(ctx context.Context, _ *api.None) ([]roster.Contact, error) {
	contacts, err := v.store.Contacts(ctx)
	for i := range contacts {
		contacts[i] = seenBy(ctx, contacts[i])
	}
	return contacts, err
}

// seenBy gives a contact as the person who asks may see it: what may be a secret in an address is for keepers.
func seenBy(ctx context.Context, c roster.Contact) roster.Contact {
	c = c.Public()
	if person := personOf(ctx); !person.Role.May(site.Keeper) {
		for i, a := range c.Addresses {
			c.Addresses[i] = a.Hidden()
		}
	}
	return c
}

// contact finds a contact by name; the error names the nearest one.
func (v *Server) contact(ctx context.Context, name string) (roster.Contact, error) {
	contacts, err := v.store.Contacts(ctx)
	if err != nil {
		return roster.Contact{}, err
	}
	names := make([]string, len(contacts))
	for i, c := range contacts {
		if names[i] = c.Name; c.Name == name {
			return c, nil
		}
	}
	return roster.Contact{}, missing(store.ErrNotFound, "contact", name, names)
}

func (v *Server) getContact(ctx context.Context, in *api.ContactPath) (roster.Contact, error) {
	c, err := v.contact(ctx, in.Contact)
	return seenBy(ctx, c), err
}

func (v *Server) putContact(ctx context.Context, in *api.PutContactIn) (roster.Contact, error) {
	in.Body.Name = in.Contact
	return v.saveContact(ctx, in.Body)
}

// saveContact stores a contact and tells the secrets of its new webhooks, once.
func (v *Server) saveContact(ctx context.Context, c roster.Contact) (roster.Contact, error) {
	fresh, err := respond.SaveContact(ctx, v.pipeline, &c, actor(ctx))
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

func (v *Server) removeContact(ctx context.Context, in *api.ContactPath) error {
	return respond.RemoveContact(ctx, v.pipeline, in.Contact, actor(ctx))
}

func (v *Server) testContact(ctx context.Context, in *api.TestContactIn) (api.TestSent, error) {
	var by []string
	if in.Body != nil {
		by = in.Body.By
	}
	for _, carrier := range by {
		if !slices.Contains(roster.Carriers, carrier) {
			return api.TestSent{}, wrong("by", site.Unknown("carrier", carrier, roster.Carriers)+"; carriers are "+strings.Join(roster.Carriers, ", "))
		}
	}
	ids, err := respond.TestContact(ctx, v.pipeline, in.Contact, by, actor(ctx))
	return api.TestSent{Notices: ids}, err
}

func (v *Server) listRosters(ctx context.Context, _ *api.None) ([]roster.Roster, error) {
	return v.store.Rosters(ctx)
}

// roster finds a roster by name; the error names the nearest one.
func (v *Server) roster(ctx context.Context, name string) (roster.Roster, error) {
	rosters, err := v.store.Rosters(ctx)
	if err != nil {
		return roster.Roster{}, err
	}
	names := make([]string, len(rosters))
	for i, r := range rosters {
		if names[i] = r.Name; r.Name == name {
			return r, nil
		}
	}
	return roster.Roster{}, missing(store.ErrNotFound, "roster", name, names)
}

func (v *Server) getRoster(ctx context.Context, in *api.RosterPath) (roster.Roster, error) {
	return v.roster(ctx, in.Roster)
}

func (v *Server) putRoster(ctx context.Context, in *api.PutRosterIn) (roster.Roster, error) {
	in.Body.Name = in.Roster
	err := respond.SaveRoster(ctx, v.pipeline, &in.Body, actor(ctx))
	return in.Body, err
}

func (v *Server) removeRoster(ctx context.Context, in *api.RosterPath) error {
	return respond.RemoveRoster(ctx, v.pipeline, in.Roster, actor(ctx))
}

func (v *Server) planRoster(ctx context.Context, in *api.Body[api.PlanOrder]) (api.RosterPlan, error) {
	plan := api.RosterPlan{At: v.pipeline.Now(), Severity: in.Body.Severity, Kind: in.Body.Kind}
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
	calls, err := respond.Plan(ctx, v.pipeline, &in.Body.Roster, roster.About{Severity: plan.Severity, Kind: plan.Kind}, plan.At)
	plan.Calls = append([]roster.Told{}, calls...)
	return plan, err
}

func (v *Server) showRosterAt(ctx context.Context, in *api.ShowRosterAtIn) (api.RosterPlan, error) {
	r, err := v.roster(ctx, in.Roster)
	if err != nil {
		return api.RosterPlan{}, err
	}
	order := api.PlanOrder{Roster: r, Severity: in.Severity, Kind: in.Kind}
	if !in.At.IsZero() {
		at := measure.InstantOf(in.At)
		order.At = &at
	}
	return v.planRoster(ctx, &api.Body[api.PlanOrder]{Body: order})
}

func (v *Server) getReach(ctx context.Context, _ *api.None) (api.ReachNow, error) {
	own, err := v.store.SiteReach(ctx)
	if err != nil {
		return api.ReachNow{}, err
	}
	heart, err := v.store.Heart(ctx)
	return api.ReachNow{SiteReach: own, Heart: heart}, err
}

func (v *Server) putReach(ctx context.Context, in *api.Body[roster.SiteReach]) (api.ReachNow, error) {
	if err := respond.SetReach(ctx, v.pipeline, &in.Body, actor(ctx)); err != nil {
		return api.ReachNow{}, err
	}
	return v.getReach(ctx, nil)
}

func (v *Server) handBack(ctx context.Context, in *api.AlarmPath) (alarm.Alarm, error) {
	return respond.HandBack(ctx, v.pipeline, in.ID, actor(ctx))
}

func (v *Server) startDrill(ctx context.Context, in *api.StartDrillIn) (roster.Drill, error) {
	if _, err := v.guard(ctx, in.Guard); err != nil {
		return roster.Drill{}, err
	}
	d, err := respond.StartDrill(ctx, v.pipeline, in.Guard, in.Outputs, actor(ctx))
	if err != nil {
		return roster.Drill{}, err
	}
	return v.drill(ctx, d.ID)
}

func (v *Server) listDrills(ctx context.Context, in *api.Page) ([]roster.Drill, error) {
	return v.store.Drills(ctx, in.Limit)
}

func (v *Server) getDrill(ctx context.Context, in *api.DrillPath) (roster.Drill, error) {
	return v.drill(ctx, in.ID)
}

// drill gives a drill with its steps.
func (v *Server) drill(ctx context.Context, id int64) (roster.Drill, error) {
	d, err := v.store.Drill(ctx, id)
	if err != nil {
		return roster.Drill{}, missing(err, "drill", "of this number", nil)
	}
	a, err := v.store.Alarm(ctx, d.AlarmID)
	if err != nil {
		return roster.Drill{}, err
	}
	notices, err := v.store.Notices(ctx, store.NoticeQuery{Alarm: d.AlarmID, Limit: 1000})
	if err != nil {
		return roster.Drill{}, err
	}
	slices.Reverse(notices)
	d.Tell(a, notices)
	return d, nil
}

func (v *Server) stopDrill(ctx context.Context, in *api.DrillPath) error {
	d, err := v.store.Drill(ctx, in.ID)
	if err != nil {
		return missing(err, "drill", "of this number", nil)
	}
	return respond.StopDrill(ctx, v.pipeline, d.AlarmID, actor(ctx))
}
