package senml

import (
	"encoding/base64"
	"fmt"
	"math"
	"math/big"
	"strings"

	"github.com/fxamacker/cbor/v2"

	"jauntylark/core/measure"
)

// labels are the CBOR labels of section 6, table 6.
var labels = map[int64]string{-1: "bver", -2: "bn", -3: "bt", -4: "bu", -5: "bv", -6: "bs", 0: "n", 1: "u", 2: "v",
	3: "vs", 4: "vb", 5: "s", 6: "t", 7: "ut", 8: "vd"}

var decoder = func() cbor.DecMode {
	mode, err := cbor.DecOptions{MaxArrayElements: 1 << 16, MaxMapPairs: 64, MaxNestedLevels: 8,
		DupMapKey: cbor.DupMapKeyEnforcedAPF}.DecMode()
	if err != nil {
		panic(err)
	}
	return mode
}()

// DecodeCBOR resolves a pack in CBOR that arrived at now. It fails as DecodeJSON does.
func DecodeCBOR(body []byte, now measure.Instant) ([]measure.Sample, []measure.Refusal, error) {
	var raw []cbor.RawMessage
	if err := decoder.Unmarshal(body, &raw); err != nil {
		return nil, nil, fmt.Errorf("the body is not a CBOR array of SenML records: %w", err)
	}
	records := make([]record, len(raw))
	broken := map[int]measure.Refusal{}
	for i := range raw {
		fault, err := records[i].readCBOR(i, raw[i])
		if err != nil {
			return nil, nil, err
		}
		if fault != nil {
			broken[i] = measure.Refusal{Index: i, Signal: text(records[i].Name), Field: fault.Field,
				Reason: fault.Reason}
		}
	}
	return resolve(records, broken, now)
}

// readCBOR reads one record. It fails for a field that must be understood and is not.
func (r *record) readCBOR(index int, raw cbor.RawMessage) (*measure.Fault, error) {
	var fields map[any]any
	if err := decoder.Unmarshal(raw, &fields); err != nil {
		return &measure.Fault{Reason: fmt.Sprintf("is no CBOR map of fields: %v", err)}, nil
	}
	var wrong *measure.Fault
	for key, value := range fields {
		label := labelOf(key)
		if strings.HasSuffix(label, "_") {
			return nil, mustUnderstand(index, label)
		}
		if should := r.setCBOR(label, value); should != "" && (wrong == nil || label < wrong.Field) {
			wrong = &measure.Fault{Field: label, Reason: fmt.Sprintf("is %v; it should be %s", clipped(value), should)}
		}
	}
	return wrong, nil
}

func clipped(value any) string {
	text := fmt.Sprint(value)
	return text[:min(len(text), 40)]
}

func labelOf(key any) string {
	switch k := key.(type) {
	case uint64:
		if k <= math.MaxInt64 {
			return labels[int64(k)]
		}
	case int64:
		return labels[k]
	case string:
		return k
	}
	return ""
}

// setCBOR sets one field. It gives what the field should be when the value is something else; fields
// that are not known are passed over.
func (r *record) setCBOR(label string, value any) (should string) {
	texts := map[string]**string{"bn": &r.BaseName, "bu": &r.BaseUnit, "n": &r.Name, "u": &r.Unit, "vs": &r.Text}
	numbers := map[string]**float64{"bt": &r.BaseTime, "bv": &r.BaseValue, "bs": &r.BaseSum, "bver": &r.BaseVersion,
		"v": &r.Value, "s": &r.Sum, "t": &r.Time, "ut": &r.UpdateTime}
	if into := texts[label]; into != nil {
		v, is := value.(string)
		if !is {
			return "text"
		}
		*into = &v
	} else if into := numbers[label]; into != nil {
		v, is := numeric(value)
		if !is {
			return "a finite number"
		}
		*into = &v
	}
	switch label {
	case "vb":
		v, is := value.(bool)
		if !is {
			return "true or false"
		}
		r.Bool = &v
	case "vd":
		v, is := value.([]byte)
		if !is {
			return "a byte string"
		}
		encoded := base64.RawURLEncoding.EncodeToString(v)
		r.Data = &encoded
	}
	return ""
}

// decimalFraction is CBOR's tag for mantissa and exponent to the base ten (RFC 8949 section 3.4.4).
const decimalFraction = 4

// numeric reads an integer, a float or a decimal fraction; NaN and infinities are none.
func numeric(value any) (float64, bool) {
	f := 0.0
	switch v := value.(type) {
	case uint64:
		f = float64(v)
	case int64:
		f = float64(v)
	case float32:
		f = float64(v)
	case float64:
		f = v
	case big.Int:
		f, _ = new(big.Float).SetInt(&v).Float64()
	case cbor.Tag:
		parts, is := v.Content.([]any)
		if v.Number != decimalFraction || !is || len(parts) != 2 {
			return 0, false
		}
		exponent, okE := numeric(parts[0])
		mantissa, okM := numeric(parts[1])
		if !okE || !okM || exponent != math.Trunc(exponent) || math.Abs(exponent) > 400 {
			return 0, false
		}
		f, _ = new(big.Float).SetPrec(200).Quo(big.NewFloat(mantissa), power(-exponent)).Float64()
	default:
		return 0, false
	}
	return f, !math.IsNaN(f) && !math.IsInf(f, 0)
}

// power is ten to the power of a whole exponent.
func power(exponent float64) *big.Float {
	p, _, _ := big.ParseFloat(fmt.Sprintf("1e%d", int(exponent)), 10, 200, big.ToNearestEven)
	return p
}
