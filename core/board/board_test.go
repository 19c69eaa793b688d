package board_test

import (
	"bytes"
	"errors"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"jauntylark/core/board"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

func known() *board.Known {
	signals := map[string]struct {
		unit measure.Unit
		kind string
	}{"d/temp": {"Cel", site.KindNumber}, "d/wet": {"%RH", site.KindNumber}, "d/bar": {"Pa", site.KindNumber},
		"d/door": {"", site.KindSwitch}, "d/words": {"", site.KindText}}
	return &board.Known{
		Signal:  func(path string) (measure.Unit, string, bool) { s, is := signals[path]; return s.unit, s.kind, is },
		Signals: []string{"d/temp", "d/wet", "d/bar", "d/door", "d/words"},
		Outputs: []string{"d/fan"}, Totals: []string{"power"}, Boards: []string{"other"},
		Picture: func(id int64) bool { return id == 7 }, Eyes: []string{"eye"},
	}
}

func series(paths ...string) (all []board.Series) {
	for _, p := range paths {
		all = append(all, board.Series{Signal: p})
	}
	return all
}

// What a tiling may not say: the field that the fault names, and a part of its words.
func TestWhatATilingRefuses(t *testing.T) {
	at := func(tile board.Tile) board.Tiling { return board.Tiling{Tiles: []board.Tile{tile}} }
	for name, c := range map[string]struct {
		tiling board.Tiling
		field  string
		says   string
	}{
		"a kind that is none": {at(board.Tile{Kind: "dail", W: 3, H: 4}), "tiles[0].kind", "did you mean dial?"},
		"an unknown signal": {at(board.Tile{Kind: "value", Series: series("d/tmep")}),
			"tiles[0].series[0].signal", "did you mean d/temp?"},
		"no signal": {at(board.Tile{Kind: "lines"}), "tiles[0].series", "needs a signal"},
		"too many signals": {at(board.Tile{Kind: "value", Series: series("d/temp", "d/wet")}),
			"tiles[0].series", "1 at most"},
		"three units": {at(board.Tile{Kind: "lines", Series: series("d/temp", "d/wet", "d/bar")}),
			"tiles[0].series[2].signal", "two axes at most"},
		"a line of text": {at(board.Tile{Kind: "lines", Series: series("d/words")}),
			"tiles[0].series[0].signal", "has no line"},
		"a dial of a switch": {at(board.Tile{Kind: "dial", Series: series("d/door")}),
			"tiles[0].series[0].signal", "shows numbers"},
		"out on the right": {at(board.Tile{Kind: "value", Series: series("d/temp"), X: 10, W: 3, H: 3}),
			"tiles[0]", "12 columns"},
		"too small": {at(board.Tile{Kind: "lines", Series: series("d/temp"), W: 1, H: 1}), "tiles[0]",
			"the least is 3 × 4"},
		"one over the other": {board.Tiling{Tiles: []board.Tile{{Kind: "note", Text: "a", W: 4, H: 4},
			{Kind: "note", Text: "b", X: 3, Y: 3, W: 4, H: 4}}}, "tiles[1]", "lies over"},
		"two of one id": {board.Tiling{Tiles: []board.Tile{{ID: "a", Kind: "note", Text: "a"},
			{ID: "a", Kind: "note", Text: "b"}}}, "tiles[1].id", "another tile"},
		"an empty note": {at(board.Tile{Kind: "note", Text: " "}), "tiles[0].text", "needs some"},
		"an unknown total": {at(board.Tile{Kind: "total", Total: "pwer"}), "tiles[0].total",
			"did you mean power?"},
		"a switch without output": {at(board.Tile{Kind: "switch"}), "tiles[0].outputs", "needs an output"},
		"an unknown output": {at(board.Tile{Kind: "switch", Outputs: []string{"d/fna"}}), "tiles[0].outputs[0]",
			"did you mean d/fan?"},
		"an unknown picture": {at(board.Tile{Kind: "mimic", Picture: 8}), "tiles[0].picture", "no picture 8"},
		"a pin beside the picture": {at(board.Tile{Kind: "mimic", Picture: 7,
			Pins: []board.Pin{{X: 1.1, Kind: "value", Signal: "d/temp"}}}), "tiles[0].pins[0].x", "0 to 1"},
		"a pin of nothing": {at(board.Tile{Kind: "mimic", Picture: 7, Pins: []board.Pin{{Kind: "value"}}}),
			"tiles[0].pins[0].signal", "no signal"},
		"a pin to an unknown board": {at(board.Tile{Kind: "mimic", Picture: 7,
			Pins: []board.Pin{{Kind: "board", Board: "othre"}}}), "tiles[0].pins[0].board", "did you mean other?"},
		"frames of no camera": {at(board.Tile{Kind: "frames", Device: "eey"}), "tiles[0].device",
			"did you mean eye?"},
		"an empty label": {at(board.Tile{Kind: "mimic", Picture: 7, Pins: []board.Pin{{Kind: "label"}}}),
			"tiles[0].pins[0].text", "needs some"},
		"a range of a second": {board.Tiling{Range: 1e9}, "range", "1m to 1098d"},
		"a tile's range": {at(board.Tile{Kind: "value", Series: series("d/temp"), Range: 1e9}),
			"tiles[0].range", "1m to 1098d"},
		"a period of 7 minutes": {at(board.Tile{Kind: "lines", Series: series("d/temp"), Figure: "mean",
			Every: 420e9}), "tiles[0].every", "none of"},
		"a comparison with 1 s ago": {board.Tiling{Compare: 1e9}, "compare", "neither 0s"},
		"sixty-one tiles": {board.Tiling{Tiles: slices.Repeat([]board.Tile{{Kind: "note", Text: "a"}}, 61)},
			"tiles", "60 at most"},
	} {
		c.tiling.Settle()
		err := c.tiling.Check(known())
		var fault *measure.Fault
		if !errors.As(err, &fault) || fault.Field != c.field || !strings.Contains(fault.Reason, c.says) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

func TestATilingWithEachKind(t *testing.T) {
	s := board.Tiling{Tiles: []board.Tile{
		{Kind: "value", Series: series("d/temp")}, {Kind: "value", Series: series("d/words")},
		{Kind: "bar", Series: series("d/temp", "d/wet")}, {Kind: "dial", Series: series("d/wet")},
		{Kind: "lines", Series: series("d/temp", "d/wet", "d/temp"), Figure: "mean"},
		{Kind: "states", Series: series("d/door")}, {Kind: "spread", Series: series("d/temp"), Profile: true},
		{Kind: "table", Series: series("d/temp", "d/words")}, {Kind: "total", Total: "power"}, {Kind: "journal"},
		{Kind: "switch", Outputs: []string{"d/fan"}}, {Kind: "note", Text: "# Hello"}, {Kind: "frames", Device: "eye"},
		{Kind: "mimic", Picture: 7, Pins: []board.Pin{{X: 0.5, Y: 1, Kind: "value", Signal: "d/temp"},
			{Kind: "lamp", Output: "d/fan"}, {Kind: "board", Board: "other"},
			{Kind: "label", Text: "Door", Signal: "d/door"}}},
	}}
	s.Settle()
	if err := s.Check(known()); err != nil {
		t.Fatal(err)
	}
	if s.Range != measure.Duration(86_400e9) || s.Tiles[slices.IndexFunc(s.Tiles,
		func(t board.Tile) bool { return t.Kind == "lines" })].Every != measure.Duration(3600e9) {
		t.Errorf("what was left out: %+v", s)
	}
	if got := s.Signals(); !slices.Equal(slices.Sorted(slices.Values(got)),
		[]string{"d/door", "d/temp", "d/wet", "d/words"}) {
		t.Errorf("signals %v", got)
	}
}

// Whatever sizes tiles ask for, placing them makes a tiling that Check lets pass, and placing it again changes nothing.
func TestSettlingPlacesWithoutOverlap(t *testing.T) {
	kinds := []string{"value", "bar", "dial", "lines", "states", "spread", "table", "journal", "note"}
	r := rand.New(rand.NewPCG(9, 1))
	for range 300 {
		s := board.Tiling{}
		for range 1 + r.IntN(30) {
			tile := board.Tile{Kind: kinds[r.IntN(len(kinds))], Text: "x", Series: series("d/temp")}
			if tile.Kind == "note" {
				tile.Series = nil
			}
			s.Tiles = append(s.Tiles, tile)
		}
		s.Settle()
		if err := s.Check(known()); err != nil {
			t.Fatalf("%v: %+v", err, s.Tiles)
		}
		for i := range s.Tiles[1:] {
			a, b := s.Tiles[i], s.Tiles[i+1]
			if a.Y > b.Y || a.Y == b.Y && a.X >= b.X {
				t.Fatalf("not in reading order: %+v before %+v", a, b)
			}
		}
		if first := s.Tiles[0]; first.X != 0 || first.Y != 0 {
			t.Fatalf("the first place was free, and the first tile lies at %d, %d", first.X, first.Y)
		}
		again := board.Tiling{Tiles: slices.Clone(s.Tiles), Range: s.Range}
		again.Settle()
		for i := range s.Tiles {
			if a, b := s.Tiles[i], again.Tiles[i]; a.ID != b.ID || a.X != b.X || a.Y != b.Y || a.ID == "" {
				t.Fatalf("settled again: %+v is %+v", a, b)
			}
		}
	}
}

func drawing(w, h int) *image.RGBA {
	m := image.NewRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			m.Set(x, y, color.RGBA{uint8(x * 255 / w), uint8(y * 255 / h), 40, 255})
		}
	}
	return m
}

func encoded(t *testing.T, m image.Image, asJPEG bool) []byte {
	var out bytes.Buffer
	err := png.Encode(&out, m)
	if asJPEG {
		out.Reset()
		err = jpeg.Encode(&out, m, nil)
	}
	if err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// exif puts a directory with a place, a maker and an orientation into a JPEG.
func exif(body []byte, orientation byte) []byte {
	tiff := append([]byte("MM\x00*\x00\x00\x00\x08\x00\x01\x01\x12\x00\x03\x00\x00\x00\x01\x00"), orientation, 0, 0, 0,
		0, 0, 0)
	segment := append([]byte("Exif\x00\x00"), append(tiff, "53.3498N 6.2603W SECRET PLACE"...)...)
	size := len(segment) + 2
	return slices.Concat(body[:2], []byte{0xff, 0xe1, byte(size >> 8), byte(size)}, segment, body[2:])
}

func TestAPhotoIsTurnedAndItsPlaceForgotten(t *testing.T) {
	for orientation, want := range map[byte][3]int{1: {40, 20, 0}, 3: {40, 20, 1}, 6: {20, 40, 2}, 8: {20, 40, 3}} {
		p, err := board.NewPicture("a.jpg", exif(encoded(t, drawing(40, 20), true), orientation))
		if err != nil {
			t.Fatal(err)
		}
		if p.Width != want[0] || p.Height != want[1] || p.Type != "image/jpeg" ||
			bytes.Contains(p.Body, []byte("SECRET")) || bytes.Contains(p.Body, []byte("Exif")) {
			t.Errorf("orientation %d: %d × %d %s", orientation, p.Width, p.Height, p.Type)
		}
		// Red grows to the right and green downwards in what was taken; where its first corner is now tells the turn.
		m, err := jpeg.Decode(bytes.NewReader(p.Body))
		if err != nil {
			t.Fatal(err)
		}
		w, h := p.Width-1, p.Height-1
		corner := [][2]int{{0, 0}, {w, h}, {w, 0}, {0, h}}[want[2]]
		if r, g, _, _ := m.At(corner[0], corner[1]).RGBA(); r > 12000 || g > 12000 {
			t.Errorf("orientation %d: the first corner is not at %v (%d %d)", orientation, corner, r, g)
		}
	}
}

func TestPicturesThatAreRefusedOrScaled(t *testing.T) {
	if p, err := board.NewPicture("wide", encoded(t, image.NewRGBA(image.Rect(0, 0, 5000, 100)), false)); err != nil ||
		p.Width != 2560 || p.Height != 51 || p.Type != "image/png" {
		t.Errorf("%v %d × %d %s", err, p.Width, p.Height, p.Type)
	}
	huge := encoded(t, image.NewGray(image.Rect(0, 0, 10_000, 10_000)), false)
	for name, c := range map[string]struct {
		body []byte
		says string
	}{
		"text":             {[]byte("hello"), "no picture"},
		"nothing":          {nil, "no picture"},
		"a cut one":        {encoded(t, drawing(50, 50), false)[:120], "damaged"},
		"100 megapixels":   {huge, "10000 × 10000"},
		"too many bytes":   {make([]byte, 13<<20), "bytes"},
		"HTML":             {[]byte("<html><body>no</body></html>"), "no picture"},
		"an SVG in pieces": {[]byte("<svg xmlns='http://www.w3.org/2000/svg'><rect"), "no SVG"},
	} {
		if _, err := board.NewPicture(name, c.body); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

func TestAnSVGIsMadeSafe(t *testing.T) {
	const evil = `<?xml version="1.0"?><!DOCTYPE svg [<!ENTITY x "y">]>
	<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" viewBox="0 0 640 480" onload="alert(1)">
	<script>alert(2)</script><style>@import url(http://evil.example/a.css)</style>
	<defs><linearGradient id="g"><stop offset="0" stop-color="red"/></linearGradient></defs>
	<rect x="1" y="2" width="30" height="40" fill="url(#g)" onclick="alert(3)" style="stroke: blue; background: url(http://evil.example)"/>
	<a href="javascript:alert(4)"><text>in a link</text></a>
	<image href="http://evil.example/p.png"/><use href="http://evil.example/x.svg#a"/><use xlink:href="#g"/>
	<foreignObject><div xmlns="http://www.w3.org/1999/xhtml">html</div></foreignObject>
	<circle cx="5" cy="5" r="4" fill="url(http://evil.example#a)"><animate attributeName="r" to="9"/></circle>
	<text x="4" y="9">Boiler &amp; fan &lt;now&gt;</text></svg>`
	p, err := board.NewPicture("evil.svg", []byte(evil))
	if err != nil {
		t.Fatal(err)
	}
	got := string(p.Body)
	for _, bad := range []string{"script", "alert", "evil.example", "onload", "onclick", "style", "<a", "image",
		"foreign", "html", "animate", "ENTITY"} {
		if strings.Contains(got, bad) {
			t.Errorf("%q stayed: %s", bad, got)
		}
	}
	for _, good := range []string{`fill="url(#g)"`, `stroke="blue"`, `<use href="#g">`, "Boiler &amp; fan &lt;now&gt;",
		`viewBox="0 0 640 480"`, `width="640" height="480"`} {
		if !strings.Contains(got, good) {
			t.Errorf("%q is lost: %s", good, got)
		}
	}
	if p.Width != 640 || p.Height != 480 {
		t.Errorf("%d × %d", p.Width, p.Height)
	}
	again, err := board.NewPicture("again", p.Body)
	if err != nil || string(again.Body) != got {
		t.Errorf("made safe again it is another: %v %s", err, again.Body)
	}
	bomb := `<svg xmlns="http://www.w3.org/2000/svg">` + strings.Repeat(`<use href="#a"/>`, 300) + `</svg>`
	if _, err := board.NewPicture("bomb", []byte(bomb)); err == nil || !strings.Contains(err.Error(), "too large") {
		t.Errorf("a bomb: %v", err)
	}
}

func FuzzPicture(f *testing.F) {
	f.Add([]byte(`<svg xmlns="http://www.w3.org/2000/svg" width="4" height="4"><path d="M0 0"/></svg>`))
	f.Add([]byte("\xff\xd8\xff\xe1\x00\x10Exif\x00\x00II*\x00\x08\x00\x00\x00"))
	f.Add([]byte("\x89PNG\r\n\x1a\n"))
	f.Fuzz(func(t *testing.T, body []byte) {
		p, err := board.NewPicture("x", body)
		if err != nil {
			return
		}
		if p.Width < 1 || p.Height < 1 || len(p.Body) == 0 || p.Type == "" {
			t.Fatalf("%+v", p)
		}
		if p.Type == "image/svg+xml" && strings.Contains(strings.ToLower(string(p.Body)), "<script") {
			t.Fatalf("a script stayed: %s", p.Body)
		}
	})
}

func minute(i int) measure.Instant { return measure.Instant(i) * 60_000 }

func TestACourseOfStates(t *testing.T) {
	s := &site.Signal{Kind: site.KindSwitch, Interval: measure.Duration(60e9)}
	c := board.NewCourse(s, minute(0), minute(30))
	read := func(at int, value float64, q measure.Quality) {
		c.Add([]measure.Reading{{At: minute(at), Value: value, Quality: q}})
	}
	read(0, 0, 0)
	read(1, 1, 0)
	read(2, 1, 0)
	read(3, 0, 0)
	read(4, 0, 0)
	read(20, 1, 0)                   // silent since 4: off until 7
	read(21, 1, measure.Implausible) // no state
	read(22, 1, 0)
	c.End() // silent after 22: on until 25
	want := []board.StateStretch{{minute(0), minute(1), "off"}, {minute(1), minute(3), "on"},
		{minute(3), minute(7), "off"}, {minute(20), minute(21), "on"}, {minute(22), minute(25), "on"}}
	if !slices.Equal(c.Stretches, want) {
		t.Errorf("%v", c.Stretches)
	}
	if len(c.States) != 2 || c.States[0] != (board.StateSum{State: "on", Lasted: 6 * 60_000, Times: 3}) ||
		c.States[1].Lasted != 5*60_000 {
		t.Errorf("%+v", c.States)
	}
}

// However often a state changes, its sums are exact and the stretches are bounded.
func TestACourseOfManyChangesIsReduced(t *testing.T) {
	low := 0.5
	s := &site.Signal{Kind: site.KindNumber, Bands: site.Bands{{Name: "dry", To: &low}, {Name: "wet", From: &low}}}
	const n = 200_000
	c := board.NewCourse(s, 0, n*1000)
	for i := range n {
		c.Add([]measure.Reading{{At: measure.Instant(i) * 1000, Value: float64(i % 2)}})
	}
	c.End()
	if len(c.Stretches) > 8000 || !c.Reduced || c.States[0].Lasted+c.States[1].Lasted != n*1000 || c.States[0].Times != n/2 {
		t.Errorf("%d stretches, reduced %t, %+v", len(c.Stretches), c.Reduced, c.States)
	}
	for i := 1; i < len(c.Stretches); i++ {
		if c.Stretches[i].From < c.Stretches[i-1].Until {
			t.Fatalf("stretches overlap: %v %v", c.Stretches[i-1], c.Stretches[i])
		}
	}
}
