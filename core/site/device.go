package site

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"jauntylark/core/measure"
)

// Device is a box on the network that sends readings, with what is known of its life.
type Device struct {
	ID           int64            `json:"id" db:"id" readOnly:"true"`
	Name         string           `json:"name" db:"name" pattern:"^[a-z0-9][a-z0-9-]{0,62}$" example:"greenhouse-door"`
	Title        string           `json:"title" db:"title" required:"false" maxLength:"80" doc:"what people call it; made from the name when left out"`
	Behind       string           `json:"behind" db:"behind" doc:"the gateway it stands behind, whose key may send for it; empty: none"`
	Kit          string           `json:"kit" db:"kit" doc:"the kit it was made from; empty: none"`
	Closed       bool             `json:"closed" db:"closed" doc:"no new signals appear"`
	Interval     measure.Duration `json:"interval" db:"interval" doc:"how often something is expected of it; 0: nobody has said, so it is never silent"`
	Uptime       string           `json:"uptime" db:"uptime" doc:"its signal that counts the seconds since power-on, which tells when sensors warm up; empty: none"`
	ClockOffset  float64          `json:"clock_offset" db:"clock_offset" doc:"seconds that are added to the times it sends"`
	SilenceAlarm bool             `json:"silence_alarm" db:"silence_alarm" doc:"whether its silence raises an alarm"`
	Faults       Faults           `json:"faults,omitzero" db:"faults" required:"false" doc:"how bad its silence, a wrong clock and faults of its sensors are, and who is told"`
	Enrolled     bool             `json:"enrolled" db:"enrolled" doc:"it sends with the site's enrolment key; rotating its key ends that"`
	Settings     Settings         `json:"settings" db:"settings" doc:"what it is ordered to do"`
	Version      int              `json:"settings_version" db:"settings_version" doc:"of the ordered settings; 0: nothing was ordered"`
	SettingsAt   *measure.Instant `json:"settings_at" db:"settings_at" format:"date-time" doc:"when they were ordered"`
	Running      Settings         `json:"running" db:"running" doc:"what it says it does"`
	RunningNo    int              `json:"running_version" db:"running_version" doc:"the version that it says it runs; 0: it has not said"`
	RunningAt    *measure.Instant `json:"running_at" db:"running_at" format:"date-time"`
	CreatedAt    measure.Instant  `json:"created_at" db:"created_at" readOnly:"true" format:"date-time"`

	Signals     int              `json:"signals" db:"signals" readOnly:"true" doc:"how many signals it has"`
	Life        string           `json:"life" db:"-" enum:"new,heard,online,overdue,silent" doc:"new: nothing came yet; heard: no interval is stated; online, overdue or silent: by its interval"`
	HeardAt     *measure.Instant `json:"heard_at" db:"heard_at" readOnly:"true" format:"date-time" doc:"when a reading last arrived from it"`
	SilentSince *measure.Instant `json:"silent_since" db:"silent_since" format:"date-time"`
	SeenAt      *measure.Instant `json:"seen_at" db:"seen_at" format:"date-time" doc:"when it last made itself known at all"`
	Protocol    string           `json:"protocol" db:"protocol" doc:"by which way it last came: HTTP, MQTT, CoAP"`
	Address     string           `json:"address" db:"address" doc:"from where it last came"`
	Connected   bool             `json:"connected" db:"connected" doc:"it holds a connection (MQTT)"`
	ClockBehind *float64         `json:"clock_behind" db:"clock_behind" doc:"seconds that its newest timed reading was old on arrival; negative: its clock is ahead; null: it sends no times"`
	PerMinute   float64          `json:"per_minute" db:"per_minute" doc:"readings a minute, lately"`
	Firmware    string           `json:"firmware" db:"firmware" doc:"its text signal named firmware"`
	Battery     *float64         `json:"battery" db:"battery" doc:"newest value of its battery signal"`
	BatteryUnit measure.Unit     `json:"battery_unit" db:"battery_unit"`
	RefusedAt   *measure.Instant `json:"refused_at" db:"refused_at" format:"date-time" doc:"when something of it was last refused"`
	Refused     string           `json:"refused" db:"refused" doc:"what was wrong, in words"`
}

// The lives of a device.
const (
	LifeNew     = "new"
	LifeHeard   = "heard"
	LifeOnline  = "online"
	LifeOverdue = "overdue"
	LifeSilent  = "silent"
)

// SilentAfter is how many intervals without a word make a thing silent.
const SilentAfter = 3

// overdueSlack is how much later than its interval a reading may come before it is overdue.
const overdueSlack = 1.25

// Look settles the device's life at an instant.
func (d *Device) Look(now measure.Instant) {
	switch {
	case d.SilentSince != nil:
		d.Life = LifeSilent
	case d.HeardAt == nil:
		d.Life = LifeNew
	case d.Interval == 0:
		d.Life = LifeHeard
	case now.Sub(*d.HeardAt) > time.Duration(float64(d.Interval)*overdueSlack):
		d.Life = LifeOverdue
	default:
		d.Life = LifeOnline
	}
}

// The bounds of an interval that a device can be ordered to keep.
const (
	MinInterval = measure.Duration(time.Second)
	MaxInterval = measure.Duration(24 * time.Hour)
)

// CheckInterval tells why a device cannot keep the interval: nil or a *measure.Fault. 0 is none.
func CheckInterval(field string, d measure.Duration) error {
	if d != 0 && (d < MinInterval || d > MaxInterval) {
		return &measure.Fault{Field: field, Reason: fmt.Sprintf("%v is not between %v and %v", d, MinInterval,
			MaxInterval)}
	}
	return nil
}

