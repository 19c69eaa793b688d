package server

import (
	"context"
	"time"

	"jauntylark/api"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/configure"
)

func (v *Server) listSignals(ctx context.Context, _ *api.None) ([]site.Signal, error) {
	return v.store.Signals(ctx)
}

func (v *Server) listSparks(ctx context.Context, in *api.ListSparksIn) ([]site.Spark, error) {
	now := v.pipeline.Now()
	return v.store.Sparks(ctx, now.Add(-24*time.Hour), now, in.Columns)
}

func (v *Server) signal(ctx context.Context, p api.SignalPath) (site.Signal, error) {
	s, err := v.store.Signal(ctx, p.Device, p.Signal)
	if err == nil {
		return s, nil
	}
	all, listErr := v.store.Signals(ctx)
	if listErr != nil {
		return s, listErr
	}
	paths := make([]string, len(all))
	for i := range all {
		paths[i] = all[i].Path()
	}
	return s, missing(err, "signal", p.Device+"/"+p.Signal, paths)
}

func (v *Server) getSignal(ctx context.Context, in *api.SignalPath) (site.Signal, error) {
	s, err := v.signal(ctx, *in)
	if err == nil {
		s.MaySwitch, err = configure.MayBeSwitch(ctx, v.pipeline, &s)
	}
	return s, err
}

// makeSwitch makes a signal of numbers that are only ever 0 and 1 a switch.
func (v *Server) makeSwitch(ctx context.Context, in *api.SignalPath) (site.Signal, error) {
	if _, err := v.signal(ctx, *in); err != nil {
		return site.Signal{}, err
	}
	if err := configure.MakeSwitch(ctx, v.pipeline, in.Device+"/"+in.Signal, who(ctx)); err != nil {
		return site.Signal{}, err
	}
	return v.signal(ctx, *in)
}

func (v *Server) setSignal(ctx context.Context, in *api.SetSignalIn) (site.Signal, error) {
	if _, err := v.signal(ctx, in.SignalPath); err != nil {
		return site.Signal{}, err
	}
	if err := configure.SetSignal(ctx, v.pipeline, in.Device+"/"+in.Signal, in.Body, who(ctx)); err != nil {
		return site.Signal{}, err
	}
	return v.signal(ctx, in.SignalPath)
}

// stretch gives the signal and the stretch of it that are asked for.
func (v *Server) stretch(ctx context.Context, p api.SignalPath, in api.Stretch) (s site.Signal, since, until measure.Instant, err error) {
	if s, err = v.signal(ctx, p); err == nil {
		since, until, err = in.Bounds(v.pipeline.Now())
	}
	return s, since, until, err
}

func (v *Server) listReadings(ctx context.Context, in *api.ListReadingsIn) (api.Readings, error) {
	s, since, until, err := v.stretch(ctx, in.SignalPath, in.Stretch)
	if err != nil {
		return api.Readings{}, err
	}
	page := api.Readings{}
	var more bool
	if page.Readings, more, err = v.store.Readings(ctx, &s, since, until, in.Limit); more {
		next := page.Readings[len(page.Readings)-1].At + 1
		page.Next = &next
	}
	return page, err
}

func (v *Server) getLine(ctx context.Context, in *api.GetLineIn) (api.Line, error) {
	s, since, until, err := v.stretch(ctx, in.SignalPath, in.Stretch)
	if err != nil {
		return api.Line{}, err
	}
	return v.line(ctx, &s, since, until, in.Columns)
}

// line reduces a stretch of a signal for so many columns.
func (v *Server) line(ctx context.Context, s *site.Signal, since, until measure.Instant, columns int) (api.Line, error) {
	end := min(until, v.pipeline.Now().Add(time.Minute))
	if s.At != nil { // a device whose clock is ahead
		end = min(until, max(end, *s.At))
	}
	kept, of, err := v.store.Line(ctx, s.ID, since, end+1, columns)
	line := api.Line{At: make([]int64, len(kept)), Value: make([]float64, len(kept)), Of: of, Reduced: len(kept) < of}
	for i, r := range kept {
		line.At[i], line.Value[i] = int64(r.At), r.Value
	}
	return line, err
}
