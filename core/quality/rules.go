package quality

import (
	"fmt"
	"time"

	"jauntylark/core/measure"
)

// Rules say what is known of an instrument. The zero Rules find nothing wrong with any reading.
type Rules struct {
	SpanLow    *float64         `json:"span_low" db:"span_low" doc:"the lowest value that the instrument can truly give"`
	SpanHigh   *float64         `json:"span_high" db:"span_high" doc:"the highest"`
	FailsTo    Side             `json:"fails_to" db:"fails_to" enum:",low,high,both" doc:"the side to which the instrument fails: what lies beyond the span there is a fault; elsewhere it counts as beyond a guard's limit"`
	Step       float64          `json:"step" db:"step" doc:"resolution; 0 when nobody has said"`
	WarmUp     measure.Duration `json:"warm_up" db:"warm_up" doc:"how long after power-on its readings are not to be believed; 0: it needs no warming"`
	WarmGap    measure.Duration `json:"warm_gap" db:"warm_gap" doc:"a longer gap between two readings means that it was without power; 0: a gap says nothing"`
	StuckAfter measure.Duration `json:"stuck_after" db:"stuck_after" doc:"how long its last digit may stand still; 0: for ever"`
	FaultAfter measure.Duration `json:"fault_after" db:"fault_after" doc:"how long nothing but implausible or stuck readings may come before a sensor fault is raised; 0: 10m"`
}

// Side is an end of the span.
type Side string

// The sides that an instrument fails to.
const (
	Neither Side = ""
	Low     Side = "low"
	High    Side = "high"
	Both    Side = "both"
)

// usualFault is how long a signal may be of no use before a fault is raised, where nobody says.
const usualFault = 10 * time.Minute

// longest is the longest duration of a rule.
const longest = measure.Duration(30 * 24 * time.Hour)

// Check tells which rule is wrong: nil or a *measure.Fault.
func (r *Rules) Check() error {
	if r.SpanLow != nil && r.SpanHigh != nil && *r.SpanLow >= *r.SpanHigh {
		return &measure.Fault{Field: "span", Reason: fmt.Sprintf("goes from %v to %v; the lower value comes first",
			*r.SpanLow, *r.SpanHigh)}
	}
	switch r.FailsTo {
	case Neither, Low, High, Both:
	default:
		return &measure.Fault{Field: "fails_to",
			Reason: fmt.Sprintf("%q is no side; sides are low, high and both, or nothing", r.FailsTo)}
	}
	if r.WarmGap > 0 && r.WarmUp <= 0 {
		return &measure.Fault{Field: "warm_gap", Reason: "has no meaning without warm_up"}
	}
	for _, rule := range []struct {
		field string
		d     measure.Duration
	}{{"warm_up", r.WarmUp}, {"warm_gap", r.WarmGap}, {"stuck_after", r.StuckAfter}, {"fault_after", r.FaultAfter}} {
		if rule.d < 0 || rule.d > longest {
			return &measure.Fault{Field: rule.field, Reason: fmt.Sprintf("%v is not between 0s and %v", rule.d,
				longest)}
		}
	}
	return nil
}

// Beyond tells on which side of the span a raw value lies: Low, High, or Neither.
func (r *Rules) Beyond(raw float64) Side {
	switch {
	case r.SpanLow != nil && raw < *r.SpanLow:
		return Low
	case r.SpanHigh != nil && raw > *r.SpanHigh:
		return High
	}
	return Neither
}

// Fails tells whether a value beyond the span on a side is a fault of the instrument.
func (r *Rules) Fails(to Side) bool { return r.FailsTo == Both || r.FailsTo == to && to != Neither }

// FaultLength is how long faulty readings go on before they are a sensor fault.
func (r *Rules) FaultLength() measure.Duration {
	if r.FaultAfter == 0 {
		return measure.Duration(usualFault)
	}
	return r.FaultAfter
}

// FaultAt is when readings that are faulty since an instant are a sensor fault.
func (r *Rules) FaultAt(since measure.Instant) measure.Instant {
	return since.Add(time.Duration(r.FaultLength()))
}
