package memory

import (
	"slices"
	"strings"

	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/core/statement"
	"jauntylark/store/config"
)

// Audience is who can be told, in memory.
type Audience struct {
	Contacts   map[string]*roster.Contact
	Rosters    map[string]*roster.Roster
	RosterByID map[int64]*roster.Roster
	Own        roster.SiteReach
	Statements map[string]*statement.Statement
}

// loadAudience reads who can be told, and whether everything is to be safe.
func (l *loader) loadAudience() error {
	contacts, err := config.Contacts(l.ctx, l.tx)
	if err != nil {
		return err
	}
	rosters, err := config.Rosters(l.ctx, l.tx)
	if err != nil {
		return err
	}
	l.Audience = Audience{Contacts: map[string]*roster.Contact{}, Rosters: map[string]*roster.Roster{},
		RosterByID: map[int64]*roster.Roster{}}
	for i := range contacts {
		l.Contacts[contacts[i].Name] = &contacts[i]
	}
	for i := range rosters {
		l.Rosters[rosters[i].Name], l.RosterByID[rosters[i].ID] = &rosters[i], &rosters[i]
	}
	if l.Emergency, err = config.Emergency(l.ctx, l.tx); err != nil {
		return err
	}
	if l.Own, err = config.SiteReach(l.ctx, l.tx); err != nil {
		return err
	}
	statements, err := config.Statements(l.ctx, l.tx)
	l.Statements = map[string]*statement.Statement{}
	for i := range statements {
		l.Statements[statements[i].Name] = &statements[i]
	}
	return err
}

// World is what plans depend on.
func (l *Site) World() roster.World {
	return roster.World{Site: l.Settings, Contacts: l.Contacts}
}

// ContactAt finds the contact that has an e-mail address.
func (l *Site) ContactAt(address string) *roster.Contact {
	var names []string
	for name := range l.Contacts {
		names = append(names, name)
	}
	slices.Sort(names)
	for _, name := range names {
		c := l.Contacts[name]
		if slices.ContainsFunc(c.Addresses, func(a roster.Address) bool {
			return a.Carrier == roster.Mail && strings.EqualFold(a.To, address)
		}) {
			return c
		}
	}
	return nil
}

// CheckTell sees that all are known whom names name.
func (l *Site) CheckTell(field string, names []string) error {
	for i, name := range names {
		if strings.Contains(name, "@") {
			address, err := site.CheckEmail(name)
			if err != nil {
				return &measure.Fault{Field: field, Reason: err.Error()}
			}
			names[i] = address
			continue
		}
		if l.Contacts[name] == nil && l.Rosters[name] == nil {
			return &measure.Fault{Field: field, Reason: site.Unknown("roster or contact", name, l.reachNames()) +
				"; an e-mail address will do too"}
		}
	}
	return nil
}

func (l *Site) reachNames() (names []string) {
	for name := range l.Contacts {
		names = append(names, name)
	}
	for name := range l.Rosters {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}
