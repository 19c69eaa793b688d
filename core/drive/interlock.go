package drive

import (
	"fmt"
	"math"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/wall"
)

// Interlock drives an output. Exactly one of Alarm, When, Bands, Hours and Formula says by what.
type Interlock struct {
	ID     int64  `json:"id" db:"id" readOnly:"true"`
	Name   string `json:"name" db:"name" pattern:"^[a-z0-9][a-z0-9-]{0,62}$" doc:"unique in the site" example:"shed-extractor"`
	Output string `json:"output" db:"output" doc:"DEVICE/OUTPUT" example:"potting-shed/extractor"`

	Alarm    string           `json:"alarm,omitempty" db:"alarm" required:"false" maxLength:"500" doc:"an alarm drives it: names of guards, DEVICE/* for all of a device, or any; then, if wanted, the mildest severity, or a rung" example:"carbon-monoxide-high critical"`
	Signal   string           `json:"signal,omitempty" db:"signal" required:"false" doc:"of when and bands: DEVICE/SIGNAL"`
	When     string           `json:"when,omitempty" db:"when_text" required:"false" doc:"a condition drives it, as a guard's test" example:"above 400"`
	Deadband float64          `json:"deadband,omitempty" db:"deadband" required:"false" minimum:"0" doc:"of when and bands: how far back past the limit, or past the edge of the band, the value must come"`
	OnDelay  measure.Duration `json:"on_delay,omitzero" db:"on_delay" required:"false" doc:"of when: how long the condition must hold"`
	OffDelay measure.Duration `json:"off_delay,omitzero" db:"off_delay" required:"false" doc:"of when: how long it must be gone"`
	Bands    Bands            `json:"bands,omitempty" db:"bands" required:"false" nullable:"false" maxItems:"20" doc:"the value drives it: each stretch of values has its state"`
	Hours    string           `json:"hours,omitempty" db:"hours" required:"false" maxLength:"300" doc:"a schedule drives it, in the site's time zone" example:"mon-fri 07:00-19:00"`
	Formula  string           `json:"formula,omitempty" db:"formula" required:"false" maxLength:"1000" doc:"a formula in CEL drives it: true or false, or a number for a level" example:"air > 24.0 && humidity > 80.0"`
	Of       Inputs           `json:"of,omitempty" db:"inputs" required:"false" nullable:"false" maxItems:"32" doc:"of formula: its inputs"`

	Set    Value `json:"set,omitempty" db:"set_to" required:"false" doc:"to which state it drives the output; on when left out. Bands, and formulas that give a level, say it themselves"`
	Safety bool  `json:"safety,omitempty" db:"safety" required:"false" doc:"it is a safety interlock: it wins over hands and ignores least times"`
	Latch  bool  `json:"latch,omitempty" db:"latch" required:"false" doc:"once driven, it goes on until a person resets it"`

	MadeAt measure.Instant `json:"made_at" db:"made_at" readOnly:"true" format:"date-time" doc:"since when it is as it is"`
	Memory
}

// Operand is a signal of a formula.
type Operand struct {
	As     string `json:"as" doc:"its name in the formula" example:"air"`
	Signal string `json:"signal" doc:"DEVICE/SIGNAL" example:"fern-house/air"`
}

// Inputs are those of one formula.
type Inputs []Operand

// BandState is a stretch of values, up to but without To, and the state that it asks for.
type BandState struct {
	To  *float64 `json:"to,omitempty" required:"false" doc:"it ends before this value; left out of the last one"`
	Set Value    `json:"set"`
}

// Bands cover all values, from low to high.
type Bands []BandState

// at gives the place of the band that a value lies in. It stays in the one it was in (-1: none) until the value is past
// an edge by more than the deadband.
func (b Bands) at(v float64, was int, deadband float64) int {
	if was >= 0 && was < len(b) {
		low, high := math.Inf(-1), math.Inf(1)
		if was > 0 {
			low = measure.Sum(*b[was-1].To, -deadband)
		}
		if b[was].To != nil {
			high = measure.Sum(*b[was].To, deadband)
		}
		if deadband > 0 && v >= low && v <= high {
			return was
		}
	}
	for i := range b {
		if b[i].To == nil || v < *b[i].To {
			return i
		}
	}
	return len(b) - 1
}

// What drives an interlock.
const (
	ByAlarm     = "alarm"
	ByCondition = "condition"
	ByBands     = "bands"
	ByHours     = "hours"
	ByFormula   = "formula"
)

