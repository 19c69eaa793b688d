package respond

import (
	"context"
	"crypto/rand"
	"fmt"
	"slices"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/reading"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/events"
	"jauntylark/store/timeseries"
)

// keepKeys gives addresses that stay their keys, which nobody is shown.
func keepKeys(t *reading.Turn, c *roster.Contact) {
	old := t.Site.Contacts[c.Name]
	if old == nil {
		return
	}
	for i := range c.Addresses {
		a := &c.Addresses[i]
		if at := slices.IndexFunc(old.Addresses, a.Same); at >= 0 && a.Keys == nil {
			a.Keys = old.Addresses[at].Keys
		}
	}
}

// SaveContact stores a contact, or changes the one of that name. Addresses that stay keep their IDs; those that are new
// get one. It tells which IDs are new.
func SaveContact(ctx context.Context, p *pipeline.Pipeline, c *roster.Contact, who string) (fresh []string, err error) {
	err = p.Do(ctx, func(t *reading.Turn) error {
		fresh = nil
		keepKeys(t, c)
		if err := c.Check(); err != nil {
			return err
		}
		if t.Site.Rosters[c.Name] != nil {
			return &measure.Fault{Field: "name",
				Reason: fmt.Sprintf("a roster is called %s; rosters and contacts have names of their own each", c.Name)}
		}
		if a := c.Away; a != nil && t.Site.Contacts[a.Instead] == nil {
			return &measure.Fault{Field: "away.instead", Reason: site.Unknown("contact", a.Instead, contactNames(t))}
		}
		kind, old := "contact added", t.Site.Contacts[c.Name]
		if c.ID = 0; old != nil {
			kind, c.ID = "contact changed", old.ID
		}
		for i := range c.Addresses {
			a := &c.Addresses[i]
			if a.ID, a.Secret = "", ""; old != nil {
				if at := slices.IndexFunc(old.Addresses, a.Same); at >= 0 {
					a.ID = old.Addresses[at].ID
				}
			}
			if a.ID == "" {
				a.ID = strings.ToLower(rand.Text()[:10])
				fresh = append(fresh, a.ID)
			}
		}
		if err := config.SaveContact(t.Ctx, t.Tx, c); err != nil {
			return err
		}
		if err := t.Enter(kind, c.Name, who, fmt.Sprintf("Contact %s: %s", c.Called(), addressesSay(c))); err != nil {
			return err
		}
		return replan(t)
	})
	return fresh, err
}

// addressesSay lists by which carriers a contact is reached; the journal does not show the addresses.
func addressesSay(c *roster.Contact) string {
	if len(c.Addresses) == 0 {
		return "no address"
	}
	var by []string
	for _, a := range c.Addresses {
		by = append(by, a.Carrier)
	}
	return strings.Join(by, ", ")
}

// replan lets rosters look again at when their next calls are, since what they depend on has changed.
func replan(t *reading.Turn) error {
	if err := events.ReplanEscalations(t.Ctx, t.Tx, t.Now); err != nil {
		return err
	}
	t.ConfigChanged(store.Change{Scope: store.OfPeople})
	return nil
}

func contactNames(t *reading.Turn) (names []string) {
	for name := range t.Site.Contacts {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}

// RemoveContact removes a contact that nothing names.
func RemoveContact(ctx context.Context, p *pipeline.Pipeline, name, who string) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		c := t.Site.Contacts[name]
		if c == nil {
			return fmt.Errorf("%s: %w", site.Unknown("contact", name, contactNames(t)), store.ErrNotFound)
		}
		if by := whoNames(t, name); by != "" {
			return fmt.Errorf("contact %s is named by %s: %w", name, by, timeseries.ErrInUse)
		}
		if err := configure.KeepRemoved(t, "contact", name, c.Title, who, "contact", "id", c.ID); err != nil {
			return err
		}
		if err := config.RemoveContact(t.Ctx, t.Tx, c.ID); err != nil {
			return err
		}
		if err := t.Enter("contact removed", name, who, "Contact "+c.Called()+" was removed"); err != nil {
			return err
		}
		return replan(t)
	})
}

// whoNames says what tells somebody: empty when nothing does.
func whoNames(t *reading.Turn, name string) string {
	for _, r := range t.Site.Rosters {
		if slices.Contains(r.Names(), name) {
			return "roster " + r.Name
		}
	}
	for _, c := range t.Site.Contacts {
		if c.Away != nil && c.Away.Instead == name {
			return "contact " + c.Name
		}
	}
	for _, g := range t.Site.Guards {
		if slices.Contains(g.Tell, name) {
			return "guard " + g.Name
		}
	}
	for _, s := range t.Site.Statements {
		if slices.Contains(s.Tell, name) {
			return "statement " + s.Name
		}
	}
	if slices.Contains(t.Site.Own.Tell, name) || t.Site.Own.QuietWord != nil && t.Site.Own.QuietWord.To == name {
		return "the site"
	}
	return ""
}

