package api

import (
	"jauntylark/core/act"
	"jauntylark/core/calibrate"
	"jauntylark/core/measure"
	"jauntylark/core/quality"
	"jauntylark/core/storage"
)

// Operations on whether a signal's numbers are true.
var (
	GetTrust = define[SignalPath, Trust](viewer, "get-trust",
		"GET /signals/{device}/{signal}/trust",
		"How a signal was calibrated and verified, and when it is due", long)
	TryCalibration = define[CalibrationInput, Preview](keeper, "try-calibration",
		"POST /signals/{device}/{signal}/calibrations/try",
		"Fit a calibration, and tell what it would do to the last day", long)
	Calibrate = define[CalibrationInput, act.Fitted](keeper, "calibrate",
		"POST /signals/{device}/{signal}/calibrations",
		"Put a calibration in force; raw values stay",
		makes(func(in *CalibrationInput, _ act.Fitted) Place { return GetTrust.At(in.Device, in.Signal) }))
	TakeCalibrationBack = define[TakeCalibrationBackIn, None](keeper, "take-calibration-back",
		"DELETE /signals/{device}/{signal}/calibrations/{id}", "Take a calibration back")
	BringCalibrationBack = define[BringCalibrationBackIn, None](keeper, "bring-calibration-back",
		"POST /signals/{device}/{signal}/calibrations/{id}/bring-back",
		"Put a calibration in force again that was taken back in the last 30 days")
	GetSteady = define[GetSteadyIn, Steady](viewer, "get-steady",
		"GET /signals/{device}/{signal}/steady",
		"The mean of the last seconds, for who holds a reference beside it")
	Verify = define[VerifyIn, calibrate.Verification](keeper, "verify",
		"POST /signals/{device}/{signal}/verifications",
		"Check what a signal shows against a reference, and keep what came of it",
		makes(func(in *VerifyIn, _ calibrate.Verification) Place { return GetTrust.At(in.Device, in.Signal) }))
	PlanVerification = define[PlanVerificationIn, Trust](keeper, "plan-verification",
		"PUT /signals/{device}/{signal}/verification-plan", "Say how often a signal is to be verified")
	ListDoubts = define[ListDoubtsIn, []quality.Doubt](viewer, "list-doubts",
		"GET /signals/{device}/{signal}/doubts", "Stretches whose readings are of no use", long)
	GetWork = define[SignalPath, storage.Work](viewer, "get-work",
		"GET /signals/{device}/{signal}/work",
		"What is still to be computed anew of a signal and what is derived from it")
	CompareSignals = define[CompareSignalsIn, Comparison](viewer, "compare-signals",
		"GET /compare", "How far two signals that measure the same thing agree", long)
)

// TakeCalibrationBackIn is the input of TakeCalibrationBack.
type TakeCalibrationBackIn struct {
	SignalPath
	ID int64 `path:"id"`
}

// BringCalibrationBackIn is the input of BringCalibrationBack.
type BringCalibrationBackIn struct {
	SignalPath
	ID int64 `path:"id"`
}

// GetSteadyIn is the input of GetSteady.
type GetSteadyIn struct {
	SignalPath
	For string `query:"for" default:"30s" doc:"how long a while, 1s to 10m"`
}

// VerifyIn is the input of Verify.
type VerifyIn struct {
	SignalPath
	Body act.VerificationOrder
}

// PlanVerificationIn is the input of PlanVerification.
type PlanVerificationIn struct {
	SignalPath
	Body VerifyPlan
}

// ListDoubtsIn is the input of ListDoubts.
type ListDoubtsIn struct {
	SignalPath
	Window
	Columns int `query:"columns" default:"1200" minimum:"1" maximum:"8000"`
}

// CompareSignalsIn is the input of CompareSignals.
type CompareSignalsIn struct {
	First  string `query:"first" required:"true" doc:"DEVICE/SIGNAL"`
	Second string `query:"second" required:"true" doc:"DEVICE/SIGNAL, one that is trusted"`
	Window
}

// Trust is why a signal's values can be believed: how it was calibrated and verified.
type Trust struct {
	Calibrations  []calibrate.Calibration  `json:"calibrations" nullable:"false" doc:"newest made first, with those that were taken back"`
	Verifications []calibrate.Verification `json:"verifications" nullable:"false" doc:"newest first"`
	Every         string                   `json:"every" doc:"how often it is to be verified; empty: nobody says" example:"6 months"`
	Due           *measure.Instant         `json:"due" format:"date-time" doc:"when it is to be verified next"`
}

// CalibrationInput is a calibration of a signal.
type CalibrationInput struct {
	SignalPath
	Body act.CalibrationOrder
}

// Preview is a calibration before it is made: the line with what corrects it now and as it would be, and what
// the signal's guards would have said.
type Preview struct {
	act.Fitted
	At     []measure.Instant `json:"at" nullable:"false"`
	Now    []float64         `json:"now" nullable:"false" doc:"as it is corrected now"`
	Then   []float64         `json:"then" nullable:"false" doc:"as it would be"`
	Guards []PreviewGuard    `json:"guards" nullable:"false"`
}

// PreviewGuard is what a guard would have said over the stretch of a preview.
type PreviewGuard struct {
	Guard string `json:"guard"`
	When  string `json:"when"`
	Now   int    `json:"now" doc:"alarms by the values as they are corrected now"`
	Then  int    `json:"then" doc:"alarms by the values as they would be"`
}

// Steady is what a signal read over the last while, for somebody who holds a reference beside it.
type Steady struct {
	Count   int      `json:"count" doc:"usable readings"`
	LeftOut int      `json:"left_out" doc:"readings of no use"`
	Mean    *float64 `json:"mean" doc:"null without a reading"`
	Low     float64  `json:"low"`
	High    float64  `json:"high"`
}

// VerifyPlan says how often a signal is to be verified.
type VerifyPlan struct {
	Every string `json:"every" doc:"by the calendar; empty: never" example:"6 months"`
}

// Comparison is two signals beside each other.
type Comparison struct {
	calibrate.Agreement
	First  string       `json:"first"`
	Second string       `json:"second"`
	Unit   measure.Unit `json:"unit" doc:"of the first, in which both are told"`
}

// GetSheet answers with a device's calibrations and verifications.
var GetSheet = define[GetSheetIn, File](viewer, "get-sheet",
	"GET /devices/{device}/sheet", "A device's calibrations and verifications, as a page to print or as CSV", long,
	gives(textOf("text/html", ""), textOf("text/csv", "")))

// GetSheetIn is the input of GetSheet.
type GetSheetIn struct {
	DevicePath
	As string `query:"as" enum:"html,csv" doc:"html when left out"`
}
