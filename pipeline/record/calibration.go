package record

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/calibrate"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/reading"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/timeseries"
)

// TryCalibration fits a calibration and changes nothing.
func TryCalibration(ctx context.Context, p *pipeline.Pipeline, path string, o act.CalibrationOrder,
	who pipeline.Actor) (f act.Fitted, err error) {
	err = p.Do(ctx, func(t *reading.Turn) error {
		_, f, err = fitCalibration(t, path, o, who)
		return err
	})
	return f, err
}

// Calibrate puts a calibration in force. What is there already is corrected from its beginning on: nothing is
// rewritten but what was computed from it, in the background.
func Calibrate(ctx context.Context, p *pipeline.Pipeline, path string, o act.CalibrationOrder,
	who pipeline.Actor) (f act.Fitted, err error) {
	err = p.Do(ctx, func(t *reading.Turn) error {
		s, fitted, err := fitCalibration(t, path, o, who)
		if err != nil {
			return err
		}
		f = fitted
		if err := config.AddCalibration(t.Ctx, t.Tx, s.ID, &f.Calibration); err != nil {
			return err
		}
		f.Corrected, err = recalibrate(t, s, append(slices.Clone(s.Timeline), f.Calibration), f.From)
		if err != nil {
			return err
		}
		text := fmt.Sprintf("Signal %s is calibrated by %s, %s, from %s on", path,
			prose.Count(len(o.Pairs), "pair", "pairs"), f.Curve, f.From)
		if err := t.Enter("signal calibrated", path, who.Called, text); err != nil {
			return err
		}
		return nil
	})
	return f, err
}

// fitCalibration fits a calibration to an order. Its pairs are of what is shown now, so what corrects that is
// taken off first.
func fitCalibration(t *reading.Turn, path string, o act.CalibrationOrder,
	who pipeline.Actor) (*memory.Signal, act.Fitted, error) {
	f := act.Fitted{}
	s, err := t.Site.FindSignal(path)
	if err != nil {
		return nil, f, err
	}
	switch {
	case s.Derived != nil:
		return nil, f, &measure.Fault{Field: "signal", Reason: path + " is derived; calibrate what it is computed from"}
	case s.Kind != site.KindNumber:
		return nil, f, &measure.Fault{Field: "signal", Reason: fmt.Sprintf("%s holds %s; numbers can be calibrated",
			path, memory.Holds[s.Kind])}
	}
	pairs := slices.Clone(o.Pairs)
	convert, err := configure.UnitOf(o.Unit, s)
	if err != nil {
		return nil, f, err
	}
	now := s.Timeline.At(t.Now)
	for i := range pairs {
		pairs[i] = calibrate.Pair{Shown: now.Raw(convert(pairs[i].Shown)), Reference: convert(pairs[i].Reference)}
	}
	if f.Fit, err = calibrate.FitPairs(pairs, o.Method); err != nil {
		return nil, f, err
	}
	f.Calibration = calibrate.Calibration{From: t.Now, Method: f.Fit.Method, Pairs: pairs, Curve: f.Fit.Curve,
		Note: strings.TrimSpace(o.Note), Who: who.Called, MadeAt: t.Now}
	if o.From != nil {
		f.From = *o.From
	}
	if f.From > t.Now.Add(reading.AheadIsRefused) || f.From <= 0 {
		return nil, f, &measure.Fault{Field: "from",
			Reason: fmt.Sprintf("%s is no time between 1970 and a day from now", f.From)}
	}
	if until := s.Timeline.Until(f.From); until < 1<<61 {
		until++
		f.Until = &until
	}
	f.Past = s.State.At >= f.From
	return s, f, nil
}

// Uncalibrate takes a calibration back: what it corrected is corrected by what was in force before.
func Uncalibrate(ctx context.Context, p *pipeline.Pipeline, path string, id int64,
	who pipeline.Actor) (marked int, err error) {
	err = p.Do(ctx, func(t *reading.Turn) error {
		s, err := t.Site.FindSignal(path)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(s.Timeline, func(c calibrate.Calibration) bool { return c.ID == id })
		if i < 0 {
			return fmt.Errorf("calibration %d of %s %w", id, path, store.ErrNotFound)
		}
		from := s.Timeline[i].From
		if err := config.RetireCalibration(t.Ctx, t.Tx, id, t.Now); err != nil {
			return err
		}
		if marked, err = recalibrate(t, s, slices.Delete(slices.Clone(s.Timeline), i, i+1), from); err != nil {
			return err
		}
		if err := t.Enter("calibration taken back", path, who.Called,
			fmt.Sprintf("Calibration %d of %s, from %s on, was taken back", id, path, from)); err != nil {
			return err
		}
		return nil
	})
	return marked, err
}

// BringCalibrationBack puts a calibration in force again that was taken back in the last 30 days.
func BringCalibrationBack(ctx context.Context, p *pipeline.Pipeline, path string, id int64, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		s, err := t.Site.FindSignal(path)
		if err != nil {
			return err
		}
		c, err := config.UnretireCalibration(t.Ctx, t.Tx, s.ID, id, t.Now.Add(-site.BringBackFor))
		if err != nil {
			return fmt.Errorf("no calibration %d of %s was taken back in the last 30 days: %w", id, path, err)
		}
		if _, err := recalibrate(t, s, append(slices.Clone(s.Timeline), c), c.From); err != nil {
			return err
		}
		if err := t.Enter("calibration brought back", path, who.Called,
			fmt.Sprintf("Calibration %d of %s, from %s on, is in force again", id, path, c.From)); err != nil {
			return err
		}
		return nil
	})
}

// recalibrate corrects a signal by other calibrations, of which those that begin at an instant have changed.
// Past alarms stay as they were and are marked; guards step the value that holds anew, as when they are changed.
func recalibrate(t *reading.Turn, s *memory.Signal, all []calibrate.Calibration,
	from measure.Instant) (marked int, err error) {
	t.ConfigChanged(s.Home.Change())
	st := &s.State
	before := st.Held
	for _, g := range s.Guards { // what was due is settled under the old correction
		t.Step(g, alarm.Event{Kind: alarm.DueInstant, At: t.Now - st.Lag()}, "")
	}
	s.Timeline = calibrate.NewTimeline(all)
	until := min(s.Timeline.Until(from), st.At)
	if from <= until {
		if err := timeseries.NoteStale(t.Ctx, t.Tx, s.ID, from, until, t.Now); err != nil {
			return 0, err
		}
		if err := timeseries.NoteTouched(t.Ctx, t.Tx, s.ID, from, until); err != nil {
			return 0, err
		}
		if err := timeseries.NoteAmended(t.Ctx, t.Tx, s.ID, from, until); err != nil {
			return 0, err
		}
		if marked, err = config.MarkCorrected(t.Ctx, t.Tx, s.ID, from, until, t.Now, t.CommitNo); err != nil {
			return 0, err
		}
	}
	st.Value, st.Held = s.Timeline.At(st.At).Apply(st.Raw), s.Timeline.At(st.HeldAt).Apply(st.HeldRaw)
	t.Changed(s)
	if st.Held == before || st.HeldAt == 0 {
		return marked, nil
	}
	s.HoldGuards()
	for _, g := range s.Guards {
		t.BeginGuard(g, st.SteppedAt, "", "the signal's correction was changed")
	}
	t.Reconsider(s.Suppresses, st.SteppedAt)
	return marked, nil
}
