package pipeline

import (
	"context"
	"slices"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/core/statement"
	"jauntylark/store"
)

// audience is who can be told, in memory.
type audience struct {
	contacts   map[string]*roster.Contact
	rosters    map[string]*roster.Roster
	byID       map[int64]*roster.Roster
	own        roster.SiteReach
	statements map[string]*statement.Statement
}

func (l *live) loadAudience(ctx context.Context, tx *store.Tx) error {
	contacts, err := tx.Contacts(ctx)
	if err != nil {
		return err
	}
	rosters, err := tx.Rosters(ctx)
	if err != nil {
		return err
	}
	l.audience = audience{contacts: map[string]*roster.Contact{}, rosters: map[string]*roster.Roster{}, byID: map[int64]*roster.Roster{}}
	for i := range contacts {
		l.contacts[contacts[i].Name] = &contacts[i]
	}
	for i := range rosters {
		l.rosters[rosters[i].Name], l.byID[rosters[i].ID] = &rosters[i], &rosters[i]
	}
	if l.own, err = tx.SiteReach(ctx); err != nil {
		return err
	}
	statements, err := tx.Statements(ctx)
	l.statements = map[string]*statement.Statement{}
	for i := range statements {
		l.statements[statements[i].Name] = &statements[i]
	}
	return err
}

// world is what plans depend on.
func (t *Turn) world() roster.World {
	return roster.World{Site: t.live.site, Contacts: t.live.contacts}
}

// story is an alarm that people are told about: with its test, and with the device that it is about, if there is one.
type story struct {
	alarm.Alarm
	test   alarm.Test
	device *deviceLive
	guard  *guardLive
	kind   string // of the notice
	who    string // who has it
	notBy  string // carrier that it is not told by, where there is another
}

// about is what rosters are called for.
func (s *story) about() roster.About { return roster.AboutOf(s.Alarm, s.test) }

// tellAnew begins to tell of an alarm all whom names name: e-mail addresses and contacts at once, rosters step by step. What
// rosters did about the alarm before is at an end.
func (t *Turn) tellAnew(s story, names []string) error {
	if err := t.Tx.EndEscalation(t.ctx, s.ID); err != nil {
		return err
	}
	var readers []roster.Reader
	reached := len(names) == 0
	for _, name := range names {
		switch r := t.live.rosters[name]; {
		case strings.Contains(name, "@"):
			readers = append(readers, roster.Reader{Address: roster.Address{Carrier: roster.Mail, To: name}})
		case r != nil:
			calls, err := t.advance(s, store.Escalation{Alarm: s.ID, Roster: r.ID, Progress: roster.Progress{Since: t.Now}})
			if err != nil {
				return err
			}
			reached = reached || calls
		default:
			readers = append(readers, t.world().Reach(name, nil, t.Now, s.Severity)...)
		}
	}
	if !reached && len(readers) == 0 { // nothing falls through
		own, err := t.ownTell()
		if err != nil {
			return err
		}
		readers = t.plainReaders(own)
	}
	return t.notify(s, readers)
}

// advance makes all calls of a roster that are due by now, as one, and notes when the next one is. When nobody can be
// reached by them, the next step comes at once. It tells whether anybody is told, now or later.
func (t *Turn) advance(s story, e store.Escalation) (calls bool, err error) {
	r, w := t.live.byID[e.Roster], t.world()
	if r == nil {
		return false, nil
	}
	var readers []roster.Reader
	for range 2*len(r.Steps) + 1 {
		call, next, found := r.Next(e.Progress, s.about(), w)
		if !found || call.At > t.Now {
			break
		}
		if e.Progress = next; call.Again { // what was missed meanwhile is not made up for
			e.Progress = r.CaughtUp(e.Progress, s.about(), w, t.Now)
		}
		call.At = t.Now
		readers = append(readers, r.Readers(call, s.about(), w)...)
		if !slices.ContainsFunc(readers, func(r roster.Reader) bool { return r.Quiet == 0 }) {
			e.Progress = r.Hurry(e.Progress, s.about(), w, t.Now)
		}
	}
	if call, _, found := r.Next(e.Progress, s.about(), w); found {
		e.DueAt = &call.At
	} else {
		e.DueAt = nil
	}
	if err := t.Tx.SaveEscalation(t.ctx, e); err != nil {
		return false, err
	}
	return len(readers) > 0 || e.DueAt != nil && r.Reaches(s.about(), w), t.notify(s, readers)
}

// escalate makes the calls of rosters that are due.
func (t *Turn) escalate(alarms []int64) error {
	due, err := t.Tx.EscalationsDue(t.ctx, t.Now, sweepAtOnce)
	if err != nil {
		return err
	}
	for _, e := range due {
		if !slices.Contains(alarms, e.Alarm) {
			continue
		}
		s, stands, err := t.storyOf(e.Alarm)
		if err != nil {
			return err
		}
		if !stands {
			if err := t.Tx.EndEscalation(t.ctx, e.Alarm); err != nil {
				return err
			}
			continue
		}
		if _, err := t.advance(s, e); err != nil {
			return err
		}
	}
	return nil
}

