package frame

import (
	"bytes"
	"encoding/binary"
	"errors"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/fxamacker/cbor/v2"

	"jauntylark/core/measure"
)

func TestPackedFramesComeBackAsTheyWere(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	for n := range 300 {
		g := &Grid{Width: 1 + random.IntN(40), Height: 1 + random.IntN(40), Scale: []float64{0.01, 1, 0.04}[n%3],
			Offset: -273.15}
		for range g.Width * g.Height {
			c := int32(random.IntN(1 << (1 + n%17)))
			switch {
			case n%5 == 0 && random.IntN(7) == 0:
				c = Dead
			case n%7 == 0:
				c = int32(random.Uint32()) / 4
			}
			g.Counts = append(g.Counts, c)
		}
		packed := Pack(g)
		back, err := Unpack(packed)
		if err != nil || back.Width != g.Width || back.Scale != g.Scale || back.Offset != g.Offset ||
			!slices.Equal(back.Counts, g.Counts) {
			t.Fatalf("frame %d of %d × %d came back otherwise (%v)", n, g.Width, g.Height, err)
		}
		packed[random.IntN(len(packed))] ^= 1 << random.IntN(8)
		if _, err := Unpack(packed); !errors.Is(err, ErrDamaged) {
			t.Fatalf("frame %d was damaged, and nobody saw it", n)
		}
	}
	smooth := gridOf(32, 24, func(x, y int) float64 {
		return math.Round(100*(20+math.Sin(float64(x)/5)+float64(y)/10)) / 100
	})
	if size := len(Pack(smooth)); size > 32*24 {
		t.Errorf("a smooth frame takes %d bytes, half of 16 bits is %d", size, 32*24)
	}
}

func FuzzUnpack(f *testing.F) {
	f.Add(Pack(gridOf(5, 4, func(x, y int) float64 { return float64(x * y) })))
	f.Fuzz(func(t *testing.T, data []byte) {
		if g, err := Unpack(data); err == nil && len(g.Counts) != g.Width*g.Height {
			t.Error("a frame without its pixels")
		}
	})
}

func TestFormatsRoundTrip(t *testing.T) {
	g := gridOf(7, 5, func(x, y int) float64 { return -3.25 + float64(x)*1.125 + float64(y) })
	g.Counts[3] = Dead
	shot := Shot{Grid: g, At: 1_790_000_000_123, Picture: []byte{1, 2, 3}}
	asJSON, err := EncodeJSON(shot)
	if err != nil {
		t.Fatal(err)
	}
	asCBOR, err := EncodeCBOR(shot)
	if err != nil {
		t.Fatal(err)
	}
	for kind, body := range map[string][]byte{CSV: EncodeCSV(shot), JSON: asJSON, CBOR: asCBOR} {
		for _, said := range []string{kind, ""} { // said, and guessed
			back, err := Decode(said, body, settled(nil))
			if err != nil || back.At != shot.At {
				t.Fatalf("%s: %v, at %v", kind, err, back.At)
			}
			for i := range g.Counts {
				if a, b := g.value(g.Counts[i]), back.Grid.value(back.Grid.Counts[i]); !(near(a, b, 1e-9) ||
					math.IsNaN(a) && math.IsNaN(b)) {
					t.Fatalf("%s: pixel %d is %v, was %v", kind, i, b, a)
				}
			}
			if kind != CSV && !bytes.Equal(back.Picture, shot.Picture) {
				t.Errorf("%s: the picture beside it is %v", kind, back.Picture)
			}
		}
	}
	counts := &Grid{Width: 3, Height: 2, Scale: 0.01, Offset: -273.15, Counts: []int32{0, 29315, 65535, 30000, 1, 2}}
	back, err := Decode(PGM, EncodePGM(Shot{Grid: counts, At: 77}), settled(nil))
	if err != nil || !slices.Equal(back.Grid.Counts, counts.Counts) || back.Grid.Scale != 0.01 ||
		back.Grid.Offset != -273.15 || back.At != 77 {
		t.Errorf("a graymap came back as %+v (%v)", back, err)
	}
}

