package memory

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"jauntylark/core/calibrate"
	"jauntylark/core/site"
	"jauntylark/pipeline/credential"
	"jauntylark/store"
	"jauntylark/store/config"
)

// loader reads what is known of a site from one transaction.
type loader struct {
	*Site
	ctx context.Context
	tx  *store.Tx
}

// Load reads everything.
func Load(ctx context.Context, tx *store.Tx) (*Site, error) {
	l := loader{&Site{Devices: map[int64]*Device{}, Named: map[string]*Device{}, Signals: map[int64]*Signal{},
		Guards: map[int64]*Guard{}, conditional: map[int64]*Guard{}, Retires: map[int64]bool{},
		Drives: Drives{Outputs: map[int64]*Output{}, Interlocks: map[int64]*Interlock{}}}, ctx, tx}
	var err error
	if l.Settings, err = config.Site(ctx, tx); err != nil {
		return nil, err
	}
	if err := l.loadAudience(); err != nil {
		return nil, err
	}
	if err := l.load(); err != nil {
		return nil, err
	}
	return l.Site, l.loadRuns()
}

// load reads some devices with all that hangs on them, or all devices. What is known of them already is detached.
func (l *loader) load(of ...int64) error {
	if err := l.loadDevices(of); err != nil {
		return err
	}
	signals, err := config.SignalRows(l.ctx, l.tx, of...)
	if err != nil {
		return err
	}
	for _, row := range signals {
		l.AddSignal(row.Signal, l.Devices[row.DeviceID])
	}
	for _, s := range l.homeless {
		if s.Home == nil { // it was detached, and is not there any more
			delete(l.Signals, s.ID)
		}
	}
	l.homeless = nil
	if err := l.loadMeaning(of); err != nil {
		return err
	}
	guards, err := config.Guards(l.ctx, l.tx, of...)
	if err != nil {
		return err
	}
	for _, g := range guards {
		s, err := l.FindSignal(g.Signal)
		if err != nil {
			return err
		}
		if err := l.Prepare(l.ctx, l.tx, l.AddGuard(g, s)); err != nil {
			return err
		}
	}
	l.LinkSuppressions()
	if err := l.loadOutputs(of); err != nil {
		return err
	}
	return l.refresh(-1, of...)
}

// loadMeaning reads how readings are corrected, and what is derived from them.
func (l *loader) loadMeaning(devices []int64) error {
	calibrations, err := config.AllCalibrations(l.ctx, l.tx, devices...)
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
	derivations, err := config.Derivations(l.ctx, l.tx, devices...)
	if err != nil {
		return err
	}
	return l.link(derivations)
}

func (l *loader) loadDevices(of []int64) error {
	devices, err := config.PlainDevices(l.ctx, l.tx, of...)
	if err != nil {
		return err
	}
	nouns := make([]*site.Device, len(devices))
	for i, d := range devices {
		entry := l.Devices[d.ID]
		if entry == nil {
			entry = &Device{}
			l.Devices[d.ID] = entry
		}
		entry.Heard, entry.Sent = 0, site.Sent{}
		entry.Device, entry.Signals, entry.Outputs, entry.State = d, map[string]*Signal{}, map[string]*Output{},
			config.DeviceState{Device: d.ID}
		l.Named[d.Name], nouns[i] = entry, &entry.Device
	}
	for _, d := range nouns {
		l.stand(l.Devices[d.ID])
	}
	if l.ByID == nil {
		l.Directory, err = credential.Load(l.ctx, l.tx, nouns)
	} else {
		err = l.Directory.Renew(l.ctx, l.tx, nouns, of)
	}
	clear(l.Retires)
	for _, k := range l.Keys {
		if k.UntilUsed != nil {
			l.Retires[*k.UntilUsed] = true
		}
	}
	return err
}

// stand puts a device behind its gateway.
func (l *Site) stand(d *Device) {
	if d.Gateway = l.Named[d.Behind]; d.Gateway != nil && !slices.Contains(d.Gateway.Members, d) {
		d.Gateway.Members = append(d.Gateway.Members, d)
	}
}

