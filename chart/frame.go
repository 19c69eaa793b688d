package chart

import (
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/gif"
	"image/png"
	"io"
	"math"
	"sync"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"

	"jauntylark/core/frame"
	"jauntylark/core/measure"
)

// FrameLook says how a thermal frame is drawn.
type FrameLook struct {
	Palette   *frame.Palette
	Low, High *float64 // the range that the palette covers, °C; nil: the frame's own
	Unit      measure.Unit
	Regions   []frame.Region // drawn as outlines
	Width     int            // of the picture part, in pixels, at least; 0: 640
	Bare      bool           // the picture alone, without scale and words
}

// Shown is one frame to draw.
type Shown struct {
	Grid  *frame.Grid
	Title string
}

const (
	frameHead  = 34
	frameScale = 96 // the room for the scale on the right
	frameEdge  = 12
	inkIndex   = 253
	paperIndex = 254
	deadIndex  = 255
	lastColour = 252
)

var (
	paper    = color.RGBA{R: 0xff, G: 0xfd, B: 0xf8, A: 0xff}
	deadTint = color.RGBA{R: 0x8a, G: 0x90, B: 0x97, A: 0xff}
)

// colours are those of a palette with room for ink, paper and dead pixels.
func (l *FrameLook) colours() color.Palette {
	out := make(color.Palette, 256)
	for i := range out {
		out[i] = l.Palette.Colours[min(i*255/lastColour, 255)]
	}
	out[inkIndex], out[paperIndex], out[deadIndex] = ink, paper, deadTint
	return out
}

// span is the range that the palette covers, for some frames together.
func (l *FrameLook) span(frames []Shown) (low, high float64) {
	low, high = math.Inf(1), math.Inf(-1)
	for _, f := range frames {
		if a, b := f.Grid.Extent(); !math.IsNaN(a) {
			low, high = min(low, a), max(high, b)
		}
	}
	if math.IsInf(low, 1) {
		low, high = 0, 1
	}
	if l.Palette.Both { // the middle is no change
		reach := max(math.Abs(low), math.Abs(high), 0.1)
		low, high = -reach, reach
	}
	if l.Low != nil {
		low = *l.Low
	}
	if l.High != nil {
		high = *l.High
	}
	if high-low < 0.1 {
		high = low + 0.1
	}
	return low, high
}

// FramePNG draws a frame, with its scale.
func FramePNG(to io.Writer, f Shown, l FrameLook) error {
	low, high := l.span([]Shown{f})
	drawn, err := l.draw(f, low, high)
	if err != nil {
		return err
	}
	return png.Encode(to, drawn)
}

// FrameGIF draws frames one after the other, all by one scale, each shown for so many hundredths of a second.
func FrameGIF(to io.Writer, frames []Shown, l FrameLook, each int) error {
	if len(frames) == 0 {
		return errors.New("there is no frame to draw")
	}
	low, high := l.span(frames)
	out := gif.GIF{}
	for _, f := range frames {
		drawn, err := l.draw(f, low, high)
		if err != nil {
			return err
		}
		out.Image, out.Delay = append(out.Image, drawn), append(out.Delay, each)
	}
	out.Delay[len(out.Delay)-1] = max(each, 150)
	return gif.EncodeAll(to, &out)
}

// times is how many pixels of the drawing a pixel of the frame has.
func (l *FrameLook) times(g *frame.Grid) int {
	width := l.Width
	if width == 0 {
		width = 640
	}
	return max(1, (width+g.Width/2)/g.Width)
}

func (l *FrameLook) draw(f Shown, low, high float64) (*image.Paletted, error) {
	g := f.Grid
	times, colours := l.times(g), l.colours()
	size := image.Rect(0, 0, g.Width*times, g.Height*times)
	if l.Bare && times == 1 && l.Width > 0 && l.Width < g.Width {
		return l.shrunk(g, low, high, colours), nil
	}
	at := image.Point{}
	if !l.Bare {
		at = image.Pt(frameEdge, frameHead)
		size = image.Rect(0, 0, size.Dx()+frameEdge+frameScale, max(size.Dy(), 120)+frameHead+frameEdge)
	}
	out := image.NewPaletted(size, colours)
	if !l.Bare {
		draw.Draw(out, size, &image.Uniform{paper}, image.Point{}, draw.Src)
	}
	for y := range g.Height {
		for x := range g.Width {
			block := image.Rect(at.X+x*times, at.Y+y*times, at.X+(x+1)*times, at.Y+(y+1)*times)
			fill(out, block, shade(g.At(x, y), low, high))
		}
	}
	for i := range l.Regions {
		outline(out, &l.Regions[i], at, float64(times))
	}
	if l.Bare {
		return out, nil
	}
	return out, l.words(out, f, low, high, times)
}

