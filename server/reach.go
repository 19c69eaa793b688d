package server

import (
	"context"
	"slices"
	"strings"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/store"
)

// ContactPath is the place of one contact.
type ContactPath struct {
	Contact string `path:"contact"`
}

func (v *Server) listContacts(ctx context.Context, _ *none) (*body[[]roster.Contact], error) {
	contacts, err := v.store.Contacts(ctx)
	for i := range contacts {
		contacts[i] = seenBy(ctx, contacts[i])
	}
	return answer(contacts, err)
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

func (v *Server) getContact(ctx context.Context, in *ContactPath) (*body[roster.Contact], error) {
	c, err := v.contact(ctx, in.Contact)
	return answer(seenBy(ctx, c), err)
}

func (v *Server) putContact(ctx context.Context, in *struct {
	ContactPath
	Body roster.Contact
}) (*body[roster.Contact], error) {
	in.Body.Name = in.Contact
	return v.saveContact(ctx, in.Body)
}

// saveContact stores a contact and tells the secrets of its new webhooks, once.
func (v *Server) saveContact(ctx context.Context, c roster.Contact) (*body[roster.Contact], error) {
	fresh, err := v.pipeline.SaveContact(ctx, &c, actor(ctx))
	if err != nil {
		return nil, err
	}
	c = c.Public()
	for i := range c.Addresses {
		if a := &c.Addresses[i]; a.Carrier == roster.Webhook && slices.Contains(fresh, a.ID) {
			a.Secret = v.Signer.WebhookSecret(a.ID)
		}
	}
	return answer(c, nil)
}

func (v *Server) removeContact(ctx context.Context, in *ContactPath) (*none, error) {
	return nil, v.pipeline.RemoveContact(ctx, in.Contact, actor(ctx))
}

// TestOrder says by which carriers a contact is tested.
type TestOrder struct {
	By []string `json:"by,omitempty" required:"false" nullable:"false" doc:"carriers; all that the contact has when left out"`
}

// TestSent tells which notices carry a test.
type TestSent struct {
	Notices []int64 `json:"notices" nullable:"false" doc:"their numbers"`
}

func (v *Server) testContact(ctx context.Context, in *struct {
	ContactPath
	Body *TestOrder
}) (*body[TestSent], error) {
	var by []string
	if in.Body != nil {
		by = in.Body.By
	}
	for _, carrier := range by {
		if !slices.Contains(roster.Carriers, carrier) {
			return nil, wrong("by", site.Unknown("carrier", carrier, roster.Carriers)+"; carriers are "+strings.Join(roster.Carriers, ", "))
		}
	}
	ids, err := v.pipeline.TestContact(ctx, in.Contact, by, actor(ctx))
	return answer(TestSent{ids}, err)
}

// RosterPath is the place of one roster.
type RosterPath struct {
	Roster string `path:"roster"`
}

func (v *Server) listRosters(ctx context.Context, _ *none) (*body[[]roster.Roster], error) {
	return answer(v.store.Rosters(ctx))
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

func (v *Server) getRoster(ctx context.Context, in *RosterPath) (*body[roster.Roster], error) {
	return answer(v.roster(ctx, in.Roster))
}

func (v *Server) putRoster(ctx context.Context, in *struct {
	RosterPath
	Body roster.Roster
}) (*body[roster.Roster], error) {
	in.Body.Name = in.Roster
	err := v.pipeline.SaveRoster(ctx, &in.Body, actor(ctx))
	return answer(in.Body, err)
}

func (v *Server) removeRoster(ctx context.Context, in *RosterPath) (*none, error) {
	return nil, v.pipeline.RemoveRoster(ctx, in.Roster, actor(ctx))
}

// PlanOrder asks whom a roster would tell.
type PlanOrder struct {
	Roster   roster.Roster    `json:"roster" doc:"saved or not"`
	At       *measure.Instant `json:"at,omitempty" required:"false" format:"date-time" doc:"when the alarm is raised; now when left out"`
	Severity alarm.Severity   `json:"severity,omitempty" required:"false" enum:"advisory,warning,critical" doc:"critical when left out"`
	Kind     string           `json:"kind,omitempty" required:"false" enum:"limit,silence,fault,reminder" doc:"limit when left out"`
}

// RosterPlan is whom a roster would tell.
type RosterPlan struct {
	At       measure.Instant `json:"at" format:"date-time"`
	Severity alarm.Severity  `json:"severity"`
	Kind     string          `json:"kind"`
	Calls    []roster.Told   `json:"calls" nullable:"false" doc:"in order; empty: nobody is told"`
}

func (v *Server) planRoster(ctx context.Context, in *body[PlanOrder]) (*body[RosterPlan], error) {
	plan := RosterPlan{At: v.pipeline.Now(), Severity: in.Body.Severity, Kind: in.Body.Kind}
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
	calls, err := v.pipeline.Plan(ctx, &in.Body.Roster, roster.About{Severity: plan.Severity, Kind: plan.Kind}, plan.At)
	plan.Calls = append([]roster.Told{}, calls...)
	return answer(plan, err)
}

func (v *Server) showRosterAt(ctx context.Context, in *struct {
	RosterPath
	At       time.Time      `query:"at" doc:"when the alarm is raised; now when left out"`
	Severity alarm.Severity `query:"severity" enum:"advisory,warning,critical" default:"critical"`
	Kind     string         `query:"kind" enum:"limit,silence,fault,reminder" default:"limit"`
}) (*body[RosterPlan], error) {
	r, err := v.roster(ctx, in.Roster)
	if err != nil {
		return nil, err
	}
	order := PlanOrder{Roster: r, Severity: in.Severity, Kind: in.Kind}
	if !in.At.IsZero() {
		at := measure.InstantOf(in.At)
		order.At = &at
	}
	return v.planRoster(ctx, &body[PlanOrder]{order})
}

// ReachNow is what the site itself has to tell, with how its heartbeat went.
type ReachNow struct {
	roster.SiteReach
	Heart store.Heart `json:"heart" readOnly:"true"`
}

func (v *Server) getReach(ctx context.Context, _ *none) (*body[ReachNow], error) {
	own, err := v.store.SiteReach(ctx)
	if err != nil {
		return nil, err
	}
	heart, err := v.store.Heart(ctx)
	return answer(ReachNow{own, heart}, err)
}

func (v *Server) putReach(ctx context.Context, in *body[roster.SiteReach]) (*body[ReachNow], error) {
	if err := v.pipeline.SetReach(ctx, &in.Body, actor(ctx)); err != nil {
		return nil, err
	}
	return v.getReach(ctx, nil)
}

func (v *Server) handBack(ctx context.Context, in *AlarmPath) (*body[alarm.Alarm], error) {
	return answer(v.pipeline.HandBack(ctx, in.ID, actor(ctx)))
}

func (v *Server) startDrill(ctx context.Context, in *struct {
	GuardPath
	Outputs bool `query:"outputs" doc:"drive interlocks too; otherwise the drill passes outputs by"`
}) (*body[roster.Drill], error) {
	if _, err := v.guard(ctx, in.Guard); err != nil {
		return nil, err
	}
	d, err := v.pipeline.StartDrill(ctx, in.Guard, in.Outputs, actor(ctx))
	if err != nil {
		return nil, err
	}
	return v.drill(ctx, d.ID)
}

func (v *Server) listDrills(ctx context.Context, in *Page) (*body[[]roster.Drill], error) {
	return answer(v.store.Drills(ctx, in.Limit))
}

// DrillPath is the place of one drill.
type DrillPath struct {
	ID int64 `path:"id" minimum:"1"`
}

func (v *Server) getDrill(ctx context.Context, in *DrillPath) (*body[roster.Drill], error) {
	return v.drill(ctx, in.ID)
}

// drill gives a drill with its steps.
func (v *Server) drill(ctx context.Context, id int64) (*body[roster.Drill], error) {
	d, err := v.store.Drill(ctx, id)
	if err != nil {
		return nil, missing(err, "drill", "of this number", nil)
	}
	a, err := v.store.Alarm(ctx, d.AlarmID)
	if err != nil {
		return nil, err
	}
	notices, err := v.store.Notices(ctx, store.NoticeQuery{Alarm: d.AlarmID, Limit: 1000})
	if err != nil {
		return nil, err
	}
	slices.Reverse(notices)
	d.Tell(a, notices)
	return answer(d, nil)
}

func (v *Server) stopDrill(ctx context.Context, in *DrillPath) (*none, error) {
	d, err := v.store.Drill(ctx, in.ID)
	if err != nil {
		return nil, missing(err, "drill", "of this number", nil)
	}
	return nil, v.pipeline.StopDrill(ctx, d.AlarmID, actor(ctx))
}
