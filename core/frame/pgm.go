package frame

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"math"
	"strconv"
)

// decodePGM reads a Netpbm graymap, binary (P5) or plain (P2), of 8 or 16 bits; 16-bit counts have the higher byte
// first. Comments in its head may tell of at, unit, scale and offset.
func decodePGM(body []byte, usual *Eye) (Shot, error) {
	var h head
	in := &pgm{body: body, at: 2, head: &h}
	plain := bytes.HasPrefix(body, []byte("P2"))
	if !plain && !bytes.HasPrefix(body, []byte("P5")) {
		return Shot{}, fault("frame", "is no graymap; one begins with P5 or P2")
	}
	width, height, most := in.number("width"), in.number("height"), in.number("greatest value")
	if in.err != nil {
		return Shot{}, in.err
	}
	if err := checkSize(width, height); err != nil {
		return Shot{}, err
	}
	if most < 1 || most > math.MaxUint16 {
		return Shot{}, fault("frame", "has %d as its greatest value; it is 1 to 65535", most)
	}
	g := &Grid{Width: width, Height: height, Scale: 1, Counts: make([]int32, width*height)}
	if plain {
		for i := range g.Counts {
			g.Counts[i] = int32(in.number("value"))
		}
		if in.err != nil {
			return Shot{}, in.err
		}
	} else if err := in.binary(g, most); err != nil {
		return Shot{}, err
	}
	for i, c := range g.Counts {
		if int(c) > most {
			return Shot{}, fault("frame", "has %d at column %d, row %d; its greatest value is %d", c, i%width+1,
				i/width+1, most)
		}
	}
	return Shot{Grid: g, At: h.at}, h.finish(g, true, usual)
}

// pgm reads a head's numbers and comments.
type pgm struct {
	body []byte
	at   int
	head *head
	err  error
}

// number reads the next number; what of says what it is.
func (p *pgm) number(of string) int {
	for p.err == nil && p.at < len(p.body) {
		switch c := p.body[p.at]; {
		case c == '#':
			line, _, _ := bytes.Cut(p.body[p.at+1:], []byte("\n"))
			p.err = p.head.comment(string(line))
			p.at += len(line) + 1
		case c == ' ' || c == '\n' || c == '\r' || c == '\t':
			p.at++
		default:
			end := p.at
			for end < len(p.body) && end < p.at+10 && p.body[end] >= '0' && p.body[end] <= '9' {
				end++
			}
			n, err := strconv.Atoi(string(p.body[p.at:end]))
			if err != nil {
				p.err = fault("frame", "has no %s where the graymap should have one", of)
			}
			p.at = end
			return n
		}
	}
	if p.err == nil {
		p.err = fault("frame", "ends before its %s", of)
	}
	return 0
}

// binary reads the counts behind the single space that ends the head.
func (p *pgm) binary(g *Grid, most int) error {
	wide := 1
	if most > math.MaxUint8 {
		wide = 2
	}
	rest := p.body[min(p.at+1, len(p.body)):]
	if len(rest) != wide*len(g.Counts) {
		return fault("frame", "has %d bytes of counts; %d × %d of %d bits has %d", len(rest), g.Width, g.Height, 8*wide,
			wide*len(g.Counts))
	}
	for i := range g.Counts {
		if g.Counts[i] = int32(rest[i*wide]); wide == 2 {
			g.Counts[i] = int32(binary.BigEndian.Uint16(rest[2*i:]))
		}
	}
	return nil
}

// EncodePGM writes a grid as a 16-bit graymap with its scale and offset in a comment. Counts that do not fit into 16
// bits are written anew at 0.01 K, or coarser where the span asks for it; dead pixels are written as the lowest.
func EncodePGM(s Shot) []byte {
	g := s.Grid
	counts, fit := g.words()
	scale, offset := g.Scale, g.Offset
	if !fit {
		low, high := g.Extent()
		if math.IsNaN(low) {
			low, high = 0, 1
		}
		scale, offset = max(0.01, math.Ceil((high-low)/math.MaxUint16*1000)/1000), low
		counts = counts[:0]
		for _, v := range g.Values() {
			if math.IsNaN(v) {
				v = low
			}
			counts = binary.BigEndian.AppendUint16(counts, uint16(math.Round((v-offset)/scale)))
		}
	}
	var b bytes.Buffer
	fmt.Fprintf(&b, "P5\n# unit=Cel scale=%v offset=%v", scale, offset)
	if s.At != 0 {
		fmt.Fprintf(&b, " at=%s", s.At)
	}
	fmt.Fprintf(&b, "\n%d %d\n65535\n", g.Width, g.Height)
	b.Write(counts)
	return b.Bytes()
}