// shrunk draws a frame that is larger than wanted, by leaving pixels out.
func (l *FrameLook) shrunk(g *frame.Grid, low, high float64, colours color.Palette) *image.Paletted {
	height := max(1, g.Height*l.Width/g.Width)
	out := image.NewPaletted(image.Rect(0, 0, l.Width, height), colours)
	for y := range height {
		for x := range l.Width {
			out.SetColorIndex(x, y, shade(g.At(x*g.Width/l.Width, y*g.Height/height), low, high))
		}
	}
	return out
}

func shade(v, low, high float64) uint8 {
	if math.IsNaN(v) {
		return deadIndex
	}
	return uint8(int(frame.Index(v, low, high)) * lastColour / 255)
}

func fill(out *image.Paletted, r image.Rectangle, index uint8) {
	r = r.Intersect(out.Bounds())
	for y := r.Min.Y; y < r.Max.Y; y++ {
		row := out.Pix[out.PixOffset(r.Min.X, y):][:r.Dx()]
		for i := range row {
			row[i] = index
		}
	}
}

// outline draws a region's edge in paper with ink to both sides, which is seen on any colour.
func outline(out *image.Paletted, r *frame.Region, at image.Point, times float64) {
	edge := func(wide int, index uint8) {
		points := r.Outline()
		for i := range points {
			a, b := points[i], points[(i+1)%len(points)]
			steps := int(max(math.Abs(a.X-b.X), math.Abs(a.Y-b.Y))*times) + 1
			for k := range steps {
				t := float64(k) / float64(steps)
				x, y := at.X+int((a.X+t*(b.X-a.X))*times), at.Y+int((a.Y+t*(b.Y-a.Y))*times)
				fill(out, image.Rect(x-wide, y-wide, x+wide, y+wide), index)
			}
		}
	}
	edge(2, inkIndex)
	edge(1, paperIndex)
}

var faceOnce = sync.OnceValues(func() (font.Face, error) {
	parsed, err := opentype.Parse(goregular.TTF)
	if err != nil {
		return nil, err
	}
	return opentype.NewFace(parsed, &opentype.FaceOptions{Size: 14, DPI: 72, Hinting: font.HintingFull})
})

// faceLock keeps the face to one drawing at a time: it has buffers of its own.
var faceLock sync.Mutex

// words draws the title, the scale and its figures.
func (l *FrameLook) words(out *image.Paletted, f Shown, low, high float64, times int) error {
	face, err := faceOnce()
	if err != nil {
		return err
	}
	faceLock.Lock()
	defer faceLock.Unlock()
	say := func(x, y int, text string) {
		d := font.Drawer{Dst: out, Src: &image.Uniform{ink}, Face: face, Dot: fixed.P(x, y)}
		d.DrawString(text)
	}
	say(frameEdge, 22, f.Title)
	x, top := frameEdge+f.Grid.Width*times+14, frameHead
	tall := max(f.Grid.Height*times, 120)
	for y := range tall {
		v := high - (high-low)*float64(y)/float64(tall-1)
		fill(out, image.Rect(x, top+y, x+14, top+y+1), shade(v, low, high))
	}
	const figures = 5
	for i := range figures {
		v := high - (high-low)*float64(i)/(figures-1)
		y := top + 6 + (tall-12)*i/(figures-1)
		say(x+20, y+5, l.figure(v, high-low))
	}
	return nil
}

// figure writes a temperature, or a difference, with as many places as its range bears.
func (l *FrameLook) figure(v, span float64) string {
	unit := l.Unit
	if unit == "" {
		unit = "Cel"
	}
	if l.Palette.Both {
		if unit != "[degF]" {
			return fmt.Sprintf("%+.1f K", v)
		}
		return fmt.Sprintf("%+.1f °F", v*1.8)
	}
	if shown, err := measure.Convert(v, "Cel", unit); err == nil {
		v = shown
	}
	if span >= 20 {
		return fmt.Sprintf("%.0f %s", v, unit.Shown())
	}
	return fmt.Sprintf("%.1f %s", v, unit.Shown())
}
