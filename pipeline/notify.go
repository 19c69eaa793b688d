package pipeline

import (
	"slices"
	"strings"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/store"
)

// notifyTold tells those who heard of an alarm's raise, by the same carriers. Of who takes it, the one who does need not hear,
// and nobody is called for that who can be told otherwise.
func (t *Turn) notifyTold(s story, but string) error {
	told, err := t.Tx.Told(t.ctx, s.ID)
	if err != nil {
		return err
	}
	if but != "" {
		emails, err := t.Tx.EmailsOf(t.ctx, but)
		if err != nil {
			return err
		}
		told = slices.DeleteFunc(told, func(r roster.Reader) bool { return t.isCalled(r, but, emails) })
	}
	if s.kind == roster.Taken {
		all := slices.Clone(told)
		told = slices.DeleteFunc(told, func(r roster.Reader) bool {
			return r.Carrier == roster.Voice && slices.ContainsFunc(all, func(o roster.Reader) bool { return o.Contact == r.Contact && o.Carrier != roster.Voice })
		})
	}
	w := t.world()
	for i := range told {
		told[i].Quiet = w.QuietUntil(told[i].Contact, t.Now, s.Severity)
	}
	return t.notify(s, told)
}

// isCalled tells whether a reader is who somebody is called, who signs in with one of some addresses.
func (t *Turn) isCalled(r roster.Reader, who string, emails []string) bool {
	c := t.live.contacts[r.Contact]
	if c == nil {
		return strings.EqualFold(r.To, who) || slices.Contains(emails, strings.ToLower(r.To))
	}
	return c.Called() == who || slices.ContainsFunc(c.Addresses, func(a roster.Address) bool {
		return a.Carrier == roster.Mail && slices.Contains(emails, strings.ToLower(a.To))
	})
}

// notify plans the notices of an alarm, one to each reader.
func (t *Turn) notify(s story, readers []roster.Reader) error {
	readers = otherwise(roster.Distinct(readers), s.notBy)
	if len(readers) == 0 {
		return nil
	}
	ids, err := t.Tx.NoticeIDs(t.ctx, len(readers))
	if err != nil {
		return err
	}
	notices := make([]roster.Notice, len(readers))
	for i, r := range readers {
		if notices[i], err = t.compose(ids[i], s, r); err != nil {
			return err
		}
		if notices[i].DueAt, notices[i].Held, err = t.holdUntil(s, r); err != nil {
			return err
		}
		if notices[i].State = roster.Waiting; notices[i].Held != "" {
			notices[i].State = roster.HeldBack
		} else {
			t.noticed = true
		}
	}
	return t.Tx.AddNotices(t.ctx, notices)
}

// otherwise leaves out readers by a carrier, unless there are no others.
func otherwise(readers []roster.Reader, carrier string) []roster.Reader {
	others := slices.DeleteFunc(slices.Clone(readers), func(r roster.Reader) bool { return r.Carrier == carrier })
	if len(others) == 0 {
		return readers
	}
	return others
}

// compose finds the words of a notice for one reader, in the form of its carrier.
func (t *Turn) compose(id int64, s story, r roster.Reader) (roster.Notice, error) {
	m := roster.Matter{Alarm: s.Alarm, Test: s.test, Site: t.live.site, Who: s.who}
	if t.p.Link != nil {
		m.Link = t.p.Link(s.ID)
	}
	asks := s.kind == roster.Raise || s.kind == roster.Worsen || s.kind == roster.Hand
	if asks && s.AcknowledgedAt == nil && t.p.TakeLink != nil {
		m.Take = t.p.TakeLink(id, t.Now)
	}
	var err error
	if m.Since, err = t.blindWords(r.Address); err != nil {
		return roster.Notice{}, err
	}
	lists := []alarm.Templates{}
	if c := t.live.contacts[r.Contact]; c != nil {
		lists = append(lists, c.Templates)
	}
	if s.guard != nil {
		lists = append(lists, s.guard.Templates)
	}
	words := roster.ComposeBy(s.kind, m, append(lists, t.live.own.Templates)...)
	form := roster.FormOf(r.Carrier, s.kind, words, m)
	n := t.notice(id, s.kind, r, form)
	n.AlarmID, n.Severity, n.Route.Link, n.Route.Drill = s.ID, s.Severity, m.Take, s.Drill
	if n.Route.Link == "" {
		n.Route.Link = m.Link
	}
	return n, nil
}

