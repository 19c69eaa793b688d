package act

import (
	"jauntylark/core/calibrate"
	"jauntylark/core/measure"
)

// CalibrationOrder is what a person says of an instrument.
type CalibrationOrder struct {
	Pairs  calibrate.Pairs  `json:"pairs" nullable:"false" doc:"what the instrument shows now, and what the reference says"`
	Unit   measure.Unit     `json:"unit,omitempty" required:"false" doc:"of the pairs; the signal's own when left out"`
	Method calibrate.Method `json:"method,omitempty" required:"false" enum:",offset,line,corners" doc:"offset for one pair and a straight line for more, when left out; corners: straight from pair to pair"`
	From   *measure.Instant `json:"from,omitempty" required:"false" format:"date-time" doc:"in force from then on; now when left out"`
	Note   string           `json:"note,omitempty" required:"false" maxLength:"500"`
}

// Fitted is a calibration as it would be made, with how well it fits.
type Fitted struct {
	calibrate.Calibration
	Fit       calibrate.Fit    `json:"fit"`
	Until     *measure.Instant `json:"until" format:"date-time" doc:"when an earlier made calibration that begins later takes over; null: it stays"`
	Past      bool             `json:"past" doc:"it corrects readings that are there already"`
	Corrected int              `json:"corrected_alarms" doc:"alarms that were marked: readings behind them were corrected"`
}

// VerificationOrder is a check of a signal against a reference.
type VerificationOrder struct {
	Reference float64      `json:"reference" doc:"what the reference instrument says"`
	Shown     *float64     `json:"shown,omitempty" required:"false" doc:"what the signal shows; its newest value when left out"`
	Tolerance string       `json:"tolerance" doc:"the largest error that passes: in the unit, or a share of the reference" example:"2%"`
	Unit      measure.Unit `json:"unit,omitempty" required:"false" doc:"of reference, shown and tolerance; the signal's own when left out"`
	Note      string       `json:"note,omitempty" required:"false" maxLength:"500"`
}
