// Package senml reads Sensor Measurement Lists (RFC 8428) in their JSON form.
//
// A pack is an array of records. Base fields (bn, bt, bu, bv) hold from their record on; a record is
// resolved by joining them with its own (section 4.6). Times below 2^28 are relative to now (section
// 4.5.3). A record that is wrong is refused by itself; those around it are taken.
package senml

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"

	"jauntylark/core/measure"
)

// maxVersion is the newest SenML version that is understood (section 4.4).
const maxVersion = 10

// relativeBelow is where absolute times begin, in seconds (section 4.5.3).
const relativeBelow = 1 << 28

// record is one record as it stands in the JSON, with the labels of section 12.2.
type record struct {
	BaseName    *string  `json:"bn"`
	BaseTime    *float64 `json:"bt"`
	BaseUnit    *string  `json:"bu"`
	BaseValue   *float64 `json:"bv"`
	BaseVersion *float64 `json:"bver"`
	Name        *string  `json:"n"`
	Unit        *string  `json:"u"`
	Value       *float64 `json:"v"`
	Bool        *bool    `json:"vb"`
	Text        *string  `json:"vs"`
	Data        *string  `json:"vd"`
	Sum         *float64 `json:"s"`
	Time        *float64 `json:"t"`
}

// base is what holds from earlier records on.
type base struct {
	name  string
	time  float64
	unit  string
	value float64
}

// DecodeJSON resolves a pack that arrived at now. It fails only when the body is no array of JSON
// values; what is wrong with a record is told in the refusals.
func DecodeJSON(body []byte, now measure.Instant) ([]measure.Sample, []measure.Refusal, error) {
	var records []record
	if err := json.Unmarshal(body, &records); err == nil {
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
	}
	return resolve(records, broken, now)
}

func notAPack(err error) error {
	var kind *json.UnmarshalTypeError
	if errors.As(err, &kind) {
		return fmt.Errorf("the body is a JSON %s; a SenML pack is an array of records", kind.Value)
	}
	return fmt.Errorf("the body is not JSON: %w", err)
}

func refusal(index int, r record, err error) measure.Refusal {
	out := measure.Refusal{Index: index, Reason: err.Error()}
	if r.Name != nil {
		out.Signal = *r.Name
	}
	var kind *json.UnmarshalTypeError
	if errors.As(err, &kind) {
		out.Field = kind.Field
		out.Reason = fmt.Sprintf("is a JSON %s; it should be a %s", kind.Value, map[string]string{"float64": "finite number", "string": "text", "bool": "true or false"}[kind.Type.String()])
		if kind.Field == "" {
			out.Reason = fmt.Sprintf("is a JSON %s; a record is an object", kind.Value)
		}
	}
	return out
}

func resolve(records []record, broken map[int]measure.Refusal, now measure.Instant) ([]measure.Sample, []measure.Refusal, error) {
	samples := make([]measure.Sample, 0, len(records))
	var refused []measure.Refusal
	var b base
	for i := range records {
		if r, bad := broken[i]; bad {
			refused = append(refused, r)
			continue
		}
		sample, ok, bad := b.resolve(&records[i], now)
		switch {
		case bad != nil:
			bad.Index, bad.Signal = i, b.name+text(records[i].Name)
			refused = append(refused, *bad)
		case ok:
			sample.Index = i
			samples = append(samples, sample)
		}
	}
	return samples, refused, nil
}

// resolve joins one record with the base fields. It gives neither sample nor refusal for a record
// that only sets base fields.
func (b *base) resolve(r *record, now measure.Instant) (measure.Sample, bool, *measure.Refusal) {
	if r.BaseVersion != nil && (*r.BaseVersion > maxVersion || *r.BaseVersion < 1) {
		return measure.Sample{}, false, &measure.Refusal{Field: "bver", Reason: fmt.Sprintf("version %v is not understood; 1 to %d are", *r.BaseVersion, maxVersion)}
	}
	if r.BaseName != nil {
		b.name = *r.BaseName
	}
	if r.BaseTime != nil {
		b.time = *r.BaseTime
	}
	if r.BaseUnit != nil {
		b.unit = *r.BaseUnit
	}
	if r.BaseValue != nil {
		b.value = *r.BaseValue
	}
	sample := measure.Sample{Name: b.name + text(r.Name), Unit: measure.Unit(b.unit)}
	if r.Unit != nil {
		sample.Unit = measure.Unit(*r.Unit)
	}
	switch {
	case r.Bool != nil:
		sample.Switch = true
		if *r.Bool {
			sample.Value = 1
		}
	case r.Value != nil || (r.BaseValue != nil || b.value != 0) && r.Name != nil && r.Text == nil && r.Data == nil && r.Sum == nil:
		sample.Value = b.value
		if r.Value != nil {
			sample.Value += *r.Value
		}
	default:
		return sample, false, noNumber(r)
	}
	if math.IsInf(sample.Value, 0) {
		return sample, false, &measure.Refusal{Field: "v", Reason: "is too large with the base value; it should be a finite number"}
	}
	if r.Time != nil || b.time != 0 {
		at, err := instant(b.time+number(r.Time), now)
		if err != nil {
			return sample, false, err
		}
		sample.At = at
	}
	return sample, true, nil
}

func noNumber(r *record) *measure.Refusal {
	switch {
	case r.Text != nil:
		return &measure.Refusal{Field: "vs", Reason: "is text; a reading is a number (v) or true or false (vb)"}
	case r.Data != nil:
		return &measure.Refusal{Field: "vd", Reason: "is data; a reading is a number (v) or true or false (vb)"}
	case r.Sum != nil:
		return &measure.Refusal{Field: "s", Reason: "is a sum without a value; a reading is a number (v) or true or false (vb)"}
	case r.Name == nil && (r.BaseName != nil || r.BaseTime != nil || r.BaseUnit != nil || r.BaseValue != nil || r.BaseVersion != nil):
		return nil
	}
	return &measure.Refusal{Field: "v", Reason: "is missing; a reading is a number (v) or true or false (vb)"}
}

func instant(seconds float64, now measure.Instant) (measure.Instant, *measure.Refusal) {
	if seconds < relativeBelow {
		seconds += float64(now) / 1000
	}
	// The last instant of the year 9999, the last that RFC 3339 can write.
	if !(seconds > 0 && seconds < 253402300800) {
		return 0, &measure.Refusal{Field: "t", Reason: "is no time between the years 1970 and 9999"}
	}
	return measure.Instant(math.Round(seconds * 1000)), nil
}

func text(s *string) string {
	if s == nil {
		return ""
	}
	return *s
}

func number(f *float64) float64 {
	if f == nil {
		return 0
	}
	return *f
}