// notice is a notice to a reader that is due now.
func (t *Turn) notice(id int64, kind string, r roster.Reader, f roster.Form) roster.Notice {
	return roster.Notice{ID: id, Kind: kind, Contact: r.Contact, Carrier: r.Carrier, Address: r.To, Why: r.Why, Subject: f.Subject, Text: f.Text,
		State: roster.Waiting, CreatedAt: t.Now, DueAt: t.Now, Route: roster.Route{AddressID: r.ID, Format: r.Format, Keys: r.Keys}}
}

// send plans a message that is about no alarm, to readers.
func (t *Turn) send(kind string, words roster.Message, readers []roster.Reader, adjust func(*roster.Notice)) error {
	readers = roster.Distinct(readers)
	if len(readers) == 0 {
		return nil
	}
	ids, err := t.Tx.NoticeIDs(t.ctx, len(readers))
	if err != nil {
		return err
	}
	notices := make([]roster.Notice, len(readers))
	for i, r := range readers {
		m := roster.Matter{Site: t.live.site}
		notices[i] = t.notice(ids[i], kind, r, roster.FormOf(r.Carrier, kind, words, m))
		if adjust != nil {
			adjust(&notices[i])
		}
	}
	t.noticed = true
	return t.Tx.AddNotices(t.ctx, notices)
}

// plainReaders gives whom names name when there is no alarm: of a roster, those of its first step now.
func (t *Turn) plainReaders(names []string) (readers []roster.Reader) {
	w := t.world()
	for _, name := range names {
		switch r := t.live.rosters[name]; {
		case strings.Contains(name, "@"):
			readers = append(readers, roster.Reader{Address: roster.Address{Carrier: roster.Mail, To: name}})
		case r != nil:
			if call, _, found := r.Next(roster.Progress{Since: t.Now}, alarm.Critical, w); found {
				readers = append(readers, r.Readers(call, alarm.Critical, w)...)
			}
		default:
			readers = append(readers, w.Reach(name, nil, t.Now, alarm.Critical)...)
		}
	}
	return readers
}

// holdUntil tells until when a notice is held back, and why: 0 and empty, not at all.
//
// What belongs to a raise that is held back waits with it. A raise waits for a device that catches up, for a reader's quiet
// hours, and for its guard's least gap. All wait when a reader was told too much at once.
func (t *Turn) holdUntil(s story, r roster.Reader) (until measure.Instant, why string, err error) {
	if s.kind != roster.Raise && s.kind != roster.Hand {
		if until, why, err = t.Tx.HeldUntil(t.ctx, s.ID, r.Address); err != nil || until > t.Now {
			return until, why, err
		}
	}
	hold := func(at measure.Instant, reason string) {
		if at > max(until, t.Now) {
			until, why = at, reason
		}
	}
	until = t.Now
	if s.kind == roster.Raise {
		hold(s.device.heldUntil(t.Now), roster.HeldCatchingUp)
		gap, err := t.gapUntil(s)
		if err != nil {
			return 0, "", err
		}
		hold(gap, roster.HeldGap)
	}
	hold(r.Quiet, roster.HeldQuiet)
	if why != "" || s.kind == roster.Hand || s.Drill {
		return until, why, nil
	}
	limit := t.live.own.FloodFrom()
	within := time.Duration(limit.Within)
	f, err := t.Tx.FloodOf(t.ctx, r.Address, s.Severity, t.Now.Add(-within), limit.Messages)
	if err != nil {
		return 0, "", err
	}
	hold(f.Until, roster.HeldFlood)
	if why == "" && f.Told >= limit.Messages {
		hold(max(f.First.Add(within), t.Now.Add(within/6)), roster.HeldFlood)
	}
	return until, why, nil
}

// gapUntil gives when a guard may speak again; 0: now.
func (t *Turn) gapUntil(s story) (measure.Instant, error) {
	if s.guard == nil || s.guard.LeastGap == 0 || s.Drill {
		return 0, nil
	}
	last, err := t.Tx.LastToldOf(t.ctx, s.Guard, s.ID)
	if err != nil || last == 0 {
		return 0, err
	}
	return last.Add(time.Duration(s.guard.LeastGap)), nil
}

// blindWords say how long the service was away, in the first message that an address gets after that; empty otherwise.
func (t *Turn) blindWords(a roster.Address) (string, error) {
	if t.outage == nil {
		o, err := t.Tx.Outage(t.ctx)
		if err != nil {
			return "", err
		}
		t.outage = &o
	}
	o := t.outage
	if o.From == 0 || o.Until.Sub(o.From) < store.BlindFrom || t.Now.Sub(o.Until) > 24*time.Hour {
		return "", nil
	}
	told, err := t.Tx.ToldAfter(t.ctx, a, o.Until)
	if err != nil || told {
		return "", err
	}
	return roster.BlindWords(t.world(), o.From, o.Until), nil
}
