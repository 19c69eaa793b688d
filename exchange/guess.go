package exchange

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// Guess gives what a file that begins with start and has a name seems to be, and the first lines of a CSV
// file. signals are those that there are: columns that name one are taken for it.
func Guess(start []byte, name, device string, signals []site.Signal) (Layout, [][]string, error) {
	l := Layout{Device: device}
	trimmed := bytes.TrimLeft(bytes.TrimPrefix(start, []byte("\ufeff")), " \t\r\n")
	switch {
	case bytes.HasPrefix(start, []byte("PAR1")):
		l.Format = Parquet
		return l, nil, nil
	case bytes.HasPrefix(trimmed, []byte("[")):
		l.Format = SenML
		return l, nil, nil
	case bytes.HasPrefix(start, []byte("PK")):
		return l, nil, &measure.Fault{Field: "file",
			Reason: fmt.Sprintf("%q is a spreadsheet or an archive; save the sheet as CSV", name)}
	case len(trimmed) == 0 || bytes.IndexByte(start, 0) >= 0:
		return l, nil, &measure.Fault{Field: "file",
			Reason: fmt.Sprintf("%q is empty or no text; files are CSV, SenML (JSON) or Parquet", name)}
	}
	l.Format = CSV
	rows := firstRows(trimmed, &l)
	if len(rows) == 0 || len(rows[0]) < 2 {
		return l, rows, &measure.Fault{Field: "file",
			Reason: fmt.Sprintf("%q has no columns parted by a comma, semicolon, tab or bar", name)}
	}
	l.guessColumns(rows, signals)
	return l, rows, nil
}

// firstRows finds what parts the columns, and gives the first lines.
func firstRows(start []byte, l *Layout) (best [][]string) {
	if cut := bytes.LastIndexByte(start, '\n'); cut > 0 {
		start = start[:cut+1]
	}
	for _, comma := range ",;\t|" {
		in := csv.NewReader(bytes.NewReader(start))
		in.Comma, in.FieldsPerRecord, in.LazyQuotes = comma, -1, true
		var rows [][]string
		for len(rows) < 50 {
			row, err := in.Read()
			if err == io.EOF || err != nil {
				break
			}
			rows = append(rows, row)
		}
		if len(rows) > 0 && (best == nil || even(rows) > even(best)) {
			best, l.Comma = rows, string(comma)
		}
	}
	return best
}

// even is how many columns the rows have, less where they differ.
func even(rows [][]string) float64 {
	same := 0
	for _, r := range rows {
		if len(r) == len(rows[0]) {
			same++
		}
	}
	return float64(len(rows[0])*same) / float64(len(rows))
}

func (l *Layout) guessColumns(rows [][]string, signals []site.Signal) {
	width := len(rows[0])
	body := rows
	l.Decimal = "."
	if l.Head = !l.looksLikeData(rows[0]); l.Head {
		body = rows[1:]
	}
	cells := func(i int) (column []string) {
		for _, r := range body {
			if i < len(r) && strings.TrimSpace(r[i]) != "" {
				column = append(column, strings.TrimSpace(r[i]))
			}
		}
		return column
	}
	if l.Comma != "," {
		for i := range width {
			if c := cells(i); len(c) > 0 && most(c, func(s string) bool {
				return strings.Count(s, ",") == 1 && isNumber(s, ",")
			}) {
				l.Decimal = ","
			}
		}
	}
	l.Columns = make([]Column, width)
	for i := range l.Columns {
		c := &l.Columns[i]
		if c.Name = fmt.Sprintf("column %d", i+1); l.Head {
			c.Name = strings.TrimSpace(rows[0][i])
		}
		c.Holds = HoldsNothing
	}
	l.guessTime(cells)
	if l.long() {
		return
	}
	for i := range l.Columns {
		if c := &l.Columns[i]; c.Holds == HoldsNothing {
			l.guessValues(c, cells(i), signals)
		}
	}
}

// looksLikeData tells whether a first line has a time or only numbers.
func (l *Layout) looksLikeData(row []string) bool {
	numbers := 0
	for _, cell := range row {
		cell = strings.TrimSpace(cell)
		if formOf([]string{cell}) >= 0 {
			return true
		}
		if cell == "" || isNumber(cell, ".") || isNumber(cell, ",") {
			numbers++
		}
	}
	return numbers == len(row)
}

