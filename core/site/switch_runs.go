package site

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/wall"
)

// Ran is the newest run of what goes on and off, and how often it has run on the day of that.
type Ran struct {
	From  *measure.Instant `json:"ran_from,omitempty" db:"ran_from" readOnly:"true" format:"date-time" doc:"of a switch: when its newest run began; left out: it has not run"`
	Until *measure.Instant `json:"ran_until,omitempty" db:"ran_until" readOnly:"true" format:"date-time" doc:"when that ended; left out: it runs"`
	Day   string           `json:"ran_on,omitempty" db:"ran_on" readOnly:"true" doc:"the local day on which that began" example:"2026-11-02"`
	Times int              `json:"ran_times,omitempty" db:"ran_times" readOnly:"true" doc:"how many runs began on that day"`
}

// runNames are names of switches that say that their device itself runs.
var runNames = []string{"running", "runs", "run", "on", "on off", "state", "status", "power", "active"}

// RunsItself tells whether a switch of a title says that its device runs, so that "it ran" is said of it.
func RunsItself(title string) bool { return slices.Contains(runNames, strings.ToLower(title)) }

// RanWords say the newest run of a switch at an instant, as of a thing that ran, or else was on, or in the state that
// it has a word for: "ran for 4 seconds, 7 hours ago; 56 times today". Empty: it has not run.
func (s *Signal) RanWords(r *Ran, now measure.Instant, zone *time.Location) string {
	if r.From == nil {
		return ""
	}
	verb, since := "was on", "has been on"
	switch word := s.Bands.Name(1); {
	case word != "":
		verb, since = "was "+word, "has been "+word
	case RunsItself(Title(s.Title, s.Name)):
		verb, since = "ran", "has run"
	}
	today := "; not today"
	if wall.On(now, zone).String() == r.Day {
		today = "; " + prose.Count(r.Times, "time", "times") + " today"
	}
	if r.Until == nil {
		return fmt.Sprintf("%s for %s%s", since, prose.Length(now.Sub(*r.From)), today)
	}
	return fmt.Sprintf("%s for %s, %s ago%s", verb, prose.Length(r.Until.Sub(*r.From)), prose.Length(now.Sub(*r.Until)),
		today)
}
