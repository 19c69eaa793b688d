package run

import (
	"fmt"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/site"
	"jauntylark/core/statement"
	"jauntylark/core/total"
)

// Sheet makes the report of a run: what it came to in sentences, and tables of its goals, signals, totals and phases.
// Called is what people call the asset.
func (s *Summary) Sheet(called string, here site.Site, now measure.Instant) statement.Sheet {
	zone := here.Location()
	clock := func(at measure.Instant) string { return at.Time().In(zone).Format("2 January 2006 15:04:05") }
	words := "on " + called + ", since " + clock(s.StartedAt)
	if s.EndedAt != nil {
		words = "on " + called + ", from " + clock(s.StartedAt) + " to " + clock(*s.EndedAt)
	}
	sheet := statement.Sheet{Title: s.Title, Site: here.Name, Period: statement.Period{From: s.StartedAt,
		Until: s.Until}, Words: words, Says: s.says(zone, now), Tables: []statement.Table{}}
	add := func(title string, columns []string, rows [][]string) {
		if len(rows) > 0 {
			sheet.Tables = append(sheet.Tables, statement.Table{Title: title, Columns: columns, Rows: rows})
		}
	}
	var rows [][]string
	for i := range s.Results {
		o := &s.Results[i]
		rows = append(rows, []string{o.Words, o.State, o.how(zone, now)})
	}
	add("Goals", []string{"goal", "state", "how"}, rows)
	rows = nil
	for i := range s.Courses {
		c := &s.Courses[i]
		if c.Lowest == nil {
			rows = append(rows, []string{c.Called, "no reading", "", ""})
			continue
		}
		mean := ""
		if c.Mean != nil {
			mean = c.Figure(*c.Mean)
		}
		rows = append(rows, []string{c.Called, c.Figure(*c.Lowest) + " at " +
			c.LowestAt.Time().In(zone).Format("15:04:05"), mean, c.Figure(*c.Highest) + " at " +
			c.HighestAt.Time().In(zone).Format("15:04:05")})
	}
	add("Signals", []string{"signal", "lowest", "mean over time", "highest"}, rows)
	rows = nil
	for _, sum := range s.Sums {
		rows = append(rows, []string{sum.Called, sum.Figure()})
	}
	add("Totals", []string{"total", "in this run"}, rows)
	rows = nil
	for i, phase := range s.Phases {
		end := s.Until
		if i+1 < len(s.Phases) {
			end = s.Phases[i+1].At
		}
		rows = append(rows, []string{phase.Name, clock(phase.At), prose.Length(end.Sub(phase.At))})
	}
	add("Phases", []string{"phase", "from", "lasted"}, rows)
	return sheet
}

// Figure writes what a total came to.
func (s *Sum) Figure() string { return total.Says(s.Kind, s.Unit, s.Value) }

// says tells a run in sentences.
func (s *Summary) says(zone *time.Location, now measure.Instant) (says []string) {
	if s.EndedAt == nil {
		says = append(says, fmt.Sprintf("It is on for %s.", prose.Length(time.Duration(s.Lasted*float64(time.Second)))))
	} else {
		says = append(says, fmt.Sprintf("It took %s.", prose.Length(time.Duration(s.Lasted*float64(time.Second)))))
	}
	for i := range s.Results {
		o := &s.Results[i]
		says = append(says, fmt.Sprintf("%s: %s.", o.Words, o.how(zone, now)))
	}
	switch s.Alarms {
	case 0:
		says = append(says, "No alarm was raised in it.")
	case 1:
		says = append(says, "One alarm was raised in it.")
	default:
		says = append(says, fmt.Sprintf("%d alarms were raised in it.", s.Alarms))
	}
	if s.Note != "" {
		says = append(says, s.Note)
	}
	return says
}

// Says tells a run in sentences, in the site's time zone.
func (s *Summary) Says(zone *time.Location, now measure.Instant) []string { return s.says(zone, now) }

// how says what came of a goal.
func (o *Outcome) how(zone *time.Location, now measure.Instant) string {
	kept := ""
	if o.Kept != nil {
		kept = fmt.Sprintf("%.1f %% of the time, %s", *o.Kept,
			prose.Length(time.Duration(o.InBand*float64(time.Second))))
	}
	switch {
	case o.Reach != nil && o.At != nil:
		return "reached at " + o.At.Time().In(zone).Format("15:04:05 on 2 January")
	case o.Forecast != nil:
		return o.Forecast.Words(zone, now, o.Unit)
	case o.Reach != nil:
		return "not reached"
	case kept == "":
		return "nothing is known of it"
	case o.State == Missed:
		return "missed: " + kept
	case o.State == Open:
		return "so far " + kept
	}
	return "kept: " + kept
}

// How says what came of a goal, in the site's time zone.
func (o *Outcome) How(zone *time.Location, now measure.Instant) string { return o.how(zone, now) }
