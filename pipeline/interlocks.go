package pipeline

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/derive"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/core/wall"
	"jauntylark/store"
)

// lockLive is an interlock at work.
type lockLive struct {
	drive.Interlock
	output   *outputLive
	signal   *signalLive     // of a condition or bands; nil: none
	inputs   []*signalLive   // of a formula
	machine  *derive.Machine // of a formula
	alarms   drive.Alarms
	calendar *wall.Calendar
	cond     alarm.Guard // the condition
	state    alarm.State // of the condition
	begunAt  measure.Instant
	dueAt    measure.Instant
	broken   string // why it cannot work any more; empty: it can
	moved    bool   // its state is to be saved
}

// lock takes in an interlock of an output. What it speaks of may have become something else since it was saved; then it is blind, and
// everything else goes on.
func (l *live) lock(ctx context.Context, tx *store.Tx, i drive.Interlock, o *outputLive) (*lockLive, error) {
	entry := &lockLive{Interlock: i, output: o}
	var fault *measure.Fault
	switch err := l.equip(ctx, tx, entry); {
	case errors.As(err, &fault):
		entry.broken = "it cannot work any more: " + fault.Reason
		l.broken = append(l.broken, entry)
	case err != nil:
		return nil, err
	}
	l.locks[i.ID] = entry
	o.locks = append(o.locks, entry)
	slices.SortFunc(o.locks, func(a, b *lockLive) int { return int(a.ID - b.ID) })
	for _, s := range entry.drivenBy() {
		s.locks = append(s.locks, entry)
	}
	for _, g := range l.guards {
		if slices.Contains(entry.alarms.Names, g.Name) {
			g.signal.watch(entry)
		}
	}
	return entry, nil
}

// watch has an interlock look whenever a signal moves whose alarm drives it, or what that is computed from: then it may see no more.
func (s *signalLive) watch(i *lockLive) {
	s.watchers = append(s.watchers, i)
	if s.derived != nil {
		for _, in := range s.derived.inputs {
			in.watch(i)
		}
	}
}

// equip finds the signals of an interlock and compiles what it says in words.
func (l *live) equip(ctx context.Context, tx *store.Tx, i *lockLive) (err error) {
	switch i.Driver() {
	case drive.ByAlarm:
		i.alarms, err = drive.ParseAlarms(i.Alarm)
	case drive.ByHours:
		i.calendar, err = wall.NewCalendar(i.Hours, l.site.Location(), l.site.Holidays)
	case drive.ByCondition:
		if i.signal, err = l.find(i.Signal); err == nil {
			err = i.readCondition(ctx, tx)
		}
	case drive.ByBands:
		i.signal, err = l.find(i.Signal)
	case drive.ByFormula:
		err = l.equipFormula(i)
	}
	return err
}

// readCondition reads the condition, with the number of its word where it has one.
func (i *lockLive) readCondition(ctx context.Context, tx *store.Tx) (err error) {
	if i.cond, err = i.Condition(); err != nil {
		return &measure.Fault{Field: "when", Reason: err.Error()}
	}
	if test := &i.cond.When; test.Kind == alarm.IsWord || test.Kind == alarm.IsNotWord {
		numbers, err := tx.Words(ctx, []string{test.Word})
		if err != nil {
			return err
		}
		test.A = float64(numbers[test.Word])
	}
	return nil
}

func (l *live) equipFormula(i *lockLive) (err error) {
	recipe := derive.Recipe{Kind: "formula", Formula: i.Formula}
	var sources []derive.Source
	var inputs []*signalLive
	for _, in := range i.Of {
		s, err := l.find(in.Signal)
		if err != nil {
			return err
		}
		recipe.Of = append(recipe.Of, derive.Input{As: in.As, Signal: in.Signal})
		inputs = append(inputs, s)
		sources = append(sources, derive.Source{Path: s.Path(), Kind: s.Kind, Unit: s.Unit, Hold: derive.Hold(s.interval())})
	}
	if i.machine, err = recipe.Build(sources); err == nil {
		i.inputs = inputs
	}
	return err
}

// number tells whether its formula gives a number.
func (i *lockLive) number() bool { return i.machine != nil && i.machine.Output.Kind == site.KindNumber }

// drivenBy are the signals whose readings drive the interlock.
func (i *lockLive) drivenBy() []*signalLive {
	if i.signal != nil {
		return []*signalLive{i.signal}
	}
	return i.inputs
}

