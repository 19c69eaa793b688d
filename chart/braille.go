package chart

import (
	"cmp"
	"fmt"
	"io"
	"math"
	"strings"

	"jauntylark/core/measure"
)

// dots are the bits of a braille sign, by column and row: two by four dots.
var dots = [2][4]rune{{0x01, 0x02, 0x04, 0x40}, {0x08, 0x10, 0x20, 0x80}}

// Terminal says how large panels are in a terminal, and whether it has colours.
type Terminal struct {
	Width, Height int // in characters; the height is that of one panel's line
	Colour        bool
}

// Columns is how many columns of dots a line has.
func (t Terminal) Columns() int { return 2 * t.plotWidth() }

// axisWidth is the room for the figures at the left.
const axisWidth = 9

func (t Terminal) plotWidth() int { return max(10, t.Width-axisWidth-1) }

// Draw draws panels below each other.
func (t Terminal) Draw(to io.Writer, span Span, panels []Panel) {
	for i := range panels {
		if i > 0 {
			fmt.Fprintln(to)
		}
		t.panel(to, span, &panels[i])
	}
}

func (t Terminal) panel(to io.Writer, span Span, p *Panel) {
	fmt.Fprintf(to, "%s: %s\n", t.paint("1", p.Title), p.summary(span))
	if len(p.Line) == 0 {
		return
	}
	low, high := p.extent()
	g := newGrid(t.plotWidth(), t.Height)
	g.line(p, span, low, high)
	limits := map[int]Limit{}
	for _, l := range p.Limits {
		if l.Value >= low && l.Value <= high {
			row := g.row(l.Value, low, high)
			g.dotted(row)
			limits[row/4] = l
		}
	}
	for row := range t.Height {
		label := ""
		limit, limited := limits[row]
		switch {
		case limited:
			if label = measure.Figure(limit.Value, ""); len(label) > axisWidth-1 {
				label = figure(limit.Value, high-low) // rather coarser than cut
			}
		case p.Steps && row == 0:
			label = "on"
		case p.Steps && row == t.Height-1:
			label = "off"
		case p.Steps:
		case row == 0:
			label = figure(high, high-low)
		case row == t.Height-1:
			label = figure(low, high-low)
		case row == t.Height/2:
			label = figure((high+low)/2, high-low)
		}
		line := g.text(row)
		if limited {
			line = over(line, limit.Name)
		}
		fmt.Fprintf(to, "%*.*s %s\n", axisWidth-1, axisWidth-1, label, line)
	}
	if doubts := g.stretches(p.Doubts, span, '╱'); doubts != "" {
		fmt.Fprintf(to, "%*s %s\n", axisWidth-1, "no use", doubts)
	}
	if alarms := g.stretches(p.Alarms, span, '━'); alarms != "" {
		fmt.Fprintf(to, "%*s %s\n", axisWidth-1, cmp.Or(p.Called, "alarm"), t.paint("31", alarms))
	}
	fmt.Fprintf(to, "%*s %s\n", axisWidth-1, "", t.axis(span))
}

func (t Terminal) paint(code, text string) string {
	if !t.Colour {
		return text
	}
	return "\x1b[" + code + "m" + text + "\x1b[0m"
}

// over writes a name over the end of a line.
func over(line, name string) string {
	runes, letters := []rune(line), []rune(" "+name)
	if len(letters) > len(runes) {
		return line
	}
	copy(runes[len(runes)-len(letters):], letters)
	return string(runes)
}

// axis writes the times below.
func (t Terminal) axis(span Span) string {
	line := []rune(strings.Repeat(" ", t.plotWidth()))
	at, form := span.ticks(t.plotWidth() / 14)
	free := 0
	for _, i := range at {
		place := int(float64(i-span.From) / float64(span.Until-span.From) * float64(t.plotWidth()-1))
		text := []rune("╵" + i.Time().In(span.Zone).Format(form))
		if place < free || place+len(text) > len(line) {
			continue
		}
		copy(line[place:], text)
		free = place + len(text) + 1
	}
	return strings.TrimRight(string(line), " ")
}

// grid is a field of dots.
type grid struct {
	width, height int // in characters
	cells         []rune
}

func newGrid(width, height int) *grid {
	return &grid{width, height, make([]rune, width*height)}
}

func (g *grid) set(x, y int) {
	if x >= 0 && y >= 0 && x < 2*g.width && y < 4*g.height {
		g.cells[y/4*g.width+x/2] |= dots[x%2][y%4]
	}
}

// row is the row of dots of a value, from the top.
func (g *grid) row(v, low, high float64) int {
	return int(math.Round((high - v) / (high - low) * float64(4*g.height-1)))
}

func (g *grid) line(p *Panel, span Span, low, high float64) {
	column := func(at measure.Instant) int {
		return int(float64(at-span.From) / float64(span.Until-span.From) * float64(2*g.width-1))
	}
	gap := p.gap(span, 2*g.width)
	for i, r := range p.Line {
		x, y := column(r.At), g.row(r.Value, low, high)
		if i == 0 || r.At-p.Line[i-1].At > gap {
			g.set(x, y)
			continue
		}
		before := p.Line[i-1]
		fromX, fromY := column(before.At), g.row(before.Value, low, high)
		if p.Steps {
			g.stroke(fromX, fromY, x, fromY)
			fromX = x
		}
		g.stroke(fromX, fromY, x, y)
	}
}

func (g *grid) stroke(x1, y1, x2, y2 int) {
	steps := max(abs(x2-x1), abs(y2-y1), 1)
	for s := 0; s <= steps; s++ {
		g.set(x1+(x2-x1)*s/steps, y1+(y2-y1)*s/steps)
	}
}

func abs(n int) int { return max(n, -n) }

func (g *grid) dotted(row int) {
	for x := 0; x < 2*g.width; x += 4 {
		g.set(x, row)
	}
}

func (g *grid) text(row int) string {
	line := make([]rune, g.width)
	for i, bits := range g.cells[row*g.width : (row+1)*g.width] {
		if line[i] = ' '; bits != 0 {
			line[i] = 0x2800 + bits
		}
	}
	return string(line)
}

// stretches marks the columns that stretches touch; empty for none.
func (g *grid) stretches(stretches []Shading, span Span, sign rune) string {
	line, some := []rune(strings.Repeat(" ", g.width)), false
	place := func(at measure.Instant) int {
		return int(float64(max(span.From, min(at, span.Until))-span.From) / float64(span.Until-span.From) * float64(
			g.width-1))
	}
	for _, s := range stretches {
		if s.Until < span.From || s.From > span.Until {
			continue
		}
		some = true
		for x := place(s.From); x <= place(s.Until); x++ {
			line[x] = sign
		}
	}
	if !some {
		return ""
	}
	return strings.TrimRight(string(line), " ")
}
