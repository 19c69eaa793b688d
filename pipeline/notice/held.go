package notice

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/core/wall"
	"jauntylark/store/events"
)

// batch is what was held back for one reader for one reason.
type batch struct {
	reader roster.Recipient
	why    string
	about  string // the device or the guard
	held   []events.Held
}

// alone gives the one alarm that a batch is about; 0: there are several.
func (b *batch) alone() int64 {
	for _, h := range b.held {
		if h.AlarmID != b.held[0].AlarmID {
			return 0
		}
	}
	return b.held[0].AlarmID
}

// gathers tells whether what is held for a reason is told together, whether it stands or not.
func gathers(why string) bool {
	return why == roster.HeldFlood || why == roster.HeldNoisy || why == roster.HeldStep
}

// readerOf gives whom a notice that was held back is for.
func readerOf(h events.Held) roster.Recipient {
	return roster.Recipient{Contact: h.Contact, Gap: h.Route.Gap, Why: h.Why,
		Address: roster.Address{ID: h.Route.AddressID, Carrier: h.Carrier, To: h.Address, Format: h.Route.Format,
			Keys: h.Route.Keys}}
}

// QuietDue gives the local day, and whether its word is due: its time has come, and is not long past.
func QuietDue(q *roster.QuietWord, s site.Site, now measure.Instant) (day string, due bool) {
	today := wall.On(now, s.Location())
	clock, err := wall.ParseClock(q.At)
	if err != nil {
		return "", false
	}
	when := today.At(clock, s.Location())
	return today.String(), now >= when && now.Sub(when) < 12*time.Hour
}

// oldAfter is how old what waits must be for it to be summed up when it is over, and triedAfter how old what was tried
// in vain.
const (
	OldAfter   = 10 * time.Minute
	TriedAfter = time.Minute
)

// Release lets the notices go that were held back until now (docs/semantics.md 5 and "Notices"). What still stands is
// told as usual, unless somebody has it by now; what came and went is told in one message. What was held for a flood, a
// noisy guard or the gap of a step is told in one message, whether it stands or not; if that is one alarm, in its own.
func (t *Turn) Release(ids []int64) error {
	held, err := events.HeldDue(t.Ctx, t.Tx, t.Now)
	if err != nil {
		return err
	}
	held = slices.DeleteFunc(held, func(h events.Held) bool { return !slices.Contains(ids, h.ID) })
	var batches []*batch
	var going, done []int64
	for _, h := range held {
		switch {
		case gathers(h.Held) || h.Over():
			batches = t.gatherHeld(batches, h)
			done = append(done, h.ID)
		case h.Taken && h.Held != roster.HeldCatchingUp:
			done = append(done, h.ID)
		default:
			going = append(going, h.ID)
		}
	}
	var told []*batch
	for _, b := range batches {
		if own := t.ownNotice(b); own != 0 {
			going = append(going, own)
			done = slices.DeleteFunc(done, func(id int64) bool { return id == own })
		} else if len(b.held) > 0 {
			told = append(told, b)
		}
	}
	t.Planned = t.Planned || len(going) > 0
	if err := events.Release(t.Ctx, t.Tx, done, roster.SummedUp, t.Now); err != nil {
		return err
	}
	if err := events.Release(t.Ctx, t.Tx, going, roster.Waiting, t.Now); err != nil {
		return err
	}
	if err := t.reword(held, going); err != nil {
		return err
	}
	for _, b := range told {
		if err := t.sumUp(b); err != nil {
			return err
		}
	}
	return nil
}

// ownNotice gives the notice of a batch about one alarm that says all there is to say by itself: its raise, or else its
// newest, where the alarm stands, and its return where its reader knows of it. 0: it takes a summary. What somebody has
// by now is not told.
func (t *Turn) ownNotice(b *batch) int64 {
	if !gathers(b.why) || b.alone() == 0 {
		return 0
	}
	last := b.held[len(b.held)-1]
	raise := slices.IndexFunc(b.held, func(h events.Held) bool { return h.Kind == roster.Raise })
	switch {
	case !last.Over() && last.Taken && (raise >= 0 || last.Kind == roster.Worsen):
		b.held = nil
	case !last.Over() && raise >= 0:
		return b.held[raise].ID
	case raise < 0:
		return last.ID
	}
	return 0
}

// reword lets notices about what stands say how it stands now, not how it stood when they were held back.
func (t *Turn) reword(held []events.Held, ids []int64) error {
	for _, h := range held {
		asks := h.Kind == roster.Raise || h.Kind == roster.Worsen || h.Kind == roster.Hand || h.Kind == roster.Ease
		if h.Over() || !asks || !slices.Contains(ids, h.ID) {
			continue
		}
		s, _, err := t.TopicOf(h.AlarmID)
		if err != nil {
			return err
		}
		s.Tells = h.Kind
		n, err := t.compose(h.ID, s, readerOf(h))
		if err != nil {
			return err
		}
		if err := events.Reword(t.Ctx, t.Tx, n); err != nil {
			return err
		}
	}
	return nil
}

