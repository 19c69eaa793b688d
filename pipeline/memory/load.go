package memory

import (
	"context"

	"jauntylark/core/calibrate"
	"jauntylark/core/site"
	"jauntylark/pipeline/credential"
	"jauntylark/store"
	"jauntylark/store/config"
)

// Load reads everything.
func Load(ctx context.Context, tx *store.Tx) (*Site, error) {
	l := &Site{Devices: map[int64]*Device{}, Named: map[string]*Device{}, Signals: map[int64]*Signal{}, Guards: map[int64]*Guard{}, Retires: map[int64]bool{}}
	if err := l.loadDevices(ctx, tx); err != nil {
		return nil, err
	}
	signals, err := config.SignalRows(ctx, tx)
	if err != nil {
		return nil, err
	}
	for _, row := range signals {
		l.AddSignal(row.Signal, l.Devices[row.DeviceID])
	}
	if err := l.loadMeaning(ctx, tx); err != nil {
		return nil, err
	}
	if l.Settings, err = config.Site(ctx, tx); err != nil {
		return nil, err
	}
	if err := l.loadAudience(ctx, tx); err != nil {
		return nil, err
	}
	guards, err := config.Guards(ctx, tx)
	if err != nil {
		return nil, err
	}
	for _, g := range guards {
		s, err := l.FindSignal(g.Signal)
		if err != nil {
			return nil, err
		}
		if err := l.Prepare(ctx, tx, l.AddGuard(g, s)); err != nil {
			return nil, err
		}
	}
	l.LinkSuppressions()
	if err := l.loadDrives(ctx, tx); err != nil {
		return nil, err
	}
	if err := l.loadRuns(ctx, tx); err != nil {
		return nil, err
	}
	return l, l.refresh(ctx, tx, -1)
}

// loadMeaning reads how readings are corrected, and what is derived from them.
func (l *Site) loadMeaning(ctx context.Context, tx *store.Tx) error {
	calibrations, err := config.AllCalibrations(ctx, tx)
	if err != nil {
		return err
	}
	of := map[int64][]calibrate.Calibration{}
	for _, c := range calibrations {
		of[c.Signal] = append(of[c.Signal], c.Calibration)
	}
	for signal, all := range of {
		l.Signals[signal].Timeline = calibrate.NewTimeline(all)
	}
	derivations, err := config.Derivations(ctx, tx)
	if err != nil {
		return err
	}
	return l.link(derivations)
}

func (l *Site) loadDevices(ctx context.Context, tx *store.Tx) error {
	devices, err := config.PlainDevices(ctx, tx)
	if err != nil {
		return err
	}
	nouns := make([]*site.Device, len(devices))
	for i, d := range devices {
		entry := &Device{Device: d, Signals: map[string]*Signal{}, Outputs: map[string]*Output{}, State: config.DeviceState{Device: d.ID}}
		l.Devices[d.ID], l.Named[d.Name], nouns[i] = entry, entry, &entry.Device
	}
	for _, d := range l.Devices {
		if d.Gateway = l.Named[d.Behind]; d.Gateway != nil {
			d.Gateway.Members = append(d.Gateway.Members, d)
		}
	}
	if l.Directory, err = credential.Load(ctx, tx, nouns); err != nil {
		return err
	}
	for _, k := range l.Keys {
		if k.UntilUsed != nil {
			l.Retires[*k.UntilUsed] = true
		}
	}
	return nil
}

// refresh reads the states that commits after since have changed.
func (l *Site) refresh(ctx context.Context, tx *store.Tx, since int64) error {
	devices, err := config.DeviceStates(ctx, tx, since)
	if err != nil {
		return err
	}
	for _, st := range devices {
		l.Devices[st.Device].State = st
	}
	states, err := config.SignalStates(ctx, tx, since)
	if err != nil {
		return err
	}
	for _, st := range states {
		s := l.Signals[st.Signal]
		s.State = st
		if s.Derived == nil {
			s.Home.Hear(st.ReceivedAt)
		}
		for _, f := range s.Feeds {
			f.Derived.Behind = true
		}
	}
	kept, err := config.GuardStates(ctx, tx, since)
	if err != nil {
		return err
	}
	for _, k := range kept {
		g := l.Guards[k.Guard]
		g.State.Kept, g.BegunAt, g.Alarms = k.Kept, k.BegunAt, [2]int64{}
		for side, id := range []*int64{k.AlarmID, k.LowAlarmID} {
			if id != nil {
				g.Alarms[side] = *id
			}
		}
	}
	for _, s := range l.Signals {
		s.HoldGuards()
	}
	return l.refreshDrives(ctx, tx, since)
}
