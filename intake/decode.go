// Package intake reads the bodies that devices send, whatever protocol brought them.
package intake

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"mime"
	"regexp"
	"sort"
	"strconv"
	"strings"

	"jauntylark/core/measure"
	"jauntylark/senml"
)

// MaxRecords is how many records a pack may have.
const MaxRecords = 10_000

// MaxBody is how long a body may be, in bytes.
const MaxBody = 4 << 20

// The bodies that are read.
const (
	SenMLJSON = "application/senml+json"
	SenMLCBOR = "application/senml+cbor"
	FlatJSON  = "application/json"
	CSV       = "text/csv"
)

// MediaTypes lists them.
var MediaTypes = []string{SenMLJSON, SenMLCBOR, FlatJSON, CSV}

var (
	// ErrMediaType says that the body is of a type that is not read.
	ErrMediaType = errors.New("the content type is not read")
	// ErrTooMany says that the pack has too many records.
	ErrTooMany = fmt.Errorf("a pack has %d records at most", MaxRecords)
)

// Decode reads a body that arrived at now. It fails when the body as a whole is not what its content
// type says; what is wrong with single records is told in the refusals.
func Decode(contentType string, body []byte, now measure.Instant) ([]measure.Sample, []measure.Refusal, error) {
	kind, _, err := mime.ParseMediaType(contentType)
	if err != nil {
		kind = contentType
	}
	var read func([]byte, measure.Instant) ([]measure.Sample, []measure.Refusal, error)
	switch kind {
	case SenMLJSON:
		read = senml.DecodeJSON
	case SenMLCBOR:
		read = senml.DecodeCBOR
	case FlatJSON:
		read = flat
	case CSV:
		read = readCSV
	default:
		return nil, nil, fmt.Errorf("%w: it is %q; send one of %s", ErrMediaType, contentType,
			strings.Join(MediaTypes, ", "))
	}
	samples, refused, err := read(body, now)
	if err != nil && (kind == SenMLJSON || kind == FlatJSON) && notNumbers.Match(body) {
		samples, refused, err = read(quoteNotNumbers(body), now)
	}
	if err == nil && len(samples)+len(refused) > MaxRecords {
		return nil, nil, fmt.Errorf("%w; this one has %d", ErrTooMany, len(samples)+len(refused))
	}
	return samples, refused, err
}

// Guess gives the content type of a body whose sender could not say it, as over MQTT: CBOR begins
// with an array's head, JSON with a bracket or a brace; an array whose first record has a SenML field
// is SenML.
func Guess(body []byte) string {
	trimmed := bytes.TrimSpace(body)
	switch {
	case len(body) > 0 && body[0]>>5 == 4: // RFC 8949 section 3.1, major type 4
		return SenMLCBOR
	case len(trimmed) > 0 && trimmed[0] == '[' && senmlField.Match(trimmed[:min(len(trimmed), 400)]):
		return SenMLJSON
	case bytes.HasPrefix(trimmed, []byte("at,")) || bytes.HasPrefix(trimmed, []byte("signal,")):
		return CSV
	}
	return FlatJSON
}

// senmlField is what the first record of a SenML pack begins with.
var senmlField = regexp.MustCompile(`^\[\s*\{\s*"(n|bn|bt|bu|bv|bs|bver|v|vb|vs|vd|u|t|s)"\s*:`)

// notNumbers are the words that C libraries print for what is no number, where JSON wants a value.
var notNumbers = regexp.MustCompile(`(?i)([:\[,]\s*)([-+]?(?:nan|inf(?:inity)?))(\s*[,}\]])`)

// quoteNotNumbers makes text of them, so that the one record is refused and not the pack.
func quoteNotNumbers(body []byte) []byte { return notNumbers.ReplaceAll(body, []byte(`$1"$2"$3`)) }

// flat reads {"temp": 21.5, "door": true, "at": "2026-03-01T14:05:00Z"} or an array of such. The
// index of a refusal is that of the object.
func flat(body []byte, _ measure.Instant) ([]measure.Sample, []measure.Refusal, error) {
	body = bytes.TrimSpace(body)
	var objects []json.RawMessage
	if len(body) > 0 && body[0] == '[' {
		if err := json.Unmarshal(body, &objects); err != nil {
			return nil, nil, fmt.Errorf("the body is not JSON: %w", err)
		}
	} else {
		objects = []json.RawMessage{body}
	}
	var samples []measure.Sample
	var refused []measure.Refusal
	for i, object := range objects {
		var fields rawFields
		if err := json.Unmarshal(object, &fields); err != nil || fields == nil {
			var kind *json.UnmarshalTypeError
			if len(objects) == 1 && err != nil && !errors.As(err, &kind) {
				return nil, nil, fmt.Errorf("the body is not JSON: %w", err)
			}
			refused = append(refused, measure.Refusal{Index: i, Reason: `is not an object like {"temp": 21.5}`})
			continue
		}
		taken, bad := flatObject(i, fields)
		samples, refused = append(samples, taken...), append(refused, bad...)
	}
	return samples, refused, nil
}

