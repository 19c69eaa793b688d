package frame

import (
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"jauntylark/core/measure"
)

func settled(adjust func(*Eye)) *Eye {
	e := &Eye{}
	if adjust != nil {
		adjust(e)
	}
	e.Settle()
	return e
}

func gridOf(width, height int, at func(x, y int) float64) *Grid {
	values := make([]float64, width*height)
	for i := range values {
		values[i] = at(i%width, i/width)
	}
	g, err := ofNumbers(width, height, values, 3)
	if err != nil {
		panic(err)
	}
	return g
}

func near(a, b, within float64) bool { return math.Abs(a-b) <= within }

func TestFiguresAreThoseOfClosedForms(t *testing.T) {
	// A plane: t = 20 + 0.5 x + 0.25 y. Its mean over a rectangle is its value at the middle.
	plane := gridOf(40, 30, func(x, y int) float64 { return 20 + 0.5*float64(x) + 0.25*float64(y) })
	limit := 30.0
	e := settled(nil)
	whole := e.LookAtAll(plane)
	if !near(whole.Mean, 20+0.5*19.5+0.25*14.5, 1e-9) || whole.Highest != 20+0.5*39+0.25*29 || whole.Lowest != 20 ||
		whole.HottestX != 39 || whole.HottestY != 29 || whole.Pixels != 1200 {
		t.Errorf("of the whole plane: %+v", whole)
	}
	f := e.Look(plane, &Region{Name: "r", Shape: Rectangle, Points: []Point{{10, 5}, {20, 15}}, Over: &limit})
	if !near(f.Mean, 20+0.5*14.5+0.25*9.5, 1e-9) || f.Pixels != 100 || f.Highest != 20+0.5*19+0.25*14 || f.Lowest != 20+
		5+1.25 {
		t.Errorf("of a rectangle: %+v", f)
	}
	above := 0
	for y := 5; y < 15; y++ {
		for x := 10; x < 20; x++ {
			if plane.At(x, y) > limit {
				above++
			}
		}
	}
	if f.Share != float64(above) {
		t.Errorf("the share above %v is %v %%, should be %d of 100", limit, f.Share, above)
	}
	// A bowl: r² from a middle. Its mean over a disc of radius R around that is R²/2.
	const r = 100.0
	bowl := gridOf(220, 220, func(x, y int) float64 {
		dx, dy := float64(x)+0.5-110, float64(y)+0.5-110
		return (dx*dx + dy*dy) / 100
	})
	disc := e.Look(bowl, &Region{Shape: Ellipse, Points: []Point{{110 - r, 110 - r}, {110 + r, 110 + r}}})
	if !near(float64(disc.Pixels), math.Pi*r*r, 60) || !near(disc.Mean, r*r/2/100, 0.1) {
		t.Errorf("of a disc: %d pixels, should be about %.0f; mean %v, should be %v", disc.Pixels, math.Pi*r*r,
			disc.Mean, r*r/2/100)
	}
	triangle := e.Look(plane, &Region{Shape: Polygon, Points: []Point{{0, 0}, {30, 0}, {0, 30}}})
	if !near(float64(triangle.Pixels), 450, 16) || !near(triangle.Mean, 20+0.5*9.5+0.25*9.5, 0.3) {
		t.Errorf("of a triangle: %+v; its area is 450 and its middle at 10, 10", triangle)
	}
	spot := e.Look(plane, &Region{Shape: Spot, Points: []Point{{12.5, 7.5}}})
	if spot.Highest != plane.At(12, 7) || spot.Pixels != 1 {
		t.Errorf("of a spot: %+v", spot)
	}
}

