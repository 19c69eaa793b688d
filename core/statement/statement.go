// Package statement makes the summaries that are sent: energy and cost of a month, alarms of a week, a sheet of totals.
//
// A Statement says what, of which periods, when it is sent and to whom. A Sheet is what one period came to: sentences
// and tables, which are written as text, as a page, and as CSV.
package statement

import (
	"fmt"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/core/total"
	"jauntylark/core/wall"
)

// The kinds of a statement.
const (
	Energy = "energy" // energy and cost, beside the period before
	Alarms = "alarms" // how the alarms did
	Totals = "totals" // what totals came to
)

// Statement is a summary that is sent again and again.
type Statement struct {
	ID      int64            `json:"id" db:"id" readOnly:"true"`
	Name    string           `json:"name" db:"name" required:"false" pattern:"^[a-z0-9][a-z0-9-]{0,62}$" example:"electricity"`
	Title   string           `json:"title" db:"title" required:"false" maxLength:"80"`
	Kind    string           `json:"kind" db:"kind" enum:"energy,alarms,totals"`
	Totals  []string         `json:"totals" db:"-" required:"false" nullable:"false" maxItems:"100" doc:"of energy and totals: names of the totals in it; all that fit when left out"`
	Every   string           `json:"every" db:"every" enum:"day,week,month" doc:"weeks begin on Monday; all are of the site's time zone"`
	At      string           `json:"at" db:"send_at" required:"false" doc:"time of day at which it is sent, on the first day after the period" example:"07:00"`
	Tell    []string         `json:"tell" db:"-" required:"false" nullable:"false" maxItems:"50" doc:"contacts and e-mail addresses; nobody: it is made on demand alone"`
	MadeAt  measure.Instant  `json:"made_at" db:"made_at" readOnly:"true" format:"date-time"`
	SentFor *measure.Instant `json:"sent_for" db:"sent_for" readOnly:"true" format:"date-time" doc:"when the newest period began that was sent"`
	DueAt   *measure.Instant `json:"due_at" db:"due_at" readOnly:"true" format:"date-time" doc:"when the next one is sent"`
}

// Called is what to call the statement.
func (s *Statement) Called() string { return site.Title(s.Title, s.Name) }

// Check tells what is wrong by itself: nil, or a *measure.Fault for the first field. It fills in what was left out.
func (s *Statement) Check() error {
	wrong := func(field, format string, args ...any) error {
		return &measure.Fault{Field: field, Reason: fmt.Sprintf(format, args...)}
	}
	if err := site.CheckName(s.Name); err != nil {
		return wrong("name", "%s", err)
	}
	if s.Kind != Energy && s.Kind != Alarms && s.Kind != Totals {
		return wrong("kind", "%s; kinds are energy, alarms, totals", site.Unknown("kind of statement", s.Kind,
			[]string{Energy, Alarms, Totals}))
	}
	if s.Every != total.ByDay && s.Every != total.ByWeek && s.Every != total.ByMonth {
		return wrong("every", "%s; it is day, week or month",
			site.Unknown("period", s.Every, []string{total.ByDay, total.ByWeek, total.ByMonth}))
	}
	if s.At == "" {
		s.At = "07:00"
	}
	if _, err := time.Parse("15:04", s.At); err != nil {
		return wrong("at", "%q is no time of day; write it like 07:00", s.At)
	}
	if s.Kind == Alarms && len(s.Totals) > 0 {
		return wrong("totals", "belong to energy and totals; a statement of alarms has none")
	}
	return nil
}

// Period is one period of a statement.
type Period struct {
	From  measure.Instant `json:"from" format:"date-time"`
	Until measure.Instant `json:"until" format:"date-time"`
}

// PeriodAt gives the period that an instant lies in.
func (s *Statement) PeriodAt(at measure.Instant, zone *time.Location) Period {
	edges := total.Edges(s.Every, at, at, zone)
	return Period{edges[0], edges[1]}
}

// Last gives the newest period that is over at an instant.
func (s *Statement) Last(at measure.Instant, zone *time.Location) Period {
	return s.PeriodAt(s.PeriodAt(at, zone).From-1, zone)
}

// Before gives the period before one.
func (s *Statement) Before(p Period, zone *time.Location) Period { return s.PeriodAt(p.From-1, zone) }

// Due gives when the statement of the period that an instant lies in is sent: at its time of day, on the first day
// after the period.
func (s *Statement) Due(at measure.Instant, zone *time.Location) measure.Instant {
	clock, _ := wall.ParseClock(s.At)
	return wall.On(s.PeriodAt(at, zone).Until, zone).At(clock, zone)
}

// NextDue gives the first instant after another at which the statement is sent.
func (s *Statement) NextDue(after measure.Instant, zone *time.Location) measure.Instant {
	if due := s.Due(s.PeriodAt(after, zone).From-1, zone); due > after {
		return due
	}
	return s.Due(after, zone)
}

// Rezone carries a statement over to another time zone of the site. What was sent stays sent, by its date. What is due
// comes at its time of day there, or when it was due before, if that is sooner: a morning that is over there already is
// not left out.
func (s *Statement) Rezone(now measure.Instant, from, to *time.Location) {
	if s.SentFor != nil {
		moved := s.PeriodAt(wall.On(*s.SentFor, from).Begin(to), to).From
		s.SentFor = &moved
	}
	if s.DueAt != nil {
		due := min(*s.DueAt, s.NextDue(now, to))
		s.DueAt = &due
	}
}

// Compared gives what a period is compared with at an instant: the period before, or, while the period goes on, as much
// of it.
func (s *Statement) Compared(p Period, now measure.Instant, zone *time.Location) (before Period, part bool) {
	before = s.Before(p, zone)
	if now >= p.Until || now < p.From {
		return before, false
	}
	day, gone := wall.On(before.From, zone)+wall.On(now, zone)-wall.On(p.From, zone),
		now.Sub(wall.On(now, zone).Begin(zone))
	if until := day.Begin(zone).Add(gone); until < before.Until {
		before.Until = max(until, before.From)
	}
	return before, true
}

// Words says a period: "November 2026", "the week from Monday 16 November 2026", "Monday 16 November 2026".
func (s *Statement) Words(p Period, zone *time.Location) string {
	local := p.From.Time().In(zone)
	switch s.Every {
	case total.ByMonth:
		return local.Format("January 2006")
	case total.ByWeek:
		return "the week from " + local.Format("Monday 2 January 2006")
	}
	return local.Format("Monday 2 January 2006")
}
