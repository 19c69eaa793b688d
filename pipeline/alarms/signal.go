package alarms

import (
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/pipeline/event"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/notice"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// RaiseSignalAlarm raises an alarm of a signal that no guard stands behind, as severely as the most severe of
// the signal's guards and to whom these tell; without any, as an alarm of the device.
func (t *Turn) RaiseSignalAlarm(s *memory.Signal, a alarm.Alarm) (int64, error) {
	severity, tell := memory.RosterOfGuards(s.Guards)
	if len(s.Guards) == 0 {
		severity, tell = t.Site.RosterOf(s.Home)
	}
	if a.Kind == alarm.BySensor {
		severity, tell = said(s.Faults.Over(s.Home.Faults), severity, tell)
	}
	if len(tell) == 0 {
		var err error
		if tell, err = t.OwnReaders(); err != nil {
			return 0, err
		}
	}
	if a.Severity == "" {
		a.Severity = severity
	}
	a.State, a.LearnedAt, a.Extreme = alarm.StateRaised, t.Now, a.Value
	if err := events.AddAlarm(t.Ctx, t.Tx, &a, t.CommitNo); err != nil {
		return 0, err
	}
	if err := t.EnterAlarm(a, "alarm raised", event.Happening{Transition: alarm.Transition{At: a.RaisedAt,
		Value: a.Value}}, a.Sentence); err != nil {
		return 0, err
	}
	return a.ID, t.TellAnew(notice.Topic{Alarm: a, Tells: roster.Raise, Device: s.Home}, tell)
}

// EndSignalAlarm lets a standing alarm of a signal be over.
func (t *Turn) EndSignalAlarm(standing **int64, at measure.Instant, value float64, why alarm.Ending,
	cause string) error {
	if *standing == nil {
		return nil
	}
	a, err := events.Alarm(t.Ctx, t.Tx, **standing)
	if err != nil {
		return err
	}
	*standing = nil
	at, a.ClearedValue = a.End(at, why, cause), &value
	return t.Over(a, event.Happening{Transition: alarm.Transition{At: at, Value: value}}, alarm.Test{})
}

// EndAlarmsOf lets the alarms of a signal that goes be over, but for those of its guards.
func (t *Turn) EndAlarmsOf(s *memory.Signal, cause string) error {
	due, err := config.DueAlarm(t.Ctx, t.Tx, s.ID)
	if err != nil {
		return err
	}
	for _, standing := range []**int64{&s.State.FaultAlarm, &due} {
		if err := t.EndSignalAlarm(standing, t.Now, s.State.Value, alarm.EndUnwatched, cause); err != nil {
			return err
		}
	}
	return nil
}
