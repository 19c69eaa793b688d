package pipeline

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/core/wall"
	"jauntylark/store"
)

// batch is what was held back for one reader for one reason.
type batch struct {
	reader roster.Reader
	why    string
	about  string // the device or the guard
	held   []store.Held
}

// release lets the notices go that were held back until now (docs/semantics.md 5 and "Notices"). What still stands is told as
// usual, unless somebody has it by now; what came and went is told in one message. What was held for a flood is told in one
// message, whether it stands or not.
func (t *Turn) release(ids []int64) error {
	held, err := t.Tx.HeldDue(t.ctx, t.Now)
	if err != nil {
		return err
	}
	held = slices.DeleteFunc(held, func(h store.Held) bool { return !slices.Contains(ids, h.ID) })
	var batches []*batch
	var go_, done []int64
	for _, h := range held {
		switch {
		case h.Held == roster.HeldFlood || h.Over():
			batches = t.gatherHeld(batches, h)
			done = append(done, h.ID)
		case h.Taken && h.Held != roster.HeldCatchingUp:
			done = append(done, h.ID)
		default:
			go_ = append(go_, h.ID)
			t.noticed = true
		}
	}
	if err := t.Tx.Release(t.ctx, done, roster.SummedUp, t.Now); err != nil {
		return err
	}
	if err := t.Tx.Release(t.ctx, go_, roster.Waiting, t.Now); err != nil {
		return err
	}
	for _, b := range batches {
		if err := t.sumUp(b); err != nil {
			return err
		}
	}
	return nil
}

// dueHeld gives the notices that were held back until now.
func (t *Turn) dueHeld() (ids []int64, err error) {
	held, err := t.Tx.HeldDue(t.ctx, t.Now)
	for _, h := range held {
		ids = append(ids, h.ID)
	}
	return ids, err
}

// gatherHeld puts what was held back to what else its reader is told with it. Only a raise makes news of its own, but in a
// flood all does.
func (t *Turn) gatherHeld(batches []*batch, h store.Held) []*batch {
	if h.Kind != roster.Raise && h.Held != roster.HeldFlood && h.Held != roster.HeldOld {
		return batches
	}
	r := roster.Reader{Contact: h.Contact, Address: roster.Address{ID: h.Route.AddressID, Carrier: h.Carrier, To: h.Address, Format: h.Route.Format, Keys: h.Route.Keys}}
	about := ""
	if h.Held == roster.HeldCatchingUp || h.Held == roster.HeldGap {
		about = t.aboutOf(h.AlarmID, h.Held)
	}
	for _, b := range batches {
		if b.reader.Same(r.Address) && b.why == h.Held && b.about == about {
			b.held = append(b.held, h)
			return batches
		}
	}
	return append(batches, &batch{r, h.Held, about, []store.Held{h}})
}

// aboutOf names the device that catches up, or the guard that speaks seldom.
func (t *Turn) aboutOf(alarmID int64, why string) string {
	a, err := t.Tx.Alarm(t.ctx, alarmID)
	if err != nil {
		return ""
	}
	if why == roster.HeldGap {
		return a.Guard
	}
	if s, err := t.live.find(a.Signal); err == nil {
		return site.Title(s.device.Title, s.device.Name)
	}
	return "A device"
}

// sumUp plans the one message that tells a batch.
func (t *Turn) sumUp(b *batch) error {
	var news []roster.News
	first := t.Now
	for _, h := range b.held {
		first = min(first, h.CreatedAt)
		if !slices.ContainsFunc(news, func(n roster.News) bool { return n.AlarmID == h.AlarmID }) {
			news = append(news, roster.News{AlarmID: h.AlarmID, Sentence: h.Sentence, Severity: h.Now, Over: h.Over()})
		}
	}
	s := t.live.site
	var words roster.Message
	switch b.why {
	case roster.HeldCatchingUp:
		words = roster.CaughtUp(s, b.about, news)
	case roster.HeldFlood:
		words = roster.Digest(s, news, t.Now.Sub(first))
	case roster.HeldQuiet:
		words = roster.Meanwhile(s, "Your quiet hours are over", news)
	case roster.HeldGap:
		words = roster.Meanwhile(s, fmt.Sprintf("Guard %s speaks seldom, as it was told to", b.about), news)
	default:
		words = roster.Meanwhile(s, fmt.Sprintf("You could not be reached by %s since %s", b.reader.Carrier, roster.When(s, first)), news)
	}
	return t.summarise(b.reader, words, news)
}

