package drive

import (
	"fmt"
	"slices"
	"strings"

	"jauntylark/core/alarm"
)

// Alarms says which alarms drive an interlock.
type Alarms struct {
	Any      bool           // all alarms
	Names    []string       // of guards, and DEVICE/* for all that a device has
	Severity alarm.Severity // the mildest; empty: all
	Level    string         // high, high-high, low, low-low; empty: each
}

var (
	severities = []string{string(alarm.Advisory), string(alarm.Warning), string(alarm.Critical)}
	levels     = []string{"high", "high-high", "low", "low-low"}
)

// ParseAlarms reads "any critical", "carbon-monoxide-high", "boiler-room/*, cistern-dry warning" or
// "carbon-monoxide-high high-high".
func ParseAlarms(text string) (a Alarms, err error) {
	words := strings.Fields(strings.ReplaceAll(text, ",", " "))
	if n := len(words); n > 0 {
		switch last := words[n-1]; {
		case slices.Contains(severities, last):
			a.Severity, words = alarm.Severity(last), words[:n-1]
		case slices.Contains(levels, last):
			a.Level, words = last, words[:n-1]
		}
	}
	for _, word := range words {
		if word == "any" {
			a.Any = true
			continue
		}
		a.Names = append(a.Names, word)
	}
	if a.Any == (len(a.Names) > 0) {
		return a, fmt.Errorf(
			"%q names no alarm; write names of guards, DEVICE/* or any, and then, if wanted, a severity or a rung: "+
				"'carbon-monoxide-high critical'", text)
	}
	return a, nil
}

// Match tells whether an alarm that stands drives the interlock.
func (a Alarms) Match(s alarm.Alarm) bool {
	if a.Severity.Above(s.Severity) || a.Level != "" && !reaches(s.Level, a.Level) {
		return false
	}
	device, _, _ := strings.Cut(s.Signal, "/")
	return a.Any || slices.ContainsFunc(a.Names, func(name string) bool {
		whole, ofDevice := strings.CutSuffix(name, "/*")
		return ofDevice && whole == device || s.Guard != "" && s.Guard == name
	})
}

// reaches tells whether a rung lies as far out as another one, on the same side.
func reaches(stands, wanted string) bool { return stands == wanted || stands == wanted+"-"+wanted }