// DueHeld gives the notices that were held back until now.
func (t *Turn) DueHeld() (ids []int64, err error) {
	held, err := events.HeldDue(t.Ctx, t.Tx, t.Now)
	for _, h := range held {
		ids = append(ids, h.ID)
	}
	return ids, err
}

// gatherHeld puts what was held back to what else its reader is told with it. Only a raise makes news of its own, but
// among what is told together all does.
func (t *Turn) gatherHeld(batches []*batch, h events.Held) []*batch {
	if h.Kind != roster.Raise && !gathers(h.Held) && h.Held != roster.HeldOld {
		return batches
	}
	r := readerOf(h)
	about := ""
	if h.Held == roster.HeldCatchingUp || h.Held == roster.HeldGap || h.Held == roster.HeldNoisy {
		about = t.aboutOf(h)
	}
	for _, b := range batches {
		if b.reader.Same(r.Address) && b.why == h.Held && b.about == about {
			b.held = append(b.held, h)
			return batches
		}
	}
	return append(batches, &batch{r, h.Held, about, []events.Held{h}})
}

// aboutOf names the device that catches up, or the guard that speaks seldom or raises again and again.
func (t *Turn) aboutOf(h events.Held) string {
	if h.Held != roster.HeldCatchingUp && h.Guard != "" {
		return "Guard " + h.Guard
	}
	device, _, _ := strings.Cut(h.Signal, "/")
	if d := t.Site.Named[device]; d != nil {
		return site.Title(d.Title, d.Name)
	}
	return "A device"
}

// sumUp plans the one message that tells a batch.
func (t *Turn) sumUp(b *batch) error {
	ids, first := []int64{}, t.Now
	for _, h := range b.held {
		first = min(first, h.CreatedAt)
		ids = append(ids, h.AlarmID)
	}
	news, err := t.news(ids)
	if err != nil {
		return err
	}
	s := t.Site.Settings
	var words roster.Message
	switch b.why {
	case roster.HeldCatchingUp:
		words = roster.CaughtUp(s, b.about, news)
	case roster.HeldFlood:
		words = roster.Digest(s, news, t.Now.Sub(first))
	case roster.HeldQuiet:
		words = roster.Meanwhile(s, "Your quiet hours are over", news)
	case roster.HeldGap:
		words = roster.Meanwhile(s, b.about+" speaks seldom, as it was told to", news)
	case roster.HeldNoisy:
		words = roster.Meanwhile(s, b.about+" raises and clears again and again; you get it in one message", news)
	case roster.HeldStep:
		words = roster.Meanwhile(s, fmt.Sprintf("You are told by %s once in %s at most, as the roster says",
			b.reader.Carrier, prose.Length(time.Duration(b.reader.Gap))), news)
	default:
		words = roster.Meanwhile(s, fmt.Sprintf("You could not be reached by %s since %s", b.reader.Carrier,
			roster.When(s, first)), news)
	}
	return t.Summarise(b.reader, words, news)
}

// SumUpOld takes what waits since long, because a carrier or we were away, and is over by now, into one message a
// reader.
func (t *Turn) SumUpOld() error {
	_, err := events.HoldOld(t.Ctx, t.Tx, t.Now.Add(-OldAfter), t.Now.Add(-TriedAfter), t.Now)
	return err
}

// TellOutage tells of an outage of our own, once.
func (t *Turn) TellOutage() error {
	o, err := events.LastOutage(t.Ctx, t.Tx)
	if err != nil || o.Told {
		return err
	}
	if err := events.OutageTold(t.Ctx, t.Tx); err != nil {
		return err
	}
	words := roster.BlindMessage(t.Site.World(), o.From, o.Until)
	if err := t.Enter("service back", t.Site.Settings.Name, "", roster.BlindWords(t.Site.World(), o.From,
		o.Until)); err != nil {
		return err
	}
	names, err := t.OwnReaders()
	if err != nil {
		return err
	}
	return t.Send(roster.Blind, words, t.Readers(names), nil)
}

// TellQuiet tells once a day, at its time, that all is quiet, or what stands.
func (t *Turn) TellQuiet() error {
	q := t.Site.Own.QuietWord
	if q == nil {
		return nil
	}
	day, due := QuietDue(q, t.Site.Settings, t.Now)
	if !due {
		return nil
	}
	first, err := events.TakeQuietWord(t.Ctx, t.Tx, day)
	if err != nil || !first {
		return err
	}
	standing, since, err := events.Standing(t.Ctx, t.Tx)
	if err != nil {
		return err
	}
	ids := make([]int64, len(standing))
	for i := range standing {
		ids[i] = standing[i].ID
	}
	news, err := t.news(ids)
	if err != nil {
		return err
	}
	silent := 0
	for _, d := range t.Site.Devices {
		if d.State.SilentSince != 0 {
			silent++
		}
	}
	return t.Send(roster.Quiet, roster.QuietMessage(t.Site.World(), since, news, silent), t.Readers([]string{q.To}),
		nil)
}
