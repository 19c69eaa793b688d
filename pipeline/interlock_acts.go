package pipeline

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/store"
)

// SaveInterlock stores an interlock, new or changed, by its name. It looks at once.
func (p *Pipeline) SaveInterlock(ctx context.Context, i *drive.Interlock, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		old := t.live.lockNamed(i.Name)
		entry, err := t.fitInterlock(i)
		if err != nil {
			return err
		}
		i.ID, i.MadeAt, i.Memory = 0, t.Now, drive.Memory{}
		kind := "interlock added"
		if old != nil {
			kind, i.ID = "interlock changed", old.ID
			t.forgetLock(old)
			t.consider(old.output)
			if i.Latch { // it is as much driven as it was
				i.Memory = drive.Memory{Latched: old.Latched, Why: old.Why}
			}
		}
		signal := int64(0)
		if entry.signal != nil {
			signal = entry.signal.ID
		}
		if err := t.Tx.SaveInterlock(t.ctx, i, entry.output.ID, signal); err != nil {
			return err
		}
		t.touched = true
		if entry, err = t.live.lock(t.ctx, t.Tx, *i, entry.output); err != nil {
			return err
		}
		t.beginLock(entry)
		if err := t.Enter(kind, i.Name, who.Called, fmt.Sprintf("Interlock %s of %s: %s", i.Name, i.Output, i.Words())); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

// FitInterlock checks an interlock that is not saved as if it were to be, and gives it and its output.
func (p *Pipeline) FitInterlock(ctx context.Context, i drive.Interlock) (drive.Interlock, drive.Output, error) {
	var o drive.Output
	err := p.Do(ctx, func(t *Turn) error {
		entry, err := t.fitInterlock(&i)
		if err == nil {
			o = entry.output.Output
		}
		return err
	})
	return i, o, err
}

// fitInterlock checks an interlock against all that it speaks of.
func (t *Turn) fitInterlock(i *drive.Interlock) (*lockLive, error) {
	if i.Name != "" {
		if err := site.CheckName(i.Name); err != nil {
			return nil, &measure.Fault{Field: "name", Reason: err.Error()}
		}
	}
	o := t.live.outputAt(i.Output)
	if o == nil {
		return nil, &measure.Fault{Field: "output", Reason: t.live.noOutput(i.Output)}
	}
	entry := &lockLive{Interlock: *i, output: o}
	switch i.Driver() {
	case drive.ByFormula, drive.ByBands, drive.ByCondition:
		if i.Driver() == drive.ByFormula && len(i.Of) == 0 || i.Driver() != drive.ByFormula && i.Signal == "" {
			break // Check says so
		}
		if err := t.live.equip(t.ctx, t.Tx, entry); err != nil {
			return nil, err
		}
	}
	if entry.signal != nil && i.Driver() == drive.ByCondition {
		test, err := entry.signal.understood(entry.cond.When)
		if err != nil {
			return nil, err
		}
		if test != entry.cond.When {
			i.When, entry.When, entry.cond.When = test.String(), test.String(), test
		}
	}
	if err := i.Check(&o.Output, entry.number()); err != nil {
		return nil, err
	}
	return entry, t.suitsDrivers(entry, i)
}

// suitsDrivers sees that what an interlock names is there and is of the right kind.
func (t *Turn) suitsDrivers(entry *lockLive, i *drive.Interlock) error {
	switch i.Driver() {
	case drive.ByAlarm:
		alarms, _ := drive.ParseAlarms(i.Alarm)
		for _, name := range alarms.Names {
			device, ofDevice := strings.CutSuffix(name, "/*")
			if ofDevice && t.live.byName[device] == nil {
				return &measure.Fault{Field: "alarm", Reason: site.Unknown("device", device, t.deviceNames())}
			}
			if _, err := t.guardNamed(name); !ofDevice && err != nil {
				return &measure.Fault{Field: "alarm", Reason: strings.TrimSuffix(err.Error(), ": "+store.ErrNotFound.Error())}
			}
		}
	case drive.ByCondition:
		if !entry.cond.When.Suits(entry.signal.Kind) {
			return &measure.Fault{Field: "when", Reason: fmt.Sprintf("'%s' does not suit %s, which %s", i.When, i.Signal, suits[entry.signal.Kind])}
		}
	case drive.ByBands:
		if entry.signal.Kind != site.KindNumber {
			return &measure.Fault{Field: "signal", Reason: fmt.Sprintf("bands are of numbers; %s %s", i.Signal, suits[entry.signal.Kind])}
		}
	}
	return nil
}

func (l *live) lockNamed(name string) *lockLive {
	for _, i := range l.locks {
		if i.Name == name {
			return i
		}
	}
	return nil
}

func (t *Turn) interlockNamed(name string) (*lockLive, error) {
	if i := t.live.lockNamed(name); i != nil {
		return i, nil
	}
	var names []string
	for _, i := range t.live.locks {
		names = append(names, i.Name)
	}
	slices.Sort(names)
	return nil, fmt.Errorf("%s: %w", site.Unknown("interlock", name, names), store.ErrNotFound)
}

// forgetLock takes an interlock out of what is at work.
func (t *Turn) forgetLock(i *lockLive) {
	t.touched = true
	not := func(other *lockLive) bool { return other == i }
	i.output.locks = slices.DeleteFunc(i.output.locks, not)
	for _, s := range i.drivenBy() {
		s.locks = slices.DeleteFunc(s.locks, not)
	}
	for _, s := range t.live.signals {
		s.watchers = slices.DeleteFunc(s.watchers, not)
	}
	delete(t.live.locks, i.ID)
	delete(t.looking, i.ID)
}

// RemoveInterlock removes an interlock: its output does what is asked of it otherwise.
func (p *Pipeline) RemoveInterlock(ctx context.Context, name string, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		i, err := t.interlockNamed(name)
		if err != nil {
			return err
		}
		t.forgetLock(i)
		t.consider(i.output)
		if err := t.KeepRemoved("interlock", name, "", who.Called, "interlock", "id", i.ID); err != nil {
			return err
		}
		if err := t.Tx.RemoveInterlock(t.ctx, i.ID); err != nil {
			return err
		}
		if err := t.Enter("interlock removed", name, who.Called, "Interlock "+name+" of "+i.Output+" was removed"); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

// ResetInterlock ends the latch of an interlock that is not driven any more.
func (p *Pipeline) ResetInterlock(ctx context.Context, name string, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		i, err := t.interlockNamed(name)
		if err == nil {
			err = t.mayReset(i)
		}
		if err != nil {
			return err
		}
		return t.reset(i, who)
	})
}

