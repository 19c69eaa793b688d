// Package senml reads Sensor Measurement Lists (RFC 8428) in their JSON and CBOR forms.
//
// A pack is an array of records. Base fields (bn, bt, bu, bv, bs, bver) hold from their record on; a
// record is resolved by joining them with its own (section 4.6). Times below 2^28 are relative to now
// (section 4.5.3). A record that is wrong is refused by itself and those around it are taken, except
// where the RFC demands that the whole pack is not used: a version that is not understood, and a field
// that must be understood and is not (section 4.4).
//
// A sum (s) is the reading of a signal of its own, whose name is the record's with "-sum" behind.
package senml

import (
	"encoding/base64"
	"fmt"
	"math"
	"strings"

	"jauntylark/core/measure"
)

// maxVersion is the newest SenML version that is understood (section 4.4).
const maxVersion = 10

// relativeBelow is where absolute times begin, in seconds (section 4.5.3).
const relativeBelow = 1 << 28

// record is one record as it stands in the pack, with the labels of section 12.2.
type record struct {
	BaseName    *string  `json:"bn"`
	BaseTime    *float64 `json:"bt"`
	BaseUnit    *string  `json:"bu"`
	BaseValue   *float64 `json:"bv"`
	BaseSum     *float64 `json:"bs"`
	BaseVersion *float64 `json:"bver"`
	Name        *string  `json:"n"`
	Unit        *string  `json:"u"`
	Value       *float64 `json:"v"`
	Bool        *bool    `json:"vb"`
	Text        *string  `json:"vs"`
	Data        *string  `json:"vd"` // base64url
	Sum         *float64 `json:"s"`
	Time        *float64 `json:"t"`
	UpdateTime  *float64 `json:"ut"` // when the next is due at the latest; not used
}

// base is what holds from earlier records on.
type base struct {
	name  string
	time  float64
	unit  string
	value float64
	sum   float64
}

// pack gathers what becomes of the records of one pack.
type pack struct {
	base
	now     measure.Instant
	samples []measure.Sample
	refused []measure.Refusal
}

// resolve joins the records with their base fields. broken tells which records could not be read.
func resolve(records []record, broken map[int]measure.Refusal,
	now measure.Instant) ([]measure.Sample, []measure.Refusal, error) {
	p := pack{now: now, samples: make([]measure.Sample, 0, len(records))}
	for i := range records {
		if r, bad := broken[i]; bad {
			p.refused = append(p.refused, r)
			continue
		}
		r := &records[i]
		if v := r.BaseVersion; v != nil && !(*v >= 1 && *v <= maxVersion) {
			return nil, nil,
				fmt.Errorf(
					"record %d says bver %v; versions 1 to %d are understood, so the pack is not used (RFC 8428 "+
						"section 4.4)", i, *v, maxVersion)
		}
		p.base.apply(r)
		if fault := p.resolve(i, r); fault != nil {
			p.refused = append(p.refused, measure.Refusal{Index: i, Signal: p.name + text(r.Name), Field: fault.Field,
				Reason: fault.Reason})
		}
	}
	return p.samples, p.refused, nil
}

func (b *base) apply(r *record) {
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
	if r.BaseSum != nil {
		b.sum = *r.BaseSum
	}
}

// resolve gives the samples of one record: none for one that only sets base fields, two for one with
// a value and a sum.
func (p *pack) resolve(index int, r *record) *measure.Fault {
	s := measure.Sample{Index: index, Name: p.name + text(r.Name), Unit: measure.Unit(p.unit)}
	if r.Unit != nil {
		s.Unit = measure.Unit(*r.Unit)
	}
	if r.Time != nil || p.time != 0 {
		at, fault := instant(p.time+number(r.Time), p.now)
		if fault != nil {
			return fault
		}
		s.At = at
	}
	valued, fault := p.value(r, &s)
	if fault != nil {
		return fault
	}
	if r.Sum != nil {
		sum := measure.Sample{Index: index, Name: s.Name + "-sum", At: s.At, Value: measure.Sum(p.sum, *r.Sum),
			Unit: integral[s.Unit]}
		if math.IsInf(sum.Value, 0) {
			return &measure.Fault{Field: "s", Reason: "is too large with the base sum; it should be a finite number"}
		}
		p.samples = append(p.samples, sum)
	}
	if valued {
		p.samples = append(p.samples, s)
	}
	if !valued && r.Sum == nil && !r.onlyBase() {
		return &measure.Fault{Field: "v", Reason: "is missing; a record has a value (v, vb, vs or vd) or a sum (s)"}
	}
	return nil
}

