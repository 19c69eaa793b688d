package statement

import (
	"encoding/csv"
	"fmt"
	"html/template"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/core/total"
)

// Sheet is what one period of a statement came to.
type Sheet struct {
	Title  string   `json:"title"`
	Site   string   `json:"site"`
	Period Period   `json:"period"`
	Words  string   `json:"words" doc:"the period in words"`
	Says   []string `json:"says" nullable:"false" doc:"what it comes to, in sentences"`
	Tables []Table  `json:"tables" nullable:"false"`

	Picture template.URL `json:"-"` // drawn after what it says, as an address of its own (RFC 2397); empty: none
}

// Table is one table of a sheet. Its first column names the row; Bars, where they are, are drawn beside it.
type Table struct {
	Title   string     `json:"title"`
	Columns []string   `json:"columns" nullable:"false"`
	Rows    [][]string `json:"rows" nullable:"false"`
	Bars    []float64  `json:"bars,omitempty" nullable:"false" doc:"a share of the largest, 0 to 1, for each row"`
}

// Came is what one total came to in a period, in the one before, and by day.
type Came struct {
	total.Total
	Now, Before total.Result
	Days        []total.Result
}

// amount writes what a total came to.
func amount(t *total.Total, r total.Result) string {
	switch t.Kind {
	case total.OnTime, total.LongestRun:
		return roster.Length(time.Duration(r.Value * float64(time.Second)))
	case total.Cycles:
		return plural(int(r.Value), "start", "starts")
	case total.Cost:
		return r.Cost + " " + t.Unit
	}
	return figure(r.Value) + " " + t.Unit
}

// figure writes a value with as many places as its size bears.
func figure(v float64) string {
	places := 1
	switch size := math.Abs(v); {
	case size >= 100:
		places = 0
	case size < 1 && size > 0:
		places = 3
	}
	return strconv.FormatFloat(v, 'f', places, 64)
}

// OfEnergy makes the sheet of energy and cost.
func OfEnergy(s *Statement, here site.Site, p Period, zone *time.Location, all []Came) Sheet {
	sheet := begin(s, here, p, zone)
	before := s.Words(s.Before(p, zone), zone)
	for i := range all {
		c := &all[i]
		title := site.Title(c.Title, c.Name)
		sheet.Says = append(sheet.Says, fmt.Sprintf("%s came to %s, %s %s (%s).", title, amount(&c.Total, c.Now), than(c.Now.Value, c.Before.Value), before, amount(&c.Total, c.Before)))
		if missing := c.Now.Missing; missing > 60 {
			sheet.Says = append(sheet.Says, fmt.Sprintf("Of %s, %s are without data and not counted.", title, roster.Length(time.Duration(missing*float64(time.Second)))))
		}
		if len(c.Now.Rates) > 0 {
			sheet.Tables = append(sheet.Tables, byRate(c, s, zone, p))
		}
		sheet.Tables = append(sheet.Tables, byDay(c, zone))
	}
	if len(all) == 0 {
		sheet.Says = append(sheet.Says, "There is no total of energy or cost. Add one: jaunty total add NAME --signal DEVICE/SIGNAL --kind energy")
	}
	return sheet
}

func begin(s *Statement, here site.Site, p Period, zone *time.Location) Sheet {
	return Sheet{Title: s.Called(), Site: here.Name, Period: p, Words: s.Words(p, zone), Says: []string{}, Tables: []Table{}}
}

// byRate splits what was used by the rates of the tariff, as day and night.
func byRate(c *Came, s *Statement, zone *time.Location, p Period) Table {
	t := Table{Title: site.Title(c.Title, c.Name) + " by rate", Columns: []string{"rate", s.Words(p, zone), s.Words(s.Before(p, zone), zone)}, Rows: [][]string{}}
	most := 0.0
	for _, u := range c.Now.Rates {
		most = max(most, u.Used)
	}
	for _, u := range c.Now.Rates {
		old := 0.0
		if i := slices.IndexFunc(c.Before.Rates, func(b total.RateUse) bool { return b.Name == u.Name }); i >= 0 {
			old = c.Before.Rates[i].Used
		}
		t.Rows = append(t.Rows, []string{u.Name, figure(u.Used) + " kWh", figure(old) + " kWh"})
		t.Bars = append(t.Bars, share(u.Used, most))
	}
	return t
}