func TestFormatsAsOthersWriteThem(t *testing.T) {
	usual := settled(func(e *Eye) { e.Scale, e.Offset = 0.1, -40 })
	typed := func(tag uint64, content []byte) []byte {
		body, err := cbor.Marshal(map[string]any{"width": 2, "height": 1,
			"values": cbor.Tag{Number: tag, Content: content}})
		if err != nil {
			t.Fatal(err)
		}
		return body
	}
	float32s := func(order binary.ByteOrder, values ...float32) (out []byte) {
		for _, v := range values {
			out = append(out, 0, 0, 0, 0)
			order.PutUint32(out[len(out)-4:], math.Float32bits(v))
		}
		return out
	}
	for _, c := range []struct {
		what, kind, body string
		want             []float64
	}{
		{"a plain graymap, by the eye's scale", PGM, "P2\n# made by hand\n2 1\n1000\n0 600\n", []float64{-40, 20}},
		{"a graymap of 8 bits with its own scale", PGM, "P5 # scale=0.5 offset=10\n2 1 255\n\x00\x0a",
			[]float64{10, 15}},
		{"a graymap of 16 bits in kelvins", PGM, "P5\n# scale=0.01 unit=K offset=0\n2 1\n65535\n\x72\x6b\x72\x6c",
			[]float64{292.91 - 273.15, 292.92 - 273.15}},
		{"CSV with semicolons and a mark", CSV, "\ufeff# at=2026-11-01T10:00:00Z\r\n21.5;-3\r\n", []float64{21.5, -3}},
		{"CSV in degrees Fahrenheit", CSV, "# unit=[degF]\n32,212\n", []float64{0, 100}},
		{"JSON as rows", JSON, `{"values": [[1, 2.5], [null, -4]]}`, []float64{1, 2.5, math.NaN(), -4}},
		{"JSON counts with a scale", JSON, `{"width": 2, "height": 1, "scale": 0.25, "offset": -1, "values": [4, 8]}`,
			[]float64{0, 1}},
		{"CBOR, 16 bits, big end first", CBOR, string(typed(tagUint16BE, []byte{0, 0, 2, 88})), []float64{-40, 20}},
		{"CBOR, 16 bits, little end first", CBOR, string(typed(tagUint16LE, []byte{0, 0, 88, 2})), []float64{-40, 20}},
		{"CBOR, signed", CBOR, string(typed(tagInt16BE, []byte{0xff, 0xff, 0, 0})), []float64{-40.1, -40}},
		{"CBOR, 32-bit floating point", CBOR, string(typed(tagFloat32LE,
			float32s(binary.LittleEndian, 21.4, float32(math.NaN())))), []float64{21.4, math.NaN()}},
	} {
		shot, err := Decode(c.kind, []byte(c.body), usual)
		if err != nil {
			t.Errorf("%s: %v", c.what, err)
			continue
		}
		for i, v := range shot.Grid.Values() {
			if !near(v, c.want[i], 1e-9) && !(math.IsNaN(v) && math.IsNaN(c.want[i])) {
				t.Errorf("%s: pixel %d is %v, should be %v", c.what, i, v, c.want[i])
			}
		}
	}
}

func TestBadFramesAreRefusedByName(t *testing.T) {
	for _, c := range []struct{ kind, body, says string }{
		{CSV, "1,2\n3\n", "1 columns in line 2"},
		{CSV, "1,warm\n", `"warm" in line 1, column 2`},
		{CSV, "# at=yesterday\n1,2\n", "at:"},
		{CSV, "# scale=-1\n1,2\n", "scale:"},
		{CSV, "# unit=kg\n1,2\n", "no unit of temperature"},
		{CSV, "", "empty"},
		{CSV, "1e12,2\n", "no temperature is that far off"},
		{JSON, `{"values": 7}`, "values:"},
		{JSON, `{"width": 3, "height": 1, "values": [1, 2]}`, "are 2; a frame of 3 × 1 has 3"},
		{JSON, `[1]`, "frame:"},
		{JSON, `{"values": [1, 2]}`, "width:"},
		{JSON, `{"values": [[1, 2], [3]]}`, "row 2"},
		{JSON, `{"width": 100000, "height": 100000, "values": []}`, "100000 × 100000"},
		{PGM, "P6\n1 1\n255\n\x00", "no graymap"},
		{PGM, "P5\n2 2\n65535\n\x00\x00", "2 bytes of counts"},
		{PGM, "P5\n2 2\n99999\n", "greatest value"},
		{PGM, "P2\n2 1\n9\n5 10\n", "10 at column 2"},
		{PGM, "P5\n2", "height"},
		{CBOR, "\xa1\x66values\x01", "values:"},
	} {
		_, err := Decode(c.kind, []byte(c.body), settled(nil))
		var f *measure.Fault
		if !errors.As(err, &f) || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s %q: %v; should say %q", c.kind, c.body, err, c.says)
		}
	}
	if _, err := Decode("image/tiff", nil, settled(nil)); !errors.Is(err, ErrMediaType) {
		t.Errorf("image/tiff: %v", err)
	}
	if err := settled(func(e *Eye) { e.Width, e.Height = 32, 24 }).Fits(&Grid{Width: 24, Height: 32}); err == nil ||
		!strings.Contains(err.Error(), "is 24 × 32; those of this device are 32 × 24") {
		t.Errorf("a frame of another size: %v", err)
	}
}

func FuzzDecode(f *testing.F) {
	g := gridOf(3, 2, func(x, y int) float64 { return float64(x) + 0.5 })
	asJSON, _ := EncodeJSON(Shot{Grid: g})
	asCBOR, _ := EncodeCBOR(Shot{Grid: g})
	for _, seed := range [][]byte{EncodeCSV(Shot{Grid: g}), asJSON, asCBOR, EncodePGM(Shot{Grid: g}),
		[]byte("P2 1 1 9 5")} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, body []byte) {
		for _, kind := range []string{"", CSV, JSON, CBOR, PGM} {
			shot, err := Decode(kind, body, settled(nil))
			if err != nil {
				continue
			}
			if back, err := Unpack(Pack(shot.Grid)); err != nil || !slices.Equal(back.Counts, shot.Grid.Counts) {
				t.Fatalf("%s: what was read does not come back from its pack: %v", kind, err)
			}
			again, err := Decode(CSV, EncodeCSV(shot), settled(nil))
			if err != nil || again.Grid.Width != shot.Grid.Width || again.Grid.Height != shot.Grid.Height {
				t.Fatalf("%s: what was read cannot be written as CSV: %v", kind, err)
			}
		}
	})
}
