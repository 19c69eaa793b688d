package memory

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"

	"jauntylark/core/alarm"
	"jauntylark/core/derive"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/core/wall"
	"jauntylark/store"
	"jauntylark/store/timeseries"
)

// Interlock is an interlock at work.
type Interlock struct {
	drive.Interlock
	Drives   *Output
	Subject  *Signal         // of a condition or bands; nil: none
	Inputs   []*Signal       // of a formula
	Machine  *derive.Machine // of a formula
	Alarms   drive.Alarms
	Calendar *wall.Calendar
	Cond     alarm.Guard // the condition
	State    alarm.State // of the condition
	BegunAt  measure.Instant
	DueAt    measure.Instant
	Broken   string // why it cannot work any more; empty: it can
	Moved    bool   // its state is to be saved
	watches  []*Signal
}

// readCondition reads the condition, with the number of its word where it has one.
func (i *Interlock) readCondition(ctx context.Context, tx *store.Tx) (err error) {
	if i.Cond, err = i.Condition(); err != nil {
		return &measure.Fault{Field: "when", Reason: err.Error()}
	}
	if test := &i.Cond.When; test.Kind == alarm.IsWord || test.Kind == alarm.IsNotWord {
		numbers, err := timeseries.Words(ctx, tx, []string{test.Word})
		if err != nil {
			return err
		}
		test.A = float64(numbers[test.Word])
	}
	return nil
}

// GivesNumber tells whether its formula gives a number.
func (i *Interlock) GivesNumber() bool {
	return i.Machine != nil && i.Machine.Output.Kind == site.KindNumber
}

// DrivenBy are the signals whose readings drive the interlock.
func (i *Interlock) DrivenBy() []*Signal {
	if i.Subject != nil {
		return []*Signal{i.Subject}
	}
	return i.Inputs
}

// Hold lets the condition of an interlock hold what its signal reads.
func (i *Interlock) Hold(s *Signal) {
	if i.When == "" || i.Broken != "" {
		return
	}
	i.State.Held, i.State.HeldAt = s.HeldBy(&i.Cond)
	i.State.Stepped = max(s.State.SteppedAt, i.BegunAt)
}

// AddInterlock takes in an interlock of an output. What it speaks of may have become something else since it was saved;
// then it is blind, and everything else goes on.
func (l *Site) AddInterlock(ctx context.Context, tx *store.Tx, i drive.Interlock, o *Output) (*Interlock, error) {
	loading := loader{l, ctx, tx}
	entry, err := loading.addInterlock(i, o)
	if err == nil {
		l.watch()
	}
	return entry, err
}

func (l *loader) addInterlock(i drive.Interlock, o *Output) (*Interlock, error) {
	entry := &Interlock{Interlock: i, Drives: o}
	if err := l.join(entry); err != nil {
		return nil, err
	}
	l.Interlocks[i.ID] = entry
	o.Interlocks = append(o.Interlocks, entry)
	slices.SortFunc(o.Interlocks, byID)
	return entry, nil
}

func byID(a, b *Interlock) int { return cmp.Compare(a.ID, b.ID) }

// join equips an interlock, and joins it with the signals that drive it.
func (l *loader) join(i *Interlock) error {
	var fault *measure.Fault
	switch err := l.Equip(l.ctx, l.tx, i); {
	case errors.As(err, &fault):
		i.Broken = "it cannot work any more: " + fault.Reason
		l.Broken = append(l.Broken, i)
	case err != nil:
		return fmt.Errorf("interlock %s: %w", i.Name, err)
	}
	for _, s := range i.DrivenBy() {
		s.Interlocks = append(s.Interlocks, i)
		slices.SortFunc(s.Interlocks, byID)
	}
	return nil
}

// equipAnew joins an interlock with what its signals have become. What it remembers stays.
func (l *loader) equipAnew(i *Interlock) error {
	i.detach()
	l.Broken = slices.DeleteFunc(l.Broken, func(b *Interlock) bool { return b == i })
	i.Broken, i.Subject, i.Inputs, i.Machine = "", nil, nil, nil
	if err := l.join(i); err != nil {
		return err
	}
	for _, s := range i.DrivenBy() {
		i.Hold(s)
	}
	return nil
}

// RemoveInterlock forgets an interlock.
func (l *Site) RemoveInterlock(i *Interlock) {
	i.detach()
	not := func(other *Interlock) bool { return other == i }
	i.Drives.Interlocks, l.Broken = slices.DeleteFunc(i.Drives.Interlocks, not), slices.DeleteFunc(l.Broken, not)
	delete(l.Interlocks, i.ID)
}

// detach takes an interlock off the signals that it looks at.
func (i *Interlock) detach() {
	for _, s := range i.DrivenBy() {
		s.Interlocks = slices.DeleteFunc(s.Interlocks, func(other *Interlock) bool { return other == i })
	}
	i.unwatch()
}

