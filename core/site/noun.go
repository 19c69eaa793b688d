package site

import "jauntylark/core/measure"

// Site is the place being looked after.
type Site struct {
	Name     string `json:"name" db:"name" minLength:"1" maxLength:"80"`
	Zone     string `json:"zone" db:"zone" doc:"IANA time zone" example:"Europe/Dublin"`
	Currency string `json:"currency" db:"currency" doc:"ISO 4217 code" example:"EUR"`
}

// Device is a box on the network that sends readings.
type Device struct {
	ID        int64            `json:"id" db:"id" readOnly:"true"`
	Name      string           `json:"name" db:"name" pattern:"^[a-z0-9][a-z0-9-]{0,62}$" example:"greenhouse-door"`
	Title     string           `json:"title" db:"title" required:"false" maxLength:"80" doc:"what people call it; made from the name when left out"`
	Signals   int              `json:"signals" db:"signals" readOnly:"true" doc:"how many signals it has"`
	CreatedAt measure.Instant  `json:"created_at" db:"created_at" readOnly:"true" format:"date-time"`
	HeardAt   *measure.Instant `json:"heard_at" db:"heard_at" readOnly:"true" format:"date-time" doc:"when something last arrived from it"`
}

// The kinds of a signal, fixed by its first reading.
const (
	KindNumber = "number"
	KindSwitch = "switch"
)

// Signal is one stream of readings with a meaning, and its newest reading.
type Signal struct {
	ID          int64            `json:"id" db:"id" readOnly:"true"`
	Device      string           `json:"device" db:"device"`
	DeviceTitle string           `json:"device_title" db:"device_title"`
	Name        string           `json:"name" db:"name"`
	Title       string           `json:"title" db:"title" doc:"what people call it"`
	Kind        string           `json:"kind" db:"kind" enum:"number,switch" doc:"a switch reads 1 or 0, for on and off"`
	Unit        measure.Unit     `json:"unit" db:"unit" doc:"SenML or UCUM code; empty when nobody has said"`
	At          *measure.Instant `json:"at" db:"at" format:"date-time" doc:"of the newest reading"`
	Value       *float64         `json:"value" db:"value" doc:"of the newest reading"`
	Quality     measure.Quality  `json:"quality" db:"quality" nullable:"false" doc:"of the newest reading"`
	ReceivedAt  *measure.Instant `json:"received_at" db:"received_at" format:"date-time" doc:"when anything of the signal last arrived"`
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
