package notice

import (
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/store/events"
)

// hold is until when a notice is held back, and why: 0 and empty, not at all. Of several reasons the longest counts.
type hold struct {
	until measure.Instant
	why   string
}

func (h *hold) by(until measure.Instant, why string, now measure.Instant) {
	if until > max(h.until, now) {
		*h = hold{until, why}
	}
}

// urgent tells whether a topic is told at once whatever else goes on: it is critical, and asks its reader to come.
func (s *Topic) urgent() bool {
	return s.Severity == alarm.Critical && (s.Tells == roster.Raise || s.Tells == roster.Worsen ||
		s.Tells == roster.Hand)
}

// holdUntil tells until when a notice is held back, and why (docs/semantics.md, "Notices").
//
// What belongs to a raise that is held back waits with it. A raise waits for a device that catches up, for a reader's
// quiet hours, and for its guard's least gap. All wait for the gap of the reader's step, for a guard that is noisy, and
// when a reader was told too much at once. What is critical waits for none of the latter.
func (t *Turn) holdUntil(s Topic, r roster.Recipient) (h hold, err error) {
	if s.Tells != roster.Raise && s.Tells != roster.Hand {
		h.until, h.why, err = events.HeldUntil(t.Ctx, t.Tx, s.ID, r.Address)
		switch {
		case err != nil:
			return h, err
		case h.why != "" && s.urgent() && h.why != roster.HeldCatchingUp:
			h = hold{}
			err = events.ToldAlready(t.Ctx, t.Tx, s.ID, r.Address)
		case h.until > t.Now:
			return h, nil
		}
	}
	h = hold{}
	if s.Tells == roster.Raise {
		h.by(s.Device.HeldUntil(t.Now), roster.HeldCatchingUp, t.Now)
	}
	h.by(r.Quiet, roster.HeldQuiet, t.Now)
	if err != nil || s.urgent() && !t.repeats(s) || s.Drill || s.Tells == roster.Hand {
		return h, err
	}
	if err := t.holdByGap(&h, s, r); err != nil || h.why != "" || s.urgent() {
		return h, err
	}
	return h, t.holdByFlood(&h, s, r)
}

// repeats tells whether a raise is of a guard that a person told to speak seldom.
func (t *Turn) repeats(s Topic) bool {
	return s.Tells == roster.Raise && s.Guarding != nil && s.Guarding.LeastGap > 0
}

// holdByGap holds what comes too soon after a message of the same guard, or by the same step.
func (t *Turn) holdByGap(h *hold, s Topic, r roster.Recipient) error {
	if t.repeats(s) {
		last, worst, err := events.LastOfGuard(t.Ctx, t.Tx, r.Address, s.Alarm, t.Now)
		if err != nil {
			return err
		}
		if last != 0 && !s.Severity.Above(worst) {
			h.by(last.Add(time.Duration(s.Guarding.LeastGap)), roster.HeldGap, t.Now)
		}
	}
	if r.Gap > 0 && !s.urgent() {
		last, err := events.LastTo(t.Ctx, t.Tx, r.Address, t.Now)
		if err != nil {
			return err
		}
		if last != 0 {
			h.by(last.Add(time.Duration(r.Gap)), roster.HeldStep, t.Now)
		}
	}
	return nil
}

// holdByFlood holds what a noisy guard says, and then what comes when a reader was told too much at once.
func (t *Turn) holdByFlood(h *hold, s Topic, r roster.Recipient) error {
	limit := t.Site.Own.FloodFrom()
	within := time.Duration(limit.Within)
	f, err := events.FloodOf(t.Ctx, t.Tx, r.Address, s.Alarm, t.Now.Add(-within), limit.Messages)
	if err != nil {
		return err
	}
	soonest := t.Now.Add(within / 6)
	h.by(f.OwnUntil, roster.HeldNoisy, t.Now)
	if h.why == "" && f.Own >= limit.OfOne() {
		h.by(max(f.OwnFirst.Add(within), soonest), roster.HeldNoisy, t.Now)
	}
	if h.why != "" {
		return nil
	}
	h.by(f.Until, roster.HeldFlood, t.Now)
	if h.why == "" && f.Told >= limit.Messages {
		h.by(max(f.First.Add(within), soonest), roster.HeldFlood, t.Now)
	}
	if h.why != "" && s.Tells == roster.Raise && !f.Heard {
		if h.until = min(h.until, t.Now.Add(roster.FirstWord)); f.Next > t.Now {
			h.until = min(h.until, f.Next)
		}
	}
	return nil
}