// rawFields are the fields of an object as they stand.
type rawFields map[string][]byte

// UnmarshalJSON reads the object.
func (f *rawFields) UnmarshalJSON(data []byte) error {
	var fields map[string]json.RawMessage
	if err := json.Unmarshal(data, &fields); err != nil || fields == nil {
		return err
	}
	*f = make(rawFields, len(fields))
	for name, raw := range fields {
		(*f)[name] = raw
	}
	return nil
}

func flatObject(index int, fields map[string][]byte) (samples []measure.Sample, refused []measure.Refusal) {
	var at measure.Instant
	if raw, timed := fields["at"]; timed {
		delete(fields, "at")
		if err := json.Unmarshal(raw, &at); err != nil || at <= 0 {
			return nil, []measure.Refusal{{Index: index, Field: "at",
				Reason: fmt.Sprintf("%.40s is not a time; write it like \"2026-03-01T14:05:00Z\" (RFC 3339)", raw)}}
		}
	}
	names := make([]string, 0, len(fields))
	for name := range fields {
		names = append(names, name)
	}
	sort.Strings(names)
	for _, name := range names {
		s := measure.Sample{Index: index, Name: name, At: at}
		if reason := flatValue(fields[name], &s); reason != "" {
			refused = append(refused, measure.Refusal{Index: index, Signal: name, Field: name, Reason: reason})
			continue
		}
		samples = append(samples, s)
	}
	if len(names) == 0 {
		refused = append(refused, measure.Refusal{Index: index, Reason: `has no signal; write it like {"temp": 21.5}`})
	}
	return samples, refused
}

// firmware is the signal whose text is a version, which may look like a number.
const firmware = "firmware"

// flatValue reads one value; it says what is wrong with it, nothing when it is right.
func flatValue(raw []byte, s *measure.Sample) (wrong string) {
	switch {
	case raw[0] != 'n' && json.Unmarshal(raw, &s.Value) == nil:
	case string(raw) == "true" || string(raw) == "false":
		s.Form = measure.FormBool
		if raw[0] == 't' {
			s.Value = 1
		}
	case raw[0] == '"' && json.Unmarshal(raw, &s.Text) == nil:
		s.Form = measure.FormText
		var fault *measure.Fault
		if errors.As(measure.CheckJSON(raw, measure.SeveralLines), &fault) {
			return fault.Reason
		}
		_, err := strconv.ParseFloat(strings.TrimSpace(s.Text), 64)
		switch {
		case s.Name != firmware && (err == nil || errors.Is(err, strconv.ErrRange)):
			return fmt.Sprintf(
				"%.40s is not a number, true or false, but text that looks like one; leave the quotes out", raw)
		case len(s.Text) > measure.MaxText:
			return fmt.Sprintf("has %d bytes; %d are allowed", len(s.Text), measure.MaxText)
		}
	default:
		return fmt.Sprintf("%.40s is not a number, true, false or text", raw)
	}
	return ""
}

// Name gives refusals, whose fields are SenML's, the field names of the body that was sent: in flat
// JSON the time is "at" and everything else is the signal's own.
func Name(contentType string, refused []measure.Refusal) []measure.Refusal {
	kind, _, _ := mime.ParseMediaType(contentType)
	if kind == CSV {
		return nameCSV(refused)
	}
	if kind != FlatJSON {
		return refused
	}
	for i := range refused {
		if r := &refused[i]; r.Field == "t" {
			r.Field = "at"
		} else {
			r.Field = r.Signal
		}
	}
	return refused
}

// nameCSV gives the columns for SenML's fields.
func nameCSV(refused []measure.Refusal) []measure.Refusal {
	columns := map[string]string{"n": "signal", "t": "at", "v": "value", "vb": "value", "u": "unit"}
	for i := range refused {
		if column := columns[refused[i].Field]; column != "" {
			refused[i].Field = column
		}
	}
	return refused
}