func share(v, most float64) float64 {
	if most <= 0 {
		return 0
	}
	return v / most
}

func byDay(c *Came, zone *time.Location) Table {
	t := Table{Title: site.Title(c.Title, c.Name) + " by day", Columns: []string{"day", "total"}, Rows: [][]string{}}
	most := 0.0
	for _, d := range c.Days {
		most = max(most, d.Value)
	}
	for _, d := range c.Days {
		t.Rows = append(t.Rows, []string{d.At.Time().In(zone).Format("Mon 2 Jan"), amount(&c.Total, d)})
		t.Bars = append(t.Bars, share(d.Value, most))
	}
	return t
}

// OfTotals makes the sheet of totals.
func OfTotals(s *Statement, here site.Site, p Period, zone *time.Location, all []Came) Sheet {
	sheet := begin(s, here, p, zone)
	t := Table{Title: "What they came to", Columns: []string{"total", s.Words(p, zone), s.Words(s.Before(p, zone), zone), "without data"}, Rows: [][]string{}}
	for i := range all {
		c := &all[i]
		missing := ""
		if c.Now.Missing > 60 {
			missing = roster.Length(time.Duration(c.Now.Missing * float64(time.Second)))
		}
		t.Rows = append(t.Rows, []string{site.Title(c.Title, c.Name), amount(&c.Total, c.Now), amount(&c.Total, c.Before), missing})
	}
	sheet.Says = append(sheet.Says, fmt.Sprintf("%s of %s.", plural(len(all), "total", "totals"), here.Name))
	sheet.Tables = append(sheet.Tables, t)
	return sheet
}

// OfAlarms makes the sheet of how the alarms did.
func OfAlarms(s *Statement, here site.Site, p Period, zone *time.Location, now, before alarm.Health) Sheet {
	sheet := begin(s, here, p, zone)
	sheet.Says = append(sheet.Says, fmt.Sprintf("%s, %s %s (%d).", plural(now.Alarms, "alarm was raised", "alarms were raised"), than(float64(now.Alarms), float64(before.Alarms)), s.Words(s.Before(p, zone), zone), before.Alarms))
	if n := len(now.Standing); n > 0 {
		sheet.Says = append(sheet.Says, plural(n, "alarm stands", "alarms stand")+" for more than a day.")
	}
	if n := len(now.Floods); n > 0 {
		sheet.Says = append(sheet.Says, plural(n, "time", "times")+" alarms came faster than anybody can read them.")
	}
	figures := Table{Title: "Figures", Columns: []string{"figure", "value", "should be at most", "source"}, Rows: [][]string{}}
	for _, f := range now.Figures {
		figures.Rows = append(figures.Rows, []string{f.Name, strings.TrimSpace(figure(f.Value) + " " + f.Unit), strings.TrimSpace(figure(f.Limit) + " " + f.Unit), f.Source})
	}
	sheet.Tables = append(sheet.Tables, figures)
	if len(now.Offenders) > 0 {
		t := Table{Title: "What raised most", Columns: []string{"guard", "alarms", "what would cure it"}, Rows: [][]string{}}
		for _, o := range now.Offenders {
			name := o.Guard
			if name == "" {
				name = o.Signal + " (" + o.Kind + ")"
			}
			t.Rows = append(t.Rows, []string{name, strconv.Itoa(o.Alarms), o.Cure})
			t.Bars = append(t.Bars, share(float64(o.Alarms), float64(now.Offenders[0].Alarms)))
		}
		sheet.Tables = append(sheet.Tables, t)
	}
	if len(now.People) > 0 {
		t := Table{Title: "Who was told", Columns: []string{"who", "of how many alarms"}, Rows: [][]string{}}
		for _, r := range now.People {
			t.Rows = append(t.Rows, []string{r.Address, strconv.Itoa(r.Alarms)})
		}
		sheet.Tables = append(sheet.Tables, t)
	}
	return sheet
}

// Heading is the first line of a sheet.
func (s *Sheet) Heading() string { return s.Title + ": " + s.Words }

// Text writes the sheet as plain text.
func (s *Sheet) Text() string {
	var b strings.Builder
	for _, says := range s.Says {
		b.WriteString(says + "\n")
	}
	for i := range s.Tables {
		b.WriteString("\n" + s.Tables[i].Title + "\n")
		writeTable(&b, &s.Tables[i])
	}
	fmt.Fprintf(&b, "\n%s, watched by Jaunty Lark\n", s.Site)
	return b.String()
}

