package site

import (
	"fmt"
	"maps"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/quality"
)

// Site is the place being looked after.
type Site struct {
	Name         string           `json:"name" db:"name" minLength:"1" maxLength:"80"`
	Zone         string           `json:"zone" db:"zone" doc:"IANA time zone" example:"Europe/Dublin"`
	Currency     string           `json:"currency" db:"currency" doc:"ISO 4217 code" example:"EUR"`
	KeepReadings measure.Duration `json:"keep_readings" db:"keep_readings" required:"false" doc:"for how long readings are kept, where neither signal nor kit says; 0: for ever"`
	KeepFigures  measure.Duration `json:"keep_figures" db:"keep_figures" required:"false" doc:"for how long figures by hour and day are kept; 0: for ever"`
	KeepAlarms   measure.Duration `json:"keep_alarms" db:"keep_alarms" required:"false" doc:"for how long alarms that are over are kept, with their notices and journal; 0: for ever"`
	KeepJournal  measure.Duration `json:"keep_journal" db:"keep_journal" required:"false" doc:"for how long the journal and the notices are kept that are about no alarm; 0: for ever"`
	Units        Units            `json:"units" db:"units" required:"false" doc:"in which unit values are shown, by what they measure; who has said nothing sees them as stored"`
	Holidays     Days             `json:"holidays" db:"holidays" required:"false" nullable:"false" maxItems:"1000" doc:"dates that count as holidays where armed hours say so" example:"[\"2026-12-25\"]"`
}

// Location is the site's time zone; UTC where it is not known.
func (s *Site) Location() *time.Location {
	zone, err := time.LoadLocation(s.Zone)
	if err != nil {
		return time.UTC
	}
	return zone
}

// Days is a list of dates, 2006-01-02.
type Days []string

// Check tells which date is wrong: nil or a *measure.Fault.
func (d Days) Check() error {
	for _, day := range d {
		if _, err := time.Parse(time.DateOnly, day); err != nil {
			return &measure.Fault{Field: "holidays", Reason: fmt.Sprintf("%q is no date; write it like 2026-12-25",
				day)}
		}
	}
	return nil
}

// Units says in which unit values are shown, by dimension: {"temperature": "[degF]"}.
type Units map[string]measure.Unit

// Check tells which unit is wrong: nil or a *measure.Fault.
func (u Units) Check() error {
	for dimension, unit := range u {
		switch {
		case !unit.Known():
			return &measure.Fault{Field: "units", Reason: UnknownUnit(unit)}
		case unit.Dimension() != dimension:
			return &measure.Fault{Field: "units", Reason: fmt.Sprintf("%s is a unit of %s, not of %s", unit,
				unit.Dimension(), dimension)}
		}
	}
	return nil
}

// Of gives the unit in which values of a unit are shown. Kelvins stay: they are differences, as a dew margin
// is, and 3 K are no temperature of -270 °C.
func (u Units) Of(stored measure.Unit) measure.Unit {
	if shown, said := u[stored.Dimension()]; said && stored != "K" && stored != "" {
		return shown
	}
	return stored
}

// Or gives u with what it does not say taken from others.
func (u Units) Or(others Units) Units {
	all := maps.Clone(others)
	if all == nil {
		all = Units{}
	}
	maps.Copy(all, u)
	return all
}

// Show gives a value and its unit as they are shown.
func (u Units) Show(value float64, stored measure.Unit) (float64, measure.Unit) {
	unit := u.Of(stored)
	if shown, err := measure.Convert(value, stored, unit); err == nil {
		return shown, unit
	}
	return value, stored
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
	ID          int64        `json:"id" db:"id" readOnly:"true"`
	Device      string       `json:"device" db:"device"`
	DeviceTitle string       `json:"device_title" db:"device_title"`
	Name        string       `json:"name" db:"name"`
	Title       string       `json:"title" db:"title" doc:"what people call it"`
	Quantity    string       `json:"quantity" db:"quantity" doc:"what it measures, in a word or two"`
	Kind        string       `json:"kind" db:"kind" enum:"number,switch,text,data" doc:"a switch reads 1 or 0, for on and off"`
	Unit        measure.Unit `json:"unit" db:"unit" doc:"SenML or UCUM code; empty when nobody has said"`
	MaySwitch   bool         `json:"may_be_switch,omitempty" db:"-" readOnly:"true" doc:"of a signal that is asked for by itself: it holds numbers, and has read 0 and 1 alone; it can become a switch"`
	Helper      bool         `json:"helper,omitempty" db:"helper" readOnly:"true" doc:"a derived signal that was made for a guard, and goes with it"`
	MadeOf      string       `json:"made_of" db:"made_of" doc:"of a derived signal: how it is computed, in words; empty: it is measured"`
	Calibrated  bool         `json:"calibrated" db:"calibrated" doc:"its values are corrected by a calibration, from some time on"`
	quality.Rules
	Bands        Bands            `json:"bands" db:"bands" nullable:"false" doc:"named stretches of its values"`
	Faults       Faults           `json:"faults,omitzero" db:"faults" required:"false" doc:"how bad a sensor fault of it is, and who is told; as its device says when left out"`
	Interval     measure.Duration `json:"interval" db:"interval" doc:"how often a reading is expected; 0: as often as its device's"`
	KeepReadings measure.Duration `json:"keep_readings" db:"keep_readings" doc:"for how long its readings are kept; 0: as its kit or the site says"`
	KeepFigures  measure.Duration `json:"keep_figures" db:"keep_figures" doc:"for how long its figures by hour and day are kept; 0: as its kit or the site says"`
	At           *measure.Instant `json:"at" db:"at" format:"date-time" doc:"of the newest reading"`
	Value        *float64         `json:"value" db:"value" doc:"of the newest reading"`
	Text         *string          `json:"text" db:"text" doc:"of the newest reading, when it is text or data"`
	Quality      measure.Quality  `json:"quality" db:"quality" nullable:"false" doc:"of the newest reading"`
	ReceivedAt   *measure.Instant `json:"received_at" db:"received_at" format:"date-time" doc:"when anything of the signal last arrived"`
	SilentSince  *measure.Instant `json:"silent_since" db:"silent_since" format:"date-time" doc:"since when it counts as silent; null: it does not"`
	Ran
}

// Worded tells whether the signal holds text or data, which are said when they change, not by and by.
func (s *Signal) Worded() bool { return s.Kind == KindText || s.Kind == KindData }

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
	Severity  string          `json:"severity" db:"severity" doc:"of the alarm behind it, the worst that it had; empty: there is none"`
	Lasted    *measure.Millis `json:"lasted" db:"lasted" doc:"of an alarm that is over: for how many seconds it stood"`
}
