package notice

import (
	"cmp"
	"slices"

	"jauntylark/core/alarm"
	"jauntylark/core/roster"
	"jauntylark/store/events"
)

// news tells how alarms stand now, for a summary, each once.
func (t *Turn) news(alarms []int64) (news []roster.News, err error) {
	all, err := events.AlarmsNumbered(t.Ctx, t.Tx, alarms)
	for _, a := range all {
		news = append(news, roster.NewsOf(t.MessageData(t.topicNow(a)), t.Now))
	}
	return news, err
}

// Summarise plans a summary. It hangs on the alarm that it leads with: the worst and then the oldest that stands, or
// else that is over.
func (t *Turn) Summarise(r roster.Recipient, words roster.Message, news []roster.News) error {
	first := slices.MinFunc(news, func(a, b roster.News) int {
		switch {
		case a.Over != b.Over && a.Over:
			return 1
		case a.Over != b.Over:
			return -1
		}
		return cmp.Or(b.Severity.Compare(a.Severity), cmp.Compare(a.AlarmID, b.AlarmID))
	})
	lists := []alarm.Templates{t.Site.Own.Templates}
	if c := t.Site.Contacts[r.Contact]; c != nil {
		lists = []alarm.Templates{c.Templates, t.Site.Own.Templates}
	}
	words = roster.SummaryBy(words, t.Site.Settings, len(news), lists...)
	return t.Send(roster.Summary, words, []roster.Recipient{r},
		func(n *roster.Notice) { n.AlarmID, n.Severity = first.AlarmID, first.Severity })
}
