// Package run is about runs: named stretches of time on an asset, as a batch, a firing or a night, with goals, a
// summary, a forecast, and a report.
package run

import (
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/core/wall"
)

// Run is a named stretch of time on an asset.
type Run struct {
	ID        int64            `json:"id" db:"id" readOnly:"true"`
	Asset     string           `json:"asset" db:"asset" doc:"name of the asset"`
	Title     string           `json:"title" db:"title" doc:"what people call it" example:"Batch 12"`
	Plan      string           `json:"plan" db:"plan" readOnly:"true" doc:"the plan that it was started by; empty: none"`
	How       string           `json:"how" db:"how" readOnly:"true" enum:"by hand,by condition,by schedule,afterwards" doc:"how it came about"`
	StartedAt measure.Instant  `json:"started_at" db:"started_at" format:"date-time"`
	EndedAt   *measure.Instant `json:"ended_at" db:"ended_at" format:"date-time" doc:"null: it is on"`
	StartedBy string           `json:"started_by" db:"started_by" readOnly:"true" doc:"empty: the service, by a plan"`
	EndedBy   string           `json:"ended_by" db:"ended_by" readOnly:"true"`
	Goals     Goals            `json:"goals" db:"goals" nullable:"false"`
	Phases    Phases           `json:"phases" db:"phases" nullable:"false"`
	Note      string           `json:"note" db:"note" doc:"Markdown"`
}

// How a run comes about.
const (
	ByHand      = "by hand"
	ByCondition = "by condition"
	BySchedule  = "by schedule"
	Afterwards  = "afterwards"
)

// Until is when the run ended, or now.
func (r *Run) Until(now measure.Instant) measure.Instant {
	if r.EndedAt != nil {
		return *r.EndedAt
	}
	return max(now, r.StartedAt)
}

// Phase is a part of a run, from an instant on to the next phase.
type Phase struct {
	At   measure.Instant `json:"at" format:"date-time"`
	Name string          `json:"name" maxLength:"80" example:"holding"`
}

// Phases are those of one run, in order of time.
type Phases []Phase

// Goals are those of one run or plan.
type Goals []Goal

// MarshalJSON writes an empty list, never null.
func (p Phases) MarshalJSON() ([]byte, error) { return json.Marshal(append([]Phase{}, p...)) }

// MarshalJSON writes an empty list, never null.
func (g Goals) MarshalJSON() ([]byte, error) { return json.Marshal(append([]Goal{}, g...)) }

// Goal is what a run is to come to: a signal reaches a value, or keeps between two for a share of the time.
type Goal struct {
	Signal string   `json:"signal" doc:"DEVICE/SIGNAL" example:"compost/core"`
	Reach  *float64 `json:"reach,omitempty" required:"false" doc:"it rises to this, or falls to it, in the signal's unit" example:"74"`
	Falls  bool     `json:"falls,omitempty" required:"false" doc:"of reach: it falls to it"`
	Low    *float64 `json:"low,omitempty" required:"false" doc:"it keeps at or above this"`
	High   *float64 `json:"high,omitempty" required:"false" doc:"and at or below this"`
	Share  float64  `json:"share,omitzero" required:"false" minimum:"0" maximum:"100" doc:"for so many per cent of the time; 100 when left out"`
}

// Check tells what is wrong with the goal by itself: nil or a *measure.Fault.
func (g *Goal) Check() error {
	wrong := func(field, format string, args ...any) error {
		return &measure.Fault{Field: field, Reason: fmt.Sprintf(format, args...)}
	}
	switch {
	case g.Reach != nil && (g.Low != nil || g.High != nil || g.Share != 0):
		return wrong("reach", "stands beside a band; a goal is one of both")
	case g.Reach == nil && g.Low == nil && g.High == nil:
		return wrong("reach", "is missing; a goal reaches a value, or keeps between low and high")
	case g.Falls && g.Reach == nil:
		return wrong("falls", "belongs to reach")
	case g.Low != nil && g.High != nil && *g.Low >= *g.High:
		return wrong("low", "%v is not below %v", *g.Low, *g.High)
	case !(g.Share >= 0 && g.Share <= 100):
		return wrong("share", "%v is not 0 to 100 per cent", g.Share)
	}
	if g.Reach == nil && g.Share == 0 {
		g.Share = 100
	}
	return nil
}

// Words says a goal: "core reaches 74 °C", "air between 18 °C and 22 °C for 90 % of the time".
func (g *Goal) Words(called string, unit measure.Unit) string {
	figure := func(v *float64) string { return measure.Figure(*v, unit) }
	text := called
	switch {
	case g.Reach != nil && g.Falls:
		return text + " falls to " + figure(g.Reach)
	case g.Reach != nil:
		return text + " reaches " + figure(g.Reach)
	case g.Low == nil:
		text += " at most " + figure(g.High)
	case g.High == nil:
		text += " at least " + figure(g.Low)
	default:
		text += " between " + figure(g.Low) + " and " + figure(g.High)
	}
	if g.Share < 100 {
		return fmt.Sprintf("%s for %s %% of the time", text, measure.Figure(g.Share, ""))
	}
	return text + " all the time"
}

