package alarm

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"jauntylark/core/measure"
	"jauntylark/core/wall"
)

// Severity says how bad an alarm is.
type Severity string

// The severities, mildest first.
const (
	Advisory Severity = "advisory"
	Warning  Severity = "warning"
	Critical Severity = "critical"
)

// Above tells whether s is more severe than o.
func (s Severity) Above(o Severity) bool { return s.rank() > o.rank() }

// Compare is below 0 when s is milder than o, above 0 when it is more severe; no severity is milder than all.
func (s Severity) Compare(o Severity) int { return cmp.Compare(s.rank(), o.rank()) }

func (s Severity) rank() int {
	switch s {
	case Critical:
		return 3
	case Warning:
		return 2
	case Advisory:
		return 1
	}
	return 0
}

// Rung is one level of a guard: what it looks for, how patiently, and how bad that is.
type Rung struct {
	When     Test             `json:"when" db:"-" doc:"'above X', 'at least X', 'below X', 'at most X', 'outside A..B', 'inside A..B', 'is on', 'is off', 'is \"WORD\"', 'is not \"WORD\"', 'silent for 10m', 'stuck', 'faulty'" example:"above 30"`
	Deadband float64          `json:"deadband" db:"deadband" required:"false" minimum:"0" doc:"how far back past the limit the value must come before the alarm clears, in the signal's unit"`
	OnDelay  measure.Duration `json:"on_delay" db:"on_delay" required:"false" doc:"how long the test must hold before the alarm is raised" example:"10"`
	OffDelay measure.Duration `json:"off_delay" db:"off_delay" required:"false" doc:"how long the clear test must hold before the alarm is over" example:"10"`
	Severity Severity         `json:"severity" db:"severity" required:"false" enum:"advisory,warning,critical" default:"warning"`
	Clears   Test             `json:"clears,omitzero" db:"-" readOnly:"true" required:"false" doc:"when it clears: the opposite of when, at the limit moved by the deadband, computed in the unit in which both were given" example:"at most 29"`
}

// Clear tells whether value meets the clear test.
func (r *Rung) Clear(value float64) bool {
	switch {
	case r.Clears.Kind != 0:
		return r.Clears.Met(value)
	case r.When.Measured():
		return r.When.Back(r.Deadband).Met(value)
	}
	return !r.When.Met(value)
}

// quiet gives the stretch of values that change nothing: those that do not meet the test, or, of a standing rung, those
// that are not clear. When they are not one stretch it is empty.
func (r *Rung) quiet(standing bool) (low, high float64) {
	switch {
	case !standing:
		return r.When.unmet()
	case r.When.Kind == IsOff:
		return 0, 0
	case r.Clears.Kind == 0:
		return r.When.Back(r.Deadband).unmet()
	}
	return r.Clears.unmet()
}

// In brings a rung into another unit: its limits, its deadband, which is a width, and the limits at which it clears,
// each computed as it was given and converted once.
func (r *Rung) In(convert func(float64) float64) {
	r.Clears = r.When.Back(r.Deadband).In(convert)
	r.When = r.When.In(convert)
	r.Deadband = math.Abs(measure.Sum(convert(r.Deadband), -convert(0)))
}

// plain is the rung without what follows from it.
func (r Rung) plain() Rung {
	r.Clears = Test{}
	return r
}

// Plain gives the rungs as they were asked for, without what follows from them.
func (r Rungs) Plain() Rungs {
	all := slices.Clone(r)
	for i := range all {
		all[i] = all[i].plain()
	}
	return all
}

// Rungs is a list of rungs, as the database keeps it.
type Rungs []Rung