// hold lets the condition of an interlock hold what its signal reads.
func (i *lockLive) hold(s *signalLive) {
	if i.When == "" || i.broken != "" {
		return
	}
	i.state.Held, i.state.HeldAt = s.held(&i.cond)
	i.state.Stepped = max(s.state.SteppedAt, i.begunAt)
}

// stepLock moves the condition of an interlock by one event.
func (t *Turn) stepLock(i *lockLive, e alarm.Event) {
	if i.When == "" || i.broken != "" {
		return
	}
	before := i.state.Kept
	t.touched = true
	i.state, t.room = alarm.Step(&i.cond, i.state, e, t.room[:0])
	if e.Kind != alarm.NewReading && i.state.Stepped > max(i.begunAt, i.signal.state.SteppedAt) { // for every process, not this one alone
		i.begunAt, i.moved = i.state.Stepped, true
	}
	i.moved = i.moved || i.state.Kept != before
}

// stepLocks lets the conditions on a signal look at a usable reading.
func (t *Turn) stepLocks(s *signalLive, e alarm.Event) {
	for _, i := range s.locks {
		t.stepLock(i, e)
	}
}

// mayLook has an interlock look at the end of the turn.
func (t *Turn) mayLook(i *lockLive) {
	if t.looking == nil {
		t.looking = map[int64]*lockLive{}
	}
	t.looking[i.ID] = i
}

// lookAll lets all interlocks look whose signals or alarms have changed in the turn.
func (t *Turn) lookAll() error {
	for _, s := range t.signals {
		for _, i := range slices.Concat(s.locks, s.watchers) {
			t.mayLook(i)
		}
	}
	if t.alarmsMoved {
		t.alarmsMoved, t.live.driving, t.touched = false, nil, true
		for _, i := range t.live.locks {
			if i.Alarm != "" {
				t.mayLook(i)
			}
		}
	}
	for _, i := range t.live.broken {
		if i.Blind != i.broken {
			t.mayLook(i)
		}
	}
	looking := t.looking
	t.looking = nil
	for _, id := range slices.Sorted(maps.Keys(looking)) {
		if i := looking[id]; t.live.locks[id] == i {
			if err := t.look(i); err != nil {
				return err
			}
		}
	}
	return nil
}

// look lets an interlock see how things are now.
func (t *Turn) look(i *lockLive) error {
	s, err := t.sight(i)
	if err != nil {
		return err
	}
	t.touched = true
	after := i.Look(&i.output.Output, s)
	if after != i.Memory {
		i.Memory, i.moved = after, true
		t.consider(i.output)
	}
	due := measure.Instant(0)
	if i.calendar != nil {
		due = i.calendar.Next(t.Now)
	} else if i.When != "" && i.broken == "" {
		if due = i.state.Due(&i.cond); due != 0 {
			due += i.signal.state.Lag()
		}
	}
	if i.moved = i.moved || due != i.dueAt; i.moved {
		i.dueAt = due
		if t.movedLocks == nil {
			t.movedLocks = map[int64]*lockLive{}
		}
		t.movedLocks[i.ID] = i
	}
	return nil
}

func (t *Turn) saveLocks() error {
	for _, i := range t.movedLocks {
		if t.live.locks[i.ID] != i {
			continue // removed in this turn
		}
		row := store.InterlockState{Interlock: i.ID, Condition: i.state.Kept, BegunAt: i.begunAt, Memory: i.Memory}
		if i.dueAt != 0 {
			row.DueAt = &i.dueAt
		}
		if err := t.Tx.SaveInterlockState(t.ctx, row, t.CommitNo); err != nil {
			return err
		}
		i.moved = false
	}
	t.movedLocks = nil
	return nil
}

