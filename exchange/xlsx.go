package exchange

import (
	"errors"
	"fmt"
	"io"
	"time"

	"github.com/xuri/excelize/v2"

	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/site"
)

// sheetRows is how many rows a sheet can have, its head included; more go on in another sheet.
const sheetRows = 1_048_576

// sheetWriter writes one sheet a device: a row an instant or period, a column a signal, real dates in the
// zone. It writes to temporary files until it is closed.
type sheetWriter struct {
	to      io.Writer
	zone    *time.Location
	period  bool
	file    *excelize.File
	out     *excelize.StreamWriter
	device  string
	signals []site.Signal
	names   map[string]bool
	part    int
	row     int
	date    int
	cells   []any
	failed  error
}

func newSheetWriter(to io.Writer, o Options) *sheetWriter {
	w := &sheetWriter{to: to, zone: o.Zone, period: o.Period != 0, file: excelize.NewFile(), names: map[string]bool{}}
	format := "yyyy-mm-dd hh:mm:ss"
	if !w.period {
		format += ".000"
	}
	w.date, w.failed = w.file.NewStyle(&excelize.Style{CustomNumFmt: &format})
	return w
}

func (w *sheetWriter) Device(name string, signals []site.Signal) error {
	w.device, w.signals, w.part = name, signals, 0
	return w.nextSheet()
}

// nextSheet ends the sheet that is open and begins another of the device.
func (w *sheetWriter) nextSheet() error {
	if err := errors.Join(w.failed, w.endSheet()); err != nil {
		return err
	}
	w.part++
	name := sheetName(w.device, w.part, w.names)
	first := len(w.names) == 0
	w.names[name] = true
	var err error
	if first {
		err = w.file.SetSheetName("Sheet1", name)
	} else {
		_, err = w.file.NewSheet(name)
	}
	if err != nil {
		return err
	}
	if w.out, err = w.file.NewStreamWriter(name); err != nil {
		return err
	}
	times := 1
	if w.period {
		times = 2
	}
	if err := w.out.SetColWidth(1, times, 24); err != nil {
		return err
	}
	w.row = 1
	return w.write(w.head())
}

// sheetName fits a device's name into the 31 characters that a sheet's name can have.
func sheetName(device string, part int, taken map[string]bool) string {
	end := ""
	if part > 1 {
		end = fmt.Sprintf(" (%d)", part)
	}
	for n := 2; ; n++ {
		name := device[:min(len(device), 31-len(end))] + end
		if !taken[name] {
			return name
		}
		end = fmt.Sprintf("~%d", n)
	}
}

func (w *sheetWriter) head() []any {
	head := []any{"time (" + w.zone.String() + ")"}
	if w.period {
		head = append(head, "until")
	}
	for i := range w.signals {
		s := &w.signals[i]
		name := s.Name
		if s.Unit != "" {
			name += " (" + s.Unit.Shown() + ")"
		}
		if !w.period {
			head = append(head, name)
			continue
		}
		for _, figure := range []string{"low", "mean", "time-weighted mean", "high"} {
			head = append(head, name+" "+figure)
		}
	}
	return head
}

func (w *sheetWriter) write(cells []any) error {
	cell, err := excelize.CoordinatesToCellName(1, w.row)
	if err != nil {
		return err
	}
	w.row++
	return w.out.SetRow(cell, cells)
}

// begin begins a row with its time, as the zone's clock shows it.
func (w *sheetWriter) begin(at measure.Instant) error {
	if w.row > sheetRows {
		if err := w.nextSheet(); err != nil {
			return err
		}
	}
	w.cells = append(w.cells[:0], w.time(at))
	return nil
}

// time is a cell with a time: days since 30 December 1899, as a number, since the file has no zones.
func (w *sheetWriter) time(at measure.Instant) excelize.Cell {
	_, offset := at.Time().In(w.zone).Zone()
	return excelize.Cell{StyleID: w.date, Value: float64(int64(at)+int64(offset)*1000)/86_400_000 + 25569}
}

func (w *sheetWriter) Readings(at measure.Instant, row []*measure.Reading) error {
	if err := w.begin(at); err != nil {
		return err
	}
	for i, r := range row {
		switch {
		case r == nil:
			w.cells = append(w.cells, nil)
		case w.signals[i].Kind == site.KindSwitch:
			w.cells = append(w.cells, r.Value != 0)
		case w.signals[i].Kind == site.KindText || w.signals[i].Kind == site.KindData:
			w.cells = append(w.cells, r.Text)
		default:
			w.cells = append(w.cells, r.Value)
		}
	}
	return w.write(w.cells)
}

func (w *sheetWriter) Figures(row series.Row) error {
	if err := w.begin(row.At); err != nil {
		return err
	}
	w.cells = append(w.cells, w.time(row.Until))
	for _, f := range row.Figures {
		if f == nil {
			w.cells = append(w.cells, nil, nil, nil, nil)
			continue
		}
		mean, held := f.Means()
		for _, v := range []*float64{when(f, f.Low), mean, held, when(f, f.High)} {
			if v == nil {
				w.cells = append(w.cells, nil)
			} else {
				w.cells = append(w.cells, *v)
			}
		}
	}
	return w.write(w.cells)
}

func (w *sheetWriter) endSheet() error {
	if w.out == nil {
		return nil
	}
	return w.out.Flush()
}

func (w *sheetWriter) Close() error {
	if err := errors.Join(w.failed, w.endSheet()); err != nil {
		return err
	}
	_, err := w.file.WriteTo(w.to)
	return errors.Join(err, w.file.Close())
}
