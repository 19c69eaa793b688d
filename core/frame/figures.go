package frame

import (
	"math"
	"slices"

	"jauntylark/core/measure"
)

// wholeSignals are the signals of the whole picture.
var wholeSignals = []string{"highest", "lowest", "mean", "centre", "hottest-x", "hottest-y"}

// IsWhole tells whether a name is that of a signal of the whole picture.
func IsWhole(name string) bool { return slices.Contains(wholeSignals, name) }

// Figures are what a region, or the whole picture, comes to.
type Figures struct {
	Highest, Lowest, Mean float64 // °C, corrected; NaN when no pixel gave a temperature
	HottestX, HottestY    int     // the pixel, from 0
	Share                 float64 // per cent of the pixels above the region's limit; NaN without one
	Pixels                int     // that gave a temperature
	Doubtful              int     // that gave none, or one beyond the span
}

// mostDoubtful is the share of doubtful pixels from which on figures over many pixels are not to be believed.
const mostDoubtful = 0.05

// sure tells whether a figure over many pixels can be believed.
func (f *Figures) sure() bool {
	return float64(f.Doubtful) <= mostDoubtful*float64(f.Pixels+f.Doubtful)
}

// Look computes the figures of a region. A pixel beyond the span counts for the highest and lowest, which tell on which
// side something left it, and is doubtful; a dead pixel counts for nothing.
func (e *Eye) Look(g *Grid, r *Region) Figures {
	sum := gatherer{g: g, eye: e, least: math.MaxInt32, most: Dead, over: math.Inf(1), emissivity: e.Emissivity}
	if r.Emissivity != 0 {
		sum.emissivity = r.Emissivity
	}
	if r.Over != nil {
		sum.over = *r.Over
	}
	sum.bound()
	r.each(g.Width, g.Height, sum.add)
	return sum.figures(r.Over != nil)
}

// LookAtAll computes the figures of the whole picture.
func (e *Eye) LookAtAll(g *Grid) Figures {
	return e.Look(g, &Region{Shape: Rectangle, Points: []Point{{}, {float64(g.Width), float64(g.Height)}}})
}

// gatherer adds pixels up. Highest and lowest are found among counts, and corrected once, since the correction is
// monotone; so is a limit.
type gatherer struct {
	g                 *Grid
	eye               *Eye
	emissivity, over  float64
	overCount         float64 // apparent
	lowCount, hiCount float64 // the span, apparent
	least, most       int32
	where             int
	sum               float64
	counts            int64
	pixels, above     int
	doubtful          int
}

// bound finds the counts at which the limit and the ends of the span lie. The span is that of the camera, and judges
// what it tells.
func (s *gatherer) bound() {
	count := func(t float64) float64 { return (t - s.g.Offset) / s.g.Scale }
	s.overCount, s.lowCount, s.hiCount = math.Inf(1), math.Inf(-1), math.Inf(1)
	if !math.IsInf(s.over, 1) {
		s.overCount = count(s.over)
		if s.emissivity != 1 {
			s.overCount = count(Apparent(s.over, s.emissivity, s.eye.Reflected))
		}
	}
	if s.eye.Low != nil {
		s.lowCount = count(*s.eye.Low) - 1e-6
	}
	if s.eye.High != nil {
		s.hiCount = count(*s.eye.High) + 1e-6
	}
}

func (s *gatherer) add(y, from, until int) {
	corrected := s.emissivity != 1
	for i, c := range s.g.Counts[y*s.g.Width+from : y*s.g.Width+until] {
		if c == Dead {
			s.doubtful++
			continue
		}
		if c > s.most {
			s.most, s.where = c, y*s.g.Width+from+i
		}
		s.least = min(s.least, c)
		v := float64(c)
		if v < s.lowCount || v > s.hiCount {
			s.doubtful++
			continue
		}
		s.pixels++
		if v > s.overCount {
			s.above++
		}
		if corrected {
			s.sum += Correct(s.g.value(c), s.emissivity, s.eye.Reflected)
		} else {
			s.counts += int64(c)
		}
	}
}

func (s *gatherer) figures(limited bool) Figures {
	f := Figures{Highest: math.NaN(), Lowest: math.NaN(), Mean: math.NaN(), Share: math.NaN(), Pixels: s.pixels,
		Doubtful: s.doubtful}
	if s.most != Dead {
		f.Highest = Correct(s.g.value(s.most), s.emissivity, s.eye.Reflected)
		f.Lowest = Correct(s.g.value(s.least), s.emissivity, s.eye.Reflected)
		f.HottestX, f.HottestY = s.where%s.g.Width, s.where/s.g.Width
	}
	if s.pixels > 0 {
		n := float64(s.pixels)
		if f.Mean = s.sum / n; s.emissivity == 1 {
			f.Mean = float64(s.counts)/n*s.g.Scale + s.g.Offset
		}
		if limited {
			f.Share = 100 * float64(s.above) / n
		}
	}
	return f
}

