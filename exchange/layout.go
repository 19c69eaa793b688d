package exchange

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// Layout says how a file is to be read. It is guessed, shown, and confirmed or changed by a person.
type Layout struct {
	Format  string   `json:"format" enum:"csv,senml,parquet"`
	Device  string   `json:"device,omitempty" required:"false" doc:"the device of signals that are named without one"`
	Comma   string   `json:"comma,omitempty" required:"false" doc:"what parts the columns of a CSV file"`
	Decimal string   `json:"decimal,omitempty" required:"false" doc:"what parts whole numbers from decimals in a CSV file"`
	Head    bool     `json:"head,omitempty" required:"false" doc:"the first line of a CSV file names its columns"`
	Times   string   `json:"times,omitempty" required:"false" doc:"how times are written in a CSV file" enum:"RFC 3339,YYYY-MM-DD,YYYY/MM/DD,DD/MM/YYYY,MM/DD/YYYY,DD.MM.YYYY,seconds,milliseconds"`
	Zone    string   `json:"zone,omitempty" required:"false" doc:"time zone of times without an offset; site: the site's"`
	Columns []Column `json:"columns" required:"false" nullable:"false" doc:"of a CSV file, from the left"`
}

// Column says what is in a column.
type Column struct {
	Name   string       `json:"name" doc:"as the file has it"`
	Holds  string       `json:"holds" enum:"time,values,signal,value,unit,text,quality,nothing" doc:"values: of the one signal that the column is about; signal and value: each line names its signal"`
	Signal string       `json:"signal,omitempty" required:"false" doc:"that values belong to, SIGNAL or DEVICE/SIGNAL"`
	Kind   string       `json:"kind,omitempty" required:"false" enum:"number,switch,text" doc:"of a signal that is new"`
	Unit   measure.Unit `json:"unit,omitempty" required:"false" doc:"of values; empty: the signal's own"`
}

// What a column can hold.
const (
	HoldsTime    = "time"
	HoldsValues  = "values"
	HoldsSignal  = "signal"
	HoldsValue   = "value"
	HoldsUnit    = "unit"
	HoldsText    = "text"
	HoldsQuality = "quality"
	HoldsNothing = "nothing"
)

var holdings = []string{HoldsTime, HoldsValues, HoldsSignal, HoldsValue, HoldsUnit, HoldsText, HoldsQuality,
	HoldsNothing}

// timeForms are the ways that times are written, with how the date is; the time of day comes after it.
var timeForms = []struct{ name, date string }{
	{"RFC 3339", ""}, {"YYYY-MM-DD", "2006-01-02"}, {"YYYY/MM/DD", "2006/01/02"}, {"DD/MM/YYYY", "02/01/2006"},
	{"MM/DD/YYYY", "01/02/2006"},
	{"DD.MM.YYYY", "02.01.2006"}, {"seconds", ""}, {"milliseconds", ""},
}

// Zoned tells whether the file's times are bare times of day, so that a zone has to be known.
func (l *Layout) Zoned() bool {
	return l.Format == CSV && l.Times != "RFC 3339" && l.Times != "seconds" && l.Times != "milliseconds"
}

// Check tells what is wrong with the layout: nil or a *measure.Fault.
func (l *Layout) Check() error {
	fault := func(field, format string, args ...any) error {
		return &measure.Fault{Field: field, Reason: fmt.Sprintf(format, args...)}
	}
	if l.Format == SenML || l.Format == Parquet {
		return nil
	}
	if l.Format != CSV {
		return fault("format", "%q cannot be read; files are csv, senml or parquet", l.Format)
	}
	if len(l.Comma) != 1 {
		return fault("comma", "%q is not one character", l.Comma)
	}
	if l.Decimal != "." && l.Decimal != "," || l.Decimal == l.Comma {
		return fault("decimal", "%q is not a point or a comma, or parts the columns", l.Decimal)
	}
	if l.form() < 0 {
		var names []string
		for _, f := range timeForms {
			names = append(names, f.name)
		}
		return fault("times", "%q is no way to write times; take one of %s", l.Times, strings.Join(names, ", "))
	}
	if _, err := time.LoadLocation(l.Zone); l.Zoned() && (err != nil || l.Zone == "" || l.Zone == "Local") {
		return fault("zone", "%q is not a time zone, and the times of the file have none; write it like Europe/Dublin",
			l.Zone)
	}
	return l.checkColumns(fault)
}

func (l *Layout) checkColumns(fault func(field, format string, args ...any) error) error {
	count := map[string]int{}
	for i, c := range l.Columns {
		if count[c.Holds]++; !slices.Contains(holdings, c.Holds) {
			return fault(fmt.Sprintf("columns[%d].holds", i), "%s", site.Unknown("content", c.Holds, holdings))
		}
		if c.Holds != HoldsValues {
			continue
		}
		if c.Signal == "" {
			return fault(fmt.Sprintf("columns[%d].signal", i), "column %q needs the signal that its values belong to",
				c.Name)
		}
		if !strings.Contains(c.Signal, "/") && l.Device == "" {
			return fault("device", "the file names no device; say which one it is of")
		}
		if c.Unit != "" && !c.Unit.Known() {
			return fault(fmt.Sprintf("columns[%d].unit", i), "%s", site.UnknownUnit(c.Unit))
		}
	}
	switch {
	case count[HoldsTime] == 0:
		return fault("columns", "no column holds the time")
	case count[HoldsTime] > 2:
		return fault("columns",
			"%d columns hold the time; there can be one, or one for the date and one for the time of day",
			count[HoldsTime])
	case count[HoldsValues] == 0 && (count[HoldsSignal] != 1 || count[HoldsValue] != 1):
		return fault("columns", "no column holds values, nor do two hold signal and value")
	case count[HoldsValues] > 0 && count[HoldsSignal]+count[HoldsValue] > 0:
		return fault("columns", "columns of values, and columns of signal and value, cannot be in one file")
	}
	return nil
}

func (l *Layout) form() int {
	for i, f := range timeForms {
		if f.name == l.Times {
			return i
		}
	}
	return -1
}

// Record is one reading of a file.
type Record struct {
	Line    int    // or number of the record, from 1
	Signal  string // DEVICE/SIGNAL
	Kind    string // of a signal that is new
	Unit    measure.Unit
	Reading measure.Reading
	Text    string // of text and data
}

// Refused is what is wrong with a line or record.
type Refused struct {
	Line   int    `json:"line" doc:"or number of the record, from 1"`
	Field  string `json:"field"`
	Reason string `json:"reason"`
}
