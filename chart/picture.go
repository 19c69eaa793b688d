package chart

import (
	"fmt"
	"image/color"
	"io"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/font"
	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
	"gonum.org/v1/plot/vg/vgimg"
	"gonum.org/v1/plot/vg/vgsvg"

	"jauntylark/core/measure"
)

// Size is that of one panel in a picture, in pixels.
type Size struct{ Width, Height int }

var (
	ink       = color.RGBA{R: 0x1f, G: 0x2a, B: 0x37, A: 0xff}
	lineInk   = color.RGBA{R: 0x1d, G: 0x5f, B: 0x8a, A: 0xff}
	limitInk  = color.RGBA{R: 0xb4, G: 0x46, B: 0x0e, A: 0xff}
	alarmTint = color.RGBA{R: 0x36, G: 0x15, B: 0x04, A: 0x48} // with its alpha multiplied in
	doubtInk  = color.RGBA{R: 0x8a, G: 0x90, B: 0x97, A: 0xff}
	gridInk   = color.RGBA{R: 0xdd, G: 0xe2, B: 0xe7, A: 0xff}
)

// PNG draws panels below each other.
func PNG(to io.Writer, span Span, panels []Panel, size Size) error {
	width, height := pixels(size.Width), pixels(size.Height*len(panels))
	canvas := vgimg.NewWith(vgimg.UseWH(width, height), vgimg.UseDPI(96))
	if err := drawAll(draw.New(canvas), span, panels); err != nil {
		return err
	}
	_, err := vgimg.PngCanvas{Canvas: canvas}.WriteTo(to)
	return err
}

// SVG is PNG as scalable vector graphics.
func SVG(to io.Writer, span Span, panels []Panel, size Size) error {
	canvas := vgsvg.New(pixels(size.Width), pixels(size.Height*len(panels)))
	if err := drawAll(draw.New(canvas), span, panels); err != nil {
		return err
	}
	_, err := canvas.WriteTo(to)
	return err
}

func pixels(n int) vg.Length { return vg.Length(n) * vg.Inch / 96 }

func drawAll(c draw.Canvas, span Span, panels []Panel) error {
	rows := make([][]*plot.Plot, len(panels))
	for i := range panels {
		p, err := panels[i].plot(span, int(c.Rectangle.Size().X/pixels(130)))
		if err != nil {
			return err
		}
		rows[i] = []*plot.Plot{p}
	}
	c.SetColor(color.White)
	c.Fill(c.Rectangle.Path())
	tiles := draw.Tiles{Rows: len(panels), Cols: 1, PadTop: 8, PadBottom: 8, PadLeft: 8, PadRight: 16, PadY: 12}
	for i, row := range plot.Align(rows, tiles, c) {
		rows[i][0].Draw(row[0])
	}
	return nil
}

func (p *Panel) plot(span Span, ticks int) (*plot.Plot, error) {
	out := plot.New()
	out.BackgroundColor = color.White
	out.Title.Text = p.Title + "\n" + p.summary(span)
	out.Title.Padding = 6
	style(out)
	low, high := p.extent()
	out.Y.Min, out.Y.Max, out.X.Min, out.X.Max = low, high, float64(span.From), float64(span.Until)
	out.Y.Label.Text = p.Unit.Shown()
	out.X.Tick.Marker = timeTicks{span, ticks}
	lines := plotter.NewGrid()
	lines.Vertical.Color, lines.Horizontal.Color = gridInk, gridInk
	out.Add(lines)
	for _, a := range p.Alarms {
		if band, ok := a.band(span, low, high); ok {
			out.Add(band)
		}
	}
	for _, d := range p.Doubts {
		out.Add(hatch{d})
	}
	for _, part := range p.parts(span) {
		line, err := plotter.NewLine(part)
		if err != nil {
			return nil, err
		}
		line.Color, line.Width = lineInk, vg.Points(1.2)
		if p.Steps {
			line.StepStyle = plotter.PostStep
		}
		out.Add(line)
	}
	return out, p.addLimits(out, span, low, high)
}

