package configure

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/reading"
	"jauntylark/store"
	"jauntylark/store/config"
)

// SaveInterlock stores an interlock, new or changed, by its name. It looks at once.
func SaveInterlock(ctx context.Context, p *pipeline.Pipeline, i *drive.Interlock, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		old := t.Site.InterlockNamed(i.Name)
		entry, err := FitInterlockIn(t, i)
		if err != nil {
			return err
		}
		i.ID, i.MadeAt, i.Memory = 0, t.Now, drive.Memory{}
		kind := "interlock added"
		if old != nil {
			kind, i.ID = "interlock changed", old.ID
			t.ForgetInterlock(old)
			t.Consider(old.Drives)
			if i.Latch { // it is as much driven as it was
				i.Memory = drive.Memory{Latched: old.Latched, Why: old.Why}
			}
		}
		signal := int64(0)
		if entry.Subject != nil {
			signal = entry.Subject.ID
		}
		if err := config.SaveInterlock(t.Ctx, t.Tx, i, entry.Drives.ID, signal); err != nil {
			return err
		}
		t.ConfigChanged(entry.Drives.Home.Change())
		if entry, err = t.Site.AddInterlock(t.Ctx, t.Tx, *i, entry.Drives); err != nil {
			return err
		}
		beginLock(t, entry)
		if err := t.Enter(kind, i.Name, who.Called, fmt.Sprintf("Interlock %s of %s: %s", i.Name, i.Output,
			i.Words())); err != nil {
			return err
		}
		return nil
	})
}

// FitInterlock checks an interlock that is not saved as if it were to be, and gives it and its output.
func FitInterlock(ctx context.Context, p *pipeline.Pipeline, i drive.Interlock) (drive.Interlock, drive.Output, error) {
	var o drive.Output
	err := p.Do(ctx, func(t *reading.Turn) error {
		entry, err := FitInterlockIn(t, &i)
		if err == nil {
			o = entry.Drives.Output
		}
		return err
	})
	return i, o, err
}

// FitInterlockIn checks an interlock against all that it speaks of.
func FitInterlockIn(t *reading.Turn, i *drive.Interlock) (*memory.Interlock, error) {
	if i.Name != "" {
		if err := site.CheckName(i.Name); err != nil {
			return nil, &measure.Fault{Field: "name", Reason: err.Error()}
		}
	}
	o := t.Site.OutputAt(i.Output)
	if o == nil {
		return nil, &measure.Fault{Field: "output", Reason: t.Site.NoOutput(i.Output)}
	}
	entry := &memory.Interlock{Interlock: *i, Drives: o}
	switch i.Driver() {
	case drive.ByFormula, drive.ByBands, drive.ByCondition:
		if i.Driver() == drive.ByFormula && len(i.Of) == 0 || i.Driver() != drive.ByFormula && i.Signal == "" {
			break // Check says so
		}
		if err := t.Site.Equip(t.Ctx, t.Tx, entry); err != nil {
			return nil, err
		}
	}
	if entry.Subject != nil && i.Driver() == drive.ByCondition {
		test, err := entry.Subject.Understood(entry.Cond.When)
		if err != nil {
			return nil, err
		}
		if test != entry.Cond.When {
			i.When, entry.When, entry.Cond.When = test.String(), test.String(), test
		}
	}
	if err := i.Check(&o.Output, entry.GivesNumber()); err != nil {
		return nil, err
	}
	return entry, suitsDrivers(t, entry, i)
}

// suitsDrivers sees that what an interlock names is there and is of the right kind.
func suitsDrivers(t *reading.Turn, entry *memory.Interlock, i *drive.Interlock) error {
	switch i.Driver() {
	case drive.ByAlarm:
		alarms, _ := drive.ParseAlarms(i.Alarm)
		for _, name := range alarms.Names {
			device, ofDevice := strings.CutSuffix(name, "/*")
			if ofDevice && t.Site.Named[device] == nil {
				return &measure.Fault{Field: "alarm", Reason: site.Unknown("device", device, t.Site.DeviceNames())}
			}
			if _, err := t.Site.FindGuard(name); !ofDevice && err != nil {
				return &measure.Fault{Field: "alarm", Reason: strings.TrimSuffix(err.Error(), ": "+
					store.ErrNotFound.Error())}
			}
		}
	case drive.ByCondition:
		if !entry.Cond.When.Suits(entry.Subject.Kind) {
			return &measure.Fault{Field: "when", Reason: fmt.Sprintf("'%s' does not suit %s, which %s", i.When,
				i.Signal, memory.Suits[entry.Subject.Kind])}
		}
	case drive.ByBands:
		if entry.Subject.Kind != site.KindNumber {
			return &measure.Fault{Field: "signal", Reason: fmt.Sprintf("bands are of numbers; %s %s", i.Signal,
				memory.Suits[entry.Subject.Kind])}
		}
	}
	return nil
}

