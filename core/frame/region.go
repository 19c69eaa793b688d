package frame

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// The shapes of a region.
const (
	Spot      = "spot"      // one pixel
	Rectangle = "rectangle" // two opposite corners
	Ellipse   = "ellipse"   // two opposite corners of the rectangle around it
	Polygon   = "polygon"   // three corners or more
)

// Shapes lists them.
var Shapes = []string{Spot, Rectangle, Ellipse, Polygon}

// Region is a part of the picture that is looked at by itself. A pixel is in it when its middle is.
type Region struct {
	Name       string   `json:"name" pattern:"^[a-z0-9][a-z0-9-]{0,62}$" doc:"its signals begin with it" example:"terminal-2"`
	Shape      string   `json:"shape" enum:"spot,rectangle,ellipse,polygon"`
	Points     []Point  `json:"points" nullable:"false" minItems:"1" maxItems:"60" doc:"of a spot: one; of a rectangle or an ellipse: two opposite corners; of a polygon: its corners"`
	Over       *float64 `json:"over,omitempty" required:"false" doc:"in °C: the share of its pixels above this is a signal too"`
	Emissivity float64  `json:"emissivity,omitzero" required:"false" minimum:"0" maximum:"1" doc:"of what is seen there; the picture's when left out"`
}

// Point is a place in the picture, in pixels from its left and upper edge: the middle of the first pixel is 0.5, 0.5.
type Point struct {
	X float64 `json:"x"`
	Y float64 `json:"y"`
}

const mostCorners = 60

// check tells what is wrong with a region of a picture of some size; 0 × 0: of a size that is not known yet.
func (r *Region) check(width, height int) error {
	if err := site.CheckName(r.Name); err != nil {
		return fault("name", "%s", err)
	}
	if len(r.Name) > 40 {
		return fault("name", "%q has %d characters; a region's has 40 at most, since its signals' names are longer",
			r.Name, len(r.Name))
	}
	need, most := 2, 2
	switch r.Shape {
	case Spot:
		need, most = 1, 1
	case Polygon:
		need, most = 3, mostCorners
	case Rectangle, Ellipse:
	default:
		return fault("shape", "%s; shapes are spot, rectangle, ellipse, polygon",
			site.Unknown("shape", r.Shape, Shapes))
	}
	if len(r.Points) < need || len(r.Points) > most {
		return fault("points", "a %s has %d points at least and %d at most; %d came", r.Shape, need, most,
			len(r.Points))
	}
	for i, p := range r.Points {
		if math.IsNaN(p.X) || math.IsNaN(p.Y) || p.X < 0 || p.Y < 0 || width > 0 &&
			(p.X > float64(width) || p.Y > float64(height)) || p.X > MaxSide || p.Y > MaxSide {
			return fault("points", "point %d (%v, %v) lies outside of the picture, which is %d × %d", i+1, p.X, p.Y,
				width, height)
		}
	}
	if r.Emissivity != 0 {
		if err := checkEmissivity(r.Emissivity); err != nil {
			return err
		}
	}
	if width > 0 {
		some := false
		r.each(width, height, func(_, from, until int) { some = some || from < until })
		if !some {
			return fault("points", "there is no middle of a pixel in it; draw it larger")
		}
	}
	return nil
}

// each tells, row by row, which pixels lie in the region: from one up to before another.
func (r *Region) each(width, height int, tell func(y, from, until int)) {
	low, high := r.box()
	if r.Shape == Spot {
		x, y := min(int(low.X), width-1), min(int(low.Y), height-1)
		tell(y, x, x+1)
		return
	}
	for y := max(0, int(math.Ceil(low.Y-0.5))); y < height && float64(y)+0.5 <= high.Y; y++ {
		for _, s := range r.across(float64(y)+0.5, low, high) {
			from, until := max(0, int(math.Ceil(s[0]-0.5))), min(width, int(math.Floor(s[1]-0.5))+1)
			if from < until {
				tell(y, from, until)
			}
		}
	}
}

// across gives the stretches in which a line at some height crosses the region.
func (r *Region) across(y float64, low, high Point) [][2]float64 {
	switch r.Shape {
	case Rectangle:
		return [][2]float64{{low.X, high.X}}
	case Ellipse:
		ry, rx := (high.Y-low.Y)/2, (high.X-low.X)/2
		t := (y - (low.Y + ry)) / ry
		if ry == 0 || t*t > 1 {
			return nil
		}
		half := rx * math.Sqrt(1-t*t)
		return [][2]float64{{low.X + rx - half, low.X + rx + half}}
	}
	var crossings []float64
	for i, a := range r.Points { // the even-odd rule
		b := r.Points[(i+1)%len(r.Points)]
		if (a.Y <= y) != (b.Y <= y) {
			crossings = append(crossings, a.X+(y-a.Y)/(b.Y-a.Y)*(b.X-a.X))
		}
	}
	slices.Sort(crossings)
	var out [][2]float64
	for i := 0; i+1 < len(crossings); i += 2 {
		out = append(out, [2]float64{crossings[i], crossings[i+1]})
	}
	return out
}

// box gives the corners of the upright rectangle around the region.
func (r *Region) box() (low, high Point) {
	low, high = r.Points[0], r.Points[0]
	for _, p := range r.Points {
		low, high = Point{min(low.X, p.X), min(low.Y, p.Y)}, Point{max(high.X, p.X), max(high.Y, p.Y)}
	}
	return low, high
}

