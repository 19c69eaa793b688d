package alarm

import "jauntylark/core/measure"

// Alarm is one occurrence: from the raise of a guard until it is over.
type Alarm struct {
	ID             int64            `json:"id" db:"id"`
	Kind           string           `json:"kind" db:"kind" enum:"guard,silence,clock,disk,sensor,verification" doc:"what raised it: a guard, the silence of a device, its clock, a disk that is nearly full, a sensor whose readings cannot be believed, or a verification that is due"`
	Guard          string           `json:"guard" db:"guard" doc:"name of the guard; empty for silence and clock"`
	Signal         string           `json:"signal" db:"signal" doc:"DEVICE/SIGNAL, or DEVICE for silence and clock; empty for the disk"`
	Severity       Severity         `json:"severity" db:"severity" enum:"advisory,warning,critical"`
	State          string           `json:"state" db:"state" enum:"raised,over"`
	RaisedAt       measure.Instant  `json:"raised_at" db:"raised_at" format:"date-time" doc:"event time"`
	ClearedAt      *measure.Instant `json:"cleared_at" db:"cleared_at" format:"date-time"`
	AcknowledgedAt *measure.Instant `json:"acknowledged_at" db:"acknowledged_at" format:"date-time"`
	AcknowledgedBy string           `json:"acknowledged_by" db:"acknowledged_by"`
	LearnedAt      measure.Instant  `json:"learned_at" db:"learned_at" format:"date-time" doc:"when the service knew of it"`
	Value          float64          `json:"value" db:"value" doc:"the value at the raise"`
	Extreme        float64          `json:"extreme" db:"extreme" doc:"how far it went"`
	ClearedValue   *float64         `json:"cleared_value" db:"cleared_value" doc:"the value when it was over"`
	Unit           measure.Unit     `json:"unit" db:"unit"`
	When           string           `json:"when" db:"when_text" doc:"the test as it was at the raise" example:"above 30"`
	Advice         string           `json:"advice" db:"advice"`
	Sentence       string           `json:"sentence" db:"sentence" doc:"what is wrong, in words"`
	Cause          string           `json:"cause" db:"cause" doc:"why it is over, when it was not the value"`
	CorrectedAt    *measure.Instant `json:"corrected_at" db:"corrected_at" format:"date-time" doc:"when readings behind it were corrected; the alarm stays as it was"`
}

// What raises an alarm.
const (
	ByGuard   = "guard"
	BySilence = "silence" // nothing came from a device for longer than its silence limit
	ByDisk    = "disk"    // the disk that the records are on is nearly full
	ByClock   = "clock"   // a device sends nothing but late readings
	BySensor  = "sensor"  // nothing but readings that cannot be believed came for a set time
	ByDueDate = "verification"
)

// The states of an alarm.
const (
	StateRaised = "raised"
	StateOver   = "over"
)
