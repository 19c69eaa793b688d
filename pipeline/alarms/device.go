package alarms

import (
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/pipeline/event"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/notice"
	"jauntylark/store/events"
)

// said gives how bad a fault is and whom it is told to, where somebody said so.
func said(f site.Faults, severity alarm.Severity, tell []string) (alarm.Severity, []string) {
	if f.Severity != "" {
		severity = f.Severity
	}
	if len(f.Tell) > 0 {
		tell = f.Tell
	}
	return severity, tell
}

// RaiseDeviceAlarm raises an alarm that no guard stands behind. It tells whom the guards of the
// device tell, as severely as the most severe of them; without guards, the owners.
func (t *Turn) RaiseDeviceAlarm(d *memory.Device, into **int64, a alarm.Alarm, at measure.Instant) error {
	severity, tell := t.Site.RosterOf(d)
	if severity, tell = said(d.Faults, severity, tell); len(tell) == 0 {
		var err error
		if tell, err = t.OwnReaders(); err != nil {
			return err
		}
	}
	a.Signal, a.Severity, a.State, a.RaisedAt, a.LearnedAt, a.Extreme = d.Name, severity, alarm.StateRaised, at, t.Now,
		a.Value
	if err := events.AddAlarm(t.Ctx, t.Tx, &a, t.CommitNo); err != nil {
		return err
	}
	*into = &a.ID
	t.DeviceChanged(d)
	if err := t.EnterAlarm(a, "alarm raised", event.Happening{Transition: alarm.Transition{At: at, Value: a.Value}},
		a.Sentence); err != nil {
		return err
	}
	return t.TellAnew(notice.Topic{Alarm: a, Tells: roster.Raise}, tell)
}

// EndDeviceAlarm lets a standing alarm of a device be over.
func (t *Turn) EndDeviceAlarm(d *memory.Device, standing **int64, at measure.Instant, why alarm.Ending,
	cause string) error {
	if *standing == nil {
		return nil
	}
	a, err := events.Alarm(t.Ctx, t.Tx, **standing)
	if err != nil {
		return err
	}
	*standing = nil
	t.DeviceChanged(d)
	at = a.End(at, why, cause)
	if a.Kind == alarm.BySilence {
		a.Extreme += at.Sub(a.RaisedAt).Seconds()
	}
	return t.Over(a, event.Happening{Transition: alarm.Transition{At: at, Value: a.Value}}, alarm.Test{})
}