// Driver tells by what the interlock is driven; empty when it does not say, or says two things.
func (i *Interlock) Driver() (by string) {
	for _, d := range []struct {
		by  string
		set bool
	}{{ByAlarm, i.Alarm != ""}, {ByCondition, i.When != ""}, {ByBands, len(i.Bands) > 0}, {ByHours, i.Hours != ""},
		{ByFormula, i.Formula != ""}} {
		if d.set && by != "" {
			return ""
		} else if d.set {
			by = d.by
		}
	}
	return by
}

// Signals are those whose readings drive the interlock by themselves.
func (i *Interlock) Signals() (paths []string) {
	for _, in := range i.Of {
		paths = append(paths, in.Signal)
	}
	if i.Signal != "" {
		paths = append(paths, i.Signal)
	}
	return paths
}

// Rank is with what weight the interlock asks.
func (i *Interlock) Rank() Rank {
	switch {
	case i.Safety:
		return Safety
	case i.Hours != "":
		return Scheduled
	}
	return Driven
}

// Condition is the condition as a guard of one rung.
func (i *Interlock) Condition() (alarm.Guard, error) {
	test, err := alarm.ParseTest(i.When)
	return alarm.Guard{Signal: i.Signal, Rung: alarm.Rung{When: test, Deadband: i.Deadband, OnDelay: i.OnDelay,
		OffDelay: i.OffDelay, Severity: alarm.Warning, Clears: test.Back(i.Deadband)}}, err
}

// Check puts states into the spelling of the output and tells what is wrong with the interlock by itself: nil or a
// *measure.Fault. number tells that a formula gives a number.
func (i *Interlock) Check(o *Output, number bool) error {
	by := i.Driver()
	switch {
	case by == "":
		return fault("when", "one thing drives an interlock: say one of alarm, when, bands, hours and formula")
	case (by == ByCondition || by == ByBands) != (i.Signal != ""):
		return fault("signal", "goes with when and bands, and these need it")
	case (by == ByFormula) != (len(i.Of) > 0):
		return fault("of", "goes with a formula, and that needs it")
	case by != ByCondition && (i.OnDelay != 0 || i.OffDelay != 0):
		return fault("on_delay", "delays go with a condition (when)")
	case by != ByCondition && by != ByBands && i.Deadband != 0:
		return fault("deadband", "goes with a condition (when), or with bands")
	case i.Safety && by == ByHours:
		return fault("safety", "a schedule is no safety interlock")
	case i.Latch && (by == ByHours || by == ByBands || number):
		return fault("latch", "goes with an alarm, a condition, or a formula that is true or false")
	case number && o.Kind != KindLevel:
		return fault("formula", "gives a number, and %s is a %s; compare it with something", o.Path(), o.Kind)
	}
	if err := i.checkDriver(by); err != nil {
		return err
	}
	return i.checkStates(o, by, number)
}

func (i *Interlock) checkDriver(by string) error {
	switch by {
	case ByAlarm:
		if _, err := ParseAlarms(i.Alarm); err != nil {
			return fault("alarm", "%s", err)
		}
	case ByCondition:
		g, err := i.Condition()
		if err != nil {
			return fault("when", "%s", err)
		}
		if g.When.Kind >= alarm.Silent {
			return fault("when",
				"'%s' is no condition: an interlock goes to the safe state by itself when its signal is silent or "+
					"cannot be believed", i.When)
		}
		i.When = g.When.String()
		return g.Check()
	case ByHours:
		if _, err := wall.ParseHours(i.Hours); err != nil {
			return fault("hours", "%s", err)
		}
	case ByBands:
		last := math.Inf(-1)
		for n, b := range i.Bands {
			switch final := n == len(i.Bands)-1; {
			case final != (b.To == nil):
				return fault("bands", "each band but the last one ends somewhere (to)")
			case !final && !(*b.To > last && *b.To < math.Inf(1)):
				return fault("bands", "band %d ends at %v; each ends higher than the one before", n+1, *b.To)
			case !final:
				last = *b.To
			}
		}
		if !(i.Deadband >= 0) {
			return fault("deadband", "%v is below 0", i.Deadband)
		}
	}
	return nil
}

func (i *Interlock) checkStates(o *Output, by string, number bool) (err error) {
	switch {
	case by == ByBands || number:
		if i.Set != "" {
			return fault("set", "the bands, or the formula, say to which state")
		}
		for n := range i.Bands {
			if i.Bands[n].Set, err = o.Parse(string(i.Bands[n].Set)); err != nil {
				return fault("bands", "%s", err)
			}
		}
		return nil
	case i.Set == "" && o.Kind == KindSwitch:
		i.Set = On
	case i.Set == "":
		return fault("set", "say to which state; %s is a %s", o.Path(), o.Kind)
	}
	if i.Set, err = o.Parse(string(i.Set)); err != nil {
		return fault("set", "%s", err)
	}
	return nil
}