// Settings are what a device is ordered to do.
type Settings struct {
	Interval measure.Duration  `json:"interval,omitzero" required:"false" doc:"how often to measure, 1s to 1d" example:"300"`
	Sparing  measure.Duration  `json:"sparing_interval,omitzero" required:"false" doc:"how often when the battery is low"`
	Values   map[string]string `json:"values,omitempty" required:"false" doc:"free keys and values"`
}

const maxValues, maxValueLength = 50, 500

// Check tells what is wrong with the settings: nil or a *measure.Fault.
func (s Settings) Check() error {
	if err := CheckInterval("interval", s.Interval); err != nil {
		return err
	}
	if err := CheckInterval("sparing_interval", s.Sparing); err != nil {
		return err
	}
	if len(s.Values) > maxValues {
		return &measure.Fault{Field: "values", Reason: fmt.Sprintf("has %d keys; %d are allowed", len(s.Values),
			maxValues)}
	}
	for _, key := range slices.Sorted(maps.Keys(s.Values)) {
		if err := CheckName(key); err != nil {
			return &measure.Fault{Field: "values", Reason: "key " + err.Error()}
		}
		if strings.ContainsRune(s.Values[key], 0) {
			return &measure.Fault{Field: "values", Reason: key + " has the character zero"}
		}
		if len(s.Values[key]) > maxValueLength {
			return &measure.Fault{Field: "values", Reason: fmt.Sprintf("%s has %d characters; %d are allowed", key,
				len(s.Values[key]), maxValueLength)}
		}
	}
	return nil
}

// Equal tells whether two settings order the same.
func (s Settings) Equal(o Settings) bool {
	return s.Interval == o.Interval && s.Sparing == o.Sparing && maps.Equal(s.Values, o.Values)
}

// Words says the settings in one line: "interval 5m, sparing interval 1h, led off".
func (s Settings) Words() string {
	text := ""
	add := func(name, value string) {
		if text != "" {
			text += ", "
		}
		text += name + " " + value
	}
	if s.Interval != 0 {
		add("interval", s.Interval.String())
	}
	if s.Sparing != 0 {
		add("sparing interval", s.Sparing.String())
	}
	for _, key := range slices.Sorted(maps.Keys(s.Values)) {
		add(key, s.Values[key])
	}
	return text
}

// Order is what a device gets down: the newest settings, in a form that a small board can read.
type Order struct {
	Version  int               `json:"version"`
	Interval float64           `json:"interval,omitempty" doc:"seconds"`
	Sparing  float64           `json:"sparing_interval,omitempty" doc:"seconds"`
	Values   map[string]string `json:"values,omitempty"`
}

// OrderOf is the order that a version of settings makes.
func OrderOf(version int, s Settings) Order {
	return Order{version, time.Duration(s.Interval).Seconds(), time.Duration(s.Sparing).Seconds(), s.Values}
}

// Report is what a device says that it runs.
type Report struct {
	Version  int     `json:"version" minimum:"0" doc:"of the settings that it runs"`
	Interval float64 `json:"interval,omitempty" required:"false" minimum:"0" doc:"seconds between its readings"`
}

// Key is one key of a device. The key itself is told once, when it is made.
type Key struct {
	ID           int64            `json:"id" db:"id"`
	Number       int              `json:"number" db:"number" doc:"counts the device's keys"`
	Identity     string           `json:"identity" db:"-" doc:"the DTLS identity that goes with it"`
	CreatedAt    measure.Instant  `json:"created_at" db:"created_at" format:"date-time"`
	ExpiresAt    *measure.Instant `json:"expires_at" db:"expires_at" format:"date-time"`
	UntilUsed    bool             `json:"until_used" db:"until_used" doc:"it ends when the newer key is first used"`
	LastUsedAt   *measure.Instant `json:"last_used_at" db:"last_used_at" format:"date-time"`
	LastUsedFrom string           `json:"last_used_from" db:"last_used_from"`
	LastUsedBy   string           `json:"last_used_by" db:"last_used_by" doc:"HTTP, MQTT or CoAP"`
}

// Identity is the DTLS identity of a device's key of that number.
func Identity(device string, number int) string {
	if number <= 1 {
		return device
	}
	return fmt.Sprintf("%s.%d", device, number)
}

// Arrival is a device that announced itself and waits to be let in.
type Arrival struct {
	ID       int64           `json:"id" db:"id"`
	Name     string          `json:"name" db:"name"`
	State    string          `json:"state" db:"state" enum:"waiting,turned away"`
	Former   bool            `json:"former" db:"former" doc:"a device that was removed, by its old key"`
	FirstAt  measure.Instant `json:"first_at" db:"first_at" format:"date-time"`
	LastAt   measure.Instant `json:"last_at" db:"last_at" format:"date-time"`
	Protocol string          `json:"protocol" db:"protocol"`
	Address  string          `json:"address" db:"address"`
	Readings int             `json:"readings" db:"readings" doc:"so many are kept"`
	Dropped  int             `json:"dropped" db:"dropped" doc:"so many older ones were dropped"`
	Signals  []ArrivalSignal `json:"signals" db:"-" nullable:"false" doc:"what it sends"`
}

// ArrivalSignal is one signal of an arrival with its newest value.
type ArrivalSignal struct {
	Name  string       `json:"name"`
	Unit  measure.Unit `json:"unit"`
	Value float64      `json:"value"`
	Text  string       `json:"text,omitempty"`
}

// The states of an arrival.
const (
	ArrivalWaiting    = "waiting"
	ArrivalTurnedAway = "turned away"
)

// Knock is a try with a key that nobody has.
type Knock struct {
	At       measure.Instant `json:"at" db:"at" format:"date-time"`
	Protocol string          `json:"protocol" db:"protocol"`
	Address  string          `json:"address" db:"address"`
	Name     string          `json:"name" db:"name" doc:"as whom it came; empty: it did not say"`
}
