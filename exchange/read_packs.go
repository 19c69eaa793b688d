package exchange

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"
	"time"

	"github.com/parquet-go/parquet-go"
	"github.com/parquet-go/parquet-go/format"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/senml"
)

// recordsAtOnce is how many records of a SenML pack are resolved together.
const recordsAtOnce = 10_000

// bases are the labels whose values hold on from their record.
var bases = []string{"bn", "bt", "bu", "bv", "bs", "bver"}

// readSenML reads a pack of any length, some thousand records at a time.
func readSenML(from io.Reader, device string, take func(Record) error, refuse func(Refused) error) error {
	in := json.NewDecoder(from)
	if open, err := in.Token(); err != nil || open != json.Delim('[') {
		return &measure.Fault{Field: "file", Reason: "is no SenML pack, which is a JSON array"}
	}
	base := map[string]json.RawMessage{}
	for number := 0; in.More(); {
		var part []json.RawMessage
		for len(part) < recordsAtOnce && in.More() {
			var raw json.RawMessage
			if err := in.Decode(&raw); err != nil {
				return &measure.Fault{Field: "file", Reason: fmt.Sprintf("record %d: %v", number+len(part)+1, err)}
			}
			part = append(part, raw)
		}
		if err := resolvePart(part, base, number, device, take, refuse); err != nil {
			return err
		}
		number += len(part)
	}
	return nil
}

// resolvePart resolves records with the base values of those before them.
func resolvePart(part []json.RawMessage, base map[string]json.RawMessage, number int, device string,
	take func(Record) error, refuse func(Refused) error) error {
	var first map[string]json.RawMessage
	if json.Unmarshal(part[0], &first) == nil && len(base) > 0 {
		for label, value := range base {
			if _, own := first[label]; !own {
				first[label] = value
			}
		}
		part[0], _ = json.Marshal(first)
	}
	for _, raw := range part {
		if !strings.Contains(string(raw), `"b`) {
			continue
		}
		var fields map[string]json.RawMessage
		if json.Unmarshal(raw, &fields) == nil {
			for _, label := range bases {
				if v, there := fields[label]; there {
					base[label] = v
				}
			}
		}
	}
	pack, err := json.Marshal(part)
	if err != nil {
		return err
	}
	samples, refused, err := senml.DecodeJSON(pack, measure.InstantOf(time.Now()))
	if err != nil {
		return &measure.Fault{Field: "file", Reason: err.Error()}
	}
	for _, r := range refused {
		if err := refuse(Refused{number + r.Index + 1, r.Field, r.Reason}); err != nil {
			return err
		}
	}
	for _, s := range samples {
		r := Record{Line: number + s.Index + 1, Signal: s.Name, Unit: s.Unit,
			Reading: measure.Reading{At: s.At, Value: s.Value}, Text: s.Text, Kind: site.KindNumber}
		switch {
		case s.At == 0:
			if err := refuse(Refused{r.Line, "t", "has no time"}); err != nil {
				return err
			}
			continue
		case s.Form == measure.FormBool:
			r.Kind = site.KindSwitch
		case s.Form == measure.FormText:
			r.Kind = site.KindText
		case s.Form == measure.FormData:
			r.Kind = site.KindData
		}
		if !strings.Contains(r.Signal, "/") && device != "" {
			r.Signal = device + "/" + r.Signal
		}
		if err := take(r); err != nil {
			return err
		}
	}
	return nil
}

// readParquet reads a file with the columns that we write; those besides at, device, signal and value may
// be missing.
func readParquet(f io.ReaderAt, size int64, take func(Record) error, refuse func(Refused) error) (err error) {
	defer func() { // the library panics on some broken files
		if r := recover(); r != nil {
			err = &measure.Fault{Field: "file", Reason: fmt.Sprintf("is a broken Parquet file: %v", r)}
		}
	}()
	file, err := parquet.OpenFile(f, size)
	if err != nil {
		return &measure.Fault{Field: "file", Reason: err.Error()}
	}
	scale := int64(0)
	for _, needed := range []string{"at", "device", "signal", "value"} {
		column, there := file.Schema().Lookup(needed)
		if !there {
			return &measure.Fault{Field: "file",
				Reason: fmt.Sprintf(
					"has no column %q; it needs at, device, signal and value, and may have kind, text, unit and quality", needed)}
		}
		if needed == "at" {
			if scale = perMillisecond(column.Node); scale == 0 {
				return &measure.Fault{Field: "file", Reason: "its column at is no timestamp"}
			}
		}
	}
	in := parquet.NewGenericReader[readingRow](file)
	defer in.Close()
	rows := make([]readingRow, 1000)
	for line := 0; ; {
		clear(rows)
		n, err := in.Read(rows)
		for i := range rows[:n] {
			line++
			if err := readRow(line, &rows[i], scale, take, refuse); err != nil {
				return err
			}
		}
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return &measure.Fault{Field: "file", Reason: err.Error()}
		}
	}
}

// perMillisecond is how many of a timestamp's units make a millisecond; 0: it is none.
func perMillisecond(n parquet.Node) int64 {
	kind := n.Type().LogicalType()
	if kind == nil {
		return 0
	}
	stamp, ok := kind.Value.(*format.TimestampType)
	if !ok {
		return 0
	}
	switch stamp.Unit.Value.(type) {
	case *format.MilliSeconds:
		return 1
	case *format.MicroSeconds:
		return 1000
	case *format.NanoSeconds:
		return 1_000_000
	}
	return 0
}

func readRow(line int, row *readingRow, scale int64, take func(Record) error, refuse func(Refused) error) error {
	r := Record{Line: line, Signal: row.Device + "/" + row.Signal, Kind: row.Kind, Unit: measure.Unit(row.Unit),
		Reading: measure.Reading{At: measure.Instant(row.At / scale)}}
	if r.Kind == "" {
		r.Kind = site.KindNumber
	}
	quality, err := measure.ParseQuality(row.Quality)
	if err != nil {
		return refuse(Refused{line, "quality", err.Error()})
	}
	r.Reading.Quality = quality
	switch {
	case row.Text != nil:
		r.Text = *row.Text
		if r.Kind != site.KindData {
			r.Kind = site.KindText
		}
	case row.Value != nil && *row.Value-*row.Value == 0:
		r.Reading.Value = *row.Value
	default:
		return refuse(Refused{line, "value", "is missing, or no finite number"})
	}
	return take(r)
}