// dueEscalations gives the alarms about which a roster's next call is due.
func (t *Turn) dueEscalations() (alarms []int64, err error) {
	due, err := t.Tx.EscalationsDue(t.ctx, t.Now, sweepAtOnce)
	for _, e := range due {
		if !slices.Contains(alarms, e.Alarm) {
			alarms = append(alarms, e.Alarm)
		}
	}
	return alarms, err
}

// storyOf gives what there is to tell of an alarm, and whether it stands and nobody has it.
func (t *Turn) storyOf(id int64) (s story, stands bool, err error) {
	a, err := t.Tx.Alarm(t.ctx, id)
	if err != nil {
		return s, false, err
	}
	return t.storyNow(a), a.State == alarm.StateRaised && a.AcknowledgedAt == nil && !a.Shelved && a.ToldWith == nil, nil
}

// storyNow gives what there is to tell of an alarm as it is now: what it reads, for how long nothing has come.
func (t *Turn) storyNow(a alarm.Alarm) story {
	s := story{Alarm: a, kind: roster.Raise}
	if test, err := alarm.ParseTest(a.When); err == nil { // of an alarm that no guard stands behind, there is none
		s.test = test
	}
	if a.ClearedAt != nil {
		return s
	}
	if g, _ := t.standing(a.ID); g != nil {
		s.Value, s.guard = g.state.Held, g
		if rung := g.About(alarm.Transition{Side: a.Side, Level: g.state.Sides[a.Side].Level}); g.signal.Helper && rung != nil && rung.When.Met(s.Value) {
			s.Sentence = t.sentence(g, rung, s.Value)
		}
	}
	if stands := t.Now.Sub(a.RaisedAt); stands > 0 && (a.Kind == alarm.BySilence || a.Kind == alarm.ByClock) {
		s.Value += stands.Seconds()
	}
	return s
}

// ownTell is whom the service tells of itself.
func (t *Turn) ownTell() ([]string, error) {
	if len(t.live.own.Tell) > 0 {
		return t.live.own.Tell, nil
	}
	owners, err := t.Tx.Owners(t.ctx)
	if err != nil {
		return nil, err
	}
	names := make([]string, len(owners))
	for i, address := range owners {
		if names[i] = address; t.contactAt(address) != nil {
			names[i] = t.contactAt(address).Name
		}
	}
	return names, nil
}

// contactAt finds the contact that has an e-mail address.
func (t *Turn) contactAt(address string) *roster.Contact {
	var names []string
	for name := range t.live.contacts {
		names = append(names, name)
	}
	slices.Sort(names)
	for _, name := range names {
		c := t.live.contacts[name]
		if slices.ContainsFunc(c.Addresses, func(a roster.Address) bool { return a.Carrier == roster.Mail && strings.EqualFold(a.To, address) }) {
			return c
		}
	}
	return nil
}

// checkTell sees that all are known whom names name.
func (t *Turn) checkTell(field string, names []string) error {
	for i, name := range names {
		if strings.Contains(name, "@") {
			address, err := site.CheckEmail(name)
			if err != nil {
				return &measure.Fault{Field: field, Reason: err.Error()}
			}
			names[i] = address
			continue
		}
		if t.live.contacts[name] == nil && t.live.rosters[name] == nil {
			return &measure.Fault{Field: field, Reason: site.Unknown("roster or contact", name, t.reachNames()) + "; an e-mail address will do too"}
		}
	}
	return nil
}

func (t *Turn) reachNames() (names []string) {
	for name := range t.live.contacts {
		names = append(names, name)
	}
	for name := range t.live.rosters {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}

// undelivered brings the next step of a roster forward when none of those whom the step of a notice called on can be reached.
func (t *Turn) undelivered(n roster.Notice) error {
	s, stands, err := t.storyOf(n.AlarmID)
	if err != nil || !stands {
		return err
	}
	reached, err := t.Tx.AnyReached(t.ctx, n.AlarmID, n.Why)
	if err != nil || reached {
		return err
	}
	all, err := t.Tx.Escalations(t.ctx, n.AlarmID)
	if err != nil {
		return err
	}
	for _, e := range all {
		if r := t.live.byID[e.Roster]; r != nil && strings.HasPrefix(n.Why, "roster "+r.Name+", ") {
			e.Progress = r.Hurry(e.Progress, s.about(), t.world(), t.Now)
			if _, err := t.advance(s, e); err != nil {
				return err
			}
		}
	}
	return nil
}
