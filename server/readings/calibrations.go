package readings

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
	"jauntylark/server/place"
	"jauntylark/server/web"
	"jauntylark/store/config"
	"jauntylark/store/timeseries"
)

// calibrationsOperations has the operations of this file answered.
func calibrationsOperations(v *web.Server) {
	web.Answer(v, api.GetTrust, getTrust)
	web.Answer(v, api.TryCalibration, tryCalibration)
	web.Answer(v, api.Calibrate, calibrateSignal)
	web.Carry(v, api.TakeCalibrationBack, uncalibrate)
	web.Carry(v, api.BringCalibrationBack, bringCalibrationBack)
	web.Answer(v, api.GetSteady, getSteady)
	web.Answer(v, api.Verify, verifySignal)
	web.Answer(v, api.PlanVerification, planVerification)
	web.Answer(v, api.ListDoubts, listDoubts)
	web.Answer(v, api.GetWork, getWork)
	web.Answer(v, api.CompareSignals, compareSignals)
}

func trustOf(ctx context.Context, v *web.Server, s *site.Signal) (t api.Trust, err error) {
	if t.Calibrations, err = config.Calibrations(ctx, v.Store, s.ID); err != nil {
		return t, err
	}
	if t.Verifications, err = config.Verifications(ctx, v.Store, s.ID); err != nil {
		return t, err
	}
	duty, err := config.DutyOf(ctx, v.Store, s.ID)
	if err != nil || duty.Every == (calibrate.Every{}) {
		return t, err
	}
	zone, err := web.ZoneOf(ctx, v, "")
	if err != nil {
		return t, err
	}
	due := duty.Every.After(duty.Last, zone)
	t.Every, t.Due = duty.Every.String(), &due
	return t, nil
}

func getTrust(ctx context.Context, v *web.Server, in *api.SignalPath) (api.Trust, error) {
	s, err := place.FindSignal(ctx, v, *in)
	if err != nil {
		return api.Trust{}, err
	}
	return trustOf(ctx, v, &s)
}

func calibrateSignal(ctx context.Context, v *web.Server, in *api.CalibrationInput) (act.Fitted, error) {
	if _, err := place.FindSignal(ctx, v, in.SignalPath); err != nil {
		return act.Fitted{}, err
	}
	f, err := record.Calibrate(ctx, v.Pipeline, in.Device+"/"+in.Signal, in.Body, web.Who(ctx))
	v.Upkeep.Soon()
	return f, err
}

func uncalibrate(ctx context.Context, v *web.Server, in *api.TakeCalibrationBackIn) error {
	if _, err := place.FindSignal(ctx, v, in.SignalPath); err != nil {
		return err
	}
	_, err := record.Uncalibrate(ctx, v.Pipeline, in.Device+"/"+in.Signal, in.ID, web.Who(ctx))
	v.Upkeep.Soon()
	return err
}

func bringCalibrationBack(ctx context.Context, v *web.Server, in *api.BringCalibrationBackIn) error {
	if _, err := place.FindSignal(ctx, v, in.SignalPath); err != nil {
		return err
	}
	defer v.Upkeep.Soon()
	return record.BringCalibrationBack(ctx, v.Pipeline, in.Device+"/"+in.Signal, in.ID, web.Who(ctx))
}

// previewColumns is how finely a preview is drawn.
const previewColumns = 600

func tryCalibration(ctx context.Context, v *web.Server, in *api.CalibrationInput) (api.Preview, error) {
	s, err := place.FindSignal(ctx, v, in.SignalPath)
	if err != nil {
		return api.Preview{}, err
	}
	out := api.Preview{At: []measure.Instant{}, Now: []float64{}, Then: []float64{}, Guards: []api.PreviewGuard{}}
	if out.Fitted, err = record.TryCalibration(ctx, v.Pipeline, s.Path(), in.Body, web.Who(ctx)); err != nil {
		return api.Preview{}, err
	}
	until := v.Pipeline.Now()
	if s.At != nil {
		until = *s.At
	}
	return out, previewCalibration(ctx, v, &s, &out, until.Add(-24*time.Hour), until)
}

