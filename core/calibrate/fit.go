package calibrate

import (
	"fmt"
	"math"

	"jauntylark/core/measure"
)

// Method is how pairs become a curve.
type Method string

// The methods. Usual is an offset for one pair and a straight line for more.
const (
	Usual   Method = ""
	Offset  Method = "offset"  // gain 1, the mean difference
	Line    Method = "line"    // gain and offset; by least squares from more than two pairs
	Corners Method = "corners" // straight from pair to pair, and straight on beyond them
)

// Fit is a curve with how well it fits its pairs.
type Fit struct {
	Method    Method    `json:"method" enum:"offset,line,corners"`
	Curve     Curve     `json:"curve"`
	Residuals []float64 `json:"residuals" nullable:"false" doc:"reference less what the curve gives, for each pair"`
	Worst     float64   `json:"worst" doc:"the largest of them, without its sign"`
	Warnings  []string  `json:"warnings" nullable:"false" doc:"why the fit is perhaps not to be trusted, in words"`
}

// MaxPairs bounds the pairs of one calibration.
const MaxPairs = 100

// FitPairs fits a curve to pairs. Least squares are the ordinary ones of the reference over what was shown
// (Draper and Smith, Applied Regression Analysis, 3rd edition, 1.2). An error is a *measure.Fault.
func FitPairs(pairs Pairs, method Method) (Fit, error) {
	fault := func(format string, args ...any) (Fit, error) {
		return Fit{}, &measure.Fault{Field: "pairs", Reason: fmt.Sprintf(format, args...)}
	}
	if len(pairs) == 0 || len(pairs) > MaxPairs {
		return fault("there are %d; 1 to %d make a calibration", len(pairs), MaxPairs)
	}
	for _, p := range pairs {
		if bad := p.Shown + p.Reference; math.IsNaN(bad) || math.IsInf(bad, 0) {
			return fault("%v=%v is no pair of numbers", p.Shown, p.Reference)
		}
	}
	if method == Usual {
		if method = Line; len(pairs) == 1 {
			method = Offset
		}
	}
	f := Fit{Method: method, Warnings: []string{}}
	switch method {
	case Offset:
		f.Curve = Identity
		for _, p := range pairs {
			f.Curve.Offset += (p.Reference - p.Shown) / float64(len(pairs))
		}
	case Line:
		if f.Curve = leastSquares(pairs); spread(pairs) == 0 {
			return fault(
				"all were taken where %v was shown; a straight line needs two different places, or take the method "+
					"offset", pairs[0].Shown)
		}
	case Corners:
		f.Curve = Curve{Points: pairs.sorted()}
		for i := 1; i < len(f.Curve.Points); i++ {
			if f.Curve.Points[i].Shown == f.Curve.Points[i-1].Shown {
				return fault("two were taken where %v was shown; a line with corners needs different places",
					f.Curve.Points[i].Shown)
			}
		}
	default:
		return Fit{}, &measure.Fault{Field: "method",
			Reason: fmt.Sprintf("%q is not a method; methods are offset, line, corners", method)}
	}
	if wrong := f.Curve.check(); wrong != "" {
		return fault("%s", "the curve "+wrong)
	}
	f.measure(pairs)
	return f, nil
}

func leastSquares(pairs Pairs) Curve {
	n := float64(len(pairs))
	var x, y float64
	for _, p := range pairs {
		x, y = x+p.Shown/n, y+p.Reference/n
	}
	var xx, xy float64
	for _, p := range pairs {
		xx, xy = xx+(p.Shown-x)*(p.Shown-x), xy+(p.Shown-x)*(p.Reference-y)
	}
	gain := xy / xx
	return Curve{Gain: gain, Offset: y - gain*x}
}

// spread is how far apart the pairs were taken.
func spread(pairs Pairs) float64 {
	s := pairs.sorted()
	return s[len(s)-1].Shown - s[0].Shown
}

// The bounds beyond which a fit is warned of.
const (
	poorFit         = 0.05 // residuals over the spread of the references
	gainLow, gainUp = 0.5, 2
)

// measure fills in residuals and warnings.
func (f *Fit) measure(pairs Pairs) {
	low, high := math.Inf(1), math.Inf(-1)
	for _, p := range pairs {
		r := p.Reference - f.Curve.Apply(p.Shown)
		if math.Abs(r) < 1e-9*math.Max(1, math.Abs(p.Reference)) {
			r = 0
		}
		f.Residuals = append(f.Residuals, r)
		f.Worst = math.Max(f.Worst, math.Abs(r))
		low, high = math.Min(low, p.Reference), math.Max(high, p.Reference)
	}
	if f.Worst > poorFit*(high-low) && f.Worst > 0 {
		f.Warnings = append(f.Warnings,
			fmt.Sprintf(
				"The pairs do not fit: one is %s off the curve, while the references span %s. Was one mistyped, or "+
					"taken before the instrument had settled?",
				measure.Figure(f.Worst, ""), measure.Figure(high-low, "")))
	}
	if gain := math.Abs(f.Curve.Gain); f.Method == Line && (gain < gainLow || gain > gainUp) {
		f.Warnings = append(f.Warnings,
			fmt.Sprintf(
				"The gain is %.3g. An instrument that is so far off is perhaps broken, wired to another range, or "+
					"gives another unit.", f.Curve.Gain))
	}
	if f.Curve.Falls() {
		f.Warnings = append(f.Warnings,
			"The curve falls: a higher raw value means a lower true one. Are shown and reference the right way round?")
	}
}