func TestRegionsGoAsTheyAreDrawn(t *testing.T) {
	count := func(r Region) (n int) {
		r.each(32, 24, func(y, from, until int) {
			if y < 0 || y >= 24 || from < 0 || until > 32 {
				t.Fatalf("%v tells of pixels outside: row %d, %d to %d", r, y, from, until)
			}
			n += until - from
		})
		return n
	}
	for _, c := range []struct {
		r    Region
		want int
	}{
		{Region{Shape: Rectangle, Points: []Point{{0, 0}, {32, 24}}}, 32 * 24},
		{Region{Shape: Rectangle, Points: []Point{{8, 6}, {4, 2}}}, 16}, // corners in any order
		{Region{Shape: Rectangle, Points: []Point{{3.6, 3.6}, {4.4, 4.4}}}, 0},
		{Region{Shape: Polygon, Points: []Point{{0, 0}, {10, 0}, {10, 10}, {0, 10}}}, 100},
		// an arch
		{Region{Shape: Polygon, Points: []Point{{0, 0}, {10, 0}, {10, 10}, {8, 10}, {8, 2}, {2, 2}, {2, 10}, {0, 10}}},
			52},
		{Region{Shape: Ellipse, Points: []Point{{5, 5}, {7, 7}}}, 4},
	} {
		if got := count(c.r); got != c.want {
			t.Errorf("%v has %d pixels, should have %d", c.r, got, c.want)
		}
	}
}

func TestEmissivityIsCorrectedByTheFormula(t *testing.T) {
	for _, e := range []float64{0.1, 0.5, 0.95, 1} {
		for _, truth := range []float64{-30, 0, 36.6, 400} {
			if got := Correct(Apparent(truth, e, 22), e, 22); !near(got, truth, 1e-6) {
				t.Errorf("emissivity %v: %v became %v", e, truth, got)
			}
		}
	}
	// A surface as warm as what it reflects shows its temperature, whatever its emissivity.
	if got := Correct(22, 0.3, 22); !near(got, 22, 1e-9) {
		t.Errorf("22 °C among 22 °C reads %v", got)
	}
	// By hand: ((333.15⁴ − 0.1·293.15⁴)/0.9)^¼ − 273.15
	if got := Correct(60, 0.9, 20); !near(got, 63.6459, 0.001) {
		t.Errorf("60 °C at 0.9 among 20 °C is %v", got)
	}
	if !math.IsNaN(Correct(-100, 0.1, 40)) {
		t.Error("less radiation than is reflected gave a temperature")
	}
	g := gridOf(4, 4, func(int, int) float64 { return 60 })
	e := settled(func(e *Eye) { e.Emissivity, e.Reflected = 0.9, 20 })
	f := e.LookAtAll(g)
	if !near(f.Highest, 63.6459, 0.001) || !near(f.Mean, 63.6459, 0.001) {
		t.Errorf("figures are not corrected: %+v", f)
	}
}

func TestWhatIsTold(t *testing.T) {
	limit, low, high := 50.0, -20.0, 120.0
	e := settled(func(e *Eye) {
		e.Low, e.High = &low, &high
		e.Regions = []Region{{Name: "left", Shape: Rectangle, Points: []Point{{0, 0}, {4, 6}}, Over: &limit},
			{Name: "right", Shape: Rectangle, Points: []Point{{4, 0}, {8, 6}}},
			{Name: "bolt", Shape: Spot, Points: []Point{{1, 1}}}}
		e.Differences = []Contrast{{Name: "left-over-right", Of: "left", Less: "right"},
			{Name: "mean-over-all", Of: "left", Less: Whole, What: "mean"}}
	})
	if err := e.Check(); err != nil {
		t.Fatal(err)
	}
	g := gridOf(8, 6, func(x, y int) float64 {
		if x < 4 {
			return 60
		}
		return 20
	})
	told := map[string]measure.Sample{}
	for _, s := range e.Tell(g, 5) {
		told[s.Name] = s
	}
	for name, want := range map[string]float64{"highest": 60, "lowest": 20, "mean": 40, "hottest-x": 0, "hottest-y": 0,
		"left-highest": 60, "left-mean": 60, "left-share": 100, "right-highest": 20, "right-mean": 20, "bolt": 60,
		"left-over-right": 40, "mean-over-all": 20} {
		if s, there := told[name]; !there || s.Value != want || s.Marks != 0 || s.At != 5 {
			t.Errorf("%s is %+v, should be %v", name, s, want)
		}
	}
	if s := told["highest"].Span; s == nil || *s.Low != low || *s.High != high || told["left-over-right"].Span != nil {
		t.Errorf("the camera's span is told as %+v", s)
	}
	// One pixel of 24 dead is 4 %: borne. Three are doubt.
	g.Counts[9], g.Counts[10], g.Counts[11] = Dead, Dead, Dead
	for _, s := range e.Tell(g, 5) {
		if doubt := s.Name == "left-mean" || s.Name == "left-share" || s.Name == "left-over-right" ||
			s.Name == "mean" || s.Name == "mean-over-all"; doubt != (s.Marks == measure.Implausible) {
			t.Errorf("%s is marked %v with dead pixels in the left half", s.Name, s.Marks)
		}
	}
	// What is hotter than the camera can tell still counts as the highest, where a guard must see it.
	g.Counts[0] = 400_000
	for _, s := range e.Tell(g, 5) {
		if s.Name == "highest" && (s.Value != 400 || s.Marks != 0) {
			t.Errorf("beyond the span the highest is %+v", s)
		}
	}
}

