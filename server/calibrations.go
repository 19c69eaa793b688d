package server

import (
	"context"
	"time"

	"jauntylark/api"
	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/calibrate"
	"jauntylark/core/measure"
	"jauntylark/core/quality"
	"jauntylark/core/series"
	"jauntylark/core/site"
	"jauntylark/core/storage"
	"jauntylark/pipeline/record"
)

func (v *Server) trust(ctx context.Context, s *site.Signal) (t api.Trust, err error) {
	if t.Calibrations, err = v.store.Calibrations(ctx, s.ID); err != nil {
		return t, err
	}
	if t.Verifications, err = v.store.Verifications(ctx, s.ID); err != nil {
		return t, err
	}
	duty, err := v.store.Duty(ctx, s.ID)
	if err != nil || duty.Every == (calibrate.Every{}) {
		return t, err
	}
	zone, err := v.zone(ctx, "")
	if err != nil {
		return t, err
	}
	due := duty.Every.After(duty.Last, zone)
	t.Every, t.Due = duty.Every.String(), &due
	return t, nil
}

func (v *Server) getTrust(ctx context.Context, in *api.SignalPath) (api.Trust, error) {
	s, err := v.signal(ctx, *in)
	if err != nil {
		return api.Trust{}, err
	}
	return v.trust(ctx, &s)
}

func (v *Server) calibrate(ctx context.Context, in *api.CalibrationInput) (act.Fitted, error) {
	if _, err := v.signal(ctx, in.SignalPath); err != nil {
		return act.Fitted{}, err
	}
	f, err := record.Calibrate(ctx, v.pipeline, in.Device+"/"+in.Signal, in.Body, who(ctx))
	v.keeper.Soon()
	return f, err
}

func (v *Server) uncalibrate(ctx context.Context, in *api.TakeCalibrationBackIn) error {
	if _, err := v.signal(ctx, in.SignalPath); err != nil {
		return err
	}
	_, err := record.Uncalibrate(ctx, v.pipeline, in.Device+"/"+in.Signal, in.ID, who(ctx))
	v.keeper.Soon()
	return err
}

func (v *Server) bringCalibrationBack(ctx context.Context, in *api.BringCalibrationBackIn) error {
	if _, err := v.signal(ctx, in.SignalPath); err != nil {
		return err
	}
	defer v.keeper.Soon()
	return record.BringCalibrationBack(ctx, v.pipeline, in.Device+"/"+in.Signal, in.ID, who(ctx))
}

// previewColumns is how finely a preview is drawn.
const previewColumns = 600

func (v *Server) tryCalibration(ctx context.Context, in *api.CalibrationInput) (api.Preview, error) {
	s, err := v.signal(ctx, in.SignalPath)
	if err != nil {
		return api.Preview{}, err
	}
	out := api.Preview{At: []int64{}, Now: []float64{}, Then: []float64{}, Guards: []api.PreviewGuard{}}
	if out.Fitted, err = record.TryCalibration(ctx, v.pipeline, s.Path(), in.Body, who(ctx)); err != nil {
		return api.Preview{}, err
	}
	until := v.pipeline.Now()
	if s.At != nil {
		until = *s.At
	}
	return out, v.preview(ctx, &s, &out, until.Add(-24*time.Hour), until)
}

// preview fills in lines and guards over a stretch.
func (v *Server) preview(ctx context.Context, s *site.Signal, out *api.Preview, from, until measure.Instant) error {
	all, err := v.store.Calibrations(ctx, s.ID)
	if err != nil {
		return err
	}
	tx, err := v.store.Look(ctx)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	var raw []measure.Reading
	err = tx.EachStored(ctx, s.ID, from, until, func(some []measure.Reading) error {
		for _, r := range some {
			if r.Quality.Usable() {
				raw = append(raw, r)
			}
		}
		return nil
	})
	if err != nil {
		return err
	}
	now := append([]measure.Reading{}, raw...)
	calibrate.NewTimeline(all).Correct(now)
	then := append([]measure.Reading{}, raw...)
	for i := range then {
		then[i].Value = out.Curve.Apply(then[i].Value)
	}
	line := series.Liner{From: from, Until: until + 1, Columns: previewColumns}
	line.Add(now)
	kept, _ := line.Line()
	next := 0
	for _, r := range kept {
		for now[next].At < r.At {
			next++
		}
		out.At, out.Now, out.Then = append(out.At, int64(r.At)), append(out.Now, r.Value), append(out.Then, then[next].Value)
	}
	guards, err := v.store.Guards(ctx)
	for i := range guards {
		if g := &guards[i]; g.Signal == s.Path() {
			out.Guards = append(out.Guards, api.PreviewGuard{Guard: g.Name, When: g.When.String(), Now: raises(g, now, until), Then: raises(g, then, until)})
		}
	}
	return err
}

