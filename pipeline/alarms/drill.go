package alarms

import (
	"fmt"

	"jauntylark/core/alarm"
	"jauntylark/core/roster"
	"jauntylark/pipeline/event"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// EndDrill lets a drill be over. When somebody has taken it, its rosters are drilled.
func (t *Turn) EndDrill(a alarm.Alarm, how string) error {
	if err := events.EndEscalation(t.Ctx, t.Tx, a.ID); err != nil {
		return err
	}
	now := a.End(t.Now, alarm.EndDrill, how)
	if err := events.SaveAlarm(t.Ctx, t.Tx, &a, t.CommitNo); err != nil {
		return err
	}
	open, err := events.OpenDrills(t.Ctx, t.Tx, a.ID, t.Now)
	if err != nil {
		return err
	}
	for _, d := range open {
		if err := events.EndDrill(t.Ctx, t.Tx, d.ID, now, how); err != nil {
			return err
		}
		if a.AcknowledgedAt == nil {
			continue
		}
		for _, name := range d.Rosters {
			if err := config.RosterDrilled(t.Ctx, t.Tx, name, now); err != nil {
				return err
			}
			if r := t.Site.Rosters[name]; r != nil {
				t.ConfigTaken(store.Change{Scope: store.OfPeople})
				r.DrilledAt = &now
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
	standing, err := config.DrillAlarms(t.Ctx, t.Tx)
	if err != nil {
		return err
	}
	id, stands := standing[r.ID]
	if !stands {
		return nil
	}
	a, err := events.Alarm(t.Ctx, t.Tx, id)
	if err != nil {
		return err
	}
	if err := config.SetDrillAlarm(t.Ctx, t.Tx, r.ID, nil); err != nil || a.State == alarm.StateOver {
		return err
	}
	now := a.End(t.Now, why, cause)
	return t.Over(a, event.Happening{Transition: alarm.Transition{At: now}}, alarm.Test{})
}

// EnterDrill writes what a drill does into the journal.
func (t *Turn) EnterDrill(a alarm.Alarm, who, text string) error {
	return t.EnterAlarm(a, "drill", event.Happening{Transition: alarm.Transition{At: t.Now, Value: a.Value}, Who: who},
		text)
}
