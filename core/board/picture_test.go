package board

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"strings"
	"testing"
)

func pngOf(t *testing.T, m image.Image) []byte {
	t.Helper()
	var out bytes.Buffer
	if err := (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(&out, m); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// What a picture takes while it is read is counted from its header, before it is read.
func TestARoomyPictureIsRefusedByItsHeader(t *testing.T) {
	deep := pngOf(t, image.NewNRGBA64(image.Rect(0, 0, 6000, 4000))) // 24 million pixels of 16 bits
	_, err := NewPicture("deep", deep)
	if err == nil || !strings.Contains(err.Error(), "17 million pixels at most") {
		t.Error(err)
	}
	flat := image.NewPaletted(image.Rect(0, 0, 3000, 2000), color.Palette{color.White, color.Black})
	p, err := NewPicture("flat", pngOf(t, flat))
	if err != nil || p.Width != 2560 || p.Height != 1706 {
		t.Error(err, p.Width, p.Height)
	}
	if !progressive([]byte{0xff, 0xd8, 0xff, 0xe0, 0, 3, 0, 0xff, 0xc2, 0, 2, 0xff, 0xda, 0, 0}) ||
		progressive([]byte{0xff, 0xd8, 0xff, 0xc0, 0, 2, 0xff, 0xda, 0, 0, 0xff, 0xc2, 0, 0}) {
		t.Error("a JPEG of several scans is one by its header")
	}
}

// What a drawing draws again counts as often as it is drawn.
func TestDrawingsThatMultiply(t *testing.T) {
	nested := "<rect id='a0'/>"
	for i := 1; i <= 12; i++ {
		nested += fmt.Sprintf("<g id='a%d'>%s</g>", i, strings.Repeat(fmt.Sprintf("<use href='#a%d'/>", i-1), 10))
	}
	patterns := "<pattern id='p0'>" + strings.Repeat("<rect/>", 100) + "</pattern>"
	for i := 1; i <= 4; i++ {
		patterns += fmt.Sprintf("<pattern id='p%d'>%s</pattern>", i,
			strings.Repeat(fmt.Sprintf("<rect fill='url(#p%d)'/>", i-1), 100))
	}
	for name, inner := range map[string]string{
		"use of use": nested,
		"patterns":   patterns + "<rect fill='url(#p4)'/>",
		"an inherited one": "<pattern id='p'>" + strings.Repeat("<rect/>", 1000) + "</pattern><g fill='url(#p)'>" +
			strings.Repeat("<rect/>", 1000) + "</g>",
		"one by its style": "<pattern id='p'>" + strings.Repeat("<rect/>", 1000) + "</pattern>" +
			strings.Repeat("<rect style='fill:url(#p)'/>", 1000),
		"markers": "<marker id='m'>" + strings.Repeat("<rect/>", 1000) +
			"</marker><path marker-mid='url(#m)' d='" + strings.Repeat("1 1 ", 1000) + "'/>",
		"itself":            "<g id='x'><use href='#x'/></g>",
		"each the other":    "<g id='x'><use href='#y'/></g><g id='y'><use href='#x'/></g>",
		"itself as pattern": "<pattern id='p'><rect fill='url(#p)'/></pattern><rect fill='url(#p)'/>",
	} {
		if _, err := NewPicture("d", []byte("<svg xmlns='http://www.w3.org/2000/svg'>"+inner+"</svg>")); err == nil {
			t.Errorf("%s: taken", name)
		}
	}
	plain := "<defs><g id='tree'>" + strings.Repeat("<path d='M0 0L1 1'/>", 50) +
		"</g><pattern id='p'><rect/></pattern></defs><g fill='url(#p)'>" + strings.Repeat("<use href='#tree'/>", 100) +
		"</g><use href='#nowhere'/>"
	if _, err := NewPicture("d", []byte("<svg xmlns='http://www.w3.org/2000/svg'>"+plain+"</svg>")); err != nil {
		t.Error("a plain drawing:", err)
	}
}
