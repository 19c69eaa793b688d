package server

import (
	"context"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/calibrate"
	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/store"
)

// Trust is why a signal's values can be believed: how it was calibrated and verified.
type Trust struct {
	Calibrations  []calibrate.Calibration  `json:"calibrations" nullable:"false" doc:"newest made first, with those that were taken back"`
	Verifications []calibrate.Verification `json:"verifications" nullable:"false" doc:"newest first"`
	Every         string                   `json:"every" doc:"how often it is to be verified; empty: nobody says" example:"6 months"`
	Due           *measure.Instant         `json:"due" format:"date-time" doc:"when it is to be verified next"`
}

func (v *Server) trust(ctx context.Context, s *site.Signal) (t Trust, err error) {
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

func (v *Server) getTrust(ctx context.Context, in *SignalPath) (*body[Trust], error) {
	s, err := v.signal(ctx, *in)
	if err != nil {
		return nil, err
	}
	return answer(v.trust(ctx, &s))
}

// CalibrationInput is a calibration of a signal.
type CalibrationInput struct {
	SignalPath
	Body pipeline.CalibrationOrder
}

func (v *Server) calibrate(ctx context.Context, in *CalibrationInput) (*body[pipeline.Fitted], error) {
	if _, err := v.signal(ctx, in.SignalPath); err != nil {
		return nil, err
	}
	f, err := v.pipeline.Calibrate(ctx, in.Device+"/"+in.Signal, in.Body, who(ctx))
	v.keeper.Soon()
	return answer(f, err)
}

func (v *Server) uncalibrate(ctx context.Context, in *struct {
	SignalPath
	ID int64 `path:"id"`
}) (*none, error) {
	if _, err := v.signal(ctx, in.SignalPath); err != nil {
		return nil, err
	}
	_, err := v.pipeline.Uncalibrate(ctx, in.Device+"/"+in.Signal, in.ID, who(ctx))
	v.keeper.Soon()
	return nil, err
}

func (v *Server) bringCalibrationBack(ctx context.Context, in *struct {
	SignalPath
	ID int64 `path:"id"`
}) (*none, error) {
	if _, err := v.signal(ctx, in.SignalPath); err != nil {
		return nil, err
	}
	defer v.keeper.Soon()
	return nil, v.pipeline.BringCalibrationBack(ctx, in.Device+"/"+in.Signal, in.ID, who(ctx))
}

// Preview is a calibration before it is made: the line with what corrects it now and as it would be, and what
// the signal's guards would have said.
type Preview struct {
	pipeline.Fitted
	At     []int64        `json:"at" nullable:"false" doc:"milliseconds since 1970"`
	Now    []float64      `json:"now" nullable:"false" doc:"as it is corrected now"`
	Then   []float64      `json:"then" nullable:"false" doc:"as it would be"`
	Guards []PreviewGuard `json:"guards" nullable:"false"`
}

// PreviewGuard is what a guard would have said over the stretch of a preview.
type PreviewGuard struct {
	Guard string `json:"guard"`
	When  string `json:"when"`
	Now   int    `json:"now" doc:"alarms by the values as they are corrected now"`
	Then  int    `json:"then" doc:"alarms by the values as they would be"`
}

// previewColumns is how finely a preview is drawn.
const previewColumns = 600

func (v *Server) tryCalibration(ctx context.Context, in *CalibrationInput) (*body[Preview], error) {
	s, err := v.signal(ctx, in.SignalPath)
	if err != nil {
		return nil, err
	}
	out := Preview{At: []int64{}, Now: []float64{}, Then: []float64{}, Guards: []PreviewGuard{}}
	if out.Fitted, err = v.pipeline.TryCalibration(ctx, s.Path(), in.Body, who(ctx)); err != nil {
		return nil, err
	}
	until := v.pipeline.Now()
	if s.At != nil {
		until = *s.At
	}
	return answer(out, v.preview(ctx, &s, &out, until.Add(-24*time.Hour), until))
}

// preview fills in lines and guards over a stretch.
func (v *Server) preview(ctx context.Context, s *site.Signal, out *Preview, from, until measure.Instant) error {
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
			out.Guards = append(out.Guards, PreviewGuard{g.Name, g.When.String(), raises(g, now, until), raises(g, then, until)})
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

// Steady is what a signal read over the last while, for somebody who holds a reference beside it.
type Steady struct {
	Count   int      `json:"count" doc:"usable readings"`
	LeftOut int      `json:"left_out" doc:"readings of no use"`
	Mean    *float64 `json:"mean" doc:"null without a reading"`
	Low     float64  `json:"low"`
	High    float64  `json:"high"`
}

func (v *Server) getSteady(ctx context.Context, in *struct {
	SignalPath
	For string `query:"for" default:"30s" doc:"how long a while, 1s to 10m"`
}) (*body[Steady], error) {
	length, err := measure.ParseDuration(in.For)
	if err != nil || length < measure.Duration(time.Second) || length > measure.Duration(10*time.Minute) {
		return nil, wrong("for", in.For+" is no length of time between 1s and 10m")
	}
	s, err := v.signal(ctx, in.SignalPath)
	if err != nil {
		return nil, err
	}
	now := v.pipeline.Now()
	readings, _, err := v.store.Readings(ctx, &s, now.Add(-time.Duration(length)), now.Add(farAhead), 100_000)
	var out Steady
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
	return answer(out, err)
}

func (v *Server) verify(ctx context.Context, in *struct {
	SignalPath
	Body pipeline.VerificationOrder
}) (*body[calibrate.Verification], error) {
	if _, err := v.signal(ctx, in.SignalPath); err != nil {
		return nil, err
	}
	return answer(v.pipeline.Verify(ctx, in.Device+"/"+in.Signal, in.Body, who(ctx)))
}

// VerifyPlan says how often a signal is to be verified.
type VerifyPlan struct {
	Every string `json:"every" doc:"by the calendar; empty: never" example:"6 months"`
}

func (v *Server) planVerification(ctx context.Context, in *struct {
	SignalPath
	Body VerifyPlan
}) (*body[Trust], error) {
	every, err := calibrate.ParseEvery(in.Body.Every)
	if err != nil {
		return nil, wrong("every", err.Error())
	}
	s, err := v.signal(ctx, in.SignalPath)
	if err != nil {
		return nil, err
	}
	if err := v.pipeline.VerifyEvery(ctx, s.Path(), every, who(ctx)); err != nil {
		return nil, err
	}
	return answer(v.trust(ctx, &s))
}

// Comparison is two signals beside each other.
type Comparison struct {
	calibrate.Agreement
	First  string       `json:"first"`
	Second string       `json:"second"`
	Unit   measure.Unit `json:"unit" doc:"of the first, in which both are told"`
}

// comparedAtMost bounds the readings of a comparison.
const comparedAtMost = 3_000_000

func (v *Server) compare(ctx context.Context, in *struct {
	First  string `query:"first" required:"true" doc:"DEVICE/SIGNAL"`
	Second string `query:"second" required:"true" doc:"DEVICE/SIGNAL, one that is trusted"`
	Stretch
}) (*body[Comparison], error) {
	since, until, err := in.bounds(v.pipeline.Now())
	if err != nil {
		return nil, err
	}
	out := Comparison{First: in.First, Second: in.Second}
	var readings [2][]measure.Reading
	var second site.Signal
	for i, path := range []string{in.First, in.Second} {
		device, name, err := site.SplitPath(path)
		if err != nil {
			return nil, wrong([]string{"first", "second"}[i], err.Error())
		}
		s, err := v.signal(ctx, SignalPath{device, name})
		if err != nil {
			return nil, err
		}
		if i == 0 {
			out.Unit = s.Unit
		}
		if readings[i], err = v.usable(ctx, &s, since, until, out.Unit); err != nil {
			return nil, err
		}
		second = s
	}
	hold, err := v.store.SilenceOf(ctx, second.ID)
	if err == nil {
		out.Agreement, err = calibrate.Agree(readings[0], readings[1], hold)
	}
	return answer(out, err)
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

func (v *Server) listDoubts(ctx context.Context, in *struct {
	SignalPath
	Stretch
	Columns int `query:"columns" default:"1200" minimum:"1" maximum:"8000"`
}) (*body[[]store.Doubt], error) {
	s, since, until, err := v.stretch(ctx, in.SignalPath, in.Stretch)
	if err != nil {
		return nil, err
	}
	return answer(v.store.Marked(ctx, s.ID, since, until, (min(until, v.pipeline.Now())-since)/measure.Instant(in.Columns), measure.Unusable))
}

func (v *Server) getWork(ctx context.Context, in *SignalPath) (*body[store.Work], error) {
	s, err := v.signal(ctx, *in)
	if err != nil {
		return nil, err
	}
	return answer(v.store.Work(ctx, s.ID))
}