// sight gives what an interlock sees now.
func (t *Turn) sight(i *lockLive) (drive.Sight, error) {
	s := drive.Sight{At: t.Now, Blind: i.broken}
	if i.broken != "" {
		return s, nil
	}
	for _, signal := range i.drivenBy() {
		if s.Blind == "" {
			s.Blind = signal.blindness(i)
		}
	}
	switch i.Driver() {
	case drive.ByAlarm:
		return t.sightOfAlarms(i, s)
	case drive.ByHours:
		s.Driven, s.Why = i.calendar.At(t.Now), "it is within "+i.Hours
	case drive.ByCondition:
		test, unit := roster.Shown(i.cond.When, i.signal.Unit, t.live.site.Units)
		s.Driven, s.Why = i.state.Raised(), roster.Sentence(i.signal.deviceTitle(), site.Title(i.signal.Title, i.signal.Name), test, unit)
		if word := i.signal.stateWord(test); word != "" {
			s.Why = i.signal.thing() + " is " + word
		}
	case drive.ByBands:
		s.Number, s.Value, s.Why = true, i.signal.state.Held, fmt.Sprintf("%s reads %s", i.signal.thing(), i.signal.Figure(i.signal.state.Held, t.live.site.Units))
	case drive.ByFormula:
		t.sightOfFormula(i, &s)
	}
	return s, nil
}

func (s *signalLive) deviceTitle() string { return site.Title(s.device.Title, s.device.Name) }

func (s *signalLive) thing() string {
	return roster.Thing(s.deviceTitle(), site.Title(s.Title, s.Name))
}

// blindness says why a signal cannot drive an interlock; empty: it can. A single reading that cannot be believed does not blind: the
// value before it holds until that is a sensor fault.
func (s *signalLive) blindness(i *lockLive) string {
	held := s.state.HeldAt
	if i.When != "" {
		_, held = s.held(&i.cond)
	}
	switch {
	case s.state.Quality&measure.Warming != 0:
		return s.thing() + " still warms up"
	case held == 0:
		return "nothing has come of " + s.Path() + " yet"
	case s.unheard() || s.device.state.SilentSince != 0:
		return s.thing() + " is silent"
	case s.state.FaultAlarm != nil:
		return s.thing() + " is not to be believed"
	case s.derived == nil:
		return ""
	}
	for _, in := range s.derived.inputs {
		if why := in.blindness(&lockLive{}); why != "" {
			return why
		}
	}
	return ""
}

// sightOfAlarms sees whether an alarm stands that drives an interlock. Where guards are named, it cannot see when the signal of one
// of them cannot be believed.
func (t *Turn) sightOfAlarms(i *lockLive, s drive.Sight) (drive.Sight, error) {
	if t.live.driving == nil {
		standing, err := t.Tx.Driving(t.ctx)
		if err != nil {
			return s, err
		}
		t.live.driving = &standing
	}
	for _, a := range *t.live.driving {
		if !i.alarms.Match(a) || a.Kind == alarm.ByOutput && a.Signal == i.output.Path() {
			continue
		}
		s.Driven, s.Why = true, a.Sentence
		if a.Drill {
			s.Why = "Drill: " + s.Why
			return s, nil
		}
		break
	}
	for _, name := range i.alarms.Names {
		device, ofDevice := strings.CutSuffix(name, "/*")
		switch {
		case s.Blind != "":
		case !ofDevice:
			s.Blind = t.live.blindnessOf(name)
		case t.live.byName[device] == nil:
			s.Blind = "there is no device " + device + " any more"
		}
	}
	return s, nil
}

// blindnessOf says why a guard cannot tell whether its alarm should stand; empty: it can. Guards that look for silence and marks judge
// that themselves.
func (l *live) blindnessOf(guard string) string {
	for _, g := range l.guards {
		switch {
		case g.Name != guard:
		case g.When.Kind >= alarm.Silent:
			return ""
		default:
			return g.signal.blindness(&lockLive{Interlock: drive.Interlock{When: g.When.String()}, cond: g.Guard})
		}
	}
	return "there is no guard " + guard + " any more"
}

func (t *Turn) sightOfFormula(i *lockLive, s *drive.Sight) {
	newest := measure.Instant(0)
	for n, in := range i.inputs {
		if in.state.HeldAt != 0 {
			i.machine.Hold(n, in.state.HeldAt, in.state.Held)
			newest = max(newest, in.state.HeldAt)
		}
	}
	v, known := i.machine.Compute(newest)
	switch {
	case s.Blind != "":
	case !known:
		s.Blind = "the formula gives no value"
	case i.number():
		s.Number, s.Value, s.Why = true, v, fmt.Sprintf("%s gives %s", i.Formula, measure.Figure(v, ""))
	default:
		s.Driven, s.Why = v != 0, i.Formula+" is true"
	}
}