// Guard is a rule over one signal that raises an alarm. It has one rung, or up to four: two on the high side, two on
// the low side.
type Guard struct {
	ID      int64  `json:"id" db:"id" readOnly:"true"`
	Name    string `json:"name" db:"name" doc:"unique in the site; made from the signal and the test when left out" required:"false" pattern:"^[a-z0-9][a-z0-9-]{0,62}$"`
	Signal  string `json:"signal" db:"signal" doc:"DEVICE/SIGNAL; of a guard over something computed, what is computed" example:"greenhouse-door/temp"`
	Watches string `json:"watches,omitempty" db:"watches" readOnly:"true" doc:"of a guard over something computed: DEVICE/SIGNAL that it is about"`
	Rung
	Rungs      Rungs            `json:"rungs" db:"rungs" required:"false" nullable:"false" maxItems:"3" doc:"further rungs of the same guard: a second on the same side, lying further out, and up to two on the other side"`
	Latch      bool             `json:"latch" db:"latch" required:"false" doc:"the alarm stays until a person resets it"`
	Armed      string           `json:"armed" db:"armed" required:"false" maxLength:"300" doc:"when it looks, in the site's time zone; always when left out" example:"mon-fri 18:00-07:00, sat-sun, holidays"`
	Suppressed string           `json:"suppressed_while" db:"suppressed_while" required:"false" maxLength:"300" doc:"'DEVICE/SIGNAL TEST' or 'alarm GUARD': it does not look while that is so" example:"boiler-room/service is on"`
	Unit       measure.Unit     `json:"unit,omitempty" db:"-" required:"false" doc:"when a guard is saved: in which limits and deadbands are given, if it is not the signal's own"`
	Tell       []string         `json:"tell" db:"-" required:"false" nullable:"false" maxItems:"50" doc:"who is told: names of rosters and contacts, e-mail addresses" example:"[\"glasshouse\"]"`
	LeastGap   measure.Duration `json:"least_gap" db:"least_gap" required:"false" doc:"how long after a message about one alarm (its raise, its return, a summary) the next alarm is held back, at most 1d, unless it is more severe; what came and went meanwhile is told in one message" example:"600"`
	Templates  Templates        `json:"templates" db:"templates" required:"false" nullable:"false" maxItems:"20" doc:"the guard's own words, after those of a contact and before the site's"`
	Advice     string           `json:"advice" db:"advice" required:"false" maxLength:"2000" doc:"what to do; every notice shows it"`
	FromKit    string           `json:"from_kit,omitempty" db:"kit_guard" readOnly:"true" doc:"its name in the kit that it came from"`
	MadeAt     measure.Instant  `json:"made_at" db:"made_at" readOnly:"true" format:"date-time" doc:"since when it is as it is"`
	OutOfUse   *Pause           `json:"out_of_service,omitempty" db:"out_of_service" readOnly:"true" doc:"who put it out of service, when and why"`
	Shelved    *Pause           `json:"shelved,omitempty" db:"shelved" readOnly:"true" doc:"who shelved it, until when and why"`

	calendar *wall.Calendar // what Armed says; nil: always
}

// Pause says who keeps a guard from being heard, and why.
type Pause struct {
	By       string           `json:"by"`
	Why      string           `json:"why"`
	At       measure.Instant  `json:"at" format:"date-time"`
	Until    *measure.Instant `json:"until,omitempty" format:"date-time"`
	Severity Severity         `json:"severity,omitempty" doc:"of shelving: an alarm that is worse is told all the same"`
}

// MaxRungs is how many rungs a guard has at most.
const MaxRungs = 4

// Side is the direction in which a value leaves what is normal. One alarm at a time is raised on each side of a guard.
type Side uint8

// The sides. Tests that have no direction are on the high side, alone.
const (
	High Side = iota
	Low
)

func (k Kind) side() Side {
	if k == Below || k == AtMost {
		return Low
	}
	return High
}

// Count is how many rungs the guard has.
func (g *Guard) Count() int { return 1 + len(g.Rungs) }

// At gives a rung, from 0 on.
func (g *Guard) At(i int) *Rung {
	if i == 0 {
		return &g.Rung
	}
	return &g.Rungs[i-1]
}

// slot is the place of a rung in a State: two on the high side from inside out, then two on the low side.
func (g *Guard) slot(i int) int {
	side := g.At(i).When.Kind.side()
	if i > 0 && g.At(i-1).When.Kind.side() == side {
		return int(side)*2 + 1
	}
	return int(side) * 2
}

// inSlot gives the rung at a place of a State; nil: there is none.
func (g *Guard) inSlot(slot int) *Rung {
	for i := range g.Count() {
		if g.slot(i) == slot {
			return g.At(i)
		}
	}
	return nil
}

// Level names a rung: high, high-high, low, low-low; empty when its test has no direction.
func (g *Guard) Level(r *Rung) string {
	for i := range g.Count() {
		if g.At(i) == r && (r.When.Kind <= AtMost) {
			return [...]string{"high", "high-high", "low", "low-low"}[g.slot(i)]
		}
	}
	return ""
}

// In says in which zone and with which holidays the armed hours are meant. Armed must have been checked.
func (g *Guard) In(c *wall.Calendar) { g.calendar = c }

// Same tells whether two guards ask and say the same of the same signal.
func (g Guard) Same(o Guard) bool {
	return g.Name == o.Name && g.Signal == o.Signal && g.plain() == o.plain() &&
		slices.Equal(g.Rungs.Plain(), o.Rungs.Plain()) && g.Latch == o.Latch && g.Armed == o.Armed &&
		g.Suppressed == o.Suppressed && g.Advice == o.Advice && g.FromKit == o.FromKit &&
		slices.Equal(g.Tell, o.Tell) && g.LeastGap == o.LeastGap && slices.Equal(g.Templates, o.Templates)
}

// Check tells what is wrong with the guard by itself: nil, or a *measure.Fault for the first field. It puts the rungs
// in order: the high side before the low one, each from inside out.
func (g *Guard) Check() error {
	if err := g.checkRungs(); err != nil {
		return err
	}
	if g.Armed != "" {
		if _, err := wall.ParseHours(g.Armed); err != nil {
			return fault("armed", "%s", err.Error())
		}
	}
	if g.Suppressed != "" {
		if _, err := ParseSuppression(g.Suppressed); err != nil {
			return fault("suppressed_while", "%s", err.Error())
		}
	}
	if g.LeastGap < 0 || g.LeastGap > maxGap {
		return fault("least_gap", "%v is longer than %v", g.LeastGap, maxGap)
	}
	return nil
}