// refresh reads the states that commits after since have changed, or those of them that are of some devices.
func (l *loader) refresh(since int64, of ...int64) error {
	devices, err := config.DeviceStates(l.ctx, l.tx, since, of...)
	if err != nil {
		return err
	}
	for _, st := range devices {
		l.Devices[st.Device].State = st
	}
	states, err := config.SignalStates(l.ctx, l.tx, since, of...)
	if err != nil {
		return err
	}
	touched := map[*Signal]bool{}
	for _, st := range states {
		s := l.Signals[st.Signal]
		s.State, touched[s] = st, true
		if s.Derived == nil {
			s.Home.Hear(st.ReceivedAt)
		}
		for _, f := range s.Feeds {
			f.Derived.Behind = true
		}
	}
	kept, err := config.GuardStates(l.ctx, l.tx, since, of...)
	if err != nil {
		return err
	}
	for _, k := range kept {
		g := l.Guards[k.Guard]
		g.State.Kept, g.BegunAt, g.Alarms, touched[g.Subject] = k.Kept, k.BegunAt, [2]int64{}, true
		for side, id := range []*int64{k.AlarmID, k.LowAlarmID} {
			if id != nil {
				g.Alarms[side] = *id
			}
		}
	}
	for s := range touched {
		s.HoldGuards()
	}
	return l.refreshDrives(touched, since, of...)
}

// renew takes in what the configuration has become: what changes were about is read anew, and nothing else. All others
// go on pointing at the same devices and signals.
func (l *loader) renew(changes []store.Change) error {
	var devices []int64
	about := map[store.Scope]bool{}
	for _, c := range changes {
		about[c.Scope] = true
		if c.Scope == store.OfDevice && !slices.Contains(devices, c.ID) {
			devices = append(devices, c.ID)
		}
	}
	if about[store.OfPeople] {
		if err := l.loadAudience(); err != nil {
			return fmt.Errorf("people: %w", err)
		}
	}
	if about[store.OfKeys] {
		if err := l.RenewKeys(l.ctx, l.tx); err != nil {
			return fmt.Errorf("keys: %w", err)
		}
	}
	if len(devices) > 0 {
		if err := l.renewDevices(devices); err != nil {
			return fmt.Errorf("devices %d: %w", devices, err)
		}
	}
	if about[store.OfPlans] || len(devices) > 0 {
		return l.loadRuns()
	}
	return nil
}

// renewDevices reads some devices anew, with all that hangs on them; those that are gone go.
func (l *loader) renewDevices(of []int64) error {
	unsure := l.detach(of)
	if err := l.load(of...); err != nil {
		return err
	}
	for _, id := range of {
		if d := l.Devices[id]; l.ByID[id] == nil && d != nil {
			delete(l.Devices, id)
		} else if d != nil {
			l.regroup(d)
		}
	}
	for _, i := range unsure {
		if err := l.equipAnew(i); err != nil {
			return err
		}
	}
	l.watch()
	return nil
}

// regroup finds the devices that stand behind one: it may be a gateway that is there again.
func (l *Site) regroup(d *Device) {
	d.Members = nil
	for _, member := range l.Devices {
		if member.Behind == d.Name && member.ID != d.ID {
			l.stand(member)
			d.Hear(member.Heard)
		}
	}
}

// detach takes what hangs on devices off all that stays, and gives the interlocks of others that look at their signals
// or could not work.
func (l *Site) detach(of []int64) (unsure []*Interlock) {
	going := map[*Device]bool{}
	for _, d := range l.going {
		going[d] = true
	}
	for _, id := range of {
		if d := l.Devices[id]; d != nil {
			going[d] = true
		}
	}
	l.going = nil
	for d := range going {
		if l.Named[d.Name] == d {
			delete(l.Named, d.Name)
		}
		if d.Gateway != nil {
			d.Gateway.Members = slices.DeleteFunc(d.Gateway.Members, func(m *Device) bool { return m == d })
			d.Gateway = nil
		}
		for _, o := range d.Outputs {
			delete(l.Outputs, o.ID)
		}
		for _, s := range append(slices.Collect(maps.Values(d.Signals)), d.going...) {
			s.unlink()
			for _, g := range s.Guards {
				delete(l.Guards, g.ID)
				delete(l.conditional, g.ID)
			}
			s.Guards, s.Home = nil, nil
			l.homeless = append(l.homeless, s)
		}
		d.going = nil
	}
	for _, i := range l.Interlocks {
		switch {
		case going[i.Drives.Home]:
			l.RemoveInterlock(i)
		case i.Broken != "" || slices.ContainsFunc(i.DrivenBy(), func(s *Signal) bool { return s.Home == nil }):
			unsure = append(unsure, i)
		}
	}
	return unsure
}
