package pipeline

import (
	"context"
	"fmt"
	"strings"

	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// SignalChange says what to change of a signal; what is nil stays.
type SignalChange struct {
	Title        *string           `json:"title,omitempty" required:"false" maxLength:"80" doc:"what people call it"`
	Quantity     *string           `json:"quantity,omitempty" required:"false" maxLength:"80" doc:"what it measures, in a word or two"`
	Unit         *measure.Unit     `json:"unit,omitempty" required:"false" doc:"SenML or UCUM code; can be said once"`
	Span         *site.Span        `json:"span,omitempty" required:"false" doc:"the values that the instrument can truly give"`
	Step         *float64          `json:"step,omitempty" required:"false" minimum:"0" doc:"resolution"`
	Bands        *site.Bands       `json:"bands,omitempty" required:"false" doc:"named stretches of its values"`
	Interval     *measure.Duration `json:"interval,omitempty" required:"false" doc:"how often a reading is expected; 0s: as often as its device's"`
	KeepReadings *measure.Duration `json:"keep_readings,omitempty" required:"false" doc:"for how long its readings are kept; 0s: as its kit or the site says"`
	KeepFigures  *measure.Duration `json:"keep_figures,omitempty" required:"false" doc:"for how long its figures by hour and day are kept; 0s: as its kit or the site says"`
}

// SetSignal changes what is said of a signal. A unit can be stated when there is none; one that is
// stored stays.
func (p *Pipeline) SetSignal(ctx context.Context, path string, c SignalChange, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		s, err := t.live.find(path)
		if err != nil {
			return err
		}
		v := s.Signal
		if err := c.onto(&v); err != nil {
			return err
		}
		t.touched = true
		s.Signal = v
		if err := t.Tx.SaveSignal(t.ctx, &v); err != nil {
			return err
		}
		if c.Interval != nil {
			if err := t.lookAnew(s.device, "what is expected of the device was changed"); err != nil {
				return err
			}
		}
		if err := t.Enter("signal set", path, who.Called, fmt.Sprintf("Signal %s is called %q, unit %q", path, v.Title, v.Unit)); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

func (c SignalChange) onto(v *site.Signal) error {
	if c.Title != nil {
		v.Title = strings.TrimSpace(*c.Title)
	}
	if c.Quantity != nil {
		v.Quantity = strings.TrimSpace(*c.Quantity)
	}
	if c.Unit != nil && *c.Unit != v.Unit {
		switch {
		case !c.Unit.Known():
			return &measure.Fault{Field: "unit", Reason: site.UnknownUnit(*c.Unit)}
		case v.Unit != "":
			return &measure.Fault{Field: "unit", Reason: fmt.Sprintf("%s is stored in %s; a stored unit stays", v.Path(), v.Unit)}
		}
		v.Unit = *c.Unit
	}
	if c.Span != nil {
		if c.Span.Low >= c.Span.High {
			return &measure.Fault{Field: "span", Reason: fmt.Sprintf("goes from %v to %v; the lower value comes first", c.Span.Low, c.Span.High)}
		}
		v.SpanLow, v.SpanHigh = &c.Span.Low, &c.Span.High
	}
	if c.Step != nil {
		v.Step = *c.Step
	}
	if c.Bands != nil {
		if err := c.Bands.Check(); err != nil {
			return err
		}
		v.Bands = *c.Bands
	}
	if c.Interval != nil {
		if err := site.CheckInterval("interval", *c.Interval); err != nil {
			return err
		}
		v.Interval = *c.Interval
	}
	for field, keep := range map[string]struct{ said, kept *measure.Duration }{"keep_readings": {c.KeepReadings, &v.KeepReadings}, "keep_figures": {c.KeepFigures, &v.KeepFigures}} {
		if keep.said == nil {
			continue
		}
		if err := site.CheckKeep(field, *keep.said); err != nil {
			return err
		}
		*keep.kept = *keep.said
	}
	return nil
}
