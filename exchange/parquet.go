package exchange

import (
	"io"

	"github.com/parquet-go/parquet-go"

	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/site"
)

// readingRow is one reading in a Parquet file.
type readingRow struct {
	At      int64    `parquet:"at,timestamp(millisecond),delta"`
	Device  string   `parquet:"device,dict"`
	Signal  string   `parquet:"signal,dict"`
	Kind    string   `parquet:"kind,dict"`
	Value   *float64 `parquet:"value,optional"`
	Text    *string  `parquet:"text,optional,dict"`
	Unit    string   `parquet:"unit,dict"`
	Quality string   `parquet:"quality,dict"`
}

// figureRow is one period of one signal in a Parquet file.
type figureRow struct {
	At          int64    `parquet:"at,timestamp(millisecond),delta"`
	Device      string   `parquet:"device,dict"`
	Signal      string   `parquet:"signal,dict"`
	Unit        string   `parquet:"unit,dict"`
	Count       int64    `parquet:"count"`
	LeftOut     int64    `parquet:"left_out"`
	Low         *float64 `parquet:"low,optional"`
	High        *float64 `parquet:"high,optional"`
	Mean        *float64 `parquet:"mean,optional"`
	HeldMean    *float64 `parquet:"held_mean,optional"`
	First       *float64 `parquet:"first,optional"`
	Last        *float64 `parquet:"last,optional"`
	HeldSeconds float64  `parquet:"held_seconds"`
	Until       int64    `parquet:"until,timestamp(millisecond),delta"`
	Cut         bool     `parquet:"cut"`
}

// parquetRows is how many rows make a group, which is held in memory.
const parquetRows = 200_000

type parquetWriter struct {
	readings *parquet.GenericWriter[readingRow]
	figures  *parquet.GenericWriter[figureRow]
	device   string
	signals  []site.Signal
	room     []readingRow
}

func newParquetWriter(to io.Writer, o Options) *parquetWriter {
	options := []parquet.WriterOption{parquet.Compression(&parquet.Zstd), parquet.CreatedBy("jaunty", "1", ""),
		parquet.MaxRowsPerRowGroup(parquetRows)}
	if o.Period != 0 {
		return &parquetWriter{figures: parquet.NewGenericWriter[figureRow](to, options...)}
	}
	return &parquetWriter{readings: parquet.NewGenericWriter[readingRow](to, options...)}
}

func (w *parquetWriter) Device(name string, signals []site.Signal) error {
	w.device, w.signals = name, signals
	return nil
}

func (w *parquetWriter) Readings(at measure.Instant, row []*measure.Reading) error {
	for i, r := range row {
		if r == nil {
			continue
		}
		s := &w.signals[i]
		out := readingRow{At: int64(at), Device: w.device, Signal: s.Name, Kind: s.Kind, Unit: string(s.Unit)}
		if r.Quality != 0 {
			out.Quality = r.Quality.String()
		}
		if s.Kind == site.KindText || s.Kind == site.KindData {
			text := r.Text
			out.Text = &text
		} else {
			value := r.Value
			out.Value = &value
		}
		if w.room = append(w.room, out); len(w.room) >= 1000 {
			if err := w.flush(); err != nil {
				return err
			}
		}
	}
	return nil
}

func (w *parquetWriter) flush() error {
	_, err := w.readings.Write(w.room)
	w.room = w.room[:0]
	return err
}

func (w *parquetWriter) Figures(row series.Row) error {
	for i, f := range row.Figures {
		if f == nil {
			continue
		}
		out := figureRow{At: int64(row.At), Until: int64(row.Until), Cut: row.Cut, Device: w.device,
			Signal: w.signals[i].Name, Unit: string(w.signals[i].Unit), Count: int64(f.Count), LeftOut: int64(f.LeftOut),
			Low: when(f, f.Low), High: when(f, f.High), First: when(f, f.First), Last: when(f, f.Last),
			HeldSeconds: float64(f.HeldFor) / 1000}
		out.Mean, out.HeldMean = f.Means()
		if _, err := w.figures.Write([]figureRow{out}); err != nil {
			return err
		}
	}
	return nil
}

func (w *parquetWriter) Close() error {
	if w.figures != nil {
		return w.figures.Close()
	}
	if err := w.flush(); err != nil {
		return err
	}
	return w.readings.Close()
}