func TestRegionsOutsideAreRefused(t *testing.T) {
	bad := math.NaN()
	for _, c := range []struct {
		change func(*Eye)
		says   string
	}{
		{func(e *Eye) { e.Regions = []Region{{Name: "a", Shape: Rectangle, Points: []Point{{0, 0}, {33, 5}}}} },
			"regions[0].points: point 2 (33, 5) lies outside of the picture, which is 32 × 24"},
		{func(e *Eye) { e.Regions = []Region{{Name: "a", Shape: Spot, Points: []Point{{bad, 5}}}} }, "outside"},
		{func(e *Eye) { e.Regions = []Region{{Name: "a", Shape: "rectangel", Points: []Point{{0, 0}, {3, 5}}}} },
			"rectangle"},
		{func(e *Eye) { e.Regions = []Region{{Name: "a", Shape: Polygon, Points: []Point{{0, 0}, {3, 5}}}} },
			"3 points at least"},
		{func(e *Eye) { e.Regions = []Region{{Name: "highest", Shape: Spot, Points: []Point{{1, 1}}}} },
			"a signal of the whole picture already"},
		{func(e *Eye) {
			e.Regions = []Region{{Name: "a", Shape: Ellipse, Points: []Point{{1.6, 1.6}, {2.2, 2.2}}}}
		}, "draw it larger"},
		{func(e *Eye) { e.Differences = []Contrast{{Name: "d", Of: "x", Less: Whole}} }, "differences[0].of"},
		{func(e *Eye) { e.Emissivity = 0.01 }, "emissivity"},
		{func(e *Eye) { e.Scale = -1 }, "scale"},
		{func(e *Eye) { e.Keep.All = measure.Duration(time.Hour) }, "keep.all"},
		{func(e *Eye) { e.Unit = "kg" }, "unit"},
	} {
		e := settled(func(e *Eye) { e.Width, e.Height = 32, 24; c.change(e) })
		if err := e.Check(); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%+v: %v; should say %q", e.Regions, err, c.says)
		}
	}
	r, err := ParseRegion("terminal-2 ellipse 12,6 18,12 over 60 emissivity 0.9")
	if err != nil || r.String() != "terminal-2 ellipse 12,6 18,12 over 60 emissivity 0.9" {
		t.Errorf("a region as people write it came back as %q (%v)", r.String(), err)
	}
}

