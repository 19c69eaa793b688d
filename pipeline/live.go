package pipeline

import (
	"context"
	"slices"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/calibrate"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/store"
)

// live is the state that the newest commit left, kept in memory so that a commit need not read it.
type live struct {
	Directory
	commitNo, configNo int64
	site               site.Site
	audience
	drives
	plans   map[string]*planLive
	devices map[int64]*deviceLive
	byName  map[string]*deviceLive
	signals map[int64]*signalLive
	guards  map[int64]*guardLive
	retires map[int64]bool // keys whose first use ends others
}

type deviceLive struct {
	site.Device
	signals map[string]*signalLive
	outputs map[string]*outputLive
	state   store.DeviceState
	heard   measure.Instant // arrival of its newest reading; of a gateway, also of those behind it
	behind  []*deviceLive
	gateway *deviceLive
	sent    site.Sent // its newest pack; zero after the configuration was read anew
}

type signalLive struct {
	site.Signal
	device     *deviceLive
	state      store.SignalState
	guards     []*guardLive
	suppresses []*guardLive // guards that may not look while this signal reads something
	locks      []*lockLive  // interlocks that its readings drive
	plans      []*planLive  // plans of runs that its readings start and end
	watchers   []*lockLive  // interlocks of alarms that are blind when it is
	timeline   calibrate.Timeline
	derived    *derivedLive // nil: it is measured
	feeds      []feed       // what is derived from it
	newest     packNo       // the newest pack with a reading of it
}

// load reads everything.
func load(ctx context.Context, tx *store.Tx) (*live, error) {
	l := &live{devices: map[int64]*deviceLive{}, byName: map[string]*deviceLive{}, signals: map[int64]*signalLive{}, guards: map[int64]*guardLive{}, retires: map[int64]bool{}}
	if err := l.loadDevices(ctx, tx); err != nil {
		return nil, err
	}
	signals, err := tx.SignalRows(ctx)
	if err != nil {
		return nil, err
	}
	for _, row := range signals {
		l.add(row.Signal, l.devices[row.DeviceID])
	}
	if err := l.loadMeaning(ctx, tx); err != nil {
		return nil, err
	}
	if l.site, err = tx.Site(ctx); err != nil {
		return nil, err
	}
	if err := l.loadAudience(ctx, tx); err != nil {
		return nil, err
	}
	guards, err := tx.Guards(ctx)
	if err != nil {
		return nil, err
	}
	for _, g := range guards {
		s, err := l.find(g.Signal)
		if err != nil {
			return nil, err
		}
		if err := l.prepare(ctx, tx, l.guard(g, s)); err != nil {
			return nil, err
		}
	}
	l.suppressions()
	if err := l.loadDrives(ctx, tx); err != nil {
		return nil, err
	}
	if err := l.loadRuns(ctx, tx); err != nil {
		return nil, err
	}
	return l, l.refresh(ctx, tx, -1)
}

// loadMeaning reads how readings are corrected, and what is derived from them.
func (l *live) loadMeaning(ctx context.Context, tx *store.Tx) error {
	calibrations, err := tx.AllCalibrations(ctx)
	if err != nil {
		return err
	}
	of := map[int64][]calibrate.Calibration{}
	for _, c := range calibrations {
		of[c.Signal] = append(of[c.Signal], c.Calibration)
	}
	for signal, all := range of {
		l.signals[signal].timeline = calibrate.NewTimeline(all)
	}
	derivations, err := tx.Derivations(ctx)
	if err != nil {
		return err
	}
	return l.link(derivations)
}

