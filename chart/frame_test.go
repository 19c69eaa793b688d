package chart

import (
	"bytes"
	"image"
	"image/color"
	"image/gif"
	"image/png"
	"math"
	"strings"
	"testing"

	"jauntylark/core/frame"
	"jauntylark/core/statement"
)

// ramp is a grid that gets warmer to the right, with one pixel that gives nothing.
func ramp(width, height int) *frame.Grid {
	g := &frame.Grid{Width: width, Height: height, Scale: 1, Offset: 20, Counts: make([]int32, width*height)}
	for i := range g.Counts {
		g.Counts[i] = int32(i % width)
	}
	g.Counts[0] = frame.Dead
	return g
}

func decoded(t *testing.T, text []byte) image.Image {
	t.Helper()
	drawn, err := png.Decode(bytes.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	return drawn
}

// light is how light a colour seems (relative luminance, WCAG 2.2).
func light(c color.Color) float64 {
	r, g, b, _ := c.RGBA()
	part := func(v uint32) float64 {
		f := float64(v) / 0xffff
		if f <= 0.04045 {
			return f / 12.92
		}
		return math.Pow((f+0.055)/1.055, 2.4)
	}
	return 0.2126*part(r) + 0.7152*part(g) + 0.0722*part(b)
}

func TestAFrameGetsLighterWhereItIsWarmer(t *testing.T) {
	for _, name := range []string{"hearth", "dusk", "ash"} {
		var out bytes.Buffer
		if err := FramePNG(&out, Shown{Grid: ramp(32, 24)}, FrameLook{Palette: palette(t, name), Bare: true,
			Width: 320}); err != nil {
			t.Fatal(err)
		}
		drawn := decoded(t, out.Bytes())
		if size := drawn.Bounds().Size(); size != image.Pt(320, 240) {
			t.Fatalf("%s is drawn %v", name, size)
		}
		before := -1.0
		for x := range 32 {
			now := light(drawn.At(x*10+5, 125))
			if now <= before {
				t.Errorf("%s: pixel %d is %.3f light, after %.3f", name, x, now, before)
			}
			before = now
		}
		if got := color.RGBAModel.Convert(drawn.At(5, 5)); got != deadTint {
			t.Errorf("%s: a dead pixel is %v", name, got)
		}
	}
}

func TestAFixedRangeAndAChange(t *testing.T) {
	low, high := 0.0, 200.0
	l := FrameLook{Palette: palette(t, "hearth"), Low: &low, High: &high}
	if a, b := l.span([]Shown{{Grid: ramp(4, 4)}}); a != 0 || b != 200 {
		t.Errorf("%v to %v", a, b)
	}
	l = FrameLook{Palette: palette(t, "change")}
	if a, b := l.span([]Shown{{Grid: ramp(4, 4)}}); a != -23 || b != 23 {
		t.Errorf("a change is drawn from %v to %v, not evenly about none", a, b)
	}
	blank := &frame.Grid{Width: 1, Height: 1, Scale: 1, Counts: []int32{frame.Dead}}
	var out bytes.Buffer
	if err := FramePNG(&out, Shown{Grid: blank}, FrameLook{Palette: palette(t, "ash")}); err != nil {
		t.Errorf("a frame without any value: %v", err)
	}
}

func palette(t *testing.T, name string) *frame.Palette {
	t.Helper()
	p, known := frame.PaletteNamed(name)
	if !known {
		t.Fatalf("no palette %s", name)
	}
	return p
}

func TestRegionsAreOutlined(t *testing.T) {
	box := frame.Region{Name: "terminal", Shape: frame.Rectangle, Points: []frame.Point{{X: 8, Y: 6}, {X: 24, Y: 18}}}
	look := FrameLook{Palette: palette(t, "hearth"), Bare: true, Width: 320}
	var plain, outlined bytes.Buffer
	if err := FramePNG(&plain, Shown{Grid: ramp(32, 24)}, look); err != nil {
		t.Fatal(err)
	}
	look.Regions = []frame.Region{box}
	if err := FramePNG(&outlined, Shown{Grid: ramp(32, 24)}, look); err != nil {
		t.Fatal(err)
	}
	a, b := decoded(t, plain.Bytes()), decoded(t, outlined.Bytes())
	if a.At(80, 120) == b.At(80, 120) {
		t.Error("the left edge is not drawn")
	}
	if a.At(160, 120) != b.At(160, 120) || a.At(20, 20) != b.At(20, 20) {
		t.Error("more than the edge is drawn")
	}
}

func TestAMovingPictureHasOneScale(t *testing.T) {
	warm := ramp(8, 8)
	warm.Offset += 40
	var out bytes.Buffer
	if err := FrameGIF(&out, []Shown{{ramp(8, 8), "first"}, {warm, "second"}}, FrameLook{Palette: palette(t, "hearth"),
		Bare: true, Width: 80}, 25); err != nil {
		t.Fatal(err)
	}
	all, err := gif.DecodeAll(&out)
	if err != nil || len(all.Image) != 2 || all.Delay[0] != 25 {
		t.Fatalf("%v, %d pictures", err, len(all.Image))
	}
	if cool, hot := light(all.Image[0].At(75, 75)), light(all.Image[1].At(75, 75)); cool >= hot/2 {
		t.Errorf("27 °C is %.2f light beside 67 °C with %.2f", cool, hot)
	}
	if err := FrameGIF(&out, nil, FrameLook{}, 25); err == nil {
		t.Error("no frames make a moving picture")
	}
}

// The three corners of a code are squares of seven modules (ISO/IEC 18004, 6.3.3), and around it is a margin of four.
func TestALabelCarriesACode(t *testing.T) {
	l := Label{Link: "https://lark.hollowbrook.example/assets/fog-pump", Title: "Fog pump <1>",
		Place: "Propagation bench"}
	c, err := l.code()
	if err != nil {
		t.Fatal(err)
	}
	var out bytes.Buffer
	if err := LabelPNG(&out, l); err != nil {
		t.Fatal(err)
	}
	drawn := decoded(t, out.Bytes())
	black := func(x, y int) bool {
		return light(drawn.At((quiet+x)*moduleSize+moduleSize/2, (quiet+y)*moduleSize+moduleSize/2)) < 0.5
	}
	for _, corner := range []image.Point{{}, {X: c.Size - 7}, {Y: c.Size - 7}} {
		for i := range 7 {
			for j := range 7 {
				ring := max(abs(i-3), abs(j-3))
				if want := ring != 2; black(corner.X+i, corner.Y+j) != want {
					t.Fatalf("corner %v, module %d,%d is not black=%v", corner, i, j, want)
				}
			}
		}
	}
	if black(-1, 3) || black(c.Size, 3) {
		t.Error("the margin is not white")
	}
	out.Reset()
	if err := LabelSVG(&out, l); err != nil || !strings.Contains(out.String(), "Fog pump &lt;1&gt;") {
		t.Errorf("%v: %s", err, out.String())
	}
	out.Reset()
	if err := LabelSheet(&out, []Label{l, l}); err != nil || !bytes.HasPrefix(out.Bytes(), []byte("%PDF-")) {
		t.Errorf("%v: no document", err)
	}
	l.Link = strings.Repeat("x", 4000)
	if err := LabelPNG(&out, l); err == nil {
		t.Error("4,000 signs fit into a code")
	}
}

func TestASheetBecomesADocument(t *testing.T) {
	var picture, out bytes.Buffer
	if err := FramePNG(&picture, Shown{Grid: ramp(8, 6), Title: "now"},
		FrameLook{Palette: palette(t, "hearth")}); err != nil {
		t.Fatal(err)
	}
	sheet := &statement.Sheet{Title: "Heap 7", Words: "on for 9 days", Site: "Hollowbrook",
		Says: []string{"Reached 71 °C ✓"}, Tables: []statement.Table{{Title: "Signals", Columns: []string{"a", "b"}}}}
	for range 120 { // more than a page
		sheet.Tables[0].Rows = append(sheet.Tables[0].Rows, []string{"Core temperature", "69.9 °C"})
	}
	if err := SheetPDF(&out, sheet, picture.Bytes()); err != nil {
		t.Fatal(err)
	}
	if pages := bytes.Count(out.Bytes(), []byte("/Type /Page\n")); pages < 3 {
		t.Errorf("%d pages", pages)
	}
	if !bytes.Contains(out.Bytes(), []byte("/Subtype /Image")) {
		t.Error("the picture is missing")
	}
	if err := SheetPDF(&out, sheet, []byte("no picture")); err == nil {
		t.Error("what is no picture is taken for one")
	}
}
