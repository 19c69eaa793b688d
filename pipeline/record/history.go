package record

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/quality"
	"jauntylark/core/roster"
	"jauntylark/core/series"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/event"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/notice"
	"jauntylark/pipeline/reading"
	"jauntylark/store/config"
	"jauntylark/store/events"
	"jauntylark/store/timeseries"
)

// Past is a run of one signal's readings from somewhere else: an import, a history.
type Past struct {
	Signal   string       // DEVICE/SIGNAL; it is made when its device is there
	Kind     string       // of a signal that is made
	Unit     measure.Unit // of the readings; empty: the signal's
	Readings []measure.Reading
	Texts    []string // of a text or data signal, one a reading; its values are then not looked at
	Replace  bool     // readings of other values take the place of those that are there
}

// ErrBeingCleared says that a signal's readings are being cleared or put back; the same again will work in a
// moment.
var ErrBeingCleared = errors.New("its readings are being cleared or put back")

// Import stores past readings straight in the signal's blocks. No guard steps them. Those that are there
// already stay.
func Import(ctx context.Context, p *pipeline.Pipeline, past *Past) (told series.Merged, err error) {
	err = p.Do(ctx, func(t *reading.Turn) error {
		told, err = importPast(t, past)
		return err
	})
	return told, err
}

func importPast(t *reading.Turn, past *Past) (told series.Merged, err error) {
	s, err := signalFor(t, past)
	if err != nil {
		return told, err
	}
	if s.Derived != nil {
		return told, &measure.Fault{Field: "signal", Reason: s.Path() + " is derived here: " + s.MadeOf}
	}
	readings, err := inUnit(t, past, &s.Signal)
	if err != nil {
		return told, err
	}
	sorted, others := series.InOrder(readings)
	if len(sorted) == 0 {
		return told, nil
	}
	judgePast(s, sorted)
	if newest := sorted[len(sorted)-1].At; newest > t.Now.Add(reading.AheadIsRefused) {
		return told, &measure.Fault{Field: "at", Reason: fmt.Sprintf("%s is more than a day ahead of now (%s)", newest,
			t.Now)}
	}
	if err := timeseries.HoldSignal(t.Ctx, t.Tx, s.ID); err != nil {
		return told, err
	}
	if busy, err := timeseries.BeingCleared(t.Ctx, t.Tx, s.ID); err != nil || busy {
		return told, errors.Join(err, ErrBeingCleared)
	}
	if err := timeseries.SealSignal(t.Ctx, t.Tx, s.ID, t.Now); err != nil {
		return told, err
	}
	told, err = timeseries.Merge(t.Ctx, t.Tx, s.ID, sorted, past.Replace, t.Now)
	told.Conflicts = append(told.Conflicts, others...)
	if err == nil && told.Added+told.Replaced > 0 {
		err = timeseries.NoteAmended(t.Ctx, t.Tx, s.ID, sorted[0].At, sorted[len(sorted)-1].At)
	}
	if err == nil && told.Added+told.Replaced > 0 && len(s.Feeds) > 0 {
		t.ForgetPast(s)
		err = timeseries.NoteTouched(t.Ctx, t.Tx, s.ID, sorted[0].At, sorted[len(sorted)-1].At)
	}
	if last := sorted[len(sorted)-1]; err == nil && last.At >= s.State.At {
		reads(t, s, last)
		s.State.ArrivedAt = max(s.State.ArrivedAt, last.At)
	}
	return told, err
}

// reads makes a stored reading the newest of its signal.
func reads(t *reading.Turn, s *memory.Signal, r measure.Reading) {
	t.Changed(s)
	s.State.At, s.State.Value, s.State.Raw, s.State.Quality = r.At, s.Timeline.At(r.At).Apply(r.Value), r.Value,
		r.Quality
}

// judgePast marks past readings, which are in order of time, by what is known of their signal's instrument.
func judgePast(s *memory.Signal, readings []measure.Reading) {
	if s.Rules == (quality.Rules{Step: s.Step}) {
		return
	}
	var state quality.State
	for i := range readings {
		var q measure.Quality
		state, q = quality.Judge(&s.Rules, state, readings[i].At, readings[i].Value)
		readings[i].Quality |= q
	}
}

