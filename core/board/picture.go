package board

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"strings"
	"sync"

	"golang.org/x/image/draw"
	_ "golang.org/x/image/webp" // pictures may be WebP

	"jauntylark/core/measure"
)

// Picture is one that tiles can show.
type Picture struct {
	ID     int64           `json:"id" db:"id"`
	Name   string          `json:"name" db:"name" doc:"what it is called; that of the file mostly"`
	Type   string          `json:"type" db:"type" doc:"media type as stored" enum:"image/png,image/jpeg,image/svg+xml"`
	Width  int             `json:"width" db:"width"`
	Height int             `json:"height" db:"height"`
	Size   int             `json:"size" db:"size" doc:"bytes"`
	By     string          `json:"by" db:"made_by"`
	At     measure.Instant `json:"at" db:"made_at" format:"date-time"`
	Body   []byte          `json:"-" db:"body"`
}

// Limits of a picture.
const (
	MostBytes  = 12 << 20   // as sent
	mostPixels = 40_000_000 // as sent
	mostRoom   = 200 << 20  // bytes that one takes while it is read
	mostSide   = 2560       // as stored; larger ones are scaled down
)

// NewPicture makes a picture out of what was sent: PNG, JPEG, WebP or SVG. It is drawn anew, so that nothing that the
// file carried besides the picture (places, cameras, scripts) is kept; it is turned the way its camera said, and scaled
// down to 2560 pixels. It takes time and memory proportional to the pixels. The error is a *measure.Fault.
func NewPicture(name string, body []byte) (Picture, error) {
	p := Picture{Name: strings.TrimSpace(name)}
	var err error
	switch {
	case len(body) > MostBytes:
		err = fmt.Errorf("it has %d bytes; a picture has %d at most", len(body), MostBytes)
	case looksLikeSVG(body):
		p.Type = "image/svg+xml"
		p.Body, p.Width, p.Height, err = safeSVG(body)
	default:
		err = p.drawAnew(body)
	}
	if err != nil {
		return p, &measure.Fault{Field: "picture", Reason: err.Error()}
	}
	p.Size = len(p.Body)
	return p, nil
}

// NewPhoto is NewPicture for photos: PNG, JPEG or WebP.
func NewPhoto(name string, body []byte) (Picture, error) {
	if looksLikeSVG(body) {
		return Picture{}, &measure.Fault{Field: "picture", Reason: "it is a drawing; send a photo: PNG, JPEG or WebP"}
	}
	p, err := NewPicture(name, body)
	if f, is := err.(*measure.Fault); is {
		f.Reason = strings.Replace(f.Reason, "PNG, JPEG, WebP or SVG", "PNG, JPEG or WebP", 1)
	}
	return p, err
}

// Small gives a photo scaled down for lists, as JPEG, so that its longer side has so many pixels at most.
func (p *Picture) Small(side int) ([]byte, error) {
	drawing.Lock()
	defer drawing.Unlock()
	drawn, _, err := image.Decode(bytes.NewReader(p.Body))
	if err != nil {
		return nil, err
	}
	w, h := drawn.Bounds().Dx(), drawn.Bounds().Dy()
	if long := max(w, h); long > side {
		w, h = max(1, w*side/long), max(1, h*side/long)
	}
	small := image.NewRGBA(image.Rect(0, 0, w, h))
	draw.Draw(small, small.Bounds(), image.White, image.Point{}, draw.Src)
	draw.CatmullRom.Scale(small, small.Bounds(), drawn, drawn.Bounds(), draw.Over, nil)
	var out bytes.Buffer
	err = jpeg.Encode(&out, small, &jpeg.Options{Quality: 82})
	return out.Bytes(), err
}

func (p *Picture) drawAnew(body []byte) error {
	config, format, err := image.DecodeConfig(bytes.NewReader(body))
	if err != nil {
		return fmt.Errorf("it is no picture that can be read here: send PNG, JPEG, WebP or SVG")
	}
	if config.Width < 1 || config.Height < 1 || config.Width > mostPixels/config.Height {
		return fmt.Errorf("it has %d × %d pixels; a picture has %d million at most", config.Width, config.Height,
			mostPixels/1_000_000)
	}
	if each := roomOfPixel(config.ColorModel, format, body); config.Width*config.Height > mostRoom/each {
		return fmt.Errorf(
			"it has %d × %d pixels of %d bytes each while it is read; such a picture has %d million pixels at most",
			config.Width, config.Height, each, mostRoom/each/1_000_000)
	}
	drawing.Lock()
	defer drawing.Unlock()
	drawn, _, err := image.Decode(bytes.NewReader(body))
	if err != nil {
		return fmt.Errorf("it is damaged: %v", err)
	}
	drawn = fitted(drawn)
	if format == "jpeg" {
		drawn = turned(drawn, orientation(body))
	}
	p.Width, p.Height = drawn.Bounds().Dx(), drawn.Bounds().Dy()
	var out bytes.Buffer
	if format == "png" || !opaque(drawn) {
		p.Type = "image/png"
		err = png.Encode(&out, drawn)
	} else {
		p.Type = "image/jpeg"
		err = jpeg.Encode(&out, drawn, &jpeg.Options{Quality: 88})
	}
	p.Body = out.Bytes()
	return err
}