func writeTable(b *strings.Builder, t *Table) {
	widths := make([]int, len(t.Columns))
	rows := append([][]string{t.Columns}, t.Rows...)
	for _, row := range rows {
		for i, cell := range row {
			widths[i] = max(widths[i], len([]rune(cell)))
		}
	}
	for _, row := range rows {
		line := " "
		for i, cell := range row {
			line += " " + cell + strings.Repeat(" ", widths[i]-len([]rune(cell))+1)
		}
		b.WriteString(strings.TrimRight(line, " ") + "\n")
	}
}

// CSV writes the sheet's tables below each other: a line with a table's title, its columns, its rows, an empty line.
func (s *Sheet) CSV() (string, error) {
	var b strings.Builder
	w := csv.NewWriter(&b)
	lines := [][]string{{s.Heading()}, {s.Period.From.String(), s.Period.Until.String()}, {}}
	for _, t := range s.Tables {
		lines = append(lines, []string{t.Title}, t.Columns)
		lines = append(lines, t.Rows...)
		lines = append(lines, []string{})
	}
	for _, line := range lines {
		for i, cell := range line { // a cell that a spreadsheet would take for a formula is text
			if cell != "" && strings.ContainsRune("=+-@\t\r", rune(cell[0])) {
				if _, err := strconv.ParseFloat(cell, 64); err != nil {
					line[i] = "'" + cell
				}
			}
		}
		if err := w.Write(line); err != nil {
			return "", err
		}
	}
	w.Flush()
	return b.String(), w.Error()
}

var page = template.Must(template.New("sheet").Funcs(template.FuncMap{
	"percent": func(share float64) int { return int(math.Round(100 * share)) },
	"has":     func(t Table, i int) bool { return i < len(t.Bars) },
}).Parse(`<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width">
<title>{{.Heading}}</title>
<style>
body { font: 16px/1.5 system-ui, sans-serif; color: #1f2a37; background: #fffdf8; margin: 0 auto; max-width: 760px; padding: 24px 16px; }
h1 { font-size: 26px; line-height: 1.2; margin: 0 0 4px; }
h2 { font-size: 17px; margin: 28px 0 8px; }
p { margin: 8px 0; }
.soft { color: #52606d; }
table { border-collapse: collapse; width: 100%; font-variant-numeric: tabular-nums; }
th, td { text-align: left; padding: 5px 12px 5px 0; border-bottom: 1px solid #dde2e7; vertical-align: top; }
th { font-weight: 400; color: #52606d; }
td.bar { width: 38%; }
.bar div { background: #1d5f8a; height: 12px; }
@media print { body { max-width: none; background: #fff; } }
</style>
</head>
<body>
<h1>{{.Title}}</h1>
<p class="soft">{{.Words}} · {{.Site}}</p>
{{range .Says}}<p>{{.}}</p>
{{end}}{{if .Picture}}<p><img src="{{.Picture}}" alt="The course of the run" style="max-width: 100%"></p>
{{end}}{{range $t := .Tables}}<h2>{{$t.Title}}</h2>
<table>
<tr>{{range $t.Columns}}<th scope="col">{{.}}</th>{{end}}{{if $t.Bars}}<th scope="col">beside the others</th>{{end}}</tr>
{{range $i, $row := $t.Rows}}<tr>{{range $row}}<td>{{.}}</td>{{end}}{{if has $t $i}}<td class="bar"><div style="width: {{percent (index $t.Bars $i)}}%"></div></td>{{end}}</tr>
{{end}}</table>
{{end}}<p class="soft">{{.Site}}, watched by Jaunty Lark</p>
</body>
</html>
`))

// HTML writes the sheet as a page of its own, which a mail can carry too.
func (s *Sheet) HTML() (string, error) {
	var b strings.Builder
	err := page.Execute(&b, s)
	return b.String(), err
}

// Message is the sheet as a notice says it.
func (s *Sheet) Message() roster.Message {
	return roster.Message{Short: s.Heading(), Long: s.Text()}
}

// Stretch gives the instants between which a sheet's alarms are looked at.
func (p Period) Stretch() (from, until measure.Instant) { return p.From, p.Until - 1 }
