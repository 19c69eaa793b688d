package drive

import (
	"cmp"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"jauntylark/core/measure"
)

// Spec says what an output is and how it may be used.
type Spec struct {
	Title     string           `json:"title" db:"title" required:"false" maxLength:"80" doc:"what people call it; made from the name when left out"`
	Kind      string           `json:"kind" db:"kind" enum:"switch,level,colour,text"`
	OnSends   string           `json:"on_sends,omitempty" db:"on_sends" required:"false" maxLength:"40" doc:"of a switch: what the device is sent for on; 1 when left out" example:"1"`
	OffSends  string           `json:"off_sends,omitempty" db:"off_sends" required:"false" maxLength:"40" doc:"and for off; 0 when left out"`
	Low       float64          `json:"low,omitempty" db:"low" required:"false" doc:"of a level: the low end of its range"`
	High      float64          `json:"high,omitempty" db:"high" required:"false" doc:"and the high end; 100 when both are left out"`
	Step      float64          `json:"step,omitempty" db:"step" required:"false" minimum:"0" doc:"of a level: the steps in which it can be set; 1 when left out"`
	Unit      measure.Unit     `json:"unit,omitempty" db:"unit" required:"false" doc:"of a level; % when range and unit are left out"`
	Length    int              `json:"length,omitempty" db:"length" required:"false" minimum:"0" maximum:"200" doc:"of a text: how many letters it may have; 40 when left out"`
	Safe      Value            `json:"safe" db:"safe" required:"false" doc:"the safe state: in an emergency, when the device hears nothing, and when what drives it cannot be believed; off, the low end, black or no text when left out"`
	Rest      Value            `json:"rest" db:"rest" required:"false" doc:"the state when nothing asks for another; the safe state when left out"`
	LeastOn   measure.Duration `json:"least_on,omitzero" db:"least_on" required:"false" doc:"how long it runs at least" example:"300"`
	LeastOff  measure.Duration `json:"least_off,omitzero" db:"least_off" required:"false" doc:"how long it stands still at least"`
	Starts    int              `json:"starts_per_hour,omitempty" db:"starts_per_hour" required:"false" minimum:"0" maximum:"600" doc:"how often it may start within an hour; 0: as often as asked"`
	HandsOff  bool             `json:"hands_off,omitempty" db:"hands_off" required:"false" doc:"nobody may set it by hand"`
	HandHolds measure.Duration `json:"hand_holds,omitzero" db:"hand_holds" required:"false" doc:"for how long a setting by hand holds where nobody says; 1h when left out"`
	Dangerous bool             `json:"dangerous,omitempty" db:"dangerous" required:"false" doc:"who sets it by hand must say that they are sure"`
	Expires   measure.Duration `json:"expires,omitzero" db:"expires" required:"false" doc:"for how long an order holds unless it is renewed, 5s to 1d; a device that hears nothing for so long goes to the safe state by itself. 1m when left out"`
	Within    measure.Duration `json:"confirm_within,omitzero" db:"confirm_within" required:"false" doc:"how long the device may do something else than it was ordered, or say nothing, before that is an alarm; 30s when left out"`
	Mute      bool             `json:"mute,omitempty" db:"mute" required:"false" doc:"the device cannot confirm what it does: nothing is known, and no alarm is raised"`
}

// Output is something that a device can switch or set, and how it stands.
type Output struct {
	ID     int64  `json:"id" db:"id" readOnly:"true"`
	Device string `json:"device" db:"device" readOnly:"true"`
	Name   string `json:"name" db:"name" readOnly:"true"`
	Spec
	State
}

// Path is DEVICE/OUTPUT.
func (o *Output) Path() string { return o.Device + "/" + o.Name }

const (
	usualHold    = measure.Duration(time.Hour)
	longestHold  = measure.Duration(7 * 24 * time.Hour)
	usualExpiry  = measure.Duration(time.Minute)
	minExpiry    = measure.Duration(5 * time.Second)
	maxExpiry    = measure.Duration(24 * time.Hour)
	usualWithin  = measure.Duration(30 * time.Second)
	longestLeast = measure.Duration(24 * time.Hour)
	usualLength  = 40
	wordAtMost   = 40
)

func (o *Output) bounds() (low, high float64) {
	if o.Low == 0 && o.High == 0 {
		return 0, 100
	}
	return o.Low, o.High
}

func (o *Output) unit() string {
	if o.Low == 0 && o.High == 0 && o.Unit == "" {
		return "%"
	}
	return o.Unit.Shown()
}

func (o *Output) step() float64 { return cmp.Or(o.Step, 1) }

func (o *Output) length() int { return cmp.Or(o.Length, usualLength) }

// Holds is for how long a setting by hand holds where nobody says.
func (o *Output) Holds() time.Duration { return time.Duration(cmp.Or(o.HandHolds, usualHold)) }

// Expiry is for how long an order holds unless it is renewed.
func (o *Output) Expiry() time.Duration { return time.Duration(cmp.Or(o.Expires, usualExpiry)) }

