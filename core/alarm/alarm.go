package alarm

import "jauntylark/core/measure"

// Alarm is one occurrence: from the raise of a guard until it is over.
type Alarm struct {
	ID             int64            `json:"id" db:"id"`
	Kind           string           `json:"kind" db:"kind" enum:"guard,silence,clock,disk,sensor,verification,carrier,drill,output,service" doc:"what raised it: a guard, the silence of a device, its clock, a disk that is nearly full, a sensor whose readings cannot be believed, a verification that is due, a carrier that keeps failing, a roster that was not drilled for long, an output that does not do what it was ordered, or something that the service itself keeps failing to do"`
	Guard          string           `json:"guard" db:"guard" doc:"name of the guard; empty for silence and clock"`
	Signal         string           `json:"signal" db:"signal" doc:"DEVICE/SIGNAL, or DEVICE for silence and clock, DEVICE/OUTPUT for an output; empty for the disk"`
	About          string           `json:"about" db:"about" doc:"what it is about where that is no signal: a carrier, a roster, or what the service cannot do"`
	Side           Side             `json:"-" db:"side"`
	Level          string           `json:"level" db:"level" doc:"the rung that stands: high, high-high, low, low-low; empty where the guard's test has no direction"`
	Severity       Severity         `json:"severity" db:"severity" enum:"advisory,warning,critical" doc:"of the rung that stands"`
	Worst          Severity         `json:"worst" db:"worst" enum:"advisory,warning,critical" doc:"the highest severity that it had"`
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
	Ending         Ending           `json:"ending" db:"ending" enum:",back,reset,unwatched,changed,disproved,drill" doc:"why it is over: what was wrong is back in order, a person reset it, nothing looks any more, what is asked was changed, readings that came late disprove it, it was a drill; empty: it is not over"`
	Cause          string           `json:"cause" db:"cause" doc:"what ended it, in words, when it was not the value"`
	Latched        bool             `json:"latched" db:"latched" doc:"what raised it is gone, and it waits for a person to reset it"`
	Shelved        bool             `json:"shelved" db:"shelved" doc:"its guard was shelved, so that nobody was told"`
	LearnedLate    bool             `json:"learned_late" db:"learned_late" doc:"the readings behind it came when it was over already; people got one summary"`
	HandedTo       string           `json:"handed_to" db:"handed_to" doc:"who was asked to take it on"`
	HandedBy       string           `json:"handed_by" db:"handed_by"`
	Comment        string           `json:"comment" db:"comment" doc:"what people say was the cause"`
	Mark           string           `json:"mark" db:"mark" enum:",real,false,useful" doc:"what people say that it was worth"`
	MarkedBy       string           `json:"marked_by" db:"marked_by"`
	ToldWith       *int64           `json:"told_with" db:"told_with" doc:"the alarm whose notice told of this one too: one cause, one notice"`
	Drill          bool             `json:"drill" db:"drill" doc:"a drill raised it: nothing is wrong, and it counts nowhere"`
	// raised while its device was catching up, or not heard since the service was away
	Provisional bool             `json:"-" db:"provisional"`
	CorrectedAt *measure.Instant `json:"corrected_at" db:"corrected_at" format:"date-time" doc:"when readings behind it were corrected; the alarm stays as it was"`
}

// What raises an alarm.
const (
	ByGuard   = "guard"
	BySilence = "silence" // nothing came from a device for longer than its silence limit
	ByDisk    = "disk"    // the disk that the records are on is nearly full
	ByClock   = "clock"   // a device sends nothing but late readings
	BySensor  = "sensor"  // nothing but readings that cannot be believed came for a set time
	ByDueDate = "verification"
	ByCarrier = "carrier" // a carrier keeps failing
	ByDrills  = "drill"   // a roster was not drilled for long
	ByOutput  = "output"  // an output does not do what it was ordered
	ByService = "service" // the service keeps failing to do something
)

// The marks that people give to alarms.
const (
	MarkReal   = "real"   // something was wrong
	MarkFalse  = "false"  // nothing was
	MarkUseful = "useful" // nothing was wrong yet, and it was good to know
)

// The states of an alarm.
const (
	StateRaised = "raised"
	StateOver   = "over"
)

// End lets the alarm be over at an instant, which is not before its raise, and gives the instant.
func (a *Alarm) End(at measure.Instant, why Ending, cause string) measure.Instant {
	at = max(at, a.RaisedAt)
	a.State, a.ClearedAt, a.Ending, a.Cause, a.Latched = StateOver, &at, why, cause, false
	return at
}