// ResetOutput ends the latches of all interlocks that hold an output; while one of them cannot be reset, none is.
func (p *Pipeline) ResetOutput(ctx context.Context, path string, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		o, err := t.outputNamed(path)
		if err != nil {
			return err
		}
		var latched []*lockLive
		for _, i := range o.locks {
			if i.Latched {
				if err := t.mayReset(i); err != nil {
					return fmt.Errorf("%s: %w", i.Name, err)
				}
				latched = append(latched, i)
			}
		}
		if len(latched) == 0 {
			return fmt.Errorf("no latched interlock holds %s, so there is nothing to reset: %w", path, ErrNotNow)
		}
		for _, i := range latched {
			err = errors.Join(err, t.reset(i, who))
		}
		return err
	})
}

// mayReset says why an interlock cannot be reset now.
func (t *Turn) mayReset(i *lockLive) error {
	now, err := t.sight(i)
	switch {
	case err != nil:
		return err
	case !i.Latched && now.Blind != "":
		return fmt.Errorf("interlock %s is not latched: %s; once that is over its output goes back by itself: %w", i.Name, now.Blind, ErrNotNow)
	case !i.Latched:
		return fmt.Errorf("interlock %s is not latched, so there is nothing to reset: %w", i.Name, ErrNotNow)
	case now.Blind != "":
		return fmt.Errorf("%s, so nobody knows whether it is in order again: %w", now.Blind, ErrNotNow)
	case now.Driven:
		return fmt.Errorf("it is still so that %s; reset it once that is over: %w", now.Why, ErrNotNow)
	}
	return nil
}

func (t *Turn) reset(i *lockLive, who Actor) error {
	t.touched = true
	i.Latched, i.moved = false, true
	t.mayLook(i)
	return t.Enter("interlock reset", i.Name, who.Called, "Interlock "+i.Name+" of "+i.Output+" was reset")
}

// drivenByGuard gives an interlock that names a guard and drives an output of another device than besides; nil: there is none.
func (l *live) drivenByGuard(guard string, besides *deviceLive) *lockLive {
	for _, i := range l.locks {
		if i.output.device != besides && slices.Contains(i.alarms.Names, guard) {
			return i
		}
	}
	return nil
}

// renameDriver lets interlocks follow a guard to its new name.
func (t *Turn) renameDriver(old, name string) error {
	for _, i := range t.live.locks {
		if !slices.Contains(i.alarms.Names, old) {
			continue
		}
		words := strings.Fields(strings.ReplaceAll(i.Alarm, ",", " "))
		for n := range i.alarms.Names {
			if words[n] == old {
				words[n] = name
			}
		}
		t.touched = true
		i.Alarm = strings.Join(words, " ")
		if err := t.live.equip(t.ctx, t.Tx, i); err != nil {
			return err
		}
		if err := t.Tx.SaveInterlock(t.ctx, &i.Interlock, i.output.ID, 0); err != nil {
			return err
		}
	}
	return nil
}
