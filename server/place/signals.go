package place

import (
	"context"
	"slices"
	"strings"
	"time"

	"jauntylark/api"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/configure"
	"jauntylark/server/web"
	"jauntylark/store/config"
	"jauntylark/store/timeseries"
)

// signalsOperations has the operations of this file answered.
func signalsOperations(v *web.Server) {
	web.Answer(v, api.ListSignals, listSignals)
	web.Answer(v, api.ListSparks, listSparks)
	web.Change(v, api.GetSignal, getSignal, api.SetSignal, setSignal)
	web.Answer(v, api.MakeSwitch, makeSwitch)
	web.Answer(v, api.ListReadings, listReadings)
	web.Answer(v, api.GetLine, getLine)
}

func listSignals(ctx context.Context, v *web.Server, in *api.ListSignalsIn) ([]site.Signal, error) {
	all, err := config.Signals(ctx, v.Store)
	if err != nil {
		return nil, err
	}
	return Of(all, in.Device, in.Signals, func(s *site.Signal) string { return s.Path() }), nil
}

// Of gives those of all whose signal, DEVICE/SIGNAL, is one of the signals or of one of the devices that are named; all
// where none are.
func Of[T any](all []T, devices, signals []string, pathOf func(*T) string) []T {
	if len(devices)+len(signals) == 0 {
		return all
	}
	return slices.DeleteFunc(all, func(one T) bool {
		path := pathOf(&one)
		device, _, _ := strings.Cut(path, "/")
		return !slices.Contains(signals, path) && !slices.Contains(devices, device)
	})
}

func listSparks(ctx context.Context, v *web.Server, in *api.ListSparksIn) ([]site.Spark, error) {
	now := v.Pipeline.Now()
	return timeseries.Sparks(ctx, v.Store, now.Add(-24*time.Hour), now, in.Columns)
}

// FindSignal gives a signal; the problem of one that is not there names the nearest.
func FindSignal(ctx context.Context, v *web.Server, p api.SignalPath) (site.Signal, error) {
	s, err := config.Signal(ctx, v.Store, p.Device, p.Signal)
	if err == nil {
		return s, nil
	}
	all, listErr := config.Signals(ctx, v.Store)
	if listErr != nil {
		return s, listErr
	}
	paths := make([]string, len(all))
	for i := range all {
		paths[i] = all[i].Path()
	}
	return s, web.Missing(err, "signal", p.Device+"/"+p.Signal, paths)
}

func getSignal(ctx context.Context, v *web.Server, in *api.SignalPath) (site.Signal, error) {
	s, err := FindSignal(ctx, v, *in)
	if err == nil {
		s.MaySwitch, err = configure.MayBeSwitch(ctx, v.Pipeline, &s)
	}
	return s, err
}

// makeSwitch makes a signal of numbers that are only ever 0 and 1 a switch.
func makeSwitch(ctx context.Context, v *web.Server, in *api.SignalPath) (site.Signal, error) {
	if _, err := FindSignal(ctx, v, *in); err != nil {
		return site.Signal{}, err
	}
	if err := configure.MakeSwitch(ctx, v.Pipeline, in.Device+"/"+in.Signal, web.Who(ctx)); err != nil {
		return site.Signal{}, err
	}
	return FindSignal(ctx, v, *in)
}

func setSignal(ctx context.Context, v *web.Server, in *api.SetSignalIn) (site.Signal, error) {
	if _, err := FindSignal(ctx, v, in.SignalPath); err != nil {
		return site.Signal{}, err
	}
	if err := configure.SetSignal(ctx, v.Pipeline, in.Device+"/"+in.Signal, in.Body, web.Who(ctx)); err != nil {
		return site.Signal{}, err
	}
	return FindSignal(ctx, v, in.SignalPath)
}

// StretchOf gives the signal and the stretch of it that are asked for: from since on, before until.
func StretchOf(ctx context.Context, v *web.Server, p api.SignalPath,
	in api.Window) (s site.Signal, since, until measure.Instant, err error) {
	if s, err = FindSignal(ctx, v, p); err == nil {
		since, until, err = in.Bounds(v.Pipeline.Now())
	}
	return s, since, until, err
}

func listReadings(ctx context.Context, v *web.Server, in *api.ListReadingsIn) (api.Readings, error) {
	s, since, until, err := StretchOf(ctx, v, in.SignalPath, in.Window)
	if err != nil {
		return api.Readings{}, err
	}
	page := api.Readings{}
	var more bool
	if page.Readings, more, err = timeseries.Readings(ctx, v.Store, &s, since, until-1, in.Limit); more {
		next := page.Readings[len(page.Readings)-1].At + 1
		page.Next = &next
	}
	return page, err
}

func getLine(ctx context.Context, v *web.Server, in *api.GetLineIn) (api.Line, error) {
	s, since, until, err := StretchOf(ctx, v, in.SignalPath, in.Window)
	if err != nil {
		return api.Line{}, err
	}
	return LineOf(ctx, v, &s, since, until, in.Columns)
}

// LineOf reduces a stretch of a signal, from since on and before until, for so many columns.
func LineOf(ctx context.Context, v *web.Server, s *site.Signal, since, until measure.Instant,
	columns int) (api.Line, error) {
	end := v.Pipeline.Now().Add(time.Minute)
	if s.At != nil { // a device whose clock is ahead
		end = max(end, *s.At)
	}
	if end = min(until, end+1); end <= since {
		return api.Line{At: []measure.Instant{}, Value: []float64{}}, nil
	}
	kept, of, err := timeseries.Line(ctx, v.Store, s.ID, since, end, columns)
	line := api.Line{At: make([]measure.Instant, len(kept)), Value: make([]float64, len(kept)), Of: of, Reduced: len(kept) < of}
	for i, r := range kept {
		line.At[i], line.Value[i] = r.At, r.Value
	}
	return line, err
}
