package frame

import (
	"image/color"
	"math"
	"slices"
	"testing"
)

func TestPalettesByName(t *testing.T) {
	names := PaletteNames()
	if !slices.Equal(names, []string{Hearth, Dusk, Ash, Change}) {
		t.Fatal(names)
	}
	for _, name := range names {
		if p, ok := PaletteNamed(name); !ok || p.Name != name {
			t.Errorf("%s: %+v", name, p)
		}
	}
	if _, ok := PaletteNamed("rainbow"); ok {
		t.Error("there is a rainbow")
	}
	if got := Hex(color.RGBA{R: 1, G: 0xab, B: 0xff, A: 0xff}); got != "#01abff" {
		t.Error(got)
	}
	for _, c := range []struct {
		v, low, high float64
		want         uint8
	}{{20, 20, 30, 0}, {30, 20, 30, 255}, {25, 20, 30, 128}, {-5, 20, 30, 0}, {99, 20, 30, 255}, {25, 25, 25, 128}} {
		if got := Index(c.v, c.low, c.high); got != c.want {
			t.Errorf("%v in %v to %v is %d, want %d", c.v, c.low, c.high, got, c.want)
		}
	}
}

// A region's edge is what it covers: its corners lie on its box, and the outline of an ellipse on the ellipse.
func TestOutlinesOfRegions(t *testing.T) {
	for _, c := range []struct {
		text    string
		corners int
		signal  string
	}{{"a rectangle 10,5 20,15", 4, "a-highest"}, {"b spot 16,3", 4, "b"}, {"c polygon 0,0 10,0 5,8", 3, "c-highest"},
		{"d ellipse 12,6 18,12", 48, "d-highest"}} {
		r, err := ParseRegion(c.text)
		if err != nil {
			t.Fatal(err)
		}
		edge := r.Outline()
		if len(edge) != c.corners || r.Signal() != c.signal {
			t.Errorf("%s has %d corners, and the signal %s", c.text, len(edge), r.Signal())
		}
		if r.Shape == Ellipse {
			for _, p := range edge {
				if x, y := (p.X-15)/3, (p.Y-9)/3; math.Abs(x*x+y*y-1) > 1e-9 {
					t.Errorf("%v is not on the ellipse", p)
				}
			}
		}
	}
}

// What has changed between two frames is their difference by pixels; a pixel that is dead in one of them is dead in it.
func TestFramesAreCompared(t *testing.T) {
	warm := gridOf(4, 3, func(x, y int) float64 { return 20 + float64(x) })
	cold := gridOf(4, 3, func(x, y int) float64 { return 18 + float64(y) })
	cold.Counts[5] = Dead
	less, err := warm.Less(cold)
	if err != nil {
		t.Fatal(err)
	}
	for y := range 3 {
		for x := range 4 {
			got, want := less.At(x, y), 2+float64(x)-float64(y)
			if x == 1 && y == 1 {
				if !math.IsNaN(got) {
					t.Errorf("a dead pixel is %v", got)
				}
			} else if !near(got, want, 0.001) {
				t.Errorf("%d,%d: %v, want %v", x, y, got, want)
			}
		}
	}
	if _, err := warm.Less(gridOf(3, 4, func(int, int) float64 { return 1 })); err == nil {
		t.Error("frames of other sizes are compared")
	}
}

// Regions are alike when all that is looked at is alike; a new one, or a changed one, tells of frames anew.
func TestRegionsThatAreLookedAtAlike(t *testing.T) {
	region := func(text string) *Region {
		r, err := ParseRegion(text)
		if err != nil {
			t.Fatal(err)
		}
		return &r
	}
	first := region("a rectangle 10,5 20,15 over 60")
	for text, want := range map[string]bool{"a rectangle 10,5 20,15 over 60": true, "a rectangle 10,5 20,15": false,
		"a rectangle 10,5 20,15 over 61": false, "a rectangle 10,5 20,16 over 60": false,
		"b rectangle 10,5 20,15 over 60": false, "a ellipse 10,5 20,15 over 60": false,
		"a rectangle 10,5 20,15 over 60 emissivity 0.9": false} {
		if first.same(region(text)) != want || region(text).same(first) != want {
			t.Errorf("%s is looked at alike: %v", text, !want)
		}
	}
}