// previewCalibration fills in lines and guards over a stretch.
func previewCalibration(ctx context.Context, v *web.Server, s *site.Signal, out *api.Preview, from,
	until measure.Instant) error {
	all, err := config.Calibrations(ctx, v.Store, s.ID)
	if err != nil {
		return err
	}
	tx, err := v.Store.Look(ctx)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	var raw []measure.Reading
	err = timeseries.EachStored(ctx, tx, s.ID, from, until, func(some []measure.Reading) error {
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
		out.At, out.Now, out.Then = append(out.At, r.At), append(out.Now, r.Value),
			append(out.Then, then[next].Value)
	}
	guards, err := config.Guards(ctx, v.Store)
	for i := range guards {
		if g := &guards[i]; g.Signal == s.Path() {
			out.Guards = append(out.Guards, api.PreviewGuard{Guard: g.Name, When: g.When.String(),
				Now: raises(g, now, until), Then: raises(g, then, until)})
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

func getSteady(ctx context.Context, v *web.Server, in *api.GetSteadyIn) (api.Steady, error) {
	length, err := measure.ParseDuration(in.For)
	if err != nil || length < measure.Duration(time.Second) || length > measure.Duration(10*time.Minute) {
		return api.Steady{}, web.Wrong("for", in.For+" is no length of time between 1s and 10m")
	}
	s, err := place.FindSignal(ctx, v, in.SignalPath)
	if err != nil {
		return api.Steady{}, err
	}
	now := v.Pipeline.Now()
	readings, _, err := timeseries.Readings(ctx, v.Store, &s, now.Add(-time.Duration(length)),
		now.Add(measure.FarAhead), 100_000)
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

func verifySignal(ctx context.Context, v *web.Server, in *api.VerifyIn) (calibrate.Verification, error) {
	if _, err := place.FindSignal(ctx, v, in.SignalPath); err != nil {
		return calibrate.Verification{}, err
	}
	return record.Verify(ctx, v.Pipeline, in.Device+"/"+in.Signal, in.Body, web.Who(ctx))
}

func planVerification(ctx context.Context, v *web.Server, in *api.PlanVerificationIn) (api.Trust, error) {
	every, err := calibrate.ParseEvery(in.Body.Every)
	if err != nil {
		return api.Trust{}, web.Wrong("every", err.Error())
	}
	s, err := place.FindSignal(ctx, v, in.SignalPath)
	if err != nil {
		return api.Trust{}, err
	}
	if err := record.VerifyEvery(ctx, v.Pipeline, s.Path(), every, web.Who(ctx)); err != nil {
		return api.Trust{}, err
	}
	return trustOf(ctx, v, &s)
}

// comparedAtMost bounds the readings of a comparison.
const comparedAtMost = 3_000_000

func compareSignals(ctx context.Context, v *web.Server, in *api.CompareSignalsIn) (api.Comparison, error) {
	since, until, err := in.Bounds(v.Pipeline.Now())
	if err != nil {
		return api.Comparison{}, err
	}
	out := api.Comparison{First: in.First, Second: in.Second}
	var readings [2][]measure.Reading
	var second site.Signal
	for i, path := range []string{in.First, in.Second} {
		device, name, err := site.SplitPath(path)
		if err != nil {
			return api.Comparison{}, web.Wrong([]string{"first", "second"}[i], err.Error())
		}
		s, err := place.FindSignal(ctx, v, api.SignalPath{Device: device, Signal: name})
		if err != nil {
			return api.Comparison{}, err
		}
		if i == 0 {
			out.Unit = s.Unit
		}
		if readings[i], err = usableReadings(ctx, v, &s, since, until, out.Unit); err != nil {
			return api.Comparison{}, err
		}
		second = s
	}
	hold, err := config.SilenceOf(ctx, v.Store, second.ID)
	if err == nil {
		out.Agreement, err = calibrate.Agree(readings[0], readings[1], hold)
	}
	return out, err
}

// usableReadings gives the usable readings of a stretch in a unit.
func usableReadings(ctx context.Context, v *web.Server, s *site.Signal, since, until measure.Instant,
	unit measure.Unit) ([]measure.Reading, error) {
	convert, err := measure.Converter(s.Unit, unit)
	if err != nil {
		return nil, web.Wrong("second", err.Error())
	}
	all, more, err := timeseries.Readings(ctx, v.Store, s, since, until-1, comparedAtMost)
	if more {
		return nil, web.Wrong("since", "the stretch has more than three million readings; take a shorter one")
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

func listDoubts(ctx context.Context, v *web.Server, in *api.ListDoubtsIn) ([]quality.Doubt, error) {
	s, since, until, err := place.StretchOf(ctx, v, in.SignalPath, in.Window)
	if err != nil {
		return nil, err
	}
	return timeseries.Marked(ctx, v.Store, s.ID, since, until-1,
		(min(until, v.Pipeline.Now())-since)/measure.Instant(in.Columns), measure.Unusable)
}

func getWork(ctx context.Context, v *web.Server, in *api.SignalPath) (storage.Work, error) {
	s, err := place.FindSignal(ctx, v, *in)
	if err != nil {
		return storage.Work{}, err
	}
	return timeseries.Work(ctx, v.Store, s.ID)
}
