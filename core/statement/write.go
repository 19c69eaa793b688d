package statement

import (
	"encoding/csv"
	"fmt"
	"html/template"
	"math"
	"strconv"
	"strings"

	"jauntylark/core/measure"
)

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
// Numbers stand alone, and their units in a column of their own behind them.
func (s *Sheet) CSV() (string, error) {
	var b strings.Builder
	w := csv.NewWriter(&b)
	lines := [][]string{{s.Heading()}, {s.Period.From.String(), s.Period.Until.String()}, {}}
	for i := range s.Tables {
		t := &s.Tables[i]
		lines = append(lines, []string{t.Title})
		lines = append(lines, t.plainRows()...)
		lines = append(lines, []string{})
	}
	for _, line := range lines {
		for i, cell := range line { // a cell that a spreadsheet would take for a formula is text
			if _, err := strconv.ParseFloat(cell, 64); err != nil {
				line[i] = measure.Cell(cell)
			}
		}
		if err := w.Write(line); err != nil {
			return "", err
		}
	}
	w.Flush()
	return b.String(), w.Error()
}

// plainRows gives the columns and rows for programs, with a column of units behind each that has any.
func (t *Table) plainRows() [][]string {
	if len(t.Plain) == 0 {
		return append([][]string{t.Columns}, t.Rows...)
	}
	units := make([]bool, len(t.Columns))
	several := 0
	for _, row := range t.Plain {
		for i, c := range row {
			if c.Unit != "" && !units[i] {
				units[i] = true
				several++
			}
		}
	}
	var head []string
	for i, column := range t.Columns {
		if head = append(head, column); units[i] && several == 1 {
			head = append(head, "unit")
		} else if units[i] {
			head = append(head, column+" unit")
		}
	}
	rows := [][]string{head}
	for _, row := range t.Plain {
		var line []string
		for i, c := range row {
			if line = append(line, strings.TrimPrefix(c.Value, "–")); units[i] {
				line = append(line, c.Unit)
			}
		}
		rows = append(rows, line)
	}
	return rows
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