// SaveRoster stores a roster, or changes the one of that name.
func SaveRoster(ctx context.Context, p *pipeline.Pipeline, r *roster.Roster, who string) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		if err := r.Check(contactNames(t)); err != nil {
			return err
		}
		if t.Site.Contacts[r.Name] != nil {
			return &measure.Fault{Field: "name",
				Reason: fmt.Sprintf("a contact is called %s; rosters and contacts have names of their own each",
					r.Name)}
		}
		kind, old := "roster added", t.Site.Rosters[r.Name]
		if r.ID, r.MadeAt, r.DrilledAt = 0, t.Now, nil; old != nil {
			kind, r.ID, r.MadeAt, r.DrilledAt = "roster changed", old.ID, old.MadeAt, old.DrilledAt
		}
		if err := config.SaveRoster(t.Ctx, t.Tx, r); err != nil {
			return err
		}
		if err := t.Enter(kind, r.Name, who, fmt.Sprintf("Roster %s: %s, calls on %s", r.Called(),
			prose.Count(len(r.Steps), "step", "steps"), strings.Join(r.Names(), ", "))); err != nil {
			return err
		}
		return replan(t)
	})
}

// RemoveRoster removes a roster that nothing names.
func RemoveRoster(ctx context.Context, p *pipeline.Pipeline, name, who string) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		r := t.Site.Rosters[name]
		if r == nil {
			var names []string
			for other := range t.Site.Rosters {
				names = append(names, other)
			}
			slices.Sort(names)
			return fmt.Errorf("%s: %w", site.Unknown("roster", name, names), store.ErrNotFound)
		}
		if by := whoNames(t, name); by != "" {
			return fmt.Errorf("roster %s is named by %s: %w", name, by, timeseries.ErrInUse)
		}
		if err := t.EndRosterAlarm(r, alarm.EndUnwatched, "the roster was removed"); err != nil {
			return err
		}
		if err := configure.KeepRemoved(t, "roster", name, r.Title, who, "roster", "id", r.ID); err != nil {
			return err
		}
		if err := config.RemoveRoster(t.Ctx, t.Tx, r.ID); err != nil {
			return err
		}
		if err := t.Enter("roster removed", name, who, "Roster "+r.Called()+" was removed"); err != nil {
			return err
		}
		return replan(t)
	})
}

// SetReach changes what the site itself has to tell, and to whom.
func SetReach(ctx context.Context, p *pipeline.Pipeline, r *roster.SiteReach, who string) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		if err := r.Check(); err != nil {
			return err
		}
		if r.Tell == nil {
			r.Tell = []string{}
		}
		if err := t.Site.CheckTell("tell", r.Tell); err != nil {
			return err
		}
		if q := r.QuietWord; q != nil {
			names := []string{q.To}
			if err := t.Site.CheckTell("quiet_word.to", names); err != nil {
				return err
			}
			q.To = names[0]
		}
		if err := config.SetSiteReach(t.Ctx, t.Tx, r); err != nil {
			return err
		}
		if err := t.Enter("reach set", t.Site.Settings.Name, who,
			"What the site itself tells was changed"); err != nil {
			return err
		}
		t.ConfigChanged(store.Change{Scope: store.OfPeople})
		return nil
	})
}

// TestContact sends a test message to a contact by some carriers, or all. It gives the numbers of the notices.
func TestContact(ctx context.Context, p *pipeline.Pipeline, name string, by []string,
	who string) (ids []int64, err error) {
	err = p.Do(ctx, func(t *reading.Turn) error {
		ids = nil
		c := t.Site.Contacts[name]
		if c == nil {
			return fmt.Errorf("%s: %w", site.Unknown("contact", name, contactNames(t)), store.ErrNotFound)
		}
		var readers []roster.Recipient
		for _, a := range c.Addresses {
			if len(by) == 0 || slices.Contains(by, a.Carrier) {
				readers = append(readers, roster.Recipient{Contact: c.Name, Address: a})
			}
		}
		if len(readers) == 0 {
			return &measure.Fault{Field: "by", Reason: fmt.Sprintf("%s has no such address; %s", c.Called(),
				addressesSay(c))}
		}
		if err := t.Send(roster.Test, roster.TestMessage(t.Site.World(), c.Called(), who), readers,
			func(n *roster.Notice) { ids = append(ids, n.ID) }); err != nil {
			return err
		}
		return t.Enter("contact tested", c.Name, who, fmt.Sprintf("%s sent a test to %s", who, c.Called()))
	})
	return ids, err
}

// Plan tells in words whom a roster, saved or not, would tell of an alarm of a severity and a kind that is raised at an
// instant and that nobody takes.
func Plan(ctx context.Context, p *pipeline.Pipeline, r *roster.Roster, a roster.About,
	at measure.Instant) (lines []roster.Told, err error) {
	err = p.Do(ctx, func(t *reading.Turn) error {
		if err := r.Check(contactNames(t)); err != nil {
			return err
		}
		lines = r.Say(a, at, t.Site.World())
		return nil
	})
	return lines, err
}
