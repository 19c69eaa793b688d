package alarm

import (
	"fmt"
	"math"
	"net/mail"
	"slices"

	"jauntylark/core/measure"
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

// Guard is a rule over one signal that raises an alarm.
type Guard struct {
	ID       int64            `json:"id" db:"id" readOnly:"true"`
	Name     string           `json:"name" db:"name" doc:"unique in the site; made from the signal and the test when left out" required:"false" pattern:"^[a-z0-9][a-z0-9-]{0,62}$"`
	Signal   string           `json:"signal" db:"signal" doc:"DEVICE/SIGNAL" example:"greenhouse-door/temp"`
	When     Test             `json:"when" db:"-" doc:"'above X', 'at least X', 'below X', 'at most X', 'outside A..B', 'inside A..B', 'is on', 'is off'" example:"above 30"`
	Deadband float64          `json:"deadband" db:"deadband" required:"false" minimum:"0" doc:"how far back past the limit the value must come before the alarm clears, in the signal's unit"`
	OnDelay  measure.Duration `json:"on_delay" db:"on_delay" required:"false" doc:"how long the test must hold before the alarm is raised" example:"10s"`
	OffDelay measure.Duration `json:"off_delay" db:"off_delay" required:"false" doc:"how long the clear test must hold before the alarm is over" example:"10s"`
	Unit     measure.Unit     `json:"unit,omitempty" db:"-" required:"false" doc:"when a guard is saved: in which limits and deadband are given, if it is not the signal's own"`
	Severity Severity         `json:"severity" db:"severity" required:"false" enum:"advisory,warning,critical" default:"warning"`
	Tell     []string         `json:"tell" db:"-" required:"false" nullable:"false" doc:"e-mail addresses of those who are told"`
	Advice   string           `json:"advice" db:"advice" required:"false" maxLength:"2000" doc:"what to do; every notice shows it"`
	FromKit  string           `json:"from_kit,omitempty" db:"kit_guard" readOnly:"true" doc:"its name in the kit that it came from"`
}

// Same tells whether two guards ask and say the same of the same signal.
func (g Guard) Same(o Guard) bool {
	return g.Name == o.Name && g.Signal == o.Signal && g.When == o.When && g.Deadband == o.Deadband && g.OnDelay == o.OnDelay && g.OffDelay == o.OffDelay &&
		g.Severity == o.Severity && g.Advice == o.Advice && g.FromKit == o.FromKit && slices.Equal(g.Tell, o.Tell)
}

// Check tells what is wrong with the guard by itself: nil, or a *measure.Fault for the first field.
func (g *Guard) Check() error {
	switch {
	case g.When.Kind == 0:
		return fault("when", "is missing; %s", forms)
	case math.IsNaN(g.Deadband) || math.IsInf(g.Deadband, 0) || g.Deadband < 0:
		return fault("deadband", "%v is not 0 or more", g.Deadband)
	case g.When.Switched() && g.Deadband != 0:
		return fault("deadband", "has no meaning for '%s'; leave it out", g.When)
	case g.When.Kind == Outside && 2*g.Deadband > g.When.B-g.When.A:
		return fault("deadband", "%v leaves no room between %v and %v, so the alarm could never clear; it may be %v at most",
			g.Deadband, g.When.A, g.When.B, (g.When.B-g.When.A)/2)
	case g.OnDelay > maxDelay || g.OnDelay < 0:
		return fault("on_delay", "%v is longer than %v", g.OnDelay, maxDelay)
	case g.OffDelay > maxDelay || g.OffDelay < 0:
		return fault("off_delay", "%v is longer than %v", g.OffDelay, maxDelay)
	}
	switch g.Severity {
	case Advisory, Warning, Critical:
	default:
		return fault("severity", "%q is not a severity; severities are advisory, warning, critical", g.Severity)
	}
	for _, address := range g.Tell {
		if parsed, err := mail.ParseAddress(address); err != nil || parsed.Address != address {
			return fault("tell", "%q is not an e-mail address", address)
		}
	}
	return nil
}

func fault(field, format string, args ...any) error {
	return &measure.Fault{Field: field, Reason: fmt.Sprintf(format, args...)}
}

// maxDelay bounds the delays: 30 days.
const maxDelay = measure.Duration(30 * 24 * 3600 * 1e9)
