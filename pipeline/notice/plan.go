package notice

import (
	"slices"
	"strings"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/pipeline/event"
	"jauntylark/pipeline/memory"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// Turn is a turn in which people are told something.
type Turn struct {
	*event.Turn
	Links
	Planned bool
	outage  *events.Outage // the last one, once asked for
}

// New makes a turn of what is in memory, whose messages have addresses.
func New(m *memory.Turn, l Links) *Turn {
	return &Turn{Turn: event.New(m), Links: l}
}

// NotifyTold tells those who heard of an alarm's raise, by the same carriers. Of who takes it, the one who does need
// not hear, and nobody is called for that who can be told otherwise.
func (t *Turn) NotifyTold(s Topic, but string) error {
	told, err := events.ReadersOf(t.Ctx, t.Tx, s.ID)
	if err != nil {
		return err
	}
	if but != "" {
		emails, err := config.EmailsOf(t.Ctx, t.Tx, but)
		if err != nil {
			return err
		}
		told = slices.DeleteFunc(told, func(r roster.Recipient) bool { return t.isCalled(r, but, emails) })
	}
	if s.Tells == roster.Taken {
		all := slices.Clone(told)
		told = slices.DeleteFunc(told, func(r roster.Recipient) bool {
			return r.Carrier == roster.Voice && slices.ContainsFunc(all,
				func(o roster.Recipient) bool { return o.Contact == r.Contact && o.Carrier != roster.Voice })
		})
	}
	w := t.Site.World()
	for i := range told {
		told[i].Quiet = w.QuietUntil(told[i].Contact, t.Now, s.Severity)
	}
	if err := t.Notify(s, told); err != nil || s.Tells != roster.Return ||
		!slices.ContainsFunc(told, func(r roster.Recipient) bool { return r.Carrier == roster.Webhook }) {
		return err
	}
	return events.DropUntold(t.Ctx, t.Tx, s.ID, t.Now)
}

// isCalled tells whether a reader is who somebody is called, who signs in with one of some addresses.
func (t *Turn) isCalled(r roster.Recipient, who string, emails []string) bool {
	c := t.Site.Contacts[r.Contact]
	if c == nil {
		return strings.EqualFold(r.To, who) || slices.Contains(emails, strings.ToLower(r.To))
	}
	return c.Called() == who || slices.ContainsFunc(c.Addresses, func(a roster.Address) bool {
		return a.Carrier == roster.Mail && slices.Contains(emails, strings.ToLower(a.To))
	})
}

// Notify plans the notices of an alarm, one to each reader.
func (t *Turn) Notify(s Topic, readers []roster.Recipient) error {
	readers = otherwise(roster.Distinct(readers), s.NotBy)
	if len(readers) == 0 {
		return nil
	}
	ids, err := events.NoticeIDs(t.Ctx, t.Tx, len(readers))
	if err != nil {
		return err
	}
	notices := make([]roster.Notice, len(readers))
	for i, r := range readers {
		if notices[i], err = t.compose(ids[i], s, r); err != nil {
			return err
		}
		h, err := t.holdUntil(s, r)
		if err != nil {
			return err
		}
		if notices[i].State = roster.Waiting; h.why != "" {
			notices[i].State, notices[i].DueAt, notices[i].Held = roster.HeldBack, h.until, h.why
		} else {
			t.Planned = true
		}
	}
	return events.AddNotices(t.Ctx, t.Tx, notices)
}

// otherwise leaves out readers by a carrier, unless there are no others.
func otherwise(readers []roster.Recipient, carrier string) []roster.Recipient {
	others := slices.DeleteFunc(slices.Clone(readers), func(r roster.Recipient) bool { return r.Carrier == carrier })
	if len(others) == 0 {
		return readers
	}
	return others
}

// compose finds the words of a notice for one reader, in the form of its carrier.
func (t *Turn) compose(id int64, s Topic, r roster.Recipient) (roster.Notice, error) {
	m := t.MessageData(s)
	asks := s.Tells == roster.Raise || s.Tells == roster.Worsen || s.Tells == roster.Hand
	if asks && s.AcknowledgedAt == nil && t.TakeLink != nil {
		m.Take = t.TakeLink(id, t.Now)
	}
	var err error
	if m.Since, err = t.blindWords(r.Address); err != nil {
		return roster.Notice{}, err
	}
	lists := []alarm.Templates{}
	if c := t.Site.Contacts[r.Contact]; c != nil {
		lists = append(lists, c.Templates)
	}
	if s.Guarding != nil {
		lists = append(lists, s.Guarding.Templates)
	}
	words := roster.ComposeBy(s.Tells, m, append(lists, t.Site.Own.Templates)...)
	form := roster.FormOf(r.Carrier, words, m)
	n := t.notice(id, s.Tells, r, form)
	n.AlarmID, n.Severity, n.Route.Link, n.Route.Drill = s.ID, s.Severity, m.Take, s.Drill
	if n.Route.Link == "" {
		n.Route.Link = m.Link
	}
	return n, nil
}

// MessageData is all that the words of a topic are made of.
func (t *Turn) MessageData(s Topic) roster.MessageData {
	m := roster.MessageData{Alarm: s.Alarm, Test: s.Test, Site: t.Site.Settings, Who: s.Who}
	if t.Link != nil {
		m.Link = t.Link(s.ID)
	}
	if of := t.Site.SignalAt(s.Signal); of != nil {
		m.Thing, m.Stale, m.Watched, m.Signal = of.Thing(), of.State.SilentAt != 0, t.Site.Watched(of), &of.Signal
		if s.Test.Switched() {
			m.Ran, _ = t.RanWords(of) // what the database fails at fails the turn
		}
		if m.Watched != nil {
			m.Thing = m.Watched.Of[0].Device + " " + m.Watched.Of[0].Signal
		}
	}
	if s.Guarding != nil {
		if rung := s.Guarding.About(alarm.Transition{Side: s.Side}); rung != nil {
			m.Now = rung.When
		}
	}
	return m
}

// notice is a notice to a reader that is due now.
func (t *Turn) notice(id int64, kind string, r roster.Recipient, f roster.Form) roster.Notice {
	return roster.Notice{ID: id, Kind: kind, Contact: r.Contact, Carrier: r.Carrier, Address: r.To, Why: r.Why,
		Subject: f.Subject, Text: f.Text,
		State: roster.Waiting, CreatedAt: t.Now, DueAt: t.Now, Route: roster.Route{AddressID: r.ID, Format: r.Format,
			Keys: r.Keys, Gap: r.Gap, Step: r.Step}}
}

// Send plans a message that is about no alarm, to readers.
func (t *Turn) Send(kind string, words roster.Message, readers []roster.Recipient, adjust func(*roster.Notice)) error {
	readers = roster.Distinct(readers)
	if len(readers) == 0 {
		return nil
	}
	ids, err := events.NoticeIDs(t.Ctx, t.Tx, len(readers))
	if err != nil {
		return err
	}
	notices := make([]roster.Notice, len(readers))
	for i, r := range readers {
		m := roster.MessageData{Site: t.Site.Settings}
		if words.Asks != "" && t.TakeLink != nil {
			m.Take = t.TakeLink(ids[i], t.Now)
		}
		notices[i] = t.notice(ids[i], kind, r, roster.FormOf(r.Carrier, words, m))
		notices[i].Route.Link = m.Take
		if adjust != nil {
			adjust(&notices[i])
		}
	}
	t.Planned = true
	return events.AddNotices(t.Ctx, t.Tx, notices)
}

// Readers gives whom names name when there is no alarm: of a roster, those of its first step now.
func (t *Turn) Readers(names []string) (readers []roster.Recipient) {
	w := t.Site.World()
	for _, name := range names {
		switch r := t.Site.Rosters[name]; {
		case strings.Contains(name, "@"):
			readers = append(readers, roster.Recipient{Address: roster.Address{Carrier: roster.Mail, To: name}})
		case r != nil:
			if call, _, found := r.Next(roster.Progress{Since: t.Now}, roster.About{Severity: alarm.Critical},
				w); found {
				readers = append(readers, r.Readers(call, roster.About{Severity: alarm.Critical}, w)...)
			}
		default:
			readers = append(readers, w.Reach(name, nil, t.Now, alarm.Critical)...)
		}
	}
	return readers
}

// blindWords say how long the service was away, in the first message that an address gets after that; empty otherwise.
func (t *Turn) blindWords(a roster.Address) (string, error) {
	if t.outage == nil {
		o, err := events.LastOutage(t.Ctx, t.Tx)
		if err != nil {
			return "", err
		}
		t.outage = &o
	}
	o := t.outage
	if o.From == 0 || o.Until.Sub(o.From) < events.BlindFrom || t.Now.Sub(o.Until) > 24*time.Hour {
		return "", nil
	}
	told, err := events.ToldAfter(t.Ctx, t.Tx, a, o.Until)
	if err != nil || told {
		return "", err
	}
	return roster.BlindWords(t.Site.World(), o.From, o.Until), nil
}

// Links are the addresses in messages.
type Links struct {
	Link     func(alarm int64) string
	TakeLink func(notice int64, now measure.Instant) string
}
