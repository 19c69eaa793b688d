package alarm

import (
	"fmt"
	"strings"
)

// Suppression names what keeps a guard from looking: the value of a signal, or a standing alarm of another guard.
type Suppression struct {
	Signal string // DEVICE/SIGNAL; empty: it is an alarm
	When   Test   // of the signal
	Guard  string
}

// ParseSuppression reads 'DEVICE/SIGNAL TEST' or 'alarm GUARD'.
func ParseSuppression(text string) (s Suppression, err error) {
	first, rest, _ := strings.Cut(strings.TrimSpace(text), " ")
	rest = strings.TrimSpace(rest)
	switch {
	case strings.EqualFold(first, "alarm") && rest != "" && !strings.Contains(rest, " "):
		return Suppression{Guard: rest}, nil
	case strings.Count(first, "/") == 1:
		s.Signal = first
		if s.When, err = ParseTest(rest); err == nil && s.When.Kind > IsNotWord {
			err = fmt.Errorf("'%s' cannot suppress", s.When)
		}
		return s, err
	}
	return s, fmt.Errorf("%q is neither; write 'DEVICE/SIGNAL TEST', like 'shed/lamp is off', or 'alarm GUARD'", text)
}

// String is the text form.
func (s Suppression) String() string {
	if s.Guard != "" {
		return "alarm " + s.Guard
	}
	return s.Signal + " " + s.When.String()
}
