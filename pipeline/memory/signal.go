package memory

import (
	"slices"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/calibrate"
	"jauntylark/core/measure"
	"jauntylark/core/quality"
	"jauntylark/core/site"
	"jauntylark/store/config"
)

// Signal is a signal at work.
type Signal struct {
	site.Signal
	Home       *Device
	State      config.SignalState
	Guards     []*Guard
	Suppresses []*Guard     // guards that may not look while this signal reads something
	Interlocks []*Interlock // interlocks that its readings drive
	Plans      []*Plan      // plans of runs that its readings start and end
	Watchers   []*Interlock // interlocks of alarms that are blind when it is
	Timeline   calibrate.Timeline
	Derived    *Derived // nil: it is measured
	Feeds      []Feed   // what is derived from it
	NewestPack PackNo   // the newest pack with a reading of it
}

// BeyondSpan tells on which side of the span, in true values, a raw value lies, unless the instrument fails to that
// side.
func (s *Signal) BeyondSpan(raw float64, at measure.Instant) alarm.Beyond {
	return BeyondSpan(&s.Rules, s.Timeline, raw, at)
}

// HeldBy gives what a guard of the signal holds: the newest usable reading, or one beyond the span that came
// after it and that the guard looks at.
func (s *Signal) HeldBy(g *alarm.Guard) (value float64, at measure.Instant) {
	st := &s.State
	switch {
	case g.When.Kind >= alarm.Silent:
		value, _ := g.Sees(st.Value, st.Quality, alarm.Within)
		return value, st.At
	case st.BeyondAt > st.HeldAt:
		if counted, looks := g.Sees(s.Timeline.At(st.BeyondAt).Apply(st.BeyondRaw), measure.Implausible,
			s.BeyondSpan(st.BeyondRaw, st.BeyondAt)); looks {
			return counted, st.BeyondAt
		}
	}
	return st.Held, st.HeldAt
}

// WatchesFaults tells whether a guard of somebody's own looks for faults of the signal in place of the built-in one.
func (s *Signal) WatchesFaults() bool {
	return slices.ContainsFunc(s.Guards, func(g *Guard) bool { return g.When.Kind == alarm.Faulty })
}

// HoldGuards lets the guards of a signal hold what it reads.
func (s *Signal) HoldGuards() {
	for _, g := range s.Guards {
		g.State.Held, g.State.HeldAt = s.HeldBy(&g.Guard)
		g.State.Stepped = max(s.State.SteppedAt, g.BegunAt)
	}
}

// AddSignal takes in a signal.
func (l *Site) AddSignal(v site.Signal, d *Device) *Signal {
	s := l.Signals[v.ID]
	if s == nil {
		s = &Signal{}
	}
	// Others that look at it go on looking at it.
	*s = Signal{Signal: v, Home: d, State: config.SignalState{Signal: v.ID}, Feeds: s.Feeds, Interlocks: s.Interlocks,
		Watchers: s.Watchers, Plans: s.Plans}
	s.Signal.Device, s.Signal.DeviceTitle = d.Name, d.Title
	for _, f := range s.Feeds {
		f.Derived.begin()
	}
	d.Signals[v.Name], l.Signals[v.ID] = s, s
	return s
}

// SignalAt gives the signal DEVICE/SIGNAL; nil: there is none.
func (l *Site) SignalAt(path string) *Signal {
	device, name, _ := strings.Cut(path, "/")
	if d := l.Named[device]; d != nil {
		return d.Signals[name]
	}
	return nil
}

// FindSignal gives the signal at DEVICE/SIGNAL; the error names the nearest one.
func (l *Site) FindSignal(path string) (*Signal, error) {
	if _, _, err := site.SplitPath(path); err != nil {
		return nil, &measure.Fault{Field: "signal", Reason: err.Error()}
	}
	if s := l.SignalAt(path); s != nil {
		return s, nil
	}
	paths := make([]string, 0, len(l.Signals))
	for _, s := range l.Signals {
		paths = append(paths, s.Path())
	}
	slices.Sort(paths) // of two that are as near, the first is meant
	return nil, &measure.Fault{Field: "signal", Reason: site.Unknown("signal", path, paths)}
}

// BeyondSpan tells on which side of the span, in true values, a raw value lies, unless the instrument fails to that
// side.
func BeyondSpan(rules *quality.Rules, timeline calibrate.Timeline, raw float64, at measure.Instant) alarm.Beyond {
	side := rules.Beyond(raw)
	switch {
	case side == quality.Neither || rules.Fails(side):
		return alarm.Within
	case (side == quality.High) != timeline.At(at).Falls():
		return alarm.BeyondHigh
	}
	return alarm.BeyondLow
}