// watch has interlocks look whenever a signal moves whose alarm drives them, or what that is computed from: then they
// may see no more.
func (l *Site) watch() {
	named := map[string][]*Interlock{}
	for _, i := range l.Interlocks {
		i.unwatch()
		for _, guard := range i.Alarms.Names {
			named[guard] = append(named[guard], i)
		}
	}
	if len(named) == 0 {
		return
	}
	for _, g := range l.Guards {
		for _, i := range named[g.Name] {
			i.watch(g.Subject)
		}
	}
}

func (i *Interlock) watch(s *Signal) {
	i.watches = append(i.watches, s)
	s.Watchers = append(s.Watchers, i)
	slices.SortFunc(s.Watchers, byID)
	if s.Derived != nil {
		for _, in := range s.Derived.From {
			i.watch(in)
		}
	}
}

func (i *Interlock) unwatch() {
	for _, s := range i.watches {
		s.Watchers = slices.DeleteFunc(s.Watchers, func(other *Interlock) bool { return other == i })
	}
	i.watches = nil
}

// Equip finds the signals of an interlock and compiles what it says in words.
func (l *Site) Equip(ctx context.Context, tx *store.Tx, i *Interlock) (err error) {
	switch i.Driver() {
	case drive.ByAlarm:
		i.Alarms, err = drive.ParseAlarms(i.Alarm)
	case drive.ByHours:
		i.Calendar, err = wall.NewCalendar(i.Hours, l.Settings.Location(), l.Settings.Holidays)
	case drive.ByCondition:
		if i.Subject, err = l.FindSignal(i.Signal); err == nil {
			err = i.readCondition(ctx, tx)
		}
	case drive.ByBands:
		i.Subject, err = l.FindSignal(i.Signal)
	case drive.ByFormula:
		err = l.equipFormula(i)
	}
	return err
}

func (l *Site) equipFormula(i *Interlock) (err error) {
	recipe := derive.Recipe{Kind: "formula", Formula: i.Formula}
	var sources []derive.Source
	var inputs []*Signal
	for _, in := range i.Of {
		s, err := l.FindSignal(in.Signal)
		if err != nil {
			return err
		}
		recipe.Of = append(recipe.Of, derive.Input{As: in.As, Signal: in.Signal})
		inputs = append(inputs, s)
		sources = append(sources, derive.Source{Path: s.Path(), Kind: s.Kind, Unit: s.Unit,
			Hold: derive.Hold(s.EffectiveInterval())})
	}
	if i.Machine, err = recipe.Build(sources); err == nil {
		i.Inputs = inputs
	}
	return err
}

// Blindness says why a signal cannot drive an interlock; empty: it can. A single reading that cannot be believed does
// not blind: the value before it holds until that is a sensor fault.
func (s *Signal) Blindness(i *Interlock) string {
	held := s.State.HeldAt
	if i.When != "" {
		_, held = s.HeldBy(&i.Cond)
	}
	switch {
	case s.State.Quality&measure.Warming != 0:
		return s.Thing() + " still warms up"
	case held == 0:
		return "nothing has come of " + s.Path() + " yet"
	case s.unheard() || s.Home.State.SilentSince != 0:
		return s.Thing() + " is silent"
	case s.State.FaultAlarm != nil:
		return s.Thing() + " is not to be believed"
	case s.Derived == nil:
		return ""
	}
	for _, in := range s.Derived.From {
		if why := in.Blindness(&Interlock{}); why != "" {
			return why
		}
	}
	return ""
}

// BlindnessOf says why a guard cannot tell whether its alarm should stand; empty: it can. Guards that look for silence
// and marks judge that themselves.
func (l *Site) BlindnessOf(guard string) string {
	for _, g := range l.Guards {
		switch {
		case g.Name != guard:
		case g.When.Kind >= alarm.Silent:
			return ""
		default:
			return g.Subject.Blindness(&Interlock{Interlock: drive.Interlock{When: g.When.String()}, Cond: g.Guard})
		}
	}
	return "there is no guard " + guard + " any more"
}

// InterlockNamed gives an interlock; nil: there is none.
func (l *Site) InterlockNamed(name string) *Interlock {
	for _, i := range l.Interlocks {
		if i.Name == name {
			return i
		}
	}
	return nil
}

// FindInterlock gives an interlock; the error names the nearest one, and is store.ErrNotFound.
func (l *Site) FindInterlock(name string) (*Interlock, error) {
	if i := l.InterlockNamed(name); i != nil {
		return i, nil
	}
	var names []string
	for _, i := range l.Interlocks {
		names = append(names, i.Name)
	}
	slices.Sort(names)
	return nil, fmt.Errorf("%s: %w", site.Unknown("interlock", name, names), store.ErrNotFound)
}

// DrivenByGuard gives an interlock that names a guard and drives an output of another device than besides; nil: there
// is none.
func (l *Site) DrivenByGuard(guard string, besides *Device) *Interlock {
	for _, i := range l.Interlocks {
		if i.Drives.Home != besides && slices.Contains(i.Alarms.Names, guard) {
			return i
		}
	}
	return nil
}
