package memory

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/core/wall"
	"jauntylark/store"
	"jauntylark/store/timeseries"
)

// Guard is a guard at work.
type Guard struct {
	alarm.Guard
	Subject    *Signal
	State      alarm.State
	BegunAt    measure.Instant // readings at or before it are not stepped
	Alarms     [2]int64        // the standing alarm of each side; 0: none
	Suppressor alarm.Suppression
	Suppresses []*Guard // guards that do not look while this one's alarm stands
	Newest     NewestStep
}

// NewestStep is what a guard of a derived signal did at its newest instant, to be done again if another reading of
// that instant is still to come.
type NewestStep struct {
	Before, After alarm.State
	Untold        bool // it came to nothing that was told
}

// Shelves tells whether a guard's shelving keeps an alarm of a severity from being told.
func (g *Guard) Shelves(s alarm.Severity, now measure.Instant) bool {
	return g.Shelved != nil && *g.Shelved.Until > now && !s.Above(g.Shelved.Severity)
}

// Unread tells whether nothing has come since the guard was made as it is.
func (g *Guard) Unread() bool {
	return g.When.Kind < alarm.Silent && g.State.HeldAt <= g.MadeAt-g.Subject.State.Lag()
}

// TestOf gives the test that an alarm of the guard was raised by. The number of a word is the guard's.
func (g *Guard) TestOf(a alarm.Alarm) (alarm.Test, error) {
	test, err := alarm.ParseTest(a.When)
	for i := range g.Count() {
		if now := g.At(i).When; now.Kind == test.Kind && now.Word == test.Word && test.Word != "" {
			test.A = now.A
		}
	}
	return test, err
}

// RosterOfGuards gives the highest severity of guards and all whom they tell.
func RosterOfGuards(guards []*Guard) (alarm.Severity, []string) {
	severity, tell := alarm.Warning, []string{}
	for i, g := range guards {
		if worst := g.Severest(); i == 0 || worst.Above(severity) {
			severity = worst
		}
		tell = append(tell, g.Tell...)
	}
	slices.Sort(tell)
	return severity, slices.Compact(tell)
}

// AddGuard takes in a guard.
func (l *Site) AddGuard(g alarm.Guard, s *Signal) *Guard {
	entry := &Guard{Guard: g, Subject: s}
	l.Guards[g.ID] = entry
	s.Guards = append(s.Guards, entry) // they are stepped in order of their making
	slices.SortFunc(s.Guards, func(a, b *Guard) int { return cmp.Compare(a.ID, b.ID) })
	return entry
}

// Prepare compiles what a guard says in words: its armed hours, what suppresses it, the numbers of its texts.
func (l *Site) Prepare(ctx context.Context, tx *store.Tx, g *Guard) error {
	zone, err := time.LoadLocation(l.Settings.Zone)
	if err != nil {
		zone = time.UTC
	}
	calendar, err := wall.NewCalendar(g.Armed, zone, l.Settings.Holidays)
	if err != nil {
		return err
	}
	g.In(calendar)
	g.Suppressor = alarm.Suppression{}
	delete(l.conditional, g.ID)
	if g.Suppressed != "" {
		l.conditional[g.ID] = g
		if g.Suppressor, err = alarm.ParseSuppression(g.Suppressed); err != nil {
			return err
		}
	}
	for _, test := range []*alarm.Test{&g.When, &g.Suppressor.When} {
		if test.Kind != alarm.IsWord && test.Kind != alarm.IsNotWord {
			continue
		}
		numbers, err := timeseries.Words(ctx, tx, []string{test.Word})
		if err != nil {
			return err
		}
		test.A = float64(numbers[test.Word])
	}
	return nil
}