// signalFor finds the signal of past readings, or makes it.
func signalFor(t *reading.Turn, past *Past) (*memory.Signal, error) {
	name, rest, found := strings.Cut(past.Signal, "/")
	if d := t.Site.Named[name]; found && d != nil && d.Signals[rest] == nil && site.CheckName(rest) == nil {
		var e memory.Reading
		form := map[string]measure.Form{site.KindSwitch: measure.FormBool, site.KindText: measure.FormText,
			site.KindData: measure.FormData}[past.Kind]
		if past.Unit != "" && !past.Unit.Known() {
			return nil, &measure.Fault{Field: "unit", Reason: site.UnknownUnit(past.Unit)}
		}
		err := t.NewSignal(&e, measure.Sample{Name: rest, Form: form, Unit: past.Unit}, d, rest)
		return e.Signal, err
	}
	return t.Site.FindSignal(past.Signal)
}

// inUnit gives past readings in the signal's unit, texts by their numbers.
func inUnit(t *reading.Turn, past *Past, s *site.Signal) ([]measure.Reading, error) {
	worded := s.Worded()
	if worded != (past.Texts != nil) {
		return nil, &measure.Fault{Field: "signal", Reason: fmt.Sprintf("%s holds %s", s.Path(), memory.Holds[s.Kind])}
	}
	readings := slices.Clone(past.Readings)
	if worded {
		numbers, err := timeseries.Words(t.Ctx, t.Tx, past.Texts)
		for i := range readings {
			readings[i].Value = float64(numbers[past.Texts[i]])
		}
		return readings, err
	}
	for i := range readings {
		v := &readings[i].Value
		if s.Kind == site.KindSwitch && *v != 0 && *v != 1 {
			return nil, &measure.Fault{Field: "value",
				Reason: fmt.Sprintf("%s at %s is %v, but the signal is on or off (1 or 0)", s.Path(), readings[i].At,
					*v)}
		}
		if past.Unit == "" || past.Unit == s.Unit || s.Unit == "" {
			continue
		}
		converted, err := measure.Convert(*v, past.Unit, s.Unit)
		if err != nil {
			return nil, &measure.Fault{Field: "unit", Reason: fmt.Sprintf("%s is in %s, and %v", s.Path(), s.Unit, err)}
		}
		*v = converted
	}
	return readings, nil
}

// UndoFor is for how long what was cleared can be put back.
const UndoFor = 30 * 24 * time.Hour

// Clear has the readings of a stretch taken away: those of a signal, of a device, or of all when what is
// empty. Settings and guards stay. It is carried out in the background.
func Clear(ctx context.Context, p *pipeline.Pipeline, c *site.Clearing, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		signals, err := signalsOf(t, c.What)
		if err != nil {
			return err
		}
		c.Who, c.OrderedAt, c.GoneAt, c.State = who.Called, t.Now, t.Now.Add(UndoFor), site.ClearingRunning
		// they follow the others
		signals = slices.DeleteFunc(signals, func(s *memory.Signal) bool { return s.Derived != nil })
		if len(signals) == 0 {
			return &measure.Fault{Field: "what", Reason: c.What + " is derived; clear what it is computed from"}
		}
		ids := make([]int64, len(signals))
		for i, s := range signals {
			ids[i] = s.ID
			t.ForgetPast(s)
			if err := clearLive(t, s, c); err != nil {
				return err
			}
		}
		if err := timeseries.AddClearing(t.Ctx, t.Tx, c, ids); err != nil {
			return err
		}
		return t.Enter("readings cleared", c.What, who.Called,
			fmt.Sprintf("Readings of %s from %s until %s were cleared", whatIsMeant(c.What), c.From, c.Until+1))
	})
}

// whatIsMeant names what a clearing is about.
func whatIsMeant(what string) string {
	if what == "" {
		return "all devices"
	}
	return what
}

// signalsOf gives the signals that DEVICE/SIGNAL, DEVICE or nothing stand for, in order of their ids.
func signalsOf(t *reading.Turn, what string) ([]*memory.Signal, error) {
	var signals []*memory.Signal
	switch d := t.Site.Named[what]; {
	case what == "":
		for _, s := range t.Site.Signals {
			signals = append(signals, s)
		}
	case d != nil:
		for _, s := range d.Signals {
			signals = append(signals, s)
		}
	case strings.Contains(what, "/"):
		s, err := t.Site.FindSignal(what)
		if err != nil {
			return nil, err
		}
		signals = append(signals, s)
	default:
		return nil, &measure.Fault{Field: "what", Reason: site.Unknown("device", what, t.Site.DeviceNames())}
	}
	slices.SortFunc(signals, func(a, b *memory.Signal) int { return int(a.ID - b.ID) })
	return signals, nil
}

