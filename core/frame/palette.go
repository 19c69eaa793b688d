package frame

import (
	"fmt"
	"image/color"
	"math"
	"sync"
)

// Palette colours temperatures: 256 colours from the coldest to the hottest, between which the eye sees even steps.
// They are laid out in OKLab (Ottosson 2020, "A perceptual color space for image processing"), along curves of equal
// steps, within what sRGB can show.
type Palette struct {
	Name    string
	Words   string // what it is good for
	Both    bool   // it goes to both sides of a middle: for differences
	Colours [steps]color.RGBA
}

const steps = 256

// lch is a colour as lightness, chroma and hue in OKLab; the hue in degrees.
type lch struct{ l, c, h float64 }

// The names of the palettes.
const (
	Hearth = "hearth"
	Dusk   = "dusk"
	Ash    = "ash"
	Change = "change"
)

// Palettes gives all palettes; the first is the usual one.
var Palettes = sync.OnceValue(func() []Palette {
	return []Palette{
		lay(Hearth, "warm colours, from a night sky to a flame", false, lch{0.16, 0.05, 275}, lch{0.33, 0.14, 310},
			lch{0.5, 0.19, 358}, lch{0.66, 0.19, 40}, lch{0.82, 0.15, 78}, lch{0.97, 0.05, 105}),
		lay(Dusk, "blue to yellow, for eyes that do not tell red from green", false, lch{0.18, 0.07, 262},
			lch{0.38, 0.09, 262}, lch{0.57, 0.02, 180}, lch{0.76, 0.1, 98}, lch{0.95, 0.13, 102}),
		lay(Ash, "grey, for print", false, lch{0.12, 0, 0}, lch{0.98, 0, 0}),
		lay(Change, "blue where it is colder, brown where it is warmer", true, lch{0.36, 0.12, 255},
			lch{0.66, 0.11, 240}, lch{0.97, 0.005, 90}, lch{0.68, 0.13, 62}, lch{0.38, 0.1, 50}),
	}
})

// PaletteNamed gives a palette; false when there is none of the name.
func PaletteNamed(name string) (*Palette, bool) {
	all := Palettes()
	for i := range all {
		if all[i].Name == name {
			return &all[i], true
		}
	}
	return nil, false
}

// PaletteNames lists the palettes' names.
func PaletteNames() (names []string) {
	for _, p := range Palettes() {
		names = append(names, p.Name)
	}
	return names
}

// Index gives which colour a temperature has in a range, 0 to 255.
func Index(v, low, high float64) uint8 {
	if high <= low {
		return steps / 2
	}
	return uint8(math.Round(255 * min(1, max(0, (v-low)/(high-low)))))
}

// Hex writes a colour as a page does: #rrggbb.
func Hex(c color.RGBA) string { return fmt.Sprintf("#%02x%02x%02x", c.R, c.G, c.B) }

type lab [3]float64

func (c lch) lab() lab {
	angle := c.h * math.Pi / 180
	return lab{c.l, c.c * math.Cos(angle), c.c * math.Sin(angle)}
}

func (a lab) to(b lab, t float64) lab {
	return lab{a[0] + t*(b[0]-a[0]), a[1] + t*(b[1]-a[1]), a[2] + t*(b[2]-a[2])}
}

func (a lab) far(b lab) float64 {
	return math.Sqrt((a[0]-b[0])*(a[0]-b[0]) + (a[1]-b[1])*(a[1]-b[1]) + (a[2]-b[2])*(a[2]-b[2]))
}

// lay lays colours out along a curve through some, in steps of equal length.
func lay(name, words string, both bool, through ...lch) Palette {
	const fine = 4000
	curve := make([]lab, fine+1)
	for i := range curve {
		at := float64(i) / fine * float64(len(through)-1)
		k := min(int(at), len(through)-2)
		curve[i] = fitted(smooth(through, k, at-float64(k)))
	}
	length := make([]float64, len(curve))
	for i := 1; i < len(curve); i++ {
		length[i] = length[i-1] + curve[i].far(curve[i-1])
	}
	p := Palette{Name: name, Words: words, Both: both}
	k := 1
	for i := range steps {
		want := length[fine] * float64(i) / (steps - 1)
		for k < fine && length[k] < want {
			k++
		}
		t := 0.0
		if length[k] > length[k-1] {
			t = (want - length[k-1]) / (length[k] - length[k-1])
		}
		p.Colours[i] = curve[k-1].to(curve[k], min(1, max(0, t))).rgb()
	}
	return p
}

// smooth goes through the colours on a Catmull-Rom curve.
func smooth(through []lch, k int, t float64) lab {
	at := func(i int) lab { return through[min(max(i, 0), len(through)-1)].lab() }
	a, b, c, d := at(k-1), at(k), at(k+1), at(k+2)
	var out lab
	for i := range out {
		out[i] = 0.5 * (2*b[i] + (c[i]-a[i])*t + (2*a[i]-5*b[i]+4*c[i]-d[i])*t*t + (3*b[i]-a[i]-3*c[i]+d[i])*t*t*t)
	}
	return out
}

// fitted takes colour away until sRGB can show what is left.
func fitted(c lab) lab {
	for range 60 {
		r, g, b := c.linear()
		if min(r, g, b) >= -1e-4 && max(r, g, b) <= 1+1e-4 {
			return c
		}
		c[1], c[2] = c[1]*0.97, c[2]*0.97
	}
	return c
}

// linear gives the linear sRGB of a colour in OKLab.
func (a lab) linear() (r, g, b float64) {
	cube := func(v float64) float64 { return v * v * v }
	l := cube(a[0] + 0.3963377774*a[1] + 0.2158037573*a[2])
	m := cube(a[0] - 0.1055613458*a[1] - 0.0638541728*a[2])
	s := cube(a[0] - 0.0894841775*a[1] - 1.2914855480*a[2])
	return 4.0767416621*l - 3.3077115913*m + 0.2309699292*s, -1.2684380046*l + 2.6097574011*m - 0.3413193965*s,
		-0.0041960863*l - 0.7034186147*m + 1.7076147010*s
}

// rgb is the colour as sRGB (IEC 61966-2-1).
func (a lab) rgb() color.RGBA {
	shown := func(v float64) uint8 {
		v = min(1, max(0, v))
		if v <= 0.0031308 {
			return uint8(math.Round(255 * 12.92 * v))
		}
		return uint8(math.Round(255 * (1.055*math.Pow(v, 1/2.4) - 0.055)))
	}
	r, g, b := a.linear()
	return color.RGBA{shown(r), shown(g), shown(b), 255}
}
