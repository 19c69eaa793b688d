package pipeline

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/calibrate"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/store"
)

// TryCalibration fits a calibration and changes nothing.
func (p *Pipeline) TryCalibration(ctx context.Context, path string, o act.CalibrationOrder, who Actor) (f act.Fitted, err error) {
	err = p.Do(ctx, func(t *Turn) error {
		_, f, err = t.fitCalibration(path, o, who)
		return err
	})
	return f, err
}

// Calibrate puts a calibration in force. What is there already is corrected from its beginning on: nothing is
// rewritten but what was computed from it, in the background.
func (p *Pipeline) Calibrate(ctx context.Context, path string, o act.CalibrationOrder, who Actor) (f act.Fitted, err error) {
	err = p.Do(ctx, func(t *Turn) error {
		s, fitted, err := t.fitCalibration(path, o, who)
		if err != nil {
			return err
		}
		f = fitted
		if err := t.Tx.AddCalibration(t.ctx, s.ID, &f.Calibration); err != nil {
			return err
		}
		f.Corrected, err = t.recalibrate(s, append(slices.Clone(s.timeline), f.Calibration), f.From)
		if err != nil {
			return err
		}
		text := fmt.Sprintf("Signal %s is calibrated by %s, %s, from %s on", path, measure.Count(len(o.Pairs), "pair", "pairs"), f.Curve, f.From)
		if err := t.Enter("signal calibrated", path, who.Called, text); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
	return f, err
}

// fitCalibration fits a calibration to an order. Its pairs are of what is shown now, so what corrects that is
// taken off first.
func (t *Turn) fitCalibration(path string, o act.CalibrationOrder, who Actor) (*signalLive, act.Fitted, error) {
	f := act.Fitted{}
	s, err := t.live.find(path)
	if err != nil {
		return nil, f, err
	}
	switch {
	case s.derived != nil:
		return nil, f, &measure.Fault{Field: "signal", Reason: path + " is derived; calibrate what it is computed from"}
	case s.Kind != site.KindNumber:
		return nil, f, &measure.Fault{Field: "signal", Reason: fmt.Sprintf("%s holds %s; numbers can be calibrated", path, held[s.Kind])}
	}
	pairs := slices.Clone(o.Pairs)
	convert, err := unitOf(o.Unit, s)
	if err != nil {
		return nil, f, err
	}
	now := s.timeline.At(t.Now)
	for i := range pairs {
		pairs[i] = calibrate.Pair{Shown: now.Raw(convert(pairs[i].Shown)), Reference: convert(pairs[i].Reference)}
	}
	if f.Fit, err = calibrate.FitPairs(pairs, o.Method); err != nil {
		return nil, f, err
	}
	f.Calibration = calibrate.Calibration{From: t.Now, Method: f.Fit.Method, Pairs: pairs, Curve: f.Fit.Curve, Note: strings.TrimSpace(o.Note), Who: who.Called, MadeAt: t.Now}
	if o.From != nil {
		f.From = *o.From
	}
	if f.From > t.Now.Add(aheadIsRefused) || f.From <= 0 {
		return nil, f, &measure.Fault{Field: "from", Reason: fmt.Sprintf("%s is no time between 1970 and a day from now", f.From)}
	}
	if until := s.timeline.Until(f.From); until < 1<<61 {
		until++
		f.Until = &until
	}
	f.Past = s.state.At >= f.From
	return s, f, nil
}

// unitOf gives what brings values in a unit into a signal's.
func unitOf(unit measure.Unit, s *signalLive) (func(float64) float64, error) {
	same := func(v float64) float64 { return v }
	if unit == "" || unit == s.Unit {
		return same, nil
	}
	if !unit.Known() {
		return nil, &measure.Fault{Field: "unit", Reason: site.UnknownUnit(unit)}
	}
	convert, err := measure.Converter(unit, s.Unit)
	if err != nil {
		return nil, &measure.Fault{Field: "unit", Reason: fmt.Sprintf("%s is in %q, and %v", s.Path(), s.Unit, err)}
	}
	return convert, nil
}

// Uncalibrate takes a calibration back: what it corrected is corrected by what was in force before.
func (p *Pipeline) Uncalibrate(ctx context.Context, path string, id int64, who Actor) (marked int, err error) {
	err = p.Do(ctx, func(t *Turn) error {
		s, err := t.live.find(path)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(s.timeline, func(c calibrate.Calibration) bool { return c.ID == id })
		if i < 0 {
			return fmt.Errorf("calibration %d of %s %w", id, path, store.ErrNotFound)
		}
		from := s.timeline[i].From
		if err := t.Tx.RetireCalibration(t.ctx, id, t.Now); err != nil {
			return err
		}
		if marked, err = t.recalibrate(s, slices.Delete(slices.Clone(s.timeline), i, i+1), from); err != nil {
			return err
		}
		if err := t.Enter("calibration taken back", path, who.Called, fmt.Sprintf("Calibration %d of %s, from %s on, was taken back", id, path, from)); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
	return marked, err
}

// BringCalibrationBack puts a calibration in force again that was taken back in the last 30 days.
func (p *Pipeline) BringCalibrationBack(ctx context.Context, path string, id int64, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		s, err := t.live.find(path)
		if err != nil {
			return err
		}
		c, err := t.Tx.UnretireCalibration(t.ctx, s.ID, id, t.Now.Add(-site.BringBackFor))
		if err != nil {
			return fmt.Errorf("no calibration %d of %s was taken back in the last 30 days: %w", id, path, err)
		}
		if _, err := t.recalibrate(s, append(slices.Clone(s.timeline), c), c.From); err != nil {
			return err
		}
		if err := t.Enter("calibration brought back", path, who.Called, fmt.Sprintf("Calibration %d of %s, from %s on, is in force again", id, path, c.From)); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

// recalibrate corrects a signal by other calibrations, of which those that begin at an instant have changed.
// Past alarms stay as they were and are marked; guards step the value that holds anew, as when they are changed.
func (t *Turn) recalibrate(s *signalLive, all []calibrate.Calibration, from measure.Instant) (marked int, err error) {
	t.touched = true
	st := &s.state
	before := st.Held
	for _, g := range s.guards { // what was due is settled under the old correction
		t.step(g, alarm.Event{Kind: alarm.DueInstant, At: t.Now - st.Lag()}, "")
	}
	s.timeline = calibrate.NewTimeline(all)
	until := min(s.timeline.Until(from), st.At)
	if from <= until {
		if err := t.Tx.NoteStale(t.ctx, s.ID, from, until, t.Now); err != nil {
			return 0, err
		}
		if err := t.Tx.NoteTouched(t.ctx, s.ID, from, until); err != nil {
			return 0, err
		}
		if marked, err = t.Tx.MarkCorrected(t.ctx, s.ID, from, until, t.Now, t.CommitNo); err != nil {
			return 0, err
		}
	}
	st.Value, st.Held = s.timeline.At(st.At).Apply(st.Raw), s.timeline.At(st.HeldAt).Apply(st.HeldRaw)
	t.changed(s)
	if st.Held == before || st.HeldAt == 0 {
		return marked, nil
	}
	s.hold()
	for _, g := range s.guards {
		t.beginGuard(g, st.SteppedAt, "", "the signal's correction was changed")
	}
	t.reconsider(s.suppresses, st.SteppedAt)
	return marked, nil
}