// same tells whether two regions are looked at alike.
func (r *Region) same(o *Region) bool {
	over := func(v *float64) float64 {
		if v == nil {
			return math.Inf(1)
		}
		return *v
	}
	return r.Name == o.Name && r.Shape == o.Shape && slices.Equal(r.Points, o.Points) && over(r.Over) == over(o.Over) &&
		r.Emissivity == o.Emissivity
}

// Contrast compares two regions.
type Contrast struct {
	Name string `json:"name" pattern:"^[a-z0-9][a-z0-9-]{0,62}$" doc:"of the signal" example:"terminal-2-over-others"`
	Of   string `json:"of" doc:"a region"`
	Less string `json:"less" doc:"another one, or 'picture' for the whole picture"`
	What string `json:"what,omitempty" required:"false" enum:"highest,mean" doc:"which of their figures; highest when left out"`
}

// Whole is what the whole picture is called in differences.
const Whole = "picture"

// Shifts of units.
const kelvin = 273.15

// Correct gives the true temperature, in °C, of a grey surface from the apparent one that a camera shows which takes it
// for black: T = ((Ta⁴ − (1 − ε)·Tr⁴) / ε)^¼ in kelvins, where ε is the surface's emissivity and Tr the temperature of
// what it reflects. It follows from the law of Stefan and Boltzmann and that of Kirchhoff (see ISO 18434-1:2008, 6.3),
// for total radiation, opaque grey surfaces, and paths so short that the air takes nothing. NaN where there is no such
// temperature: less radiation came than is reflected alone.
func Correct(apparent, emissivity, reflected float64) float64 {
	if emissivity == 1 {
		return apparent
	}
	fourth := func(c float64) float64 { k := c + kelvin; return k * k * k * k }
	return math.Sqrt(math.Sqrt((fourth(apparent)-(1-emissivity)*fourth(reflected))/emissivity)) - kelvin
}

// Apparent is the reverse of Correct: what a camera shows of a grey surface that it takes for black.
func Apparent(truth, emissivity, reflected float64) float64 {
	fourth := func(c float64) float64 { k := c + kelvin; return k * k * k * k }
	return math.Sqrt(math.Sqrt(emissivity*fourth(truth)+(1-emissivity)*fourth(reflected))) - kelvin
}

func checkEmissivity(e float64) error {
	if !(e >= 0.05 && e <= 1) {
		return fault("emissivity",
			"%v is not 0.05 to 1; below, a surface is a mirror and its temperature cannot be told", e)
	}
	return nil
}

// unit of temperatures.
const celsius = measure.Unit("Cel")

// Outline gives the corners of the region's edge: of an ellipse 48 of them, of a spot a small cross's.
func (r *Region) Outline() []Point {
	low, high := r.box()
	switch r.Shape {
	case Polygon:
		return r.Points
	case Spot:
		return []Point{{low.X - 0.7, low.Y}, {low.X, low.Y - 0.7}, {low.X + 0.7, low.Y}, {low.X, low.Y + 0.7}}
	case Rectangle:
		return []Point{low, {high.X, low.Y}, high, {low.X, high.Y}}
	}
	const corners = 48
	out := make([]Point, corners)
	for i := range out {
		sin, cos := math.Sincos(2 * math.Pi * float64(i) / corners)
		out[i] = Point{(low.X+high.X)/2 + (high.X-low.X)/2*cos, (low.Y+high.Y)/2 + (high.Y-low.Y)/2*sin}
	}
	return out
}

// Signal is the name of the region's first signal: its value for a spot, its highest for others.
func (r *Region) Signal() string {
	if r.Shape == Spot {
		return r.Name
	}
	return r.Name + "-highest"
}

// ParseRegion reads what people write: "terminal-2 ellipse 12,6 18,12 over 60 emissivity 0.9".
func ParseRegion(text string) (r Region, err error) {
	words := strings.Fields(text)
	if len(words) < 3 {
		return r, fmt.Errorf("%q is not 'NAME SHAPE X,Y ... [over LIMIT] [emissivity E]'", text)
	}
	r.Name, r.Shape = words[0], words[1]
	for i := 2; i < len(words); i++ {
		switch word := words[i]; {
		case (word == "over" || word == "emissivity") && i+1 < len(words):
			v, err := strconv.ParseFloat(words[i+1], 64)
			if err != nil {
				return r, fmt.Errorf("%s %q is no number", word, words[i+1])
			}
			if i++; word == "over" {
				r.Over = &v
			} else {
				r.Emissivity = v
			}
		default:
			x, y, found := strings.Cut(word, ",")
			px, errX := strconv.ParseFloat(x, 64)
			py, errY := strconv.ParseFloat(y, 64)
			if !found || errX != nil || errY != nil {
				return r, fmt.Errorf("%q is no point like 12,6", word)
			}
			r.Points = append(r.Points, Point{px, py})
		}
	}
	return r, r.check(0, 0)
}

// String writes the region as ParseRegion reads it.
func (r *Region) String() string {
	text := r.Name + " " + r.Shape
	for _, p := range r.Points {
		text += fmt.Sprintf(" %v,%v", p.X, p.Y)
	}
	if r.Over != nil {
		text += fmt.Sprintf(" over %v", *r.Over)
	}
	if r.Emissivity != 0 {
		text += fmt.Sprintf(" emissivity %v", r.Emissivity)
	}
	return text
}
