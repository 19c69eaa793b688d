package roster

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/core/wall"
)

// OnDuty stands in a step for the contact whom the roster's rotation names.
const OnDuty = "on-duty"

// Roster says who is told of an alarm, by which carriers, in which order, at which hours, after how long.
type Roster struct {
	ID        int64            `json:"id" db:"id" readOnly:"true"`
	Name      string           `json:"name" db:"name" required:"false" pattern:"^[a-z0-9][a-z0-9-]{0,62}$" example:"boiler"`
	Title     string           `json:"title" db:"title" required:"false" maxLength:"80"`
	Steps     Steps            `json:"steps" db:"steps" minItems:"1" maxItems:"20" nullable:"false"`
	Repeat    measure.Duration `json:"repeat" db:"repeat_every" required:"false" doc:"after the last step, everybody whose hours it is is told again so often, until someone has it; 0: not again" example:"600"`
	Rotation  *Rotation        `json:"rotation,omitempty" db:"rotation" required:"false" doc:"who is on duty, by weeks"`
	DrilledAt *measure.Instant `json:"drilled_at" db:"drilled_at" readOnly:"true" format:"date-time" doc:"when a drill last went the whole way"`
	MadeAt    measure.Instant  `json:"made_at" db:"made_at" readOnly:"true" format:"date-time"`
}

// Step is one step of a roster.
type Step struct {
	Who        []string         `json:"who" minItems:"1" nullable:"false" doc:"names of contacts; on-duty: whom the rotation names"`
	By         []string         `json:"by" required:"false" nullable:"false" doc:"carriers; empty: all that the contact has" example:"[\"text\",\"voice\"]"`
	Hours      string           `json:"hours,omitempty" required:"false" maxLength:"300" doc:"when, in the site's time zone; always when left out. A step whose hours it is not waits for them" example:"daily 07:00-22:00"`
	From       alarm.Severity   `json:"from_severity,omitempty" required:"false" enum:"advisory,warning,critical" default:"advisory" doc:"the mildest alarms that it is for"`
	Severities []alarm.Severity `json:"severities,omitempty" required:"false" enum:"advisory,warning,critical" doc:"the alarms that it is for; empty: all"`
	Kinds      []string         `json:"kinds,omitempty" required:"false" enum:"limit,silence,fault,reminder" doc:"the alarms that it is for: a value beyond a limit; silence; a fault of a sensor, a clock, an output, a carrier or the service; a verification or a drill that is due; empty: all"`
	After      measure.Duration `json:"after" required:"false" doc:"after how long without anybody having it" example:"300"`
	LeastGap   measure.Duration `json:"least_gap,omitempty" required:"false" doc:"how long after one message to an address the next comes at the earliest, at most 1d; what is critical comes at once, the rest in one message" example:"60"`
}

// Rotation says who is on duty: one after the other, each for so many weeks.
type Rotation struct {
	Who   []string `json:"who" minItems:"1" nullable:"false" doc:"names of contacts, in order"`
	Since string   `json:"since" doc:"the day on which the first one begins" example:"2026-11-02"`
	At    string   `json:"at" required:"false" doc:"the time of day at which it changes, in the site's time zone; 00:00 when left out" example:"09:00"`
	Weeks int      `json:"weeks" required:"false" minimum:"1" maximum:"52" default:"1"`
}

// Steps is a list of steps, as the database keeps it.
type Steps []Step

// Bounds of a roster's times.
const (
	minRepeat = measure.Duration(time.Minute)
	maxAfter  = measure.Duration(7 * 24 * time.Hour)
)

// Called is what to call the roster in a sentence.
func (r *Roster) Called() string { return site.Title(r.Title, r.Name) }

// Check tells what is wrong with the roster beside the contacts that there are: nil, or a *measure.Fault for the first
// field. It fills in what was left out.
func (r *Roster) Check(contacts []string) error {
	if err := site.CheckName(r.Name); err != nil {
		return fault("name", "%s", err)
	}
	if len(r.Steps) == 0 || len(r.Steps) > maxSteps {
		return fault("steps", "there are %d; a roster has 1 to %d", len(r.Steps), maxSteps)
	}
	if r.Repeat != 0 && (r.Repeat < minRepeat || r.Repeat > maxAfter) {
		return fault("repeat", "%v is not between %v and %v", r.Repeat, minRepeat, maxAfter)
	}
	if r.Rotation != nil {
		if err := r.Rotation.check(contacts); err != nil {
			return err
		}
	}
	for i := range r.Steps {
		if err := r.checkStep(i, contacts); err != nil {
			return err
		}
	}
	return nil
}

