package alarms

import (
	"fmt"

	"jauntylark/core/alarm"
	"jauntylark/core/roster"
	"jauntylark/pipeline/event"
)

// EndDrill lets a drill be over. When somebody has taken it, its rosters are drilled.
func (t *Turn) EndDrill(a alarm.Alarm, how string) error {
	if err := t.Tx.EndEscalation(t.Ctx, a.ID); err != nil {
		return err
	}
	now := a.End(t.Now, alarm.EndDrill, how)
	if err := t.Tx.SaveAlarm(t.Ctx, &a, t.CommitNo); err != nil {
		return err
	}
	open, err := t.Tx.OpenDrills(t.Ctx, a.ID, t.Now)
	if err != nil {
		return err
	}
	for _, d := range open {
		if err := t.Tx.EndDrill(t.Ctx, d.ID, now, how); err != nil {
			return err
		}
		if a.AcknowledgedAt == nil {
			continue
		}
		for _, name := range d.Rosters {
			if err := t.Tx.RosterDrilled(t.Ctx, name, now); err != nil {
				return err
			}
			if r := t.Site.Rosters[name]; r != nil {
				r.DrilledAt = &now
				t.Touched = true
				if err := t.EndRosterAlarm(r, alarm.EndBack, "it was drilled"); err != nil {
					return err
				}
			}
		}
	}
	return t.EnterDrill(a, a.AcknowledgedBy, fmt.Sprintf("The drill of guard %s is over: %s", a.Guard, how))
}

// EndRosterAlarm lets the alarm that a roster was not drilled be over, if it stands.
func (t *Turn) EndRosterAlarm(r *roster.Roster, why alarm.Ending, cause string) error {
	standing, err := t.Tx.DrillAlarms(t.Ctx)
	if err != nil {
		return err
	}
	id, stands := standing[r.ID]
	if !stands {
		return nil
	}
	a, err := t.Tx.Alarm(t.Ctx, id)
	if err != nil {
		return err
	}
	if err := t.Tx.SetDrillAlarm(t.Ctx, r.ID, nil); err != nil || a.State == alarm.StateOver {
		return err
	}
	now := a.End(t.Now, why, cause)
	return t.Over(a, event.Happening{Transition: alarm.Transition{At: now}}, alarm.Test{})
}

// EnterDrill writes what a drill does into the journal.
func (t *Turn) EnterDrill(a alarm.Alarm, who, text string) error {
	return t.EnterAlarm(a, "drill", event.Happening{Transition: alarm.Transition{At: t.Now, Value: a.Value}, Who: who}, text)
}
