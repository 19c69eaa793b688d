package notice

import (
	"slices"
	"strings"

	"jauntylark/core/roster"
	"jauntylark/pipeline/commit"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// TellAnew begins to tell of an alarm all whom names name: e-mail addresses and contacts at once, rosters step by step.
// What rosters did about the alarm before is at an end.
func (t *Turn) TellAnew(s Topic, names []string) error {
	if err := events.EndEscalation(t.Ctx, t.Tx, s.ID); err != nil {
		return err
	}
	var readers []roster.Recipient
	reached := len(names) == 0
	for _, name := range names {
		switch r := t.Site.Rosters[name]; {
		case strings.Contains(name, "@"):
			readers = append(readers, roster.Recipient{Address: roster.Address{Carrier: roster.Mail, To: name}})
		case r != nil:
			calls, err := t.advance(s, events.Escalation{Alarm: s.ID, Roster: r.ID,
				Progress: roster.Progress{Since: t.Now}})
			if err != nil {
				return err
			}
			reached = reached || calls
		default:
			readers = append(readers, t.Site.World().Reach(name, nil, t.Now, s.Severity)...)
		}
	}
	if !reached && len(readers) == 0 { // nothing falls through
		own, err := t.OwnReaders()
		if err != nil {
			return err
		}
		readers = t.Readers(own)
	}
	return t.Notify(s, readers)
}

// advance makes all calls of a roster that are due by now, as one, and notes when the next one is. When nobody can be
// reached by them, the next step comes at once. It tells whether anybody is told, now or later.
func (t *Turn) advance(s Topic, e events.Escalation) (calls bool, err error) {
	r, w := t.Site.RosterByID[e.Roster], t.Site.World()
	if r == nil {
		return false, nil
	}
	var readers []roster.Recipient
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
		if !slices.ContainsFunc(readers, func(r roster.Recipient) bool { return r.Quiet == 0 }) {
			e.Progress = r.Hurry(e.Progress, s.about(), w, t.Now)
		}
	}
	if call, _, found := r.Next(e.Progress, s.about(), w); found {
		e.DueAt = &call.At
	} else {
		e.DueAt = nil
	}
	if err := events.SaveEscalation(t.Ctx, t.Tx, e); err != nil {
		return false, err
	}
	return len(readers) > 0 || e.DueAt != nil && r.Reaches(s.about(), w), t.Notify(s, readers)
}

// Escalate makes the calls of rosters that are due.
func (t *Turn) Escalate(alarms []int64) error {
	due, err := events.EscalationsDue(t.Ctx, t.Tx, t.Now, commit.AtOnce)
	if err != nil {
		return err
	}
	for _, e := range due {
		if !slices.Contains(alarms, e.Alarm) {
			continue
		}
		s, stands, err := t.TopicOf(e.Alarm)
		if err != nil {
			return err
		}
		if !stands {
			if err := events.EndEscalation(t.Ctx, t.Tx, e.Alarm); err != nil {
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

// DueEscalations gives the alarms about which a roster's next call is due.
func (t *Turn) DueEscalations() (alarms []int64, err error) {
	due, err := events.EscalationsDue(t.Ctx, t.Tx, t.Now, commit.AtOnce)
	for _, e := range due {
		if !slices.Contains(alarms, e.Alarm) {
			alarms = append(alarms, e.Alarm)
		}
	}
	return alarms, err
}

// OwnReaders is whom the service tells of itself.
func (t *Turn) OwnReaders() ([]string, error) {
	if len(t.Site.Own.Tell) > 0 {
		return t.Site.Own.Tell, nil
	}
	owners, err := config.Owners(t.Ctx, t.Tx)
	if err != nil {
		return nil, err
	}
	names := make([]string, len(owners))
	for i, address := range owners {
		if names[i] = address; t.Site.ContactAt(address) != nil {
			names[i] = t.Site.ContactAt(address).Name
		}
	}
	return names, nil
}

// Undelivered brings the next step of a roster forward when none of those whom the step of a notice called on can be
// reached.
func (t *Turn) Undelivered(n roster.Notice) error {
	s, stands, err := t.TopicOf(n.AlarmID)
	if err != nil || !stands {
		return err
	}
	reached, err := events.AnyReached(t.Ctx, t.Tx, n.AlarmID, n.Why)
	if err != nil || reached {
		return err
	}
	all, err := events.Escalations(t.Ctx, t.Tx, n.AlarmID)
	if err != nil {
		return err
	}
	for _, e := range all {
		if r := t.Site.RosterByID[e.Roster]; r != nil && strings.HasPrefix(n.Why, "roster "+r.Name+", ") {
			e.Progress = r.Hurry(e.Progress, s.about(), t.Site.World(), t.Now)
			if _, err := t.advance(s, e); err != nil {
				return err
			}
		}
	}
	return nil
}