// summarise plans a summary, which hangs on the newest of its alarms.
func (t *Turn) summarise(r roster.Reader, words roster.Message, news []roster.News) error {
	last := slices.MaxFunc(news, func(a, b roster.News) int { return cmp.Compare(a.AlarmID, b.AlarmID) })
	worst := slices.MaxFunc(news, func(a, b roster.News) int { return a.Severity.Compare(b.Severity) })
	lists := []alarm.Templates{t.live.own.Templates}
	if c := t.live.contacts[r.Contact]; c != nil {
		lists = []alarm.Templates{c.Templates, t.live.own.Templates}
	}
	words = roster.SummaryBy(words, t.live.site, len(news), lists...)
	return t.send(roster.Summary, words, []roster.Reader{r}, func(n *roster.Notice) { n.AlarmID, n.Severity = last.AlarmID, worst.Severity })
}

// oldAfter is how old what waits must be for it to be summed up when it is over.
const oldAfter = 10 * time.Minute

// sumUpOld takes what waits since long, because a carrier or we were away, and is over by now, into one message a reader.
func (t *Turn) sumUpOld() error {
	_, err := t.Tx.HoldOld(t.ctx, t.Now.Add(-oldAfter), t.Now)
	return err
}

// tellBlind tells of an outage of our own, once.
func (t *Turn) tellBlind() error {
	o, err := t.Tx.Outage(t.ctx)
	if err != nil || o.Told {
		return err
	}
	if err := t.Tx.OutageTold(t.ctx); err != nil {
		return err
	}
	words := roster.BlindMessage(t.world(), o.From, o.Until)
	if err := t.Enter("service back", t.live.site.Name, "", roster.BlindWords(t.world(), o.From, o.Until)); err != nil {
		return err
	}
	names, err := t.ownTell()
	if err != nil {
		return err
	}
	return t.send(roster.Blind, words, t.plainReaders(names), nil)
}

// tellQuiet tells once a day, at its time, that all is quiet, or what stands.
func (t *Turn) tellQuiet() error {
	q := t.live.own.QuietWord
	if q == nil {
		return nil
	}
	day, due := quietDue(q, t.live.site, t.Now)
	if !due {
		return nil
	}
	first, err := t.Tx.TakeQuietWord(t.ctx, day)
	if err != nil || !first {
		return err
	}
	standing, since, err := t.Tx.Standing(t.ctx)
	if err != nil {
		return err
	}
	var news []roster.News
	for _, a := range standing {
		news = append(news, roster.News{AlarmID: a.ID, Sentence: a.Sentence, Severity: a.Severity})
	}
	silent := 0
	for _, d := range t.live.devices {
		if d.state.SilentSince != 0 {
			silent++
		}
	}
	return t.send(roster.Quiet, roster.QuietMessage(t.world(), since, news, silent), t.plainReaders([]string{q.To}), nil)
}

// quietDue gives the local day, and whether its word is due: its time has come, and is not long past.
func quietDue(q *roster.QuietWord, s site.Site, now measure.Instant) (day string, due bool) {
	today := wall.On(now, s.Location())
	clock, err := wall.ParseClock(q.At)
	if err != nil {
		return "", false
	}
	when := today.At(clock, s.Location())
	return today.String(), now >= when && now.Sub(when) < 12*time.Hour
}
