package silence

import (
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/store/events"
)

// enteredFrom is how long an outage must be to stand in the journal.
const enteredFrom = 5 * time.Second

// outageKind is the kind of the journal's entries about outages; each is at the beginning of one, and learned of at its
// end.
const outageKind = "outage"

// EnterOutage writes an outage of something into the journal, unless it is too short, or stands there.
func (t *Turn) EnterOutage(what string, from, until measure.Instant) error {
	if until.Sub(from) < enteredFrom {
		return nil
	}
	known, err := events.OutageEntered(t.Ctx, t.Tx, outageKind, what, from)
	if err != nil || known {
		return err
	}
	text := roster.OutageWords(t.Site.World(), what, from, until)
	return events.AddEntry(t.Ctx, t.Tx, site.Entry{At: from, LearnedAt: until, Kind: outageKind,
		Subject: t.Site.Settings.Name, Text: text}, t.CommitNo)
}
