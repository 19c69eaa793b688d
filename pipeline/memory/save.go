package memory

import (
	"jauntylark/core/alarm"
	"jauntylark/store/config"
)

// Save writes down what has changed of signals, devices and guards.
func (t *Turn) Save() error {
	if err := t.announce(); err != nil {
		return err
	}
	if err := t.saveRuns(); err != nil {
		return err
	}
	states := make([]config.SignalState, 0, len(t.signals))
	for _, s := range t.signals {
		states = append(states, s.State)
	}
	if err := config.SaveSignalStates(t.Ctx, t.Tx, states, t.CommitNo); err != nil {
		return err
	}
	for id, d := range t.lives {
		if t.Site.Devices[id] != d {
			continue // removed in this turn
		}
		if err := config.SaveDeviceState(t.Ctx, t.Tx, d.State, t.CommitNo); err != nil {
			return err
		}
	}
	return t.saveGuards()
}

func (t *Turn) saveGuards() error {
	kept := make([]config.GuardState, 0, len(t.guards))
	for id, g := range t.guards {
		if t.Site.Guards[id] != g {
			continue // removed in this turn
		}
		k := config.GuardState{Guard: id, Kept: g.State.Kept, BegunAt: g.BegunAt}
		if due := g.State.Due(&g.Guard); due != 0 {
			due += g.Subject.State.Lag() // by our clock
			k.DueAt = &due
		}
		if g.Alarms[alarm.High] != 0 {
			k.AlarmID = &g.Alarms[alarm.High]
		}
		if g.Alarms[alarm.Low] != 0 {
			k.LowAlarmID = &g.Alarms[alarm.Low]
		}
		kept = append(kept, k)
	}
	return config.SaveGuardStates(t.Ctx, t.Tx, kept, t.CommitNo)
}