// ParseGoal reads what people write: "compost/core reaches 74", "store/air falls to 4", "house/air between 18 and 22
// for 90%".
func ParseGoal(text string) (g Goal, err error) {
	bad := func() (Goal, error) {
		return g, fmt.Errorf(
			"%q is no goal; write it like 'compost/core reaches 74', 'store/air falls to 4' or 'house/air between 18 "+
				"and 22 for 90%%'", text)
	}
	words := strings.Fields(text)
	if len(words) < 3 {
		return bad()
	}
	g.Signal = words[0]
	number := func(word string) *float64 {
		var v float64
		if n, scanErr := fmt.Sscanf(word, "%g", &v); scanErr != nil || n != 1 || fmt.Sprint(v) == "NaN" ||
			strings.TrimLeft(word, "+-.0123456789eE") != "" {
			err = scanErr
			return nil
		}
		return &v
	}
	rest := words[2:]
	switch words[1] {
	case "reaches":
		g.Reach = number(rest[0])
		rest = rest[1:]
	case "falls":
		if rest[0] != "to" || len(rest) != 2 {
			return bad()
		}
		g.Reach, g.Falls = number(rest[1]), true
		rest = nil
	case "between":
		if len(rest) < 3 || rest[1] != "and" {
			return bad()
		}
		g.Low, g.High, rest = number(rest[0]), number(rest[2]), rest[3:]
		if g.Low == nil || g.High == nil {
			return bad()
		}
		if len(rest) == 2 && rest[0] == "for" {
			if share := number(strings.TrimSuffix(rest[1], "%")); share != nil {
				g.Share, rest = *share, nil
			}
		}
	default:
		return bad()
	}
	if len(rest) > 0 || g.Reach == nil && g.Low == nil {
		return bad()
	}
	return g, g.Check()
}

// Plan starts and ends runs of an asset by itself: by a condition, or by a schedule.
type Plan struct {
	ID     int64           `json:"-" db:"id"`
	Name   string          `json:"name" db:"name" readOnly:"true" example:"fog-morning"`
	Asset  string          `json:"asset" db:"asset"`
	Title  string          `json:"title" db:"title" required:"false" maxLength:"80" doc:"what its runs are called, with their date; its name made readable when left out"`
	Signal string          `json:"signal,omitempty" db:"signal" required:"false" doc:"of a condition: DEVICE/SIGNAL"`
	Start  alarm.Test      `json:"start,omitzero" db:"-" required:"false" doc:"of a condition: a run starts when the signal is so" example:"above 40"`
	End    alarm.Test      `json:"end,omitzero" db:"-" required:"false" doc:"of a condition: it ends when the signal is so; when start is not met any more, if left out" example:"below 35"`
	Hours  string          `json:"hours,omitempty" db:"hours" required:"false" maxLength:"300" doc:"of a schedule: when its runs are, in the site's time zone" example:"daily 22:00-06:00"`
	Goals  Goals           `json:"goals" db:"goals" required:"false" nullable:"false" maxItems:"20"`
	MadeAt measure.Instant `json:"made_at" db:"made_at" readOnly:"true" format:"date-time"`
	DueAt  measure.Instant `json:"-" db:"due_at"` // of a schedule: when to look next; 0: never
}

// Check tells what is wrong with the plan by itself: nil or a *measure.Fault.
func (p *Plan) Check() error {
	wrong := func(field, format string, args ...any) error {
		return &measure.Fault{Field: field, Reason: fmt.Sprintf(format, args...)}
	}
	if err := site.CheckName(p.Name); err != nil {
		return wrong("name", "%s", err)
	}
	byCondition := p.Signal != "" || p.Start.Kind != 0 || p.End.Kind != 0
	switch {
	case byCondition == (p.Hours != ""):
		return wrong("hours", "a plan has either hours, or a signal with a start")
	case p.Hours != "":
		if _, err := wall.ParseHours(p.Hours); err != nil {
			return wrong("hours", "%s", err)
		}
	case p.Signal == "":
		return wrong("signal", "is missing; it is what start and end are asked of")
	case p.Start.Kind == 0:
		return wrong("start", "is missing; write it like 'above 40'")
	case !byValue(p.Start):
		return wrong("start",
			"'%s' does not look at a value; write 'above X', 'below X', 'outside A..B', 'is on' and the like", p.Start)
	case p.End.Kind != 0 && !byValue(p.End):
		return wrong("end",
			"'%s' does not look at a value; write 'above X', 'below X', 'outside A..B', 'is off' and the like", p.End)
	}
	return nil
}

func byValue(t alarm.Test) bool { return t.Measured() || t.Switched() }

// Starts tells whether a reading starts a run, where none is on.
func (p *Plan) Starts(value float64) bool { return p.Start.Met(value) }

// Ends tells whether a reading ends the run that is on.
func (p *Plan) Ends(value float64) bool {
	if p.End.Kind != 0 {
		return p.End.Met(value)
	}
	return !p.Start.Met(value)
}

// TitleAt is what a run of the plan is called that starts at an instant.
func (p *Plan) TitleAt(at measure.Instant, zone *time.Location) string {
	return site.Title(p.Title, p.Name) + ", " + at.Time().In(zone).Format("2 January 2006 15:04")
}
