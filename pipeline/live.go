package pipeline

import (
	"context"
	"fmt"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/store"
)

// live is the state that the newest commit left, kept in memory so that a commit need not read it.
type live struct {
	commitNo, configNo int64
	site               site.Site
	keys               keyring
	devices            map[int64]*deviceLive
	byName             map[string]*deviceLive
	signals            map[int64]*signalLive
	guards             map[int64]*guardLive
}

type deviceLive struct {
	site.Device
	signals map[string]*signalLive
}

type signalLive struct {
	site.Signal
	device *deviceLive
	state  store.SignalState
	guards []*guardLive
}

type guardLive struct {
	alarm.Guard
	signal  *signalLive
	state   alarm.State
	begunAt measure.Instant
	alarmID int64 // the standing alarm; 0: none
}

// load reads everything.
func load(ctx context.Context, tx *store.Tx) (*live, error) {
	l := &live{keys: keyring{}, devices: map[int64]*deviceLive{}, byName: map[string]*deviceLive{}, signals: map[int64]*signalLive{}, guards: map[int64]*guardLive{}}
	devices, err := tx.Devices(ctx)
	if err != nil {
		return nil, err
	}
	for _, d := range devices {
		entry := &deviceLive{Device: d, signals: map[string]*signalLive{}}
		l.devices[d.ID], l.byName[d.Name] = entry, entry
	}
	keys, err := tx.Keys(ctx)
	if err != nil {
		return nil, err
	}
	for _, k := range keys {
		l.keys[[32]byte(k.Hash)] = k.Device
	}
	signals, err := tx.SignalRows(ctx)
	if err != nil {
		return nil, err
	}
	for _, row := range signals {
		l.add(row.Signal, l.devices[row.DeviceID])
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
		l.guard(g, s)
	}
	if l.site, err = tx.Site(ctx); err != nil {
		return nil, err
	}
	return l, l.refresh(ctx, tx, -1)
}

// refresh reads the states that commits after since have changed.
func (l *live) refresh(ctx context.Context, tx *store.Tx, since int64) error {
	states, err := tx.SignalStates(ctx, since)
	if err != nil {
		return err
	}
	for _, st := range states {
		l.signals[st.Signal].state = st
	}
	kept, err := tx.GuardStates(ctx, since)
	if err != nil {
		return err
	}
	for _, k := range kept {
		g := l.guards[k.Guard]
		g.state = alarm.State{Phase: k.Phase, Acknowledged: k.Acknowledged, Since: k.Since, RaisedAt: k.RaisedAt, Extreme: k.Extreme}
		g.begunAt, g.alarmID = k.BegunAt, 0
		if k.AlarmID != nil {
			g.alarmID = *k.AlarmID
		}
	}
	for _, g := range l.guards {
		st := &g.signal.state
		g.state.Held, g.state.HeldAt, g.state.Stepped = st.Held, st.HeldAt, max(st.SteppedAt, g.begunAt)
	}
	return nil
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

// find gives the signal at DEVICE/SIGNAL; the error names the nearest one.
func (l *live) find(path string) (*signalLive, error) {
	device, name, err := site.SplitPath(path)
	if err != nil {
		return nil, &measure.Fault{Field: "signal", Reason: err.Error()}
	}
	if d := l.byName[device]; d != nil && d.signals[name] != nil {
		return d.signals[name], nil
	}
	paths := make([]string, 0, len(l.signals))
	for _, s := range l.signals {
		paths = append(paths, s.Path())
	}
	return nil, &measure.Fault{Field: "signal", Reason: unknown("signal", path, paths)}
}

// unknown says that a name is not known, with the nearest that is.
func unknown(what, name string, known []string) string {
	reason := "there is no " + what + " " + name
	if near := site.Nearest(name, known); near != "" {
		return reason + "; did you mean " + near + "?"
	}
	return reason
}

// unknownUnit says that a unit is not known, with the code that was perhaps meant.
func unknownUnit(u measure.Unit) string {
	if meant := measure.UnitMeant(string(u)); meant != "" {
		return fmt.Sprintf("there is no unit %s; did you mean %s?", u, meant)
	}
	return unknown("unit", string(u), measure.UnitCodes())
}