// clearLive makes a signal ready to be cleared: its plain rows become blocks, and its newest reading is
// the newest that stays.
func clearLive(t *reading.Turn, s *memory.Signal, c *site.Clearing) error {
	if err := timeseries.HoldSignal(t.Ctx, t.Tx, s.ID); err != nil {
		return err
	}
	if err := timeseries.SealSignal(t.Ctx, t.Tx, s.ID, t.Now); err != nil {
		return err
	}
	st := &s.State
	if st.At < c.From || st.At > c.Until {
		return nil
	}
	left, err := timeseries.Newest(t.Ctx, t.Tx, s.ID, c.From, 1)
	if err != nil {
		return err
	}
	var newest measure.Reading
	if len(left) > 0 {
		newest = left[0]
	}
	reads(t, s, newest)
	return nil
}

// ErrTooLate says that what was cleared is gone, or was put back already.
var ErrTooLate = errors.New("there is nothing to put back")

// Unclear has what was cleared put back. What came since stays.
func Unclear(ctx context.Context, p *pipeline.Pipeline, c site.Clearing, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		newest, err := timeseries.NewestCleared(t.Ctx, t.Tx, c.ID)
		if err != nil {
			return err
		}
		if len(newest) == 0 || c.State != site.ClearingCleared {
			return ErrTooLate
		}
		for signal, r := range newest {
			if s := t.Site.Signals[signal]; s != nil && r.At > s.State.At {
				reads(t, s, r)
			}
		}
		if err := timeseries.UndoClearing(t.Ctx, t.Tx, c.ID); err != nil {
			return err
		}
		return t.Enter("readings put back", c.What, who.Called,
			fmt.Sprintf("Readings of %s that were cleared are put back", whatIsMeant(c.What)))
	})
}

// DiskFull raises the alarm that readings are refused because the disk is full, and ends it when they are taken again.
func DiskFull(ctx context.Context, p *pipeline.Pipeline, free, total int64, full bool) error {
	const what = "take readings"
	return p.Do(ctx, func(t *reading.Turn) error {
		standing, err := events.ServiceAlarm(t.Ctx, t.Tx, "cannot "+what)
		switch {
		case err != nil || (standing != 0) == full:
			return err
		case !full:
			return t.EndServiceAlarm(standing)
		}
		_, err = t.RaiseServiceAlarm(what, alarm.Critical, t.Now, fmt.Sprintf("the disk is full, %s of %s are free",
			prose.Bytes(free), prose.Bytes(total)),
			"Make room. `jaunty storage` tells what takes it. Devices are told to send again later: what they keep "+
				"comes when there is room, the rest is lost.")
		return err
	})
}

// Disk tells how full the disk is that the records are on; nearly: it raises an alarm, or ends one.
func Disk(ctx context.Context, p *pipeline.Pipeline, free, total int64, nearly bool) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		standing, err := config.DiskAlarm(t.Ctx, t.Tx)
		if err != nil || (standing != nil) == nearly {
			return err
		}
		if !nearly {
			a, err := events.Alarm(t.Ctx, t.Tx, *standing)
			if err != nil {
				return err
			}
			now := a.End(t.Now, alarm.EndBack, "")
			if err := config.SetDiskAlarm(t.Ctx, t.Tx, nil); err != nil {
				return err
			}
			return t.Over(a, event.Happening{Transition: alarm.Transition{At: now, Value: float64(free)}}, alarm.Test{})
		}
		tell, err := t.OwnReaders()
		if err != nil {
			return err
		}
		a := alarm.Alarm{Kind: alarm.ByDisk, Severity: alarm.Critical, State: alarm.StateRaised, RaisedAt: t.Now,
			LearnedAt: t.Now, Value: float64(free), Extreme: float64(free), Unit: "By",
			When:     "nearly full",
			Sentence: fmt.Sprintf("The disk is nearly full: %s of %s are free", prose.Bytes(free), prose.Bytes(total)),
			Advice: "Make room. `jaunty storage` tells what takes it, and what keeping less would save. Before it " +
				"is quite full, readings are refused."}
		if err := events.AddAlarm(t.Ctx, t.Tx, &a, t.CommitNo); err != nil {
			return err
		}
		if err := config.SetDiskAlarm(t.Ctx, t.Tx, &a.ID); err != nil {
			return err
		}
		if err := t.EnterAlarm(a, "alarm raised", event.Happening{Transition: alarm.Transition{At: t.Now,
			Value: a.Value}}, a.Sentence); err != nil {
			return err
		}
		return t.TellAnew(notice.Topic{Alarm: a, Tells: roster.Raise}, tell)
	})
}
