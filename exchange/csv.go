package exchange

import (
	"encoding/csv"
	"io"
	"strconv"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/site"
)

// iso is ISO 8601 with milliseconds and the offset of the zone.
const iso = "2006-01-02T15:04:05.000Z07:00"

// csvWriter writes one line a reading, in the form that intake reads, or one line a signal and period.
type csvWriter struct {
	out     *csv.Writer
	zone    *time.Location
	period  bool
	begun   bool
	bare    bool
	names   []string
	signals []site.Signal
	line    []string
}

var (
	readingColumns = []string{"at", "signal", "value", "unit", "text", "quality"}
	figureColumns  = []string{"at", "signal", "count", "left_out", "low", "high", "mean", "held_mean", "first", "last",
		"unit", "until", "cut"}
)

func newCSVWriter(to io.Writer, o Options) *csvWriter {
	return &csvWriter{out: csv.NewWriter(to), zone: o.Zone, period: o.Period != 0, bare: o.Bare}
}

func (w *csvWriter) begin() error {
	if w.begun {
		return nil
	}
	w.begun = true
	if w.period {
		return w.out.Write(figureColumns)
	}
	return w.out.Write(readingColumns)
}

func (w *csvWriter) Device(name string, signals []site.Signal) error {
	w.names, w.signals = names(name, signals, w.bare), signals
	return w.begin()
}

func (w *csvWriter) Readings(at measure.Instant, row []*measure.Reading) error {
	time := at.Time().In(w.zone).Format(iso)
	for i, r := range row {
		if r == nil {
			continue
		}
		s, quality, value := &w.signals[i], "", number(r.Value)
		if r.Quality != 0 {
			quality = r.Quality.String()
		}
		switch s.Kind {
		case site.KindSwitch:
			value = strconv.FormatBool(r.Value != 0)
		case site.KindText, site.KindData:
			value = ""
		}
		w.line = append(w.line[:0], time, w.names[i], value, string(s.Unit), measure.Cell(r.Text), quality)
		if err := w.out.Write(w.line); err != nil {
			return err
		}
	}
	return nil
}

func (w *csvWriter) Figures(row series.Row) error {
	at, until := row.At.Time().In(w.zone).Format(iso), row.Until.Time().In(w.zone).Format(iso)
	for i, f := range row.Figures {
		if f == nil {
			continue
		}
		w.line = append(w.line[:0], at, w.names[i], strconv.Itoa(f.Count), strconv.Itoa(f.LeftOut))
		mean, held := f.Means()
		for _, v := range []*float64{when(f, f.Low), when(f, f.High), mean, held, when(f, f.First), when(f, f.Last)} {
			if v == nil {
				w.line = append(w.line, "")
			} else {
				w.line = append(w.line, number(*v))
			}
		}
		if err := w.out.Write(append(w.line, string(w.signals[i].Unit), until, strconv.FormatBool(row.Cut))); err != nil {
			return err
		}
	}
	return nil
}

// when gives a figure of a period that has a reading; nil for others.
func when(f *series.Figures, v float64) *float64 {
	if f.Count == 0 {
		return nil
	}
	return &v
}

func number(v float64) string { return strconv.FormatFloat(v, 'g', -1, 64) }

func (w *csvWriter) Close() error {
	if err := w.begin(); err != nil {
		return err
	}
	w.out.Flush()
	return w.out.Error()
}

// names gives how a file names the signals of a device.
func names(device string, signals []site.Signal, bare bool) []string {
	out := make([]string, len(signals))
	for i := range signals {
		if out[i] = signals[i].Name; !bare {
			out[i] = device + "/" + out[i]
		}
	}
	return out
}
