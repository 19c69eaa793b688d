package pipeline

import (
	"context"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/store"
)

// enteredFrom is how long an outage must be to stand in the journal.
const enteredFrom = 5 * time.Second

// outageKind is the kind of the journal's entries about outages; each is at the beginning of one, and learned of at its end.
const outageKind = "outage"

// enterOutage writes an outage of something into the journal, unless it is too short, or stands there.
func (t *Turn) enterOutage(what string, from, until measure.Instant) error {
	if until.Sub(from) < enteredFrom {
		return nil
	}
	known, err := t.Tx.OutageEntered(t.ctx, outageKind, what, from)
	if err != nil || known {
		return err
	}
	text := roster.OutageWords(t.world(), what, from, until)
	return t.Tx.AddEntry(t.ctx, site.Entry{At: from, LearnedAt: until, Kind: outageKind, Subject: t.live.site.Name, Text: text}, t.CommitNo)
}

// Lost tells people that the service does without something since an instant: an alarm, which Found ends.
func (p *Pipeline) Lost(ctx context.Context, what string, since measure.Instant, why string) error {
	if p.Now().Sub(since) < store.BlindFrom {
		return nil
	}
	return p.Do(ctx, func(t *Turn) error {
		standing, err := t.Tx.ServiceAlarm(t.ctx, lostWhen(what))
		if err == nil && standing == 0 {
			_, err = t.raiseService("reach "+what, alarm.Critical, since, why, "What comes by it waits there, if it keeps anything. It is tried again all the time.")
		}
		return err
	})
}

func lostWhen(what string) string { return "cannot reach " + what }

// Found says that something is there again that was away since an instant.
func (p *Pipeline) Found(ctx context.Context, what string, since measure.Instant) error {
	return p.Do(ctx, func(t *Turn) error {
		standing, err := t.Tx.ServiceAlarm(t.ctx, lostWhen(what))
		if err == nil && standing != 0 {
			err = t.endService(standing)
		}
		if err == nil {
			err = t.enterOutage(what, since, t.Now)
		}
		return err
	})
}