// guessTime finds the column, or the two, that hold the time.
func (l *Layout) guessTime(cells func(int) []string) {
	for i := range l.Columns {
		column := cells(i)
		form := formOf(column)
		if form < 0 {
			continue
		}
		l.Times, l.Columns[i].Holds = timeForms[form].name, HoldsTime
		bare := timeForms[form].date != "" && all(column, func(s string) bool { return len(s) <= len("2006-01-02") })
		if next := i + 1; bare && next < len(l.Columns) && all(cells(next), isTimeOfDay) && len(cells(next)) > 0 {
			l.Columns[next].Holds = HoldsTime
		}
		return
	}
}

// formOf gives the form that most cells are times in, four of five at least; -1 when there is none. Of day
// and month in doubt, the day comes first.
func formOf(cells []string) int {
	best, form := 0, -1
	for i, f := range timeForms {
		l, n := Layout{Format: CSV, Times: f.name}, 0
		for _, s := range cells {
			if _, err := l.instant(s, time.UTC); err == nil {
				n++
			}
		}
		if n > best && 5*n >= 4*len(cells) {
			best, form = n, i
		}
	}
	return form
}

func isTimeOfDay(s string) bool {
	_, err := time.Parse("15:04:05", s)
	if err != nil {
		_, err = time.Parse("15:04", s)
	}
	return err == nil
}

// long tells whether each line names its signal, as our own files have it, and marks the columns.
func (l *Layout) long() bool {
	place := map[string]int{}
	for i, c := range l.Columns {
		place[strings.ToLower(c.Name)] = i
	}
	signal, named := place[HoldsSignal]
	value, valued := place[HoldsValue]
	if !l.Head || !named || !valued {
		return false
	}
	l.Columns[signal].Holds, l.Columns[value].Holds = HoldsSignal, HoldsValue
	for _, other := range []string{HoldsUnit, HoldsText, HoldsQuality} {
		if i, there := place[other]; there {
			l.Columns[i].Holds = other
		}
	}
	return true
}

// guessValues finds what signal a column of values is about: "Air temp (°C)" is air-temp in Cel.
func (l *Layout) guessValues(c *Column, cells []string, signals []site.Signal) {
	c.Kind = site.KindNumber
	switch {
	case len(cells) == 0:
		return
	case all(cells, func(s string) bool { _, ok := onOff(s); return ok }) &&
		!all(cells, func(s string) bool { return isNumber(s, l.Decimal) }):
		c.Kind = site.KindSwitch
	case !most(cells, func(s string) bool { return isNumber(s, l.Decimal) }):
		return
	}
	c.Holds = HoldsValues
	name := c.Name
	if open := strings.LastIndexAny(name, "([{"); open > 0 {
		inside := strings.Trim(name[open:], "()[]{} ")
		if unit := measure.UnitMeant(inside); unit != "" {
			c.Unit, name = unit, name[:open]
		}
	}
	c.Signal = site.NameFrom(name)
	for i := range signals {
		s := &signals[i]
		if s.Device == l.Device && (s.Name == c.Signal || strings.EqualFold(s.Title, strings.TrimSpace(name))) ||
			s.Path() == strings.TrimSpace(name) {
			if c.Signal = s.Name; s.Device != l.Device {
				c.Signal = s.Path()
			}
		}
	}
}

// most tells whether something holds for four of five: a logger writes a word now and then.
func most(cells []string, is func(string) bool) bool {
	n := 0
	for _, s := range cells {
		if is(s) {
			n++
		}
	}
	return 5*n >= 4*len(cells)
}

func all(cells []string, is func(string) bool) bool {
	for _, s := range cells {
		if !is(s) {
			return false
		}
	}
	return true
}

func isNumber(s, decimal string) bool { _, err := parseNumber(s, decimal); return err == nil }

func parseNumber(s, decimal string) (float64, error) {
	if decimal == "," {
		if strings.Contains(s, ".") {
			return 0, strconv.ErrSyntax
		}
		s = strings.Replace(s, ",", ".", 1)
	}
	v, err := strconv.ParseFloat(s, 64)
	if err == nil && (math.IsNaN(v) || math.IsInf(v, 0)) {
		err = strconv.ErrRange
	}
	return v, err
}

// onOff reads the words that people write for on and off.
func onOff(s string) (float64, bool) {
	switch strings.ToLower(s) {
	case "true", "on", "yes", "open", "1":
		return 1, true
	case "false", "off", "no", "closed", "0":
		return 0, true
	}
	return 0, false
}
