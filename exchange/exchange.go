// Package exchange writes readings to files that other programs read, and reads such files.
package exchange

import (
	"fmt"
	"io"
	"strings"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/site"
)

// The formats.
const (
	CSV     = "csv"     // RFC 4180
	XLSX    = "xlsx"    // ISO/IEC 29500, one sheet a device; texts are cells of text, which are never formulas
	SenML   = "senml"   // RFC 8428 in JSON, one pack
	Parquet = "parquet" // Apache Parquet
)

// Formats lists them.
var Formats = []string{CSV, XLSX, SenML, Parquet}

// Types are the media types of the formats.
var Types = map[string]string{CSV: "text/csv; charset=utf-8",
	XLSX:  "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
	SenML: "application/senml+json", Parquet: "application/vnd.apache.parquet"}

// Suffixes are how the names of files end.
var Suffixes = map[string]string{CSV: ".csv", XLSX: ".xlsx", SenML: ".senml.json", Parquet: ".parquet"}

// Options say what a file holds and how.
type Options struct {
	Zone   *time.Location // of the times; nil: UTC. SenML and Parquet have instants, not times of day
	Bare   bool           // signals without their devices, as a device itself names them; CSV and SenML
	Period series.Period  // figures of periods of this length; 0: readings
}

// Writer writes a file, device by device, each in order of time. The same calls give the same bytes.
type Writer interface {
	// Device begins the rows of a device. A row has as many places as the device has signals.
	Device(name string, signals []site.Signal) error
	// Readings writes those of one instant; nil where a signal has none.
	Readings(at measure.Instant, row []*measure.Reading) error
	// Figures writes those of one period, or of a part of one.
	Figures(row series.Row) error
	// Close ends the file, not what it is written to.
	Close() error
}

// NewWriter makes a writer of a format.
func NewWriter(format string, to io.Writer, o Options) (Writer, error) {
	if o.Zone == nil {
		o.Zone = time.UTC
	}
	switch format {
	case CSV:
		return newCSVWriter(to, o), nil
	case XLSX:
		return newSheetWriter(to, o), nil
	case Parquet:
		return newParquetWriter(to, o), nil
	case SenML:
		if o.Period != 0 {
			return nil, &measure.Fault{Field: "every",
				Reason: "SenML has readings, not figures by period; take csv, xlsx or parquet"}
		}
		return &senmlWriter{to: to, bare: o.Bare}, nil
	}
	return nil, &measure.Fault{Field: "format", Reason: fmt.Sprintf("%q is none; formats are %s", format,
		strings.Join(Formats, ", "))}
}
