package frame

import (
	"encoding/binary"
	"encoding/json"
	"math"
	"strconv"

	"github.com/fxamacker/cbor/v2"

	"jauntylark/core/measure"
)

// tree is a frame as JSON and CBOR have it.
type tree struct {
	At      string       `json:"at,omitempty"`
	Width   int          `json:"width,omitempty"`
	Height  int          `json:"height,omitempty"`
	Unit    measure.Unit `json:"unit,omitempty"`
	Scale   *float64     `json:"scale,omitempty"`
	Offset  *float64     `json:"offset,omitempty"`
	Values  any          `json:"values"`
	Picture []byte       `json:"picture,omitempty"` // base64 in JSON, a byte string in CBOR
}

const treeForm = `a frame is {"width": 32, "height": 24, "values": [21.5, …]}, or has its values as rows`

func decodeJSON(body []byte, usual *Eye) (Shot, error) {
	var in struct {
		tree
		Values json.RawMessage `json:"values"`
	}
	if err := json.Unmarshal(body, &in); err != nil {
		return Shot{}, fault("frame", "is not what JSON of a frame is (%v); %s", err, treeForm)
	}
	t := texts{width: in.Width, height: in.Height}
	var line []*json.Number
	if err := json.Unmarshal(in.Values, &line); err != nil {
		line = nil
		var rows [][]*json.Number
		if err := json.Unmarshal(in.Values, &rows); err != nil {
			return Shot{}, fault("values", "are neither numbers nor rows of numbers; %s", treeForm)
		}
		if in.Width == 0 && in.Height == 0 && len(rows) > 0 {
			t.width, t.height = len(rows[0]), len(rows)
		}
		for i, row := range rows {
			if len(row) != t.width {
				return Shot{}, fault("values", "row %d has %d columns; there are %d", i+1, len(row), t.width)
			}
			line = append(line, row...)
		}
	}
	if err := fits(len(line), t.width, t.height); err != nil {
		return Shot{}, err
	}
	for i, n := range line {
		text := ""
		if n != nil {
			text = string(*n)
		}
		v, err := t.value(text)
		if err != nil {
			return Shot{}, fault("values", "%s at %d is no temperature", quoted(text), i)
		}
		t.values = append(t.values, v)
	}
	g, err := t.grid()
	if err != nil {
		return Shot{}, err
	}
	return in.tree.shot(g, false, usual)
}

// fits tells whether so many values are those of a frame of some size.
func fits(values, width, height int) error {
	if width == 0 || height == 0 {
		return fault("width", "and height are missing; %s", treeForm)
	}
	if err := checkSize(width, height); err != nil {
		return err
	}
	if values != width*height {
		return fault("values", "are %d; a frame of %d × %d has %d", values, width, height, width*height)
	}
	return nil
}

func (t *tree) shot(g *Grid, counts bool, usual *Eye) (Shot, error) {
	h := head{scale: t.Scale, offset: t.Offset, unit: t.Unit}
	if t.At != "" {
		if err := h.set("at", t.At); err != nil {
			return Shot{}, err
		}
	}
	if err := h.finish(g, counts, usual); err != nil {
		return Shot{}, err
	}
	return Shot{Grid: g, At: h.at, Picture: t.Picture}, nil
}

// frames are of some depth at most: a map, an array in it, rows in that.
var cborMode = func() cbor.DecMode {
	mode, err := cbor.DecOptions{MaxNestedLevels: 6, MaxArrayElements: MaxPixels + 1, MaxMapPairs: 1000,
		DupMapKey: cbor.DupMapKeyEnforcedAPF}.DecMode()
	if err != nil {
		panic(err)
	}
	return mode
}()

// decodeCBOR reads the map that JSON is, in RFC 8949. The values may be a typed array (RFC 8746): counts of 8 or 16
// bits, or floating-point numbers of 32 or 64.
func decodeCBOR(body []byte, usual *Eye) (Shot, error) {
	var in struct {
		tree
		Values cbor.RawMessage `json:"values"`
	}
	if err := cborMode.Unmarshal(body, &in); err != nil {
		return Shot{}, fault("frame", "is not what CBOR of a frame is (%v); %s", err, treeForm)
	}
	var tag cbor.RawTag
	if len(in.Values) > 0 && in.Values[0]>>5 == 6 && cborMode.Unmarshal(in.Values, &tag) == nil {
		return in.tree.typed(tag, usual)
	}
	var flat []*float64
	if err := cborMode.Unmarshal(in.Values, &flat); err != nil {
		flat = nil
		var rows [][]*float64
		if err := cborMode.Unmarshal(in.Values, &rows); err != nil {
			return Shot{}, fault("values", "are neither numbers, nor rows of numbers, nor a typed array")
		}
		if in.Width == 0 && in.Height == 0 && len(rows) > 0 {
			in.Width, in.Height = len(rows[0]), len(rows)
		}
		for i, row := range rows {
			if len(row) != in.Width {
				return Shot{}, fault("values", "row %d has %d columns; there are %d", i+1, len(row), in.Width)
			}
			flat = append(flat, row...)
		}
	}
	if err := fits(len(flat), in.Width, in.Height); err != nil {
		return Shot{}, err
	}
	values := make([]float64, len(flat))
	for i, v := range flat {
		if values[i] = math.NaN(); v != nil {
			values[i] = *v
		}
	}
	return in.numbers(values, usual)
}