func (g *Guard) checkRungs() error {
	if g.Count() > MaxRungs {
		return fault("rungs", "there are %d with the guard's own; two on each side at most", g.Count())
	}
	for i := range g.Count() {
		if err := g.At(i).check(); err != nil {
			if f := err.(*measure.Fault); i > 0 {
				f.Field = fmt.Sprintf("rungs[%d].%s", i-1, f.Field)
			}
			return err
		}
		if g.Count() > 1 && g.At(i).When.Kind > AtMost {
			field := "rungs"
			if i == 0 {
				field = "when"
			}
			return fault(field, "%s", standsAlone(g.At(i).When))
		}
	}
	g.order()
	for i := 1; i < g.Count(); i++ {
		inner, outer := g.At(i-1), g.At(i)
		switch same := inner.When.Kind.side() == outer.When.Kind.side(); {
		case !same && outer.When.A >= inner.When.A:
			return fault("rungs", "'%s' and '%s' can be so at once; the low limit lies under the high one", outer.When,
				inner.When)
		case !same:
		case i > 1 && g.At(i-2).When.Kind.side() == outer.When.Kind.side():
			return fault("rungs", "there are three on one side; two at most")
		case inner.When.A == outer.When.A:
			return fault("rungs", "'%s' and '%s' have one limit; the second rung lies further out", inner.When,
				outer.When)
		case inner.Severity.Above(outer.Severity):
			return fault("rungs", "'%s' lies further out than '%s' and is less severe; it must be as severe at least",
				outer.When, inner.When)
		}
	}
	return nil
}

// standsAlone says why a test is no rung beside others, and how to say the same.
func standsAlone(t Test) string {
	says := fmt.Sprintf("'%s' stands alone; rungs are 'above', 'at least', 'below' and 'at most'", t)
	if t.Kind == Outside {
		says += fmt.Sprintf(": '%s' and '%s' say the same as two rungs (--when '%s' --rung '%s')",
			Test{Kind: Above, A: t.B}, Test{Kind: Below, A: t.A}, Test{Kind: Above, A: t.B}, Test{Kind: Below, A: t.A})
	}
	return says
}

// order sorts the rungs: the high side first, each side from inside out.
func (g *Guard) order() {
	if len(g.Rungs) == 0 {
		return
	}
	all := append([]Rung{g.Rung}, g.Rungs...)
	slices.SortStableFunc(all, func(a, b Rung) int {
		if s := cmp.Compare(a.When.Kind.side(), b.When.Kind.side()); s != 0 {
			return s
		}
		if a.When.Kind.side() == Low {
			a, b = b, a
		}
		return cmp.Compare(a.When.A, b.When.A)
	})
	g.Rung, g.Rungs = all[0], all[1:]
}

func (r *Rung) check() error {
	if r.Clears.Kind == 0 {
		r.Clears = r.When.Back(r.Deadband)
	}
	switch {
	case r.When.Kind == 0:
		return fault("when", "is missing; %s", forms)
	case math.IsNaN(r.Deadband) || math.IsInf(r.Deadband, 0) || r.Deadband < 0:
		return fault("deadband", "%v is not 0 or more", r.Deadband)
	case !r.When.Measured() && r.Deadband != 0:
		return fault("deadband", "has no meaning for '%s'; leave it out", r.When)
	case r.When.Kind == Outside && r.Clears.A > r.Clears.B:
		return fault("deadband",
			"%v leaves no room between %v and %v, so the alarm could never clear; it may be %v at most",
			r.Deadband, r.When.A, r.When.B, measure.Sum(r.When.B, -r.When.A)/2)
	case r.OnDelay > maxDelay || r.OnDelay < 0:
		return fault("on_delay", "%v is longer than %v", r.OnDelay, maxDelay)
	case r.OffDelay > maxDelay || r.OffDelay < 0:
		return fault("off_delay", "%v is longer than %v", r.OffDelay, maxDelay)
	}
	if r.Severity.rank() == 0 {
		return fault("severity", "%q is not a severity; severities are advisory, warning, critical", r.Severity)
	}
	return nil
}

// Severest is the severity of the guard's worst rung.
func (g *Guard) Severest() Severity {
	worst := g.Severity
	for _, r := range g.Rungs {
		if r.Severity.Above(worst) {
			worst = r.Severity
		}
	}
	return worst
}

func fault(field, format string, args ...any) error {
	return &measure.Fault{Field: field, Reason: fmt.Sprintf(format, args...)}
}

// maxGap bounds the least gap.
const maxGap = measure.Duration(24 * 3600 * 1e9)

// maxDelay bounds the delays: 30 days.
const maxDelay = measure.Duration(30 * 24 * 3600 * 1e9)
