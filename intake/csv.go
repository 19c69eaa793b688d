package intake

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"

	"jauntylark/core/measure"
)

// csvColumns are the columns that a CSV body may have; at, signal and value are needed, an empty at
// means that the reading has no time. A line whose value is text has it under text. What another service
// thought of the quality is not looked at.
var csvColumns = []string{"at", "signal", "value", "unit", "text", "quality"}

// readCSV reads readings as lines under the header at,signal,value (RFC 4180). The index of a refusal
// is that of the line, from 0 after the header.
func readCSV(body []byte, _ measure.Instant) ([]measure.Sample, []measure.Refusal, error) {
	in := csv.NewReader(bytes.NewReader(bytes.TrimPrefix(body, []byte("\ufeff"))))
	in.FieldsPerRecord, in.ReuseRecord, in.TrimLeadingSpace = -1, true, true
	header, err := in.Read()
	if err != nil {
		return nil, nil, errors.New("the CSV body has no header; its first line is at,signal,value")
	}
	place := map[string]int{}
	for i, name := range header {
		name = strings.TrimSpace(name)
		if !slices.Contains(csvColumns, name) {
			return nil, nil, fmt.Errorf("the CSV header has a column %q; columns are %s", name,
				strings.Join(csvColumns, ", "))
		}
		place[name] = i
	}
	for _, needed := range csvColumns[:3] {
		if _, there := place[needed]; !there {
			return nil, nil, fmt.Errorf("the CSV header %q lacks %s; the first line is at,signal,value",
				strings.Join(header, ","), needed)
		}
	}
	width := len(header)
	var samples []measure.Sample
	var refused []measure.Refusal
	for index := 0; ; index++ {
		line, err := in.Read()
		if errors.Is(err, io.EOF) {
			return samples, refused, nil
		}
		if err != nil {
			return nil, nil, fmt.Errorf("the body is not CSV: %w", err)
		}
		if index >= MaxRecords {
			return nil, nil, fmt.Errorf("%w; this one has more", ErrTooMany)
		}
		if len(line) != width {
			refused = append(refused, measure.Refusal{Index: index,
				Reason: fmt.Sprintf("has %d fields; the header has %d", len(line), width)})
			continue
		}
		s, fault := csvSample(index, line, place)
		if fault != nil {
			refused = append(refused, measure.Refusal{Index: index, Signal: s.Name, Field: fault.Field,
				Reason: fault.Reason})
			continue
		}
		samples = append(samples, s)
	}
}

func csvSample(index int, line []string, place map[string]int) (measure.Sample, *measure.Fault) {
	field := func(name string) string { return strings.TrimSpace(line[place[name]]) }
	s := measure.Sample{Index: index, Name: strings.Clone(field("signal"))}
	if _, there := place["unit"]; there {
		s.Unit = measure.Unit(strings.Clone(field("unit")))
	}
	if at := field("at"); at != "" {
		if err := s.At.UnmarshalText([]byte(at)); err != nil || s.At <= 0 {
			return s, &measure.Fault{Field: "at",
				Reason: fmt.Sprintf("%.40q is not a time; write it like 2026-03-01T14:05:00Z (RFC 3339)", at)}
		}
	}
	if _, there := place["text"]; there && field("text") != "" {
		s.Form, s.Text = measure.FormText, strings.Clone(measure.FromCell(field("text")))
		if field("value") != "" || len(s.Text) > measure.MaxText {
			return s, &measure.Fault{Field: "text",
				Reason: fmt.Sprintf("stands beside a value, or is longer than %d bytes", measure.MaxText)}
		}
		if wrong := measure.WrongText(s.Text, true); wrong != "" {
			return s, &measure.Fault{Field: "text", Reason: wrong}
		}
		return s, nil
	}
	return s, bare(field("value"), &s)
}

// bare reads a value that stands by itself: a number, true or false.
func bare(text string, s *measure.Sample) *measure.Fault {
	switch text {
	case "true", "false":
		s.Form = measure.FormBool
		if text == "true" {
			s.Value = 1
		}
		return nil
	}
	v, err := strconv.ParseFloat(text, 64)
	if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
		return &measure.Fault{Field: "value", Reason: fmt.Sprintf("%.40q is not a number, true or false", text)}
	}
	s.Value = v
	return nil
}

// Bare reads a body that is one bare value of the signal, as MQTT topics carry it. A body that is a
// JSON text ("1.4.2" in quotes) is text.
func Bare(signal string, body []byte) ([]measure.Sample, []measure.Refusal) {
	s := measure.Sample{Name: signal}
	text := strings.TrimSpace(string(body))
	if len(text) > 1 && text[0] == '"' && text[len(text)-1] == '"' {
		samples, refused := flatObject(0, map[string][]byte{signal: []byte(text)})
		return samples, refused
	}
	if fault := bare(text, &s); fault != nil {
		return nil, []measure.Refusal{{Signal: signal, Field: signal, Reason: fault.Reason}}
	}
	return []measure.Sample{s}, nil
}