func TestPalettesAreEven(t *testing.T) {
	lightness := func(p *Palette, i int) float64 { // CIE 1976 L*
		linear := func(v uint8) float64 {
			s := float64(v) / 255
			if s <= 0.04045 {
				return s / 12.92
			}
			return math.Pow((s+0.055)/1.055, 2.4)
		}
		c := p.Colours[i]
		y := 0.2126*linear(c.R) + 0.7152*linear(c.G) + 0.0722*linear(c.B)
		return 116*math.Cbrt(max(y, 0.008856)) - 16
	}
	for _, p := range Palettes() {
		if p.Both {
			if lightness(&p, 127) < 90 || lightness(&p, 0) > 50 || lightness(&p, 255) > 50 {
				t.Errorf("%s is not light in the middle and dark at its ends", p.Name)
			}
			continue
		}
		for i := 1; i < steps; i++ {
			if d := lightness(&p, i) - lightness(&p, i-1); d < -0.4 || d > 1.2 {
				t.Errorf("%s goes from lightness %.1f to %.1f at %d", p.Name, lightness(&p, i-1), lightness(&p, i), i)
			}
		}
		if lightness(&p, 255)-lightness(&p, 0) < 70 {
			t.Errorf("%s goes over %.0f of lightness only", p.Name, lightness(&p, 255)-lightness(&p, 0))
		}
	}
	if Index(5, 0, 10) != 128 || Index(-1, 0, 10) != 0 || Index(99, 0, 10) != 255 {
		t.Error("temperatures fall onto other colours")
	}
}

func TestFramesAreThinnedByAge(t *testing.T) {
	const minute = measure.Instant(60_000)
	now := measure.Instant(1_790_000_000_000)
	zone, err := time.LoadLocation("Europe/Dublin")
	if err != nil {
		t.Fatal(err)
	}
	day := 24 * 60 * minute
	var at []measure.Instant
	for i := now - 400*day; i < now; i += 10 * minute {
		at = append(at, i)
	}
	moment := now - 200*day
	e := settled(func(e *Eye) { e.Reference = &at[7] })
	gone := e.Thin(at, []measure.Instant{moment}, now, zone)
	left := slices.DeleteFunc(slices.Clone(at), func(i measure.Instant) bool {
		_, found := slices.BinarySearch(gone, i)
		return found
	})
	perHour, perDay, around := map[int64]int{}, map[string]int{}, 0
	for _, i := range left {
		switch age := now - i; {
		case i >= moment-30*minute && i <= moment+30*minute:
			around++
		case i == at[7]:
		case age > 365*day:
			perDay[i.Time().In(zone).Format(time.DateOnly)]++
		case age > 30*day:
			perHour[int64(i)/3_600_000]++
		}
	}
	if around < 6 {
		t.Errorf("%d frames are left around the alarm", around)
	}
	for _, n := range perHour {
		if n != 1 {
			t.Fatalf("an hour has %d frames", n)
		}
	}
	for _, n := range perDay {
		if n != 1 {
			t.Fatalf("a day has %d frames", n)
		}
	}
	if len(perHour) < 334*24 || len(perDay) < 34 || !slices.Contains(left, at[7]) {
		t.Errorf("%d hours and %d days are left", len(perHour), len(perDay))
	}
	if again := e.Thin(left, []measure.Instant{moment}, now, zone); len(again) != 0 {
		t.Errorf("thinning what is thinned lets %d go", len(again))
	}
	if n := e.Keep.InYear(144); !near(n, 144*30+24*335, 1) {
		t.Errorf("a year keeps %v", n)
	}
}

func BenchmarkPack(b *testing.B) { bench(b, func(g *Grid) { Pack(g) }) }

func BenchmarkUnpack(b *testing.B) {
	var p []byte
	bench(b, func(g *Grid) {
		if p == nil {
			p = Pack(g)
		}
		_, _ = Unpack(p)
	})
}

func BenchmarkTell(b *testing.B) {
	e := settled(func(e *Eye) {
		e.Regions = []Region{{Name: "a", Shape: Ellipse, Points: []Point{{10, 10}, {300, 300}}}}
	})
	bench(b, func(g *Grid) { e.Tell(g, 1) })
}

func bench(b *testing.B, do func(*Grid)) {
	random := rand.New(rand.NewPCG(3, 4))
	g := gridOf(640, 480, func(x, y int) float64 {
		return math.Round(100*(20+5*math.Sin(float64(x)/40)+float64(y)/50+random.NormFloat64()*0.05)) / 100
	})
	b.SetBytes(2 * 640 * 480)
	for b.Loop() {
		do(g)
	}
}