func (l *live) loadDevices(ctx context.Context, tx *store.Tx) error {
	devices, err := tx.Devices(ctx)
	if err != nil {
		return err
	}
	nouns := make([]*site.Device, len(devices))
	for i, d := range devices {
		entry := &deviceLive{Device: d, signals: map[string]*signalLive{}, outputs: map[string]*outputLive{}, state: store.DeviceState{Device: d.ID}}
		l.devices[d.ID], l.byName[d.Name], nouns[i] = entry, entry, &entry.Device
	}
	for _, d := range l.devices {
		if d.gateway = l.byName[d.Behind]; d.gateway != nil {
			d.gateway.behind = append(d.gateway.behind, d)
		}
	}
	keys, err := tx.Keys(ctx)
	if err != nil {
		return err
	}
	for _, k := range keys {
		if k.UntilUsed != nil {
			l.retires[*k.UntilUsed] = true
		}
	}
	former, err := tx.FormerKeys(ctx)
	if err != nil {
		return err
	}
	enrolment, err := tx.Enrolment(ctx)
	if err != nil {
		return err
	}
	eyes, err := tx.Eyes(ctx)
	l.Directory = NewDirectory(nouns, keys, former, enrolment, eyes)
	return err
}

// refresh reads the states that commits after since have changed.
func (l *live) refresh(ctx context.Context, tx *store.Tx, since int64) error {
	devices, err := tx.DeviceStates(ctx, since)
	if err != nil {
		return err
	}
	for _, st := range devices {
		l.devices[st.Device].state = st
	}
	states, err := tx.SignalStates(ctx, since)
	if err != nil {
		return err
	}
	for _, st := range states {
		s := l.signals[st.Signal]
		s.state = st
		if s.derived == nil {
			s.device.hear(st.ReceivedAt)
		}
		for _, f := range s.feeds {
			f.derived.behind = true
		}
	}
	kept, err := tx.GuardStates(ctx, since)
	if err != nil {
		return err
	}
	for _, k := range kept {
		g := l.guards[k.Guard]
		g.state.Kept, g.begunAt, g.alarms = k.Kept, k.BegunAt, [2]int64{}
		for side, id := range []*int64{k.AlarmID, k.LowAlarmID} {
			if id != nil {
				g.alarms[side] = *id
			}
		}
	}
	for _, s := range l.signals {
		s.hold()
	}
	return l.refreshDrives(ctx, tx, since)
}

// hold lets the guards of a signal hold what it reads.
func (s *signalLive) hold() {
	for _, g := range s.guards {
		g.state.Held, g.state.HeldAt = s.held(&g.Guard)
		g.state.Stepped = max(s.state.SteppedAt, g.begunAt)
	}
}

// hear notes that something arrived from the device, and through its gateway.
func (d *deviceLive) hear(at measure.Instant) {
	d.heard = max(d.heard, at)
	if d.gateway != nil {
		d.gateway.heard = max(d.gateway.heard, at)
	}
}

// add takes in a signal.
func (l *live) add(v site.Signal, d *deviceLive) *signalLive {
	s := &signalLive{Signal: v, device: d, state: store.SignalState{Signal: v.ID}}
	s.Device = d.Name
	d.signals[v.Name], l.signals[v.ID] = s, s
	return s
}

// guard takes in a guard.
func (l *live) guard(g alarm.Guard, s *signalLive) *guardLive {
	entry := &guardLive{Guard: g, signal: s}
	l.guards[g.ID] = entry
	s.guards = append(s.guards, entry)
	return entry
}

// known gives the signal DEVICE/SIGNAL; nil: there is none.
func (l *live) known(path string) *signalLive {
	device, name, _ := strings.Cut(path, "/")
	if d := l.byName[device]; d != nil {
		return d.signals[name]
	}
	return nil
}

// find gives the signal at DEVICE/SIGNAL; the error names the nearest one.
func (l *live) find(path string) (*signalLive, error) {
	if _, _, err := site.SplitPath(path); err != nil {
		return nil, &measure.Fault{Field: "signal", Reason: err.Error()}
	}
	if s := l.known(path); s != nil {
		return s, nil
	}
	paths := make([]string, 0, len(l.signals))
	for _, s := range l.signals {
		paths = append(paths, s.Path())
	}
	slices.Sort(paths) // of two that are as near, the first is meant
	return nil, &measure.Fault{Field: "signal", Reason: site.Unknown("signal", path, paths)}
}
