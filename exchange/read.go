package exchange

import (
	"bufio"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/core/wall"
)

// File is what can be read: Parquet has its index at the end.
type File interface {
	io.Reader
	io.ReaderAt
	io.Seeker
}

// Read reads a file by its layout and calls take with each reading, refuse with each line that is wrong. What
// either fails with ends the reading.
func Read(f File, size int64, l *Layout, take func(Record) error, refuse func(Refused) error) error {
	if err := l.Check(); err != nil {
		return err
	}
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return err
	}
	switch l.Format {
	case SenML:
		return readSenML(bufio.NewReaderSize(f, 1<<20), l.Device, take, refuse)
	case Parquet:
		return readParquet(f, size, take, refuse)
	}
	return readCSV(f, l, take, refuse)
}

func readCSV(f io.Reader, l *Layout, take func(Record) error, refuse func(Refused) error) error {
	zone := time.UTC
	if l.Zoned() {
		var err error
		if zone, err = time.LoadLocation(l.Zone); err != nil {
			return err
		}
	}
	buffered := bufio.NewReaderSize(f, 1<<20)
	if mark, err := buffered.Peek(3); err == nil && string(mark) == "\ufeff" {
		_, _ = buffered.Discard(3)
	}
	in := csv.NewReader(buffered)
	in.Comma, in.FieldsPerRecord, in.ReuseRecord, in.LazyQuotes = rune(l.Comma[0]), -1, true, true
	lines := csvLines{layout: l, zone: zone, take: take, refuse: refuse}
	for first := true; ; first = false {
		row, err := in.Read()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return &measure.Fault{Field: "file", Reason: err.Error()}
		}
		if first && l.Head {
			continue
		}
		line, _ := in.FieldPos(0)
		if err := lines.read(line, row); err != nil {
			return err
		}
	}
}

// csvLines reads the lines of a CSV file.
type csvLines struct {
	layout *Layout
	zone   *time.Location
	take   func(Record) error
	refuse func(Refused) error
}

func (c *csvLines) read(line int, row []string) error {
	if len(row) == 1 && strings.TrimSpace(row[0]) == "" {
		return nil
	}
	if len(row) != len(c.layout.Columns) {
		return c.refuse(Refused{line, "", fmt.Sprintf("has %d fields; there are %d columns", len(row),
			len(c.layout.Columns))})
	}
	when, long := "", Record{Line: line, Kind: site.KindNumber}
	value, quality := "", ""
	for i, column := range c.layout.Columns {
		cell := strings.TrimSpace(row[i])
		switch column.Holds {
		case HoldsTime:
			when = strings.TrimSpace(when + " " + cell)
		case HoldsSignal:
			long.Signal = c.layout.path(cell)
		case HoldsValue:
			value = cell
		case HoldsUnit:
			long.Unit = measure.Unit(strings.Clone(cell))
		case HoldsText:
			long.Text = strings.Clone(measure.FromCell(row[i]))
		case HoldsQuality:
			quality = cell
		}
	}
	at, err := c.layout.instant(when, c.zone)
	if err != nil {
		return c.refuse(Refused{line, "time", err.Error()})
	}
	if long.Signal == "" {
		return c.wide(line, row, at)
	}
	long.Reading.At = at
	if long.Reading.Quality, err = measure.ParseQuality(quality); err != nil {
		return c.refuse(Refused{line, "quality", err.Error()})
	}
	if fault := c.layout.value(&long, value, long.Text != "" || value == ""); fault != "" {
		return c.refuse(Refused{line, "value", fault})
	}
	return c.take(long)
}

// wide takes each column's value. An empty cell is no reading.
func (c *csvLines) wide(line int, row []string, at measure.Instant) error {
	for i, column := range c.layout.Columns {
		cell := strings.TrimSpace(row[i])
		if column.Holds != HoldsValues || cell == "" {
			continue
		}
		r := Record{Line: line, Signal: c.layout.path(column.Signal), Kind: column.Kind, Unit: column.Unit,
			Reading: measure.Reading{At: at}}
		if column.Kind == site.KindText {
			r.Text = strings.Clone(measure.FromCell(cell))
		}
		if fault := c.layout.value(&r, cell, column.Kind == site.KindText); fault != "" {
			if err := c.refuse(Refused{line, column.Name, fault}); err != nil {
				return err
			}
			continue
		}
		if err := c.take(r); err != nil {
			return err
		}
	}
	return nil
}

// path gives DEVICE/SIGNAL.
func (l *Layout) path(signal string) string {
	if strings.Contains(signal, "/") || l.Device == "" {
		return strings.Clone(signal)
	}
	return l.Device + "/" + signal
}

// value reads a cell into a record, and tells what is wrong with it.
func (l *Layout) value(r *Record, cell string, worded bool) string {
	if worded {
		r.Kind = site.KindText
		return ""
	}
	if v, err := parseNumber(cell, l.Decimal); err == nil {
		r.Reading.Value = v
		return ""
	}
	v, ok := onOff(cell)
	if !ok {
		return fmt.Sprintf("%.40q is no number, nor on or off", cell)
	}
	r.Reading.Value, r.Kind = v, site.KindSwitch
	return ""
}

// instant reads a time in the layout's form.
func (l *Layout) instant(text string, zone *time.Location) (measure.Instant, error) {
	form := timeForms[max(0, l.form())]
	bad := fmt.Errorf("%.40q is not a time in the form %s", text, form.name)
	var at measure.Instant
	switch {
	case form.name == "RFC 3339":
		if err := at.UnmarshalText([]byte(text)); err != nil {
			return 0, bad
		}
	case form.date == "":
		v, err := strconv.ParseFloat(text, 64)
		if form.name == "seconds" {
			v *= 1000
		}
		if err != nil || v < 1e11 || v > 1e14 { // from 1973 on; smaller numbers are something else
			return 0, bad
		}
		at = measure.Instant(v + 0.5)
	default:
		text = strings.Replace(text, "T", " ", 1)
		layout := form.date + " 15:04:05"
		switch strings.Count(text, ":") {
		case 0:
			layout = form.date
		case 1:
			layout = form.date + " 15:04"
		}
		var err error
		if at, err = wall.Read(layout, text, zone); err != nil {
			return 0, bad
		}
	}
	if at <= 0 {
		return 0, fmt.Errorf("%.40q is no time after 1970", text)
	}
	return at, nil
}