// raises counts the alarms that a guard raises over readings.
func raises(g *alarm.Guard, readings []measure.Reading, until measure.Instant) (n int) {
	for _, tr := range alarm.Replay(g, readings, until) {
		if tr.Kind == alarm.Raised {
			n++
		}
	}
	return n
}

func (v *Server) getSteady(ctx context.Context, in *api.GetSteadyIn) (api.Steady, error) {
	length, err := measure.ParseDuration(in.For)
	if err != nil || length < measure.Duration(time.Second) || length > measure.Duration(10*time.Minute) {
		return api.Steady{}, wrong("for", in.For+" is no length of time between 1s and 10m")
	}
	s, err := v.signal(ctx, in.SignalPath)
	if err != nil {
		return api.Steady{}, err
	}
	now := v.pipeline.Now()
	readings, _, err := v.store.Readings(ctx, &s, now.Add(-time.Duration(length)), now.Add(measure.FarAhead), 100_000)
	var out api.Steady
	sum := 0.0
	for _, r := range readings {
		if !r.Quality.Usable() {
			out.LeftOut++
			continue
		}
		if out.Count == 0 {
			out.Low, out.High = r.Value, r.Value
		}
		out.Low, out.High, sum = min(out.Low, r.Value), max(out.High, r.Value), sum+r.Value
		out.Count++
	}
	if out.Count > 0 {
		mean := sum / float64(out.Count)
		out.Mean = &mean
	}
	return out, err
}

func (v *Server) verify(ctx context.Context, in *api.VerifyIn) (calibrate.Verification, error) {
	if _, err := v.signal(ctx, in.SignalPath); err != nil {
		return calibrate.Verification{}, err
	}
	return record.Verify(ctx, v.pipeline, in.Device+"/"+in.Signal, in.Body, who(ctx))
}

func (v *Server) planVerification(ctx context.Context, in *api.PlanVerificationIn) (api.Trust, error) {
	every, err := calibrate.ParseEvery(in.Body.Every)
	if err != nil {
		return api.Trust{}, wrong("every", err.Error())
	}
	s, err := v.signal(ctx, in.SignalPath)
	if err != nil {
		return api.Trust{}, err
	}
	if err := record.VerifyEvery(ctx, v.pipeline, s.Path(), every, who(ctx)); err != nil {
		return api.Trust{}, err
	}
	return v.trust(ctx, &s)
}

// comparedAtMost bounds the readings of a comparison.
const comparedAtMost = 3_000_000

func (v *Server) compare(ctx context.Context, in *api.CompareSignalsIn) (api.Comparison, error) {
	since, until, err := in.Bounds(v.pipeline.Now())
	if err != nil {
		return api.Comparison{}, err
	}
	out := api.Comparison{First: in.First, Second: in.Second}
	var readings [2][]measure.Reading
	var second site.Signal
	for i, path := range []string{in.First, in.Second} {
		device, name, err := site.SplitPath(path)
		if err != nil {
			return api.Comparison{}, wrong([]string{"first", "second"}[i], err.Error())
		}
		s, err := v.signal(ctx, api.SignalPath{Device: device, Signal: name})
		if err != nil {
			return api.Comparison{}, err
		}
		if i == 0 {
			out.Unit = s.Unit
		}
		if readings[i], err = v.usable(ctx, &s, since, until, out.Unit); err != nil {
			return api.Comparison{}, err
		}
		second = s
	}
	hold, err := v.store.SilenceOf(ctx, second.ID)
	if err == nil {
		out.Agreement, err = calibrate.Agree(readings[0], readings[1], hold)
	}
	return out, err
}

// usable gives the usable readings of a stretch in a unit.
func (v *Server) usable(ctx context.Context, s *site.Signal, since, until measure.Instant, unit measure.Unit) ([]measure.Reading, error) {
	convert, err := measure.Converter(s.Unit, unit)
	if err != nil {
		return nil, wrong("second", err.Error())
	}
	all, more, err := v.store.Readings(ctx, s, since, until, comparedAtMost)
	if more {
		return nil, wrong("since", "the stretch has more than three million readings; take a shorter one")
	}
	kept := all[:0]
	for _, r := range all {
		if r.Quality.Usable() {
			if convert != nil {
				r.Value = convert(r.Value)
			}
			kept = append(kept, r)
		}
	}
	return kept, err
}

func (v *Server) listDoubts(ctx context.Context, in *api.ListDoubtsIn) ([]quality.Doubt, error) {
	s, since, until, err := v.stretch(ctx, in.SignalPath, in.Stretch)
	if err != nil {
		return nil, err
	}
	return v.store.Marked(ctx, s.ID, since, until, (min(until, v.pipeline.Now())-since)/measure.Instant(in.Columns), measure.Unusable)
}

func (v *Server) getWork(ctx context.Context, in *api.SignalPath) (storage.Work, error) {
	s, err := v.signal(ctx, *in)
	if err != nil {
		return storage.Work{}, err
	}
	return v.store.Work(ctx, s.ID)
}
