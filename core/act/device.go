package act

import (
	"fmt"
	"strings"

	"jauntylark/core/measure"
	"jauntylark/core/quality"
	"jauntylark/core/site"
)

// DeviceChange says what to change of a device; what is nil stays. Null in a body takes a part away: it becomes what
// has nothing of its kind, or what the tag taken says, or it cannot be taken away (never).
type DeviceChange struct {
	site.FaultsChange
	Title        *string           `json:"title,omitempty" required:"false" maxLength:"80" doc:"what people call it"`
	Behind       *string           `json:"behind,omitempty" required:"false" doc:"the gateway that it stands behind; empty: none"`
	Closed       *bool             `json:"closed,omitempty" required:"false" doc:"no new signals appear"`
	Interval     *measure.Duration `json:"interval,omitempty" required:"false" doc:"how often something is expected of it; 0: nobody says"`
	ClockOffset  *float64          `json:"clock_offset,omitempty" required:"false" minimum:"-315360000" maximum:"315360000" doc:"seconds that are added to the times it sends"`
	SilenceAlarm *bool             `json:"silence_alarm,omitempty" taken:"true" required:"false" doc:"whether its silence raises an alarm"`
	Uptime       *string           `json:"uptime,omitempty" required:"false" doc:"its signal that counts the seconds since power-on; empty: none"`
}

// SignalChange says what to change of a signal; what is nil stays.
type SignalChange struct {
	site.FaultsChange
	Title        *string           `json:"title,omitempty" required:"false" maxLength:"80" doc:"what people call it"`
	Quantity     *string           `json:"quantity,omitempty" required:"false" maxLength:"80" doc:"what it measures, in a word or two"`
	Unit         *measure.Unit     `json:"unit,omitempty" required:"false" doc:"SenML or UCUM code; can be said once"`
	Span         *site.Span        `json:"span,omitempty" taken:"no_span" required:"false" doc:"the values that the instrument can truly give"`
	NoSpan       bool              `json:"no_span,omitempty" required:"false" doc:"forget the span"`
	FailsTo      *quality.Side     `json:"fails_to,omitempty" required:"false" enum:",low,high,both" doc:"the side of the span to which the instrument fails"`
	Step         *float64          `json:"step,omitempty" required:"false" minimum:"0" doc:"resolution"`
	WarmUp       *measure.Duration `json:"warm_up,omitempty" required:"false" doc:"how long after power-on its readings are not to be believed"`
	WarmGap      *measure.Duration `json:"warm_gap,omitempty" required:"false" doc:"a longer gap between two readings means that it was without power; 0: a gap says nothing"`
	StuckAfter   *measure.Duration `json:"stuck_after,omitempty" required:"false" doc:"how long its last digit may stand still; 0: for ever"`
	FaultAfter   *measure.Duration `json:"fault_after,omitempty" required:"false" doc:"how long readings that cannot be believed may come before a sensor fault is raised; 0: 10m"`
	Bands        *site.Bands       `json:"bands,omitempty" required:"false" doc:"named stretches of its values"`
	Interval     *measure.Duration `json:"interval,omitempty" required:"false" doc:"how often a reading is expected; 0: as often as its device's"`
	KeepReadings *measure.Duration `json:"keep_readings,omitempty" required:"false" doc:"for how long its readings are kept; 0: as its kit or the site says"`
	KeepFigures  *measure.Duration `json:"keep_figures,omitempty" required:"false" doc:"for how long its figures by hour and day are kept; 0: as its kit or the site says"`
}

// Onto changes a signal as it says, or tells what is wrong with it.
func (c SignalChange) Onto(v *site.Signal) error {
	if c.Title != nil {
		v.Title = strings.TrimSpace(*c.Title)
	}
	c.FaultsChange.Onto(&v.Faults)
	if c.Quantity != nil {
		v.Quantity = strings.TrimSpace(*c.Quantity)
	}
	if c.Unit != nil && *c.Unit != v.Unit {
		switch {
		case !c.Unit.Known():
			return &measure.Fault{Field: "unit", Reason: site.UnknownUnit(*c.Unit)}
		case v.Unit != "":
			return &measure.Fault{Field: "unit", Reason: fmt.Sprintf("%s is stored in %s; a stored unit stays",
				v.Path(), v.Unit)}
		}
		v.Unit = *c.Unit
	}
	if err := c.rules(v); err != nil {
		return err
	}
	if c.Bands != nil {
		if err := c.Bands.Check(); err != nil { // of a switch they are names for off and on
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
	for field, keep := range map[string]struct{ said, kept *measure.Duration }{"keep_readings": {c.KeepReadings,
		&v.KeepReadings}, "keep_figures": {c.KeepFigures, &v.KeepFigures}} {
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

// rules changes what is known of the instrument.
func (c SignalChange) rules(v *site.Signal) error {
	r := v.Rules
	if c.NoSpan {
		r.SpanLow, r.SpanHigh = nil, nil
	}
	if c.Span != nil {
		r.SpanLow, r.SpanHigh = &c.Span.Low, &c.Span.High
	}
	if c.FailsTo != nil {
		r.FailsTo = *c.FailsTo
	}
	if c.Step != nil {
		r.Step = *c.Step
	}
	for into, said := range map[*measure.Duration]*measure.Duration{&r.WarmUp: c.WarmUp, &r.WarmGap: c.WarmGap,
		&r.StuckAfter: c.StuckAfter, &r.FaultAfter: c.FaultAfter} {
		if said != nil {
			*into = *said
		}
	}
	if err := r.Check(); err != nil {
		return err
	}
	if v.MadeOf != "" && (r.SpanLow != nil || r.WarmUp != 0 || r.StuckAfter != 0) {
		return &measure.Fault{Field: "signal", Reason: v.Path() +
			" is derived; what it is computed from has an instrument, and is judged"}
	}
	v.Rules = r
	return nil
}
