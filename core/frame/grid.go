package frame

import (
	"fmt"
	"math"

	"jauntylark/core/measure"
)

// Grid is one frame: Width times Height temperatures, row by row from the top left. A pixel's temperature in °C is its
// count times Scale plus Offset; Dead stands for one that gave none.
type Grid struct {
	Width, Height int
	Scale, Offset float64 // Scale is above 0
	Counts        []int32
}

// Dead is the count of a pixel that gave no temperature.
const Dead = math.MinInt32

// Limits of a frame.
const (
	MaxSide   = 2048
	MaxPixels = 1 << 20
	mostCount = 1 << 30
)

// finest is the smallest step of temperatures that are sent as decimal numbers: 0.0001 K, far below what a camera
// resolves.
const finest = 4

// checkSize tells whether a frame may have so many columns and rows.
func checkSize(width, height int) error {
	if width < 1 || height < 1 || width > MaxSide || height > MaxSide || width*height > MaxPixels {
		return fault("frame", "is %d × %d; a frame has 1 to %d columns and rows, and %d pixels at most", width, height,
			MaxSide, MaxPixels)
	}
	return nil
}

// At gives the temperature of a pixel, in °C; NaN of a dead one.
func (g *Grid) At(x, y int) float64 { return g.value(g.Counts[y*g.Width+x]) }

func (g *Grid) value(count int32) float64 {
	if count == Dead {
		return math.NaN()
	}
	return float64(count)*g.Scale + g.Offset
}

// Values gives all temperatures, row by row; NaN of dead pixels.
func (g *Grid) Values() []float64 {
	out := make([]float64, len(g.Counts))
	for i, c := range g.Counts {
		out[i] = g.value(c)
	}
	return out
}

// Extent gives the lowest and highest temperature; NaN when all pixels are dead.
func (g *Grid) Extent() (low, high float64) {
	least, most := int32(math.MaxInt32), int32(Dead)
	for _, c := range g.Counts {
		if c != Dead {
			least, most = min(least, c), max(most, c)
		}
	}
	if most == Dead {
		return math.NaN(), math.NaN()
	}
	return g.value(least), g.value(most)
}

// Less gives how much warmer each pixel is than in another frame of the same size, in K: what has changed since.
func (g *Grid) Less(o *Grid) (*Grid, error) {
	if g.Width != o.Width || g.Height != o.Height {
		return nil, fault("against", "is %d × %d; the frame is %d × %d", o.Width, o.Height, g.Width, g.Height)
	}
	values := make([]float64, len(g.Counts))
	for i := range values {
		values[i] = g.value(g.Counts[i]) - o.value(o.Counts[i])
	}
	return ofNumbers(g.Width, g.Height, values, finest)
}

// ofNumbers makes a grid of temperatures with so many decimals; NaN is a dead pixel.
func ofNumbers(width, height int, values []float64, decimals int) (*Grid, error) {
	if err := checkSize(width, height); err != nil {
		return nil, err
	}
	tens := math.Pow10(decimals)
	g := &Grid{Width: width, Height: height, Scale: 1 / tens, Counts: make([]int32, width*height)}
	for i, v := range values {
		count := math.Round(v * tens)
		switch {
		case math.IsNaN(v):
			g.Counts[i] = Dead
		case math.Abs(count) >= mostCount:
			return nil, fault("frame", "has %v at column %d, row %d; no temperature is that far off", v, i%width+1,
				i/width+1)
		default:
			g.Counts[i] = int32(count)
		}
	}
	return g, nil
}

// in gives the grid, whose temperatures are in a unit, in °C. The counts stay.
func (g *Grid) in(unit measure.Unit) error {
	if unit == "" || unit == "Cel" {
		return nil
	}
	if unit.Dimension() != "temperature" {
		return fault("unit", "%q is no unit of temperature; send Cel, K or [degF]", unit)
	}
	each, zero := 1.0, -kelvin
	if unit == "[degF]" {
		each, zero = 5.0/9, -160.0/9
	}
	g.Scale, g.Offset = g.Scale*each, g.Offset*each+zero
	return nil
}

func fault(field, format string, args ...any) error {
	return &measure.Fault{Field: field, Reason: fmt.Sprintf(format, args...)}
}