// LinkSuppressions joins each guard with what suppresses it. What is not there suppresses nothing.
func (l *Site) LinkSuppressions() {
	for _, was := range l.suppressed {
		if was.guard != nil {
			was.guard.Suppresses = nil
		}
		if was.signal != nil {
			was.signal.Suppresses = nil
		}
	}
	l.suppressed = l.suppressed[:0]
	if len(l.conditional) == 0 {
		return
	}
	byName := map[string]*Guard{}
	for _, g := range l.Guards {
		byName[g.Name] = g
	}
	for _, id := range slices.Sorted(maps.Keys(l.conditional)) {
		g := l.conditional[id]
		by := suppression{guard: byName[g.Suppressor.Guard], signal: l.SignalAt(g.Suppressor.Signal)}
		if by.guard != nil {
			by.guard.Suppresses = append(by.guard.Suppresses, g)
		}
		if by.signal != nil {
			by.signal.Suppresses = append(by.signal.Suppresses, g)
		}
		l.suppressed = append(l.suppressed, by)
	}
}

// suppression is what suppresses a guard: a guard or a signal, or nothing that is there.
type suppression struct {
	guard  *Guard
	signal *Signal
}

// Off gives the reasons why a guard does not look, but for armed hours. A signal that is silent suppresses nothing.
func (l *Site) Off(g *Guard) (off alarm.Off) {
	if g.OutOfUse != nil {
		off |= alarm.OutOfUse
	}
	switch {
	case g.Suppressor.Signal != "":
		s, err := l.FindSignal(g.Suppressor.Signal)
		if err == nil && s.State.HeldAt != 0 && !s.unheard() && g.Suppressor.When.Met(s.State.Held) {
			off |= alarm.Suppressed
		}
	case g.Suppressor.Guard != "":
		for _, other := range l.Guards {
			if other.Name == g.Suppressor.Guard && other.State.Raised() {
				off |= alarm.Suppressed
			}
		}
	}
	return off
}

// Sentence says what a rung of a guard found wrong by a value, in the unit in which the site sees it.
func (l *Site) Sentence(g *Guard, r *alarm.Rung, value float64) string {
	s := g.Subject
	test, unit := roster.Shown(r.When, s.Unit, l.Settings.Units)
	if w := l.Watched(s); w != nil {
		seen, _ := l.Settings.Units.Show(value, s.Unit)
		return w.Sentence(test, seen, unit)
	}
	if word := s.StateWord(test); word != "" {
		return s.Thing() + " is " + word
	}
	return roster.Sentence(s.DeviceTitle(), site.Title(s.Title, s.Name), test, unit)
}

// GuardOf gives the guard, and the side of it, whose standing alarm this is; nil when it is over.
func (l *Site) GuardOf(id int64) (*Guard, alarm.Side) {
	for _, g := range l.Guards {
		for side, standing := range g.Alarms {
			if standing == id {
				return g, alarm.Side(side)
			}
		}
	}
	return nil, 0
}

// RosterOf gives the highest severity and all addresses of the guards of a device and those behind it.
func (l *Site) RosterOf(d *Device) (alarm.Severity, []string) {
	var guards []*Guard
	for _, device := range append([]*Device{d}, d.Members...) {
		for _, s := range device.Signals {
			guards = append(guards, s.Guards...)
		}
	}
	return RosterOfGuards(guards)
}

// ClearsOf gives when a rung clears that asks what a saved guard of the signal does: that one's limits may have been
// given in another unit, in which they were computed, and this one's may have come there and back. Of others it is
// found out anew.
func (s *Signal) ClearsOf(r *alarm.Rung) alarm.Test {
	for _, g := range s.Guards {
		for i := range g.Count() {
			if saved := g.At(i); saved.When == r.When && saved.Deadband == r.Deadband {
				return saved.Clears
			}
		}
	}
	return alarm.Test{}
}

// FindGuard gives a guard; the error names the nearest one, and is store.ErrNotFound.
func (l *Site) FindGuard(name string) (*Guard, error) {
	names := make([]string, 0, len(l.Guards))
	for _, g := range l.Guards {
		if g.Name == name {
			return g, nil
		}
		names = append(names, g.Name)
	}
	return nil, fmt.Errorf("%s: %w", site.Unknown("guard", name, names), store.ErrNotFound)
}