// drawing lets one picture at a time be read in a process, so that what one may take is what all may take.
var drawing sync.Mutex

// roomOfPixel is how many bytes a pixel takes while a picture is read, by what its header says.
func roomOfPixel(model color.Model, format string, body []byte) int {
	switch {
	case format == "jpeg" && progressive(body):
		return 3 + 12 // its coefficients stay until the last scan
	case format == "jpeg":
		return 3
	case format == "webp":
		return 8
	case model == color.RGBA64Model, model == color.NRGBA64Model:
		return 8 + 4 // and again as what is scaled
	case model == color.Gray16Model:
		return 2 + 4
	case model == color.GrayModel:
		return 1
	}
	return 4 + 4
}

// progressive tells whether a JPEG is one of several scans (ITU-T T.81, B.1.1.3: SOF2, SOF6, SOF10 and SOF14).
func progressive(body []byte) bool {
	for at := 2; at+4 <= len(body) && body[at] == 0xff && body[at+1] != 0xda; at += 2 + int(body[at+2])<<8 +
		int(body[at+3]) {
		if marker := body[at+1]; marker == 0xc2 || marker == 0xc6 || marker == 0xca || marker == 0xce {
			return true
		}
	}
	return false
}

func opaque(m image.Image) bool {
	o, knows := m.(interface{ Opaque() bool })
	return knows && o.Opaque() || m.ColorModel() == color.YCbCrModel || m.ColorModel() == color.GrayModel
}

// fitted scales a picture down to the longest side that is stored.
func fitted(m image.Image) image.Image {
	w, h := m.Bounds().Dx(), m.Bounds().Dy()
	long := max(w, h)
	if long <= mostSide {
		return m
	}
	out := image.NewRGBA(image.Rect(0, 0, max(1, w*mostSide/long), max(1, h*mostSide/long)))
	draw.CatmullRom.Scale(out, out.Bounds(), plain(m), m.Bounds(), draw.Src, nil)
	return out
}

// plain gives a picture in a form that is scaled quickly.
func plain(m image.Image) image.Image {
	switch m.(type) {
	case *image.Gray, *image.NRGBA, *image.RGBA, *image.YCbCr:
		return m
	}
	out := image.NewNRGBA(m.Bounds())
	draw.Draw(out, out.Bounds(), m, m.Bounds().Min, draw.Src)
	return out
}

// orientation reads how a JPEG wants to be turned: 1 to 8 by Exif 2.32, 4.6.4 A; 1 (as it is) where it does not say.
func orientation(body []byte) int {
	for at := 2; at+4 <= len(body) && body[at] == 0xff && body[at+1] != 0xda; {
		size := int(body[at+2])<<8 | int(body[at+3])
		if at+2+size > len(body) || size < 2 {
			return 1
		}
		if segment := body[at+4 : at+2+size]; body[at+1] == 0xe1 && bytes.HasPrefix(segment, []byte("Exif\x00\x00")) {
			return orientationOf(segment[6:])
		}
		at += 2 + size
	}
	return 1
}

// orientationOf looks for the tag 0x0112 in the first directory of a TIFF header.
func orientationOf(tiff []byte) int {
	number := func(at, bytes int) int {
		if at < 0 || at+bytes > len(tiff) {
			return 0
		}
		n := 0
		for i := range bytes {
			place := at + i
			if tiff[0] == 'I' {
				place = at + bytes - 1 - i
			}
			n = n<<8 | int(tiff[place])
		}
		return n
	}
	if len(tiff) < 8 {
		return 1
	}
	directory := number(4, 4)
	for i := range number(directory, 2) {
		if entry := directory + 2 + 12*i; number(entry, 2) == 0x0112 {
			if o := number(entry+8, 2); o >= 1 && o <= 8 {
				return o
			}
		}
	}
	return 1
}

// turned gives a picture upright.
func turned(m image.Image, orientation int) image.Image {
	if orientation == 1 {
		return m
	}
	w, h := m.Bounds().Dx(), m.Bounds().Dy()
	size := image.Rect(0, 0, w, h)
	if orientation >= 5 {
		size = image.Rect(0, 0, h, w)
	}
	out := image.NewRGBA(size)
	for y := range h {
		for x := range w {
			tx, ty := x, y
			switch orientation {
			case 2:
				tx = w - 1 - x
			case 3:
				tx, ty = w-1-x, h-1-y
			case 4:
				ty = h - 1 - y
			case 5:
				tx, ty = y, x
			case 6:
				tx, ty = h-1-y, x
			case 7:
				tx, ty = h-1-y, w-1-x
			case 8:
				tx, ty = y, w-1-x
			}
			out.Set(tx, ty, m.At(m.Bounds().Min.X+x, m.Bounds().Min.Y+y))
		}
	}
	return out
}