// Memory is what an interlock remembers.
type Memory struct {
	Asks    bool            `json:"driving" db:"asks" readOnly:"true" doc:"it asks for a state now"`
	Value   Value           `json:"asks_for" db:"asks_for" readOnly:"true" doc:"for which"`
	Since   measure.Instant `json:"since" db:"since" readOnly:"true" format:"date-time" doc:"since when it does, or does not"`
	Latched bool            `json:"latched" db:"latched" readOnly:"true" doc:"it was driven, and goes on until a person resets it"`
	Waits   bool            `json:"waits_for_reset" db:"waits" readOnly:"true" doc:"it is latched, and what drove it is gone: it can be reset"`
	Blind   string          `json:"blind" db:"blind" readOnly:"true" doc:"why what it looks at cannot be believed (silent, faulty, warming, not there), so that it asks for the safe state; empty: it can"`
	Why     string          `json:"why" db:"why" readOnly:"true" doc:"what drives it, or drove it last, in a clause"`
	Band    int             `json:"-" db:"band"` // the one that the value lies in, counted from 1; 0: not known
}

// Sight is what an interlock sees at an instant.
type Sight struct {
	At     measure.Instant
	Driven bool    // the alarm stands, the condition holds, it is within its hours, the formula is true
	Value  float64 // of bands, and of a formula that gives a number
	Number bool    // there is such a value
	Blind  string  // why what it looks at cannot be believed; empty: it can
	Why    string  // why it is driven
}

// Look gives what the interlock remembers once it has seen something, for the output that it drives.
func (i *Interlock) Look(o *Output, s Sight) Memory {
	m := i.Memory
	m.Asks, m.Value, m.Blind, m.Waits = true, "", s.Blind, false
	switch {
	case s.Blind != "":
		m.Value = o.Safe
	case len(i.Bands) > 0:
		place := i.Bands.at(s.Value, m.Band-1, i.Deadband)
		m.Value, m.Band = i.Bands[place].Set, place+1
	case s.Number:
		m.Value = o.Level(s.Value)
	case s.Driven:
		m.Value, m.Latched, m.Why = i.Set, i.Latch, s.Why
	case m.Latched:
		m.Value, m.Waits = i.Set, true
	default:
		m.Asks = false
	}
	if m.Asks == i.Asks && m.Value == i.Value && (m.Blind == "") == (i.Blind == "") && m.Since != 0 {
		return m
	}
	if m.Since = s.At; s.Blind == "" && s.Number {
		m.Why = s.Why
	}
	return m
}

// Demand is what the interlock asks for; false: nothing.
func (i *Interlock) Demand() (Demand, bool) {
	d := Demand{Rank: i.Rank(), Value: i.Value, Interlock: i.Name, Order: i.ID, Why: i.Why}
	switch {
	case i.Blind != "":
		d.Why = i.Blind
	case i.Waits:
		d.Why = alarm.Was(d.Why) + ", and it goes on until somebody resets it"
	}
	if i.Alarm != "" {
		a, _ := ParseAlarms(i.Alarm)
		d.Severity = a.Severity
	}
	return d, i.Asks
}

// AskedWords says to people for which state it asks.
func (i *Interlock) AskedWords() string { return called(i.Value) }

// Words says in one line what drives the output to what: "potting-shed/vapour above 400, latched, sets
// potting-shed/extractor to on".
func (i *Interlock) Words() string {
	var text string
	switch i.Driver() {
	case ByAlarm:
		text = "alarm " + i.Alarm
	case ByCondition:
		text = i.Signal + " " + i.When
		for _, d := range []struct {
			word string
			d    measure.Duration
		}{{"on-delay", i.OnDelay}, {"off-delay", i.OffDelay}} {
			if d.d != 0 {
				text += fmt.Sprintf(", %s %v", d.word, d.d)
			}
		}
	case ByBands:
		text = i.Signal
		for n, b := range i.Bands {
			if b.To != nil {
				text += fmt.Sprintf(", below %v %s", *b.To, called(b.Set))
			} else if n > 0 {
				text += fmt.Sprintf(", else %s", called(b.Set))
			}
		}
	case ByHours:
		text = i.Hours
	case ByFormula:
		text = i.Formula
	}
	if i.Deadband != 0 {
		text += fmt.Sprintf(", deadband %v", i.Deadband)
	}
	if i.Latch {
		text += ", latched"
	}
	if i.Safety {
		text += ", for safety"
	}
	if i.Set != "" {
		return text + " → " + called(i.Set)
	}
	return text
}
