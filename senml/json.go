package senml

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"unicode/utf8"

	"jauntylark/core/measure"
)

// DecodeJSON resolves a pack in JSON that arrived at now. It fails when the body is no array of JSON
// values, or the RFC demands that the whole pack is not used; what is wrong with a record is told in
// the refusals.
func DecodeJSON(body []byte, now measure.Instant) ([]measure.Sample, []measure.Refusal, error) {
	if bytes.Contains(body, []byte(`_"`)) {
		if err := understandJSON(body); err != nil {
			return nil, nil, err
		}
	}
	records, plain := scan(body)
	if plain {
		return resolve(records, nil, now)
	}
	doubtful := bytes.Contains(body, []byte(`\u`)) || !utf8.Valid(body) // what a decoder may change unseen
	if err := json.Unmarshal(body, &records); err == nil && !doubtful {
		return resolve(records, nil, now)
	}
	var raw []json.RawMessage
	if err := json.Unmarshal(body, &raw); err != nil {
		return nil, nil, notAPack(err)
	}
	records = make([]record, len(raw))
	broken := map[int]measure.Refusal{}
	for i := range raw {
		if err := json.Unmarshal(raw[i], &records[i]); err != nil {
			broken[i] = refusal(i, records[i], err)
		}
		var fault *measure.Fault
		if doubtful && errors.As(measure.CheckJSON(raw[i], measure.SeveralLines), &fault) {
			broken[i] = measure.Refusal{Index: i, Signal: text(records[i].Name), Field: fault.Field,
				Reason: fault.Reason}
		}
	}
	return resolve(records, broken, now)
}

// understandJSON looks for fields that must be understood.
func understandJSON(body []byte) error {
	var records []json.RawMessage
	if json.Unmarshal(body, &records) != nil {
		return nil // told where the records are read
	}
	for i, raw := range records {
		var fields map[string]json.RawMessage
		if json.Unmarshal(raw, &fields) != nil {
			continue
		}
		for label := range fields {
			if strings.HasSuffix(label, "_") {
				return mustUnderstand(i, label)
			}
		}
	}
	return nil
}

func notAPack(err error) error {
	var kind *json.UnmarshalTypeError
	if errors.As(err, &kind) {
		return fmt.Errorf("the body is a JSON %s; a SenML pack is an array of records", kind.Value)
	}
	return fmt.Errorf("the body is not JSON: %w", err)
}

func refusal(index int, r record, err error) measure.Refusal {
	out := measure.Refusal{Index: index, Signal: text(r.Name), Reason: err.Error()}
	var kind *json.UnmarshalTypeError
	if errors.As(err, &kind) {
		out.Field = kind.Field
		out.Reason = fmt.Sprintf("is a JSON %s; it should be a %s", kind.Value,
			map[string]string{"float64": "finite number", "string": "text",
				"bool": "true or false"}[kind.Type.String()])
		if kind.Field == "" {
			out.Reason = fmt.Sprintf("is a JSON %s; a record is an object", kind.Value)
		}
	}
	return out
}