// numbers makes the shot of numbers that are no text, with as many decimals as they show.
func (t *tree) numbers(values []float64, usual *Eye) (Shot, error) {
	decimals := 0
	for _, v := range values {
		if decimals < finest && !math.IsNaN(v) {
			decimals = max(decimals, decimalsOf(strconv.FormatFloat(v, 'f', -1, 64)))
		}
	}
	g, err := ofNumbers(t.Width, t.Height, values, decimals)
	if err != nil {
		return Shot{}, err
	}
	return t.shot(g, false, usual)
}

// The tags of typed arrays, RFC 8746 section 2.
const (
	tagUint8     = 64
	tagUint16BE  = 65
	tagUint16LE  = 69
	tagInt16BE   = 73
	tagInt16LE   = 77
	tagFloat32BE = 81
	tagFloat64BE = 82
	tagFloat32LE = 85
	tagFloat64LE = 86
)

func (t *tree) typed(tag cbor.RawTag, usual *Eye) (Shot, error) {
	var data []byte
	if err := cborMode.Unmarshal(tag.Content, &data); err != nil {
		return Shot{}, fault("values", "have the tag %d and are no byte string", tag.Number)
	}
	wide := map[uint64]int{tagUint8: 1, tagUint16BE: 2, tagUint16LE: 2, tagInt16BE: 2, tagInt16LE: 2, tagFloat32BE: 4,
		tagFloat32LE: 4, tagFloat64BE: 8, tagFloat64LE: 8}[tag.Number]
	if wide == 0 {
		return Shot{}, fault("values",
			"have the tag %d; typed arrays of uint8, uint16, int16, float32 and float64 are read (RFC 8746)",
			tag.Number)
	}
	if err := fits(len(data)/wide, t.Width, t.Height); err != nil || len(data)%wide != 0 {
		return Shot{}, fault("values", "are %d bytes; a frame of %d × %d has %d", len(data), t.Width, t.Height,
			t.Width*t.Height*wide)
	}
	var order binary.ByteOrder = binary.BigEndian
	switch tag.Number {
	case tagUint16LE, tagInt16LE, tagFloat32LE, tagFloat64LE:
		order = binary.LittleEndian
	}
	switch tag.Number {
	case tagFloat32BE, tagFloat32LE:
		values := make([]float64, len(data)/4)
		for i := range values { // the shortest decimal that is the same 32 bits, not its 64-bit neighbour
			values[i], _ = strconv.ParseFloat(
				strconv.FormatFloat(float64(math.Float32frombits(order.Uint32(data[4*i:]))), 'f', -1, 32), 64)
		}
		return t.numbers(values, usual)
	case tagFloat64BE, tagFloat64LE:
		values := make([]float64, len(data)/8)
		for i := range values {
			values[i] = math.Float64frombits(order.Uint64(data[8*i:]))
		}
		return t.numbers(values, usual)
	}
	g := &Grid{Width: t.Width, Height: t.Height, Scale: 1, Counts: make([]int32, len(data)/wide)}
	for i := range g.Counts {
		switch tag.Number {
		case tagUint8:
			g.Counts[i] = int32(data[i])
		case tagInt16BE, tagInt16LE:
			g.Counts[i] = int32(int16(order.Uint16(data[2*i:])))
		default:
			g.Counts[i] = int32(order.Uint16(data[2*i:]))
		}
	}
	return t.shot(g, true, usual)
}

// EncodeJSON writes a grid in °C with its head; Decode reads it back.
func EncodeJSON(s Shot) ([]byte, error) {
	g := s.Grid
	values := make([]json.RawMessage, len(g.Counts))
	decimals := g.decimals()
	for i, c := range g.Counts {
		if c == Dead {
			values[i] = json.RawMessage("null")
			continue
		}
		values[i] = strconv.AppendFloat(nil, g.value(c), 'f', decimals, 64)
	}
	t := tree{Width: g.Width, Height: g.Height, Unit: celsius, Values: values, Picture: s.Picture}
	if s.At != 0 {
		t.At = s.At.String()
	}
	return json.Marshal(t)
}

// EncodeCBOR writes the counts of a grid as a typed array of 32-bit numbers where they are temperatures with decimals,
// and of 16-bit counts with scale and offset where they fit; Decode reads it back.
func EncodeCBOR(s Shot) ([]byte, error) {
	g := s.Grid
	t := tree{Width: g.Width, Height: g.Height, Unit: celsius, Picture: s.Picture}
	if s.At != 0 {
		t.At = s.At.String()
	}
	if counts, fit := g.words(); fit {
		t.Scale, t.Offset = &g.Scale, &g.Offset
		t.Values = cbor.Tag{Number: tagUint16BE, Content: counts}
		return cbor.Marshal(t)
	}
	values := g.Values()
	data := make([]byte, 0, 8*len(values))
	for _, v := range values {
		data = binary.BigEndian.AppendUint64(data, math.Float64bits(v))
	}
	t.Values = cbor.Tag{Number: tagFloat64BE, Content: data}
	return cbor.Marshal(t)
}

// words gives the counts as unsigned 16-bit numbers, the higher byte first, where all fit.
func (g *Grid) words() (data []byte, fit bool) {
	for _, c := range g.Counts {
		if c < 0 || c > math.MaxUint16 {
			return nil, false
		}
		data = binary.BigEndian.AppendUint16(data, uint16(c))
	}
	return data, true
}