// Patience is how long the device may differ from what it was ordered.
func (o *Output) Patience() time.Duration { return time.Duration(cmp.Or(o.Within, usualWithin)) }

// Resting is the state when nothing asks for another.
func (o *Output) Resting() Value { return cmp.Or(o.Rest, o.Safe) }

func fault(field, format string, args ...any) error {
	return &measure.Fault{Field: field, Reason: fmt.Sprintf(format, args...)}
}

// Check puts states into their one spelling and tells what is wrong with the output: nil or a *measure.Fault.
func (s *Spec) Check() (err error) {
	o := &Output{Spec: *s}
	if !slices.Contains(Kinds, s.Kind) {
		return fault("kind", "%q is not one of %s", s.Kind, strings.Join(Kinds, ", "))
	}
	if err := o.checkKind(); err != nil {
		return err
	}
	if err := o.checkTimes(); err != nil {
		return err
	}
	s.Settle()
	if s.Safe, err = o.Parse(string(s.Safe)); err != nil {
		return fault("safe", "%s", err)
	}
	if s.Rest != "" {
		if s.Rest, err = o.Parse(string(s.Rest)); err != nil {
			return fault("rest", "%s", err)
		}
	}
	return nil
}

// Settle fills in what was left out.
func (s *Spec) Settle() {
	if s.Safe == "" {
		s.Safe = (&Output{Spec: *s}).lowest()
	}
}

// lowest is the state that is safe where nobody says.
func (o *Output) lowest() Value {
	switch o.Kind {
	case KindSwitch:
		return Off
	case KindLevel:
		low, _ := o.bounds()
		return o.level(low)
	case KindColour:
		return "#000000"
	}
	return ""
}

func (o *Output) checkKind() error {
	level, runs := o.Kind == KindLevel, o.Kind == KindSwitch || o.Kind == KindLevel
	switch low, high := o.bounds(); {
	case o.Kind != KindSwitch && (o.OnSends != "" || o.OffSends != ""):
		return fault("on_sends", "goes with a switch; a %s is sent as it is", o.Kind)
	case o.word(On) == o.word(Off):
		return fault("off_sends", "%q is sent for on too", o.word(Off))
	case len(o.OnSends) > wordAtMost || len(o.OffSends) > wordAtMost:
		return fault("on_sends", "may have %d letters", wordAtMost)
	case !level && (o.Low != 0 || o.High != 0 || o.Step != 0 || o.Unit != ""):
		return fault("low", "range, step and unit go with a level; this is a %s", o.Kind)
	case level && !(low < high):
		return fault("high", "the range goes from %v to %v; the lower value comes first", low, high)
	case level && (math.IsInf(low, 0) || math.IsInf(high, 0) || o.step() > high-low):
		return fault("step", "%v is more than the whole range from %v to %v", o.step(), low, high)
	case o.Unit != "" && !o.Unit.Known():
		return fault("unit", "%s", noUnit(o.Unit))
	case o.Kind != KindText && o.Length != 0:
		return fault("length", "goes with a text; this is a %s", o.Kind)
	case !runs && (o.LeastOn != 0 || o.LeastOff != 0 || o.Starts != 0):
		return fault("least_on", "least times and starts go with a switch or a level; a %s does not run", o.Kind)
	}
	return nil
}

// noUnit says that a unit is not known, with the one that is perhaps meant.
func noUnit(u measure.Unit) string {
	if meant := measure.UnitMeant(string(u)); meant != "" {
		return fmt.Sprintf("there is no unit %s; did you mean %s?", u, meant)
	}
	return fmt.Sprintf("there is no unit %s; units are %s", u, strings.Join(measure.UnitCodes(), " "))
}

func (o *Output) checkTimes() error {
	for _, d := range []struct {
		field     string
		d         measure.Duration
		low, most measure.Duration
	}{{"least_on", o.LeastOn, 0, longestLeast}, {"least_off", o.LeastOff, 0, longestLeast},
		{"hand_holds", o.HandHolds, measure.Duration(time.Second), longestHold},
		{"expires", o.Expires, minExpiry, maxExpiry}, {"confirm_within", o.Within, measure.Duration(time.Second),
			maxExpiry}} {
		if d.d != 0 && (d.d < d.low || d.d > d.most) {
			return fault(d.field, "%v is not between %v and %v", d.d, d.low, d.most)
		}
	}
	if o.Starts < 0 {
		return fault("starts_per_hour", "%d is no number of starts", o.Starts)
	}
	return nil
}

// CheckHold tells whether a setting by hand may hold so long: nil or a *measure.Fault. 0 is as long as the output says.
func CheckHold(d measure.Duration) error {
	if d != 0 && (d < measure.Duration(time.Second) || d > longestHold) {
		return fault("for", "%v is not between 1s and %v", d, longestHold)
	}
	return nil
}

// Words says all that is said of the output, as JSON without what is left out.
func (s Spec) Words() string {
	text, _ := json.Marshal(s)
	return string(text)
}

// Instants is a list of instants, as the database keeps it.
type Instants []measure.Instant
