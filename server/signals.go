package server

import (
	"context"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline"
)

func (v *Server) listSignals(ctx context.Context, _ *none) (*body[[]site.Signal], error) {
	return answer(v.store.Signals(ctx))
}

type sparksInput struct {
	Columns int `query:"columns" default:"60" minimum:"1" maximum:"400"`
}

func (v *Server) listSparks(ctx context.Context, in *sparksInput) (*body[[]site.Spark], error) {
	now := v.pipeline.Now()
	return answer(v.store.Sparks(ctx, now.Add(-24*time.Hour), now, in.Columns))
}

// SignalPath is the place of one signal.
type SignalPath struct {
	Device string `path:"device"`
	Signal string `path:"signal"`
}

func (v *Server) signal(ctx context.Context, p SignalPath) (site.Signal, error) {
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

func (v *Server) getSignal(ctx context.Context, in *SignalPath) (*body[site.Signal], error) {
	s, err := v.signal(ctx, *in)
	if err == nil {
		s.MaySwitch, err = v.pipeline.MayBeSwitch(ctx, &s)
	}
	return answer(s, err)
}

// makeSwitch makes a signal of numbers that are only ever 0 and 1 a switch.
func (v *Server) makeSwitch(ctx context.Context, in *SignalPath) (*body[site.Signal], error) {
	if _, err := v.signal(ctx, *in); err != nil {
		return nil, err
	}
	if err := v.pipeline.MakeSwitch(ctx, in.Device+"/"+in.Signal, who(ctx)); err != nil {
		return nil, err
	}
	return answer(v.signal(ctx, *in))
}

func (v *Server) setSignal(ctx context.Context, in *struct {
	SignalPath
	Body pipeline.SignalChange
}) (*body[site.Signal], error) {
	if _, err := v.signal(ctx, in.SignalPath); err != nil {
		return nil, err
	}
	if err := v.pipeline.SetSignal(ctx, in.Device+"/"+in.Signal, in.Body, who(ctx)); err != nil {
		return nil, err
	}
	return answer(v.signal(ctx, in.SignalPath))
}

// Stretch is a stretch of time in a query: the last hour when nothing is said.
type Stretch struct {
	Since time.Time `query:"since" doc:"from this instant on; an hour before until when left out"`
	Until time.Time `query:"until" doc:"up to and with this instant; the newest reading when left out"`
}

// farAhead is beyond every reading: they are at most a day ahead.
const farAhead = 25 * time.Hour

// bounds settles what was left out and refuses a stretch that ends before it begins.
func (s Stretch) bounds(now measure.Instant) (since, until measure.Instant, err error) {
	since, until = measure.InstantOf(s.Since), measure.InstantOf(s.Until)
	if s.Until.IsZero() {
		until = now.Add(farAhead)
	}
	if s.Since.IsZero() {
		since = min(until, now).Add(-time.Hour)
	}
	if until < since {
		err = wrong("until", until.String()+" is before since, "+since.String())
	}
	return since, until, err
}

// stretch gives the signal and the stretch of it that are asked for.
func (v *Server) stretch(ctx context.Context, p SignalPath, in Stretch) (s site.Signal, since, until measure.Instant, err error) {
	if s, err = v.signal(ctx, p); err == nil {
		since, until, err = in.bounds(v.pipeline.Now())
	}
	return s, since, until, err
}

// Readings is one page of readings.
type Readings struct {
	Readings []measure.Reading `json:"readings" nullable:"false"`
	Next     *measure.Instant  `json:"next" format:"date-time" doc:"since of the next page; null when this is the last"`
}

func (v *Server) listReadings(ctx context.Context, in *struct {
	SignalPath
	Stretch
	Limit int `query:"limit" default:"10000" minimum:"1" maximum:"100000"`
}) (*body[Readings], error) {
	s, since, until, err := v.stretch(ctx, in.SignalPath, in.Stretch)
	if err != nil {
		return nil, err
	}
	page := Readings{}
	var more bool
	if page.Readings, more, err = v.store.Readings(ctx, &s, since, until, in.Limit); more {
		next := page.Readings[len(page.Readings)-1].At + 1
		page.Next = &next
	}
	return answer(page, err)
}

// Line is a stretch of a signal as a chart draws it. The lists are of one length.
type Line struct {
	At      []int64   `json:"at" nullable:"false" doc:"milliseconds since 1970"`
	Value   []float64 `json:"value" nullable:"false"`
	Of      int       `json:"of" doc:"how many readings the stretch has"`
	Reduced bool      `json:"reduced" doc:"not all readings are told: first, lowest, highest and last of each column are"`
}

func (v *Server) getLine(ctx context.Context, in *struct {
	SignalPath
	Stretch
	Columns int `query:"columns" default:"1200" minimum:"1" maximum:"8000"`
}) (*body[Line], error) {
	s, since, until, err := v.stretch(ctx, in.SignalPath, in.Stretch)
	if err != nil {
		return nil, err
	}
	return answer(v.line(ctx, &s, since, until, in.Columns))
}

// line reduces a stretch of a signal for so many columns.
func (v *Server) line(ctx context.Context, s *site.Signal, since, until measure.Instant, columns int) (Line, error) {
	end := min(until, v.pipeline.Now().Add(time.Minute))
	if s.At != nil { // a device whose clock is ahead
		end = min(until, max(end, *s.At))
	}
	kept, of, err := v.store.Line(ctx, s.ID, since, end+1, columns)
	line := Line{At: make([]int64, len(kept)), Value: make([]float64, len(kept)), Of: of, Reduced: len(kept) < of}
	for i, r := range kept {
		line.At[i], line.Value[i] = int64(r.At), r.Value
	}
	return line, err
}
