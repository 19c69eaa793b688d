package memory

import (
	"jauntylark/core/run"
	"jauntylark/core/wall"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// Plan is a plan of runs at work.
type Plan struct {
	run.Plan
	Open     *run.Run // the run of it that is on; nil: none
	Calendar *wall.Calendar
}

// loadRuns reads the plans of runs, and which of their runs are on. A plan whose signal is gone waits for it.
func (l *loader) loadRuns() error {
	plans, err := config.Plans(l.ctx, l.tx)
	if err != nil {
		return err
	}
	for _, p := range l.Plans {
		if s := l.SignalAt(p.Signal); s != nil {
			s.Plans = nil
		}
	}
	l.Plans = make(map[string]*Plan, len(plans))
	for _, p := range plans {
		entry := &Plan{Plan: p}
		if p.Hours != "" {
			if entry.Calendar, err = wall.NewCalendar(p.Hours, l.Settings.Location(), l.Settings.Holidays); err != nil {
				return err
			}
		} else if s, err := l.FindSignal(p.Signal); err == nil {
			s.Plans = append(s.Plans, entry)
		}
		l.Plans[p.Name] = entry
	}
	open, err := events.OpenRuns(l.ctx, l.tx)
	if err != nil {
		return err
	}
	for i := range open {
		if p := l.Plans[open[i].Plan]; p != nil {
			p.Open = &open[i]
		}
	}
	return nil
}
