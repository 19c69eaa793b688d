package site

import (
	"slices"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
)

// Faults say how bad the faults of a thing are, and whom they are told to: its silence, a wrong clock, sensors that
// cannot be believed. What is left out is as the guards of the thing say.
type Faults struct {
	Severity alarm.Severity `json:"severity,omitempty" required:"false" enum:"advisory,warning,critical" doc:"as the severest of its guards when left out; a warning where it has none"`
	Tell     []string       `json:"tell,omitempty" required:"false" maxItems:"50" doc:"names of rosters and contacts, e-mail addresses; whom its guards tell when left out"`
}

// IsZero tells whether nothing is said.
func (f Faults) IsZero() bool { return f.Severity == "" && len(f.Tell) == 0 }

// Check tells what is wrong: nil or a *measure.Fault.
func (f Faults) Check() error {
	if known := []string{"", string(alarm.Advisory), string(alarm.Warning),
		string(alarm.Critical)}; !slices.Contains(known, string(f.Severity)) {
		return &measure.Fault{Field: "faults.severity", Reason: Unknown("severity", string(f.Severity), known[1:]) +
			"; severities are advisory, warning, critical"}
	}
	return nil
}

// Over gives what is said of a part, filled in by what is said of the whole.
func (f Faults) Over(whole Faults) Faults {
	if f.Severity == "" {
		f.Severity = whole.Severity
	}
	if len(f.Tell) == 0 {
		f.Tell = whole.Tell
	}
	return f
}

// Words are the faults in words; empty: nothing is said.
func (f Faults) Words() string {
	var parts []string
	if f.Severity != "" {
		parts = append(parts, string(f.Severity))
	}
	if len(f.Tell) > 0 {
		parts = append(parts, "tells "+strings.Join(f.Tell, ", "))
	}
	return strings.Join(parts, ", ")
}

// FaultsChange says what to change of faults; what is nil stays.
type FaultsChange struct {
	Severity *alarm.Severity `json:"fault_severity,omitempty" required:"false" enum:",advisory,warning,critical" doc:"how bad faults are: silence, a wrong clock, a sensor that cannot be believed; empty: as said further out, or as its guards"`
	Tell     *[]string       `json:"fault_tell,omitempty" required:"false" maxItems:"50" doc:"whom faults are told to; none: as said further out, or whom its guards tell"`
}

// Onto changes faults, and tells whether anything was said.
func (c FaultsChange) Onto(f *Faults) bool {
	if c.Severity != nil {
		f.Severity = *c.Severity
	}
	if c.Tell != nil {
		f.Tell = *c.Tell
	}
	return c.Severity != nil || c.Tell != nil
}
