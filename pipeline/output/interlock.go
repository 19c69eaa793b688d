package output

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/pipeline/memory"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// StepInterlock moves the condition of an interlock by one event.
func (t *Turn) StepInterlock(i *memory.Interlock, e alarm.Event) {
	if i.When == "" || i.Broken != "" {
		return
	}
	before := i.State.Kept
	t.Alter(i.Drives.Home)
	i.State, t.room = alarm.Step(&i.Cond, i.State, e, t.room[:0])
	// for every process, not this one alone
	if e.Kind != alarm.NewReading && i.State.Stepped > max(i.BegunAt, i.Subject.State.SteppedAt) {
		i.BegunAt, i.Moved = i.State.Stepped, true
	}
	i.Moved = i.Moved || i.State.Kept != before
}

// StepInterlocks lets the conditions on a signal look at a usable reading.
func (t *Turn) StepInterlocks(s *memory.Signal, e alarm.Event) {
	for _, i := range s.Interlocks {
		t.StepInterlock(i, e)
	}
}

// MayLook has an interlock look at the end of the turn.
func (t *Turn) MayLook(i *memory.Interlock) {
	if t.looking == nil {
		t.looking = map[int64]*memory.Interlock{}
	}
	t.looking[i.ID] = i
}

// evaluateAll lets all interlocks look whose signals or alarms have changed in the turn.
func (t *Turn) evaluateAll() error {
	for s := range t.ChangedSignals() {
		for _, i := range slices.Concat(s.Interlocks, s.Watchers) {
			t.MayLook(i)
		}
	}
	if t.AlarmsMoved {
		t.AlarmsMoved, t.Site.Driving = false, nil
		for _, i := range t.Site.Interlocks {
			if i.Alarm != "" {
				t.MayLook(i)
			}
		}
	}
	for _, i := range t.Site.Broken {
		if i.Blind != i.Broken {
			t.MayLook(i)
		}
	}
	looking := t.looking
	t.looking = nil
	for _, id := range slices.Sorted(maps.Keys(looking)) {
		if i := looking[id]; t.Site.Interlocks[id] == i {
			if err := t.evaluate(i); err != nil {
				return err
			}
		}
	}
	return nil
}

// evaluate lets an interlock see how things are now.
func (t *Turn) evaluate(i *memory.Interlock) error {
	s, err := t.See(i)
	if err != nil {
		return err
	}
	t.Alter(i.Drives.Home)
	after := i.Look(&i.Drives.Output, s)
	if after != i.Memory {
		i.Memory, i.Moved = after, true
		t.Consider(i.Drives)
	}
	due := measure.Instant(0)
	if i.Calendar != nil {
		due = i.Calendar.Next(t.Now)
	} else if i.When != "" && i.Broken == "" {
		if due = i.State.Due(&i.Cond); due != 0 {
			due += i.Subject.State.Lag()
		}
	}
	if i.Moved = i.Moved || due != i.DueAt; i.Moved {
		i.DueAt = due
		if t.movedLocks == nil {
			t.movedLocks = map[int64]*memory.Interlock{}
		}
		t.movedLocks[i.ID] = i
	}
	return nil
}

func (t *Turn) saveLocks() error {
	for _, i := range t.movedLocks {
		if t.Site.Interlocks[i.ID] != i {
			continue // removed in this turn
		}
		row := config.InterlockState{Interlock: i.ID, Condition: i.State.Kept, BegunAt: i.BegunAt, Memory: i.Memory}
		if i.DueAt != 0 {
			row.DueAt = &i.DueAt
		}
		if err := config.SaveInterlockState(t.Ctx, t.Tx, row, t.CommitNo); err != nil {
			return err
		}
		i.Moved = false
	}
	t.movedLocks = nil
	return nil
}

// See gives what an interlock sees now.
func (t *Turn) See(i *memory.Interlock) (drive.Sight, error) {
	s := drive.Sight{At: t.Now, Blind: i.Broken}
	if i.Broken != "" {
		return s, nil
	}
	for _, signal := range i.DrivenBy() {
		if s.Blind == "" {
			s.Blind = signal.Blindness(i)
		}
	}
	switch i.Driver() {
	case drive.ByAlarm:
		return t.sightOfAlarms(i, s)
	case drive.ByHours:
		s.Driven, s.Why = i.Calendar.At(t.Now), "it is within "+i.Hours
	case drive.ByCondition:
		test, unit := roster.Shown(i.Cond.When, i.Subject.Unit, t.Site.Settings.Units)
		s.Driven, s.Why = i.State.Raised(), roster.Sentence(i.Subject.DeviceTitle(),
			site.Title(i.Subject.Title, i.Subject.Name), test, unit)
		if word := i.Subject.StateWord(test); word != "" {
			s.Why = i.Subject.Thing() + " is " + word
		}
	case drive.ByBands:
		s.Number, s.Value, s.Why = true, i.Subject.State.Held, fmt.Sprintf("%s reads %s", i.Subject.Thing(),
			i.Subject.Figure(i.Subject.State.Held, t.Site.Settings.Units))
	case drive.ByFormula:
		t.sightOfFormula(i, &s)
	}
	return s, nil
}

// sightOfAlarms sees whether an alarm stands that drives an interlock. Where guards are named, it cannot see when the
// signal of one of them cannot be believed.
func (t *Turn) sightOfAlarms(i *memory.Interlock, s drive.Sight) (drive.Sight, error) {
	if t.Site.Driving == nil {
		standing, err := events.Driving(t.Ctx, t.Tx)
		if err != nil {
			return s, err
		}
		t.Site.Driving = &standing
	}
	for _, a := range *t.Site.Driving {
		if !i.Alarms.Match(a) || a.Kind == alarm.ByOutput && a.Signal == i.Drives.Path() {
			continue
		}
		s.Driven, s.Why = true, a.Sentence
		if a.Drill {
			s.Why = "Drill: " + s.Why
			return s, nil
		}
		break
	}
	for _, name := range i.Alarms.Names {
		device, ofDevice := strings.CutSuffix(name, "/*")
		switch {
		case s.Blind != "":
		case !ofDevice:
			s.Blind = t.Site.BlindnessOf(name)
		case t.Site.Named[device] == nil:
			s.Blind = "there is no device " + device + " any more"
		}
	}
	return s, nil
}

func (t *Turn) sightOfFormula(i *memory.Interlock, s *drive.Sight) {
	newest := measure.Instant(0)
	for n, in := range i.Inputs {
		if in.State.HeldAt != 0 {
			i.Machine.Hold(n, in.State.HeldAt, in.State.Held)
			newest = max(newest, in.State.HeldAt)
		}
	}
	v, known := i.Machine.Compute(newest)
	switch {
	case s.Blind != "":
	case !known:
		s.Blind = "the formula gives no value"
	case i.GivesNumber():
		s.Number, s.Value, s.Why = true, v, fmt.Sprintf("%s gives %s", i.Formula, measure.Figure(v, ""))
	default:
		s.Driven, s.Why = v != 0, i.Formula+" is true"
	}
}
