package drive

import (
	"encoding/json"
	"time"

	"jauntylark/core/measure"
)

// OutputOrder is what a device is sent: what to do, for how long that holds unless it is renewed, and what to do after
// that.
type OutputOrder struct {
	No    int64           `json:"no" doc:"a greater number is a newer order; a renewal has the same"`
	Value json.RawMessage `json:"value" doc:"what to do, in the words of the output"`
	For   float64         `json:"for" doc:"seconds for which this holds from when it is heard; go to the safe state after that"`
	Safe  json.RawMessage `json:"safe" doc:"the safe state, in the words of the output"`
	Until measure.Instant `json:"until" format:"date-time" doc:"the same by the service's clock: an order that is heard later than this is void"`
}

// OrderAt gives the order as it is sent at an instant.
func (o *Output) OrderAt(now measure.Instant) OutputOrder {
	return OutputOrder{No: o.No, Value: o.Sends(o.Ordered), For: o.Expiry().Seconds(), Safe: o.Sends(o.Safe),
		Until: now.Add(o.Expiry())}
}

// OutputReport is what a device says that an output does: {"value": 1, "no": 42}, or the word alone.
type OutputReport struct {
	Value json.RawMessage `json:"value" doc:"what the output does, in the words that it is sent"`
	No    int64           `json:"no,omitempty" required:"false" minimum:"0" doc:"of the order behind it"`
}

// Follower is the device's side of one output: it does what it last heard, and goes to the safe state when it hears
// nothing for too long. The zero Follower has heard nothing; time is that of the device's own clock, which need not be
// right.
type Follower struct {
	heard bool
	no    int64
	does  json.RawMessage
	safe  json.RawMessage
	until time.Time
}

// Hear takes an order. One with a smaller number than the newest came by a slow way and is passed over, unless what was
// heard has expired.
func (f *Follower) Hear(o OutputOrder, now time.Time) {
	if f.heard && o.No < f.no && now.Before(f.until) {
		return
	}
	f.heard, f.no, f.does, f.safe, f.until = true, o.No, o.Value, o.Safe,
		now.Add(time.Duration(o.For*float64(time.Second)))
}

// Does gives what the output is to do at an instant: nil while nothing was heard, and the number of the order behind
// it, 0 once it has expired.
func (f *Follower) Does(now time.Time) (json.RawMessage, int64) {
	if f.heard && !now.Before(f.until) {
		return f.safe, 0
	}
	return f.does, f.no
}