func style(p *plot.Plot) {
	sans := func(s *draw.TextStyle, size float64) {
		s.Font = font.Font{Typeface: "Liberation", Variant: "Sans", Size: font.Length(size)}
		s.Color = ink
	}
	sans(&p.Title.TextStyle, 11)
	for _, axis := range []*plot.Axis{&p.X, &p.Y} {
		sans(&axis.Label.TextStyle, 10)
		sans(&axis.Tick.Label, 9)
		axis.Color, axis.Tick.Color = ink, ink
	}
}

// parts are the stretches of the line without gaps.
func (p *Panel) parts(span Span) (parts []plotter.XYs) {
	gap := p.gap(span, 1000)
	for i, r := range p.Line {
		if i == 0 || r.At-p.Line[i-1].At > gap {
			parts = append(parts, nil)
		}
		last := len(parts) - 1
		parts[last] = append(parts[last], plotter.XY{X: float64(r.At), Y: r.Value})
	}
	return parts
}

func (s Shading) band(span Span, low, high float64) (*plotter.Polygon, bool) {
	from, until := max(s.From, span.From), min(s.Until, span.Until)
	if from >= until {
		return nil, false
	}
	band, err := plotter.NewPolygon(plotter.XYs{{X: float64(from), Y: low}, {X: float64(until), Y: low},
		{X: float64(until), Y: high}, {X: float64(from), Y: high}})
	if err != nil {
		return nil, false
	}
	band.Color, band.LineStyle.Width = alarmTint, 0
	return band, true
}

// hatch draws slanted lines over a stretch.
type hatch struct{ Shading }

// Plot draws them, over the whole height.
func (h hatch) Plot(c draw.Canvas, p *plot.Plot) {
	x, _ := p.Transforms(&c)
	left, right := max(c.Min.X, x(float64(h.From))), min(c.Max.X, x(float64(h.Until)))
	right = max(right, left+vg.Points(2)) // a short one can be seen
	if right <= c.Min.X || left >= c.Max.X {
		return
	}
	height := c.Max.Y - c.Min.Y
	for at := left - height; at < right; at += vg.Points(5) {
		from, until := max(at, left), min(at+height, right)
		if from < until {
			c.StrokeLine2(draw.LineStyle{Color: doubtInk, Width: vg.Points(0.6)}, from, c.Min.Y+from-at, until, c.Min.Y+
				until-at)
		}
	}
}

func (p *Panel) addLimits(out *plot.Plot, span Span, low, high float64) error {
	for _, l := range p.Limits {
		if l.Value < low || l.Value > high {
			continue
		}
		line, err := plotter.NewLine(plotter.XYs{{X: float64(span.From), Y: l.Value},
			{X: float64(span.Until), Y: l.Value}})
		if err != nil {
			return err
		}
		line.Color, line.Dashes = limitInk, []vg.Length{vg.Points(5), vg.Points(3)}
		name, err := plotter.NewLabels(plotter.XYLabels{XYs: plotter.XYs{{X: float64(span.Until), Y: l.Value}},
			Labels: []string{fmt.Sprintf("%s, %s ", l.Name, measure.Figure(l.Value, p.Unit))}})
		if err != nil {
			return err
		}
		name.TextStyle[0].XAlign, name.TextStyle[0].Color = draw.XRight, limitInk
		name.TextStyle[0].Font = font.Font{Typeface: "Liberation", Variant: "Sans", Size: 9}
		name.Offset.Y = vg.Points(2)
		out.Add(line, name)
	}
	return nil
}

// timeTicks marks round times.
type timeTicks struct {
	span Span
	most int
}

// Ticks gives the marks of the axis.
func (t timeTicks) Ticks(_, _ float64) []plot.Tick {
	at, form := t.span.ticks(t.most)
	marks := make([]plot.Tick, len(at))
	for i, a := range at {
		marks[i] = plot.Tick{Value: float64(a), Label: a.Time().In(t.span.Zone).Format(form)}
	}
	return marks
}
