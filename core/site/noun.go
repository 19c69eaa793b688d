package site

import "jauntylark/core/measure"

// Site is the place being looked after.
type Site struct {
	Name         string           `json:"name" db:"name" minLength:"1" maxLength:"80"`
	Zone         string           `json:"zone" db:"zone" doc:"IANA time zone" example:"Europe/Dublin"`
	Currency     string           `json:"currency" db:"currency" doc:"ISO 4217 code" example:"EUR"`
	KeepReadings measure.Duration `json:"keep_readings" db:"keep_readings" required:"false" doc:"for how long readings are kept, where neither signal nor kit says; 0s: for ever"`
	KeepFigures  measure.Duration `json:"keep_figures" db:"keep_figures" required:"false" doc:"for how long figures by hour and day are kept; 0s: for ever"`
}

// The kinds of a signal, fixed by its first reading. A reading of a text or data signal is the number
// of its word.
const (
	KindNumber = "number"
	KindSwitch = "switch"
	KindText   = "text"
	KindData   = "data" // base64url, RFC 4648 section 5
)

// Kinds lists them.
var Kinds = []string{KindNumber, KindSwitch, KindText, KindData}

// Signal is one stream of readings with a meaning, and its newest reading.
type Signal struct {
	ID           int64            `json:"id" db:"id" readOnly:"true"`
	Device       string           `json:"device" db:"device"`
	DeviceTitle  string           `json:"device_title" db:"device_title"`
	Name         string           `json:"name" db:"name"`
	Title        string           `json:"title" db:"title" doc:"what people call it"`
	Quantity     string           `json:"quantity" db:"quantity" doc:"what it measures, in a word or two"`
	Kind         string           `json:"kind" db:"kind" enum:"number,switch,text,data" doc:"a switch reads 1 or 0, for on and off"`
	Unit         measure.Unit     `json:"unit" db:"unit" doc:"SenML or UCUM code; empty when nobody has said"`
	SpanLow      *float64         `json:"span_low" db:"span_low" doc:"the lowest value that the instrument can truly give"`
	SpanHigh     *float64         `json:"span_high" db:"span_high" doc:"the highest"`
	Step         float64          `json:"step" db:"step" doc:"resolution; 0 when nobody has said"`
	Bands        Bands            `json:"bands" db:"bands" nullable:"false" doc:"named stretches of its values"`
	Interval     measure.Duration `json:"interval" db:"interval" doc:"how often a reading is expected; 0s: as often as its device's"`
	KeepReadings measure.Duration `json:"keep_readings" db:"keep_readings" doc:"for how long its readings are kept; 0s: as its kit or the site says"`
	KeepFigures  measure.Duration `json:"keep_figures" db:"keep_figures" doc:"for how long its figures by hour and day are kept; 0s: as its kit or the site says"`
	At           *measure.Instant `json:"at" db:"at" format:"date-time" doc:"of the newest reading"`
	Value        *float64         `json:"value" db:"value" doc:"of the newest reading"`
	Text         *string          `json:"text" db:"text" doc:"of the newest reading, when it is text or data"`
	Quality      measure.Quality  `json:"quality" db:"quality" nullable:"false" doc:"of the newest reading"`
	ReceivedAt   *measure.Instant `json:"received_at" db:"received_at" format:"date-time" doc:"when anything of the signal last arrived"`
	SilentSince  *measure.Instant `json:"silent_since" db:"silent_since" format:"date-time" doc:"since when it counts as silent; null: it does not"`
}

// Path is DEVICE/SIGNAL.
func (s *Signal) Path() string { return s.Device + "/" + s.Name }

// Entry is one line of the journal.
type Entry struct {
	ID        int64           `json:"id" db:"id"`
	At        measure.Instant `json:"at" db:"at" format:"date-time" doc:"when it happened, in event time"`
	LearnedAt measure.Instant `json:"learned_at" db:"learned_at" format:"date-time" doc:"when the service knew"`
	Kind      string          `json:"kind" db:"kind" example:"alarm raised"`
	Subject   string          `json:"subject" db:"subject" doc:"what it happened to: a signal, a guard, a device, a person"`
	Who       string          `json:"who" db:"who" doc:"the person who did it; empty for the service itself"`
	Value     *float64        `json:"value" db:"value"`
	Text      string          `json:"text" db:"text"`
	AlarmID   *int64          `json:"alarm_id" db:"alarm_id"`
}
