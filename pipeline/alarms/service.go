package alarms

import (
	"fmt"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/pipeline/event"
	"jauntylark/pipeline/notice"
	"jauntylark/store/events"
)

// RaiseServiceAlarm raises an alarm about what the service itself cannot do, and gives its number.
func (t *Turn) RaiseServiceAlarm(what string, severity alarm.Severity, since measure.Instant, why,
	advice string) (int64, error) {
	a := alarm.Alarm{Kind: alarm.ByService, About: what, Severity: severity, State: alarm.StateRaised, RaisedAt: since,
		LearnedAt: t.Now, When: "cannot " + what,
		Sentence: fmt.Sprintf("The service cannot %s: %s", what, why), Advice: advice}
	if err := events.AddAlarm(t.Ctx, t.Tx, &a, t.CommitNo); err != nil {
		return 0, err
	}
	if err := t.EnterAlarm(a, "alarm raised", event.Happening{Transition: alarm.Transition{At: a.RaisedAt}},
		a.Sentence); err != nil {
		return 0, err
	}
	names, err := t.OwnReaders()
	if err != nil {
		return 0, err
	}
	return a.ID, t.TellAnew(notice.Topic{Alarm: a, Tells: roster.Raise}, names)
}

// EndServiceAlarm lets an alarm about the service be over.
func (t *Turn) EndServiceAlarm(id int64) error {
	a, err := events.Alarm(t.Ctx, t.Tx, id)
	if err != nil {
		return err
	}
	now := a.End(t.Now, alarm.EndBack, "")
	return t.Over(a, event.Happening{Transition: alarm.Transition{At: now}}, alarm.Test{})
}