// integral is the unit of a sum over time of what is in a unit.
var integral = map[measure.Unit]measure.Unit{"W": "J", "A": "C", "l/s": "l", "m3/s": "m3", "1/s": "count",
	"bit/s": "bit", "m/s": "m"}

// value puts a record's value into the sample and tells whether it has one.
func (p *pack) value(r *record, s *measure.Sample) (bool, *measure.Fault) {
	var fields []string
	for _, f := range []struct {
		there bool
		name  string
	}{{r.Value != nil, "v"}, {r.Bool != nil, "vb"}, {r.Text != nil, "vs"}, {r.Data != nil, "vd"}} {
		if f.there {
			fields = append(fields, f.name)
		}
	}
	if len(fields) > 1 {
		return false, &measure.Fault{Field: fields[1], Reason: "stands beside " + fields[0] +
			"; a record has one value (RFC 8428 section 4.2)"}
	}
	switch {
	case r.Bool != nil:
		s.Form = measure.FormBool
		if *r.Bool {
			s.Value = 1
		}
	case r.Text != nil:
		s.Form, s.Text = measure.FormText, *r.Text
	case r.Data != nil:
		raw, err := base64.RawURLEncoding.DecodeString(strings.TrimRight(*r.Data, "="))
		if err != nil {
			return false, &measure.Fault{Field: "vd", Reason: "is not base64url (RFC 4648 section 5)"}
		}
		s.Form, s.Text = measure.FormData, base64.RawURLEncoding.EncodeToString(raw)
	case r.Value != nil, (r.BaseValue != nil || p.base.value != 0) && r.Name != nil && r.Sum == nil:
		s.Value = measure.Sum(p.base.value, number(r.Value))
	default:
		return false, nil
	}
	if wrong := measure.WrongText(s.Text, true); wrong != "" {
		return false, &measure.Fault{Field: fields[0], Reason: wrong}
	}
	if len(s.Text) > measure.MaxText {
		return false, &measure.Fault{Field: fields[0], Reason: fmt.Sprintf("has %d bytes; %d are allowed", len(s.Text),
			measure.MaxText)}
	}
	if math.IsInf(s.Value, 0) {
		return false, &measure.Fault{Field: "v",
			Reason: "is too large with the base value; it should be a finite number"}
	}
	return true, nil
}

// onlyBase tells whether a record has base fields alone.
func (r *record) onlyBase() bool {
	return r.Name == nil && (r.BaseName != nil || r.BaseTime != nil || r.BaseUnit != nil || r.BaseValue != nil ||
		r.BaseSum != nil || r.BaseVersion != nil)
}

func instant(seconds float64, now measure.Instant) (measure.Instant, *measure.Fault) {
	if seconds < relativeBelow {
		seconds += float64(now) / 1000
	}
	// The last instant of the year 9999, the last that RFC 3339 can write.
	if !(seconds > 0.0005 && seconds < 253402300800) {
		return 0, &measure.Fault{Field: "t", Reason: "is no time between the years 1970 and 9999"}
	}
	return measure.Instant(math.Round(seconds * 1000)), nil
}

// mustUnderstand refuses a pack with a field that it says must be understood (section 4.4).
func mustUnderstand(index int, label string) error {
	return fmt.Errorf("record %d has the field %q, which must be understood and is not, so the pack is not used (RFC "+
		"8428 section 4.4)", index, label)
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
