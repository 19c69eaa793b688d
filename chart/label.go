package chart

import (
	"bytes"
	"fmt"
	"html"
	"image"
	"image/color"
	"image/draw"
	"image/png"
	"io"

	"golang.org/x/image/font"
	"golang.org/x/image/math/fixed"
	"rsc.io/qr"
)

// Label is a QR code (ISO/IEC 18004) that opens a page, with words beside it.
type Label struct {
	Link  string
	Title string
	Place string // where the thing stands
}

// quiet is the margin around a code, in modules: ISO/IEC 18004 asks for four.
const quiet = 4

// code makes the modules of a label. Level M mends codes of which 15 % is dirty.
func (l *Label) code() (*qr.Code, error) {
	c, err := qr.Encode(l.Link, qr.M)
	if err != nil {
		return nil, fmt.Errorf("the address %q does not fit into a code: %w", l.Link, err)
	}
	return c, nil
}

// LabelSVG draws a label as scalable vector graphics, 40 mm wide.
func LabelSVG(to io.Writer, l Label) error {
	c, err := l.code()
	if err != nil {
		return err
	}
	side := c.Size + 2*quiet
	var b bytes.Buffer
	fmt.Fprintf(&b, `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %d %d" width="40mm" role="img" aria-label="%s">`, side, side+8, html.EscapeString(l.Title))
	fmt.Fprintf(&b, `<rect width="100%%" height="100%%" fill="#fff"/><path d="`)
	for y := range c.Size {
		for x := range c.Size {
			if c.Black(x, y) {
				fmt.Fprintf(&b, "M%d %dh1v1h-1z", x+quiet, y+quiet)
			}
		}
	}
	size := min(3.2, 1.7*float64(side)/float64(max(1, len([]rune(l.Title)))))
	fmt.Fprintf(&b, `"/><text x="%d" y="%d" text-anchor="middle" font-family="sans-serif" font-size="%.2f">%s</text>`,
		side/2, side+1, size, html.EscapeString(l.Title))
	fmt.Fprintf(&b, `<text x="%d" y="%d" text-anchor="middle" font-family="sans-serif" font-size="2.2">%s</text></svg>`,
		side/2, side+5, html.EscapeString(l.Place))
	_, err = to.Write(b.Bytes())
	return err
}

const moduleSize = 8

// LabelPNG draws a label with eight pixels a module.
func LabelPNG(to io.Writer, l Label) error {
	c, err := l.code()
	if err != nil {
		return err
	}
	face, err := faceOnce()
	if err != nil {
		return err
	}
	side := (c.Size + 2*quiet) * moduleSize
	out := image.NewGray(image.Rect(0, 0, side, side+44))
	draw.Draw(out, out.Bounds(), image.White, image.Point{}, draw.Src)
	for y := range c.Size {
		for x := range c.Size {
			if c.Black(x, y) {
				at := image.Pt((x+quiet)*moduleSize, (y+quiet)*moduleSize)
				draw.Draw(out, image.Rectangle{at, at.Add(image.Pt(moduleSize, moduleSize))},
					image.NewUniform(color.Black), image.Point{}, draw.Src)
			}
		}
	}
	faceLock.Lock()
	defer faceLock.Unlock()
	for i, text := range []string{l.Title, l.Place} {
		d := font.Drawer{Dst: out, Src: image.Black, Face: face}
		d.Dot = fixed.P(max(4, (side-d.MeasureString(text).Round())/2), side+4+20*i)
		d.DrawString(text)
	}
	return png.Encode(to, out)
}

// LabelSheet writes labels onto pages of A4 to print and cut: three beside each other, seven below.
func LabelSheet(to io.Writer, labels []Label) error {
	const columns, rows, wide, tall = 3, 7, 63.0, 38.0
	pdf := newPDF("Labels")
	for i, l := range labels {
		c, err := l.code()
		if err != nil {
			return err
		}
		if i%(columns*rows) == 0 {
			pdf.AddPage()
		}
		x, y := 10.5+wide*float64(i%columns), 15+tall*float64(i/columns%rows)
		pdf.SetDrawColor(0xdd, 0xe2, 0xe7)
		pdf.Rect(x, y, wide, tall, "D")
		module := 28.0 / float64(c.Size)
		pdf.SetFillColor(0, 0, 0)
		for my := range c.Size {
			for mx := range c.Size {
				if c.Black(mx, my) {
					pdf.Rect(x+5+float64(mx)*module, y+5+float64(my)*module, module+0.01, module+0.01, "F")
				}
			}
		}
		pdf.SetXY(x+36, y+6)
		pdf.SetFont(pdfFont, "", 10)
		pdf.MultiCell(25, 4.6, l.Title, "", "L", false)
		pdf.SetX(x + 36)
		pdf.SetFont(pdfFont, "", 7.5)
		pdf.MultiCell(25, 3.6, l.Place, "", "L", false)
	}
	return pdf.Output(to)
}