// RemoveInterlock removes an interlock: its output does what is asked of it otherwise.
func RemoveInterlock(ctx context.Context, p *pipeline.Pipeline, name string, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		i, err := t.Site.FindInterlock(name)
		if err != nil {
			return err
		}
		t.ForgetInterlock(i)
		t.Consider(i.Drives)
		if err := KeepRemoved(t, "interlock", name, "", who.Called, "interlock", "id", i.ID); err != nil {
			return err
		}
		if err := config.RemoveInterlock(t.Ctx, t.Tx, i.ID); err != nil {
			return err
		}
		if err := t.Enter("interlock removed", name, who.Called, "Interlock "+name+" of "+i.Output+
			" was removed"); err != nil {
			return err
		}
		t.ConfigChanged(i.Drives.Home.Change())
		return nil
	})
}

// ResetInterlock ends the latch of an interlock that is not driven any more.
func ResetInterlock(ctx context.Context, p *pipeline.Pipeline, name string, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		i, err := t.Site.FindInterlock(name)
		if err == nil {
			err = mayReset(t, i)
		}
		if err != nil {
			return err
		}
		return reset(t, i, who)
	})
}

// ResetOutput ends the latches of all interlocks that hold an output; while one of them cannot be reset, none is.
func ResetOutput(ctx context.Context, p *pipeline.Pipeline, path string, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		o, err := t.Site.FindOutput(path)
		if err != nil {
			return err
		}
		var latched []*memory.Interlock
		for _, i := range o.Interlocks {
			if i.Latched {
				if err := mayReset(t, i); err != nil {
					return fmt.Errorf("%s: %w", i.Name, err)
				}
				latched = append(latched, i)
			}
		}
		if len(latched) == 0 {
			return fmt.Errorf("no latched interlock holds %s, so there is nothing to reset: %w", path, commit.ErrNotNow)
		}
		for _, i := range latched {
			err = errors.Join(err, reset(t, i, who))
		}
		return err
	})
}

// mayReset says why an interlock cannot be reset now.
func mayReset(t *reading.Turn, i *memory.Interlock) error {
	now, err := t.See(i)
	switch {
	case err != nil:
		return err
	case !i.Latched && now.Blind != "":
		return fmt.Errorf("interlock %s is not latched: %s; once that is over its output goes back by itself: %w",
			i.Name, now.Blind, commit.ErrNotNow)
	case !i.Latched:
		return fmt.Errorf("interlock %s is not latched, so there is nothing to reset: %w", i.Name, commit.ErrNotNow)
	case now.Blind != "":
		return fmt.Errorf("%s, so nobody knows whether it is in order again: %w", now.Blind, commit.ErrNotNow)
	case now.Driven:
		return fmt.Errorf("it is still so that %s; reset it once that is over: %w", now.Why, commit.ErrNotNow)
	}
	return nil
}

func reset(t *reading.Turn, i *memory.Interlock, who pipeline.Actor) error {
	t.Alter(i.Drives.Home)
	i.Latched, i.Moved = false, true
	t.MayLook(i)
	return t.Enter("interlock reset", i.Name, who.Called, "Interlock "+i.Name+" of "+i.Output+" was reset")
}

// renameDriver lets interlocks follow a guard to its new name.
func renameDriver(t *reading.Turn, old, name string) error {
	for _, i := range t.Site.Interlocks {
		if !slices.Contains(i.Alarms.Names, old) {
			continue
		}
		words := strings.Fields(strings.ReplaceAll(i.Alarm, ",", " "))
		for n := range i.Alarms.Names {
			if words[n] == old {
				words[n] = name
			}
		}
		t.ConfigChanged(i.Drives.Home.Change())
		i.Alarm = strings.Join(words, " ")
		if err := t.Site.Equip(t.Ctx, t.Tx, i); err != nil {
			return err
		}
		if err := config.SaveInterlock(t.Ctx, t.Tx, &i.Interlock, i.Drives.ID, 0); err != nil {
			return err
		}
	}
	return nil
}