// Tell gives what signals a frame has, as samples at an instant: those of the whole picture, of regions, of
// differences. What cannot be believed is marked implausible; what cannot be told at all is left out.
func (e *Eye) Tell(g *Grid, at measure.Instant) []measure.Sample {
	t := teller{eye: e, at: at, figures: map[string]Figures{}, spans: e.Spans()}
	whole := e.LookAtAll(g)
	t.figures[Whole] = whole
	sure := whole.sure()
	t.temperature("highest", whole.Highest, true)
	t.temperature("lowest", whole.Lowest, true)
	t.temperature("mean", whole.Mean, sure)
	centre := e.Look(g, &Region{Shape: Spot, Points: []Point{{float64(g.Width) / 2, float64(g.Height) / 2}}})
	t.temperature("centre", centre.Highest, centre.sure())
	if !math.IsNaN(whole.Highest) {
		t.add(measure.Sample{Name: "hottest-x", Value: float64(whole.HottestX)}, true)
		t.add(measure.Sample{Name: "hottest-y", Value: float64(whole.HottestY)}, true)
	}
	t.regions(g)
	return t.samples
}

// TellFresh gives what Tell does, of some regions and differences alone.
func (e *Eye) TellFresh(g *Grid, at measure.Instant, fresh *Eye) []measure.Sample {
	all := e.Tell(g, at)
	return slices.DeleteFunc(all, func(s measure.Sample) bool { return !fresh.gives(s.Name) })
}

// gives tells whether a signal is one of the eye's regions or differences.
func (e *Eye) gives(name string) bool {
	return slices.ContainsFunc(e.Regions, func(r Region) bool {
		return slices.Contains([]string{r.Name, r.Name + "-highest", r.Name + "-mean", r.Name + "-share"}, name)
	}) || slices.ContainsFunc(e.Differences, func(d Contrast) bool { return d.Name == name })
}

// teller gathers the samples of a frame.
type teller struct {
	eye     *Eye
	at      measure.Instant
	figures map[string]Figures
	spans   map[string]*measure.Span
	samples []measure.Sample
}

func (t *teller) add(s measure.Sample, sure bool) {
	if math.IsNaN(s.Value) || math.IsInf(s.Value, 0) {
		return
	}
	s.Index, s.At = len(t.samples), t.at
	if !sure {
		s.Marks = measure.Implausible
	}
	t.samples = append(t.samples, s)
}

// temperature adds a temperature; a hundredth of a degree is what is told of it.
func (t *teller) temperature(name string, v float64, sure bool) {
	t.add(measure.Sample{Name: name, Value: hundredth(v), Unit: celsius, Span: t.spans[name]}, sure)
}

func hundredth(v float64) float64 { return math.Round(v*100) / 100 }

// Spans gives, by the names of the eye's temperatures, what the camera can truly give of each: its span, seen through
// the emissivity; nil where nobody has said.
func (e *Eye) Spans() map[string]*measure.Span {
	spans := map[string]*measure.Span{}
	end := func(v *float64, emissivity float64) *float64 {
		if v == nil {
			return nil
		}
		seen := hundredth(Correct(*v, emissivity, e.Reflected))
		if math.IsNaN(seen) {
			return nil
		}
		return &seen
	}
	put := func(emissivity float64, names ...string) {
		s := &measure.Span{Low: end(e.Low, emissivity), High: end(e.High, emissivity)}
		if s.Low == nil && s.High == nil {
			s = nil
		}
		for _, name := range names {
			spans[name] = s
		}
	}
	put(e.Emissivity, "highest", "lowest", "mean", "centre")
	for i := range e.Regions {
		r := &e.Regions[i]
		emissivity := e.Emissivity
		if r.Emissivity != 0 {
			emissivity = r.Emissivity
		}
		if r.Shape == Spot {
			put(emissivity, r.Name)
		} else {
			put(emissivity, r.Name+"-highest", r.Name+"-mean")
		}
	}
	return spans
}

func (t *teller) regions(g *Grid) {
	for i := range t.eye.Regions {
		r := &t.eye.Regions[i]
		f := t.eye.Look(g, r)
		t.figures[r.Name] = f
		if r.Shape == Spot {
			t.temperature(r.Name, f.Highest, true)
			continue
		}
		t.temperature(r.Name+"-highest", f.Highest, true)
		t.temperature(r.Name+"-mean", f.Mean, f.sure())
		if r.Over != nil {
			t.add(measure.Sample{Name: r.Name + "-share", Value: hundredth(f.Share), Unit: "%"}, f.sure())
		}
	}
	for _, d := range t.eye.Differences {
		a, b := t.figures[d.Of], t.figures[d.Less]
		v := a.Highest - b.Highest
		if d.What == "mean" {
			v = a.Mean - b.Mean
		}
		t.add(measure.Sample{Name: d.Name, Value: hundredth(v), Unit: "K"}, a.sure() && b.sure())
	}
}
