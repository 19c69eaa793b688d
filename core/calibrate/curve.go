package calibrate

import (
	"fmt"
	"math"
	"slices"
	"sort"

	"jauntylark/core/measure"
	"jauntylark/core/prose"
)

// Pair is what the instrument showed and what the reference said at the same time.
type Pair struct {
	Shown     float64 `json:"shown"`
	Reference float64 `json:"reference"`
}

// Curve gives the true value for a raw one. It rises or falls throughout.
type Curve struct {
	Gain   float64 `json:"gain" doc:"of a straight line: value = gain × raw + offset"`
	Offset float64 `json:"offset"`
	Points []Pair  `json:"points,omitempty" nullable:"false" doc:"of a line with corners: through these, in order of shown, and straight on beyond them; gain and offset are then not used"`
}

// Identity changes nothing.
var Identity = Curve{Gain: 1}

// Apply gives the true value. It takes time in the logarithm of the number of points.
func (c *Curve) Apply(raw float64) float64 {
	if len(c.Points) == 0 {
		if c.Gain == 1 && c.Offset == 0 {
			return raw
		}
		return settled(c.Gain*raw, c.Offset)
	}
	a, b := c.segment(func(p Pair) bool { return p.Shown >= raw })
	return settled((raw-a.Shown)*(b.Reference-a.Reference)/(b.Shown-a.Shown), a.Reference)
}

// settled adds two figures within what can be stored, as decimals: a reading of 0.2 corrected by 0.1 is 0.3, at a limit
// of 0.3.
func settled(a, b float64) float64 {
	return measure.Settle(max(-math.MaxFloat64, min(math.MaxFloat64, a+b)), max(math.Abs(a), math.Abs(b)))
}

// Raw is Apply turned round.
func (c *Curve) Raw(value float64) float64 {
	if len(c.Points) == 0 {
		return (value - c.Offset) / c.Gain
	}
	falls := c.Falls()
	a, b := c.segment(func(p Pair) bool { return p.Reference == value || p.Reference > value != falls })
	return a.Shown + (value-a.Reference)*(b.Shown-a.Shown)/(b.Reference-a.Reference)
}

// segment gives the two points whose line counts where the first point of which past is true lies.
func (c *Curve) segment(past func(Pair) bool) (a, b Pair) {
	i := 1 + sort.Search(len(c.Points)-2, func(k int) bool { return past(c.Points[k+1]) })
	return c.Points[i-1], c.Points[i]
}

// Falls tells whether a higher raw value means a lower true one.
func (c *Curve) Falls() bool {
	if len(c.Points) == 0 {
		return c.Gain < 0
	}
	return c.Points[1].Reference < c.Points[0].Reference
}

// check tells what is wrong with a curve, in words: empty for nothing.
func (c *Curve) check() string {
	if len(c.Points) == 0 {
		if c.Gain == 0 || math.IsNaN(c.Gain) || math.IsInf(c.Gain, 0) || math.IsNaN(c.Offset) ||
			math.IsInf(c.Offset, 0) {
			return fmt.Sprintf("a gain of %v and an offset of %v cannot be", c.Gain, c.Offset)
		}
		return ""
	}
	for i := 2; i < len(c.Points); i++ {
		a, b, d := c.Points[i-2], c.Points[i-1], c.Points[i]
		if (b.Reference-a.Reference)*(d.Reference-b.Reference) <= 0 {
			return fmt.Sprintf(
				"must rise or fall throughout, but the reference goes %v, %v, %v where %v, %v, %v is shown",
				a.Reference, b.Reference, d.Reference, a.Shown, b.Shown, d.Shown)
		}
	}
	if len(c.Points) < 2 || c.Points[0].Reference == c.Points[1].Reference {
		return "must rise or fall throughout, but two pairs have the same reference"
	}
	return ""
}

// String tells the curve in a few words.
func (c Curve) String() string {
	switch {
	case len(c.Points) > 0:
		return fmt.Sprintf("a line with corners through %s", prose.Count(len(c.Points), "point", "points"))
	case c.Gain == 1:
		return fmt.Sprintf("%+.6g", c.Offset)
	default:
		return fmt.Sprintf("× %.6g %+.6g", c.Gain, c.Offset)
	}
}

// Pairs are the pairs of one calibration.
type Pairs []Pair

// sorted gives the pairs in order of what was shown.
func (p Pairs) sorted() Pairs {
	s := slices.Clone(p)
	slices.SortStableFunc(s, func(a, b Pair) int {
		switch {
		case a.Shown < b.Shown:
			return -1
		case a.Shown > b.Shown:
			return 1
		}
		return 0
	})
	return s
}