func (r *Roster) checkStep(i int, contacts []string) error {
	s, at := &r.Steps[i], fmt.Sprintf("steps[%d].", i)
	if len(s.Who) == 0 {
		return fault(at+"who", "names nobody")
	}
	for _, name := range s.Who {
		switch {
		case name == OnDuty && r.Rotation == nil:
			return fault(at+"who", "%s is whom the rotation names, and there is no rotation", OnDuty)
		case name != OnDuty && !slices.Contains(contacts, name):
			return fault(at+"who", "%s", site.Unknown("contact", name, contacts))
		}
	}
	for _, by := range s.By {
		if !slices.Contains(Carriers, by) {
			return fault(at+"by", "%s; carriers are %s", site.Unknown("carrier", by, Carriers),
				strings.Join(Carriers, ", "))
		}
	}
	if s.By == nil {
		s.By = []string{}
	}
	if s.Hours != "" {
		if _, err := wall.ParseHours(s.Hours); err != nil {
			return fault(at+"hours", "%s", err)
		}
	}
	if s.From == "" {
		s.From = alarm.Advisory
	}
	for _, sev := range s.Severities {
		if !slices.Contains(severities, string(sev)) {
			return fault(at+"severities", "%s; severities are advisory, warning, critical",
				site.Unknown("severity", string(sev), severities))
		}
	}
	for _, kind := range s.Kinds {
		if !slices.Contains(Kinds, kind) {
			return fault(at+"kinds", "%s; kinds are %s", site.Unknown("kind of alarm", kind, Kinds),
				strings.Join(Kinds, ", "))
		}
	}
	if s.After < 0 || s.After > maxAfter {
		return fault(at+"after", "%v is longer than %v", s.After, maxAfter)
	}
	if s.LeastGap < 0 || s.LeastGap > maxGap {
		return fault(at+"least_gap", "%v is not between 0s and %v", s.LeastGap, maxGap)
	}
	return nil
}

// maxGap bounds the least gap of a step.
const maxGap = measure.Duration(24 * time.Hour)

var severities = []string{"advisory", "warning", "critical"}

// maxSteps bounds a roster; Progress counts them in a word of bits.
const maxSteps = 20

func (r *Rotation) check(contacts []string) error {
	if len(r.Who) == 0 {
		return fault("rotation.who", "names nobody")
	}
	for _, name := range r.Who {
		if !slices.Contains(contacts, name) {
			return fault("rotation.who", "%s", site.Unknown("contact", name, contacts))
		}
	}
	if _, err := time.Parse(time.DateOnly, r.Since); err != nil {
		return fault("rotation.since", "%q is no date; write it like 2026-11-02", r.Since)
	}
	if r.At == "" {
		r.At = "00:00"
	}
	if _, err := time.Parse("15:04", r.At); err != nil {
		return fault("rotation.at", "%q is no time of day; write it like 09:00", r.At)
	}
	if r.Weeks == 0 {
		r.Weeks = 1
	}
	return nil
}

// onDuty gives whom the rotation names at an instant. Before it begins, that is the first one.
func (r *Rotation) onDuty(at measure.Instant, zone *time.Location) string {
	day, err := wall.ParseDay(r.Since)
	if err != nil {
		return r.Who[0]
	}
	clock, _ := wall.ParseClock(r.At)
	turn := func(n int) measure.Instant { // by days of the calendar, so that it changes at one time of day all year
		return (day + wall.Day(7*r.Weeks*n)).At(clock, zone)
	}
	if at < turn(0) {
		return r.Who[0]
	}
	n := int(at.Sub(turn(0)) / (time.Duration(r.Weeks) * 7 * 24 * time.Hour))
	for turn(n+1) <= at {
		n++
	}
	for n > 0 && turn(n) > at {
		n--
	}
	return r.Who[n%len(r.Who)]
}

// Names gives the names of all contacts that a roster may call on.
func (r *Roster) Names() (names []string) {
	for _, s := range r.Steps {
		names = append(names, s.Who...)
	}
	if r.Rotation != nil {
		names = append(names, r.Rotation.Who...)
	}
	slices.Sort(names)
	return slices.DeleteFunc(slices.Compact(names), func(n string) bool { return n == OnDuty })
}

func fault(field, format string, args ...any) error {
	return &measure.Fault{Field: field, Reason: fmt.Sprintf(format, args...)}
}
