package derive

import (
	"jauntylark/core/calibrate"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// curves give the charge in percent for the voltage of one cell at rest, in the middle of what makers' data
// sheets give at 20 to 25 °C. Under load a cell reads lower: own points are better where it matters.
var curves = map[string]calibrate.Pairs{
	"li-ion": {{Shown: 3.00, Reference: 0}, {Shown: 3.45, Reference: 5}, {Shown: 3.68, Reference: 10},
		{Shown: 3.74, Reference: 20}, {Shown: 3.77, Reference: 30}, {Shown: 3.79, Reference: 40},
		{Shown: 3.82, Reference: 50}, {Shown: 3.87, Reference: 60}, {Shown: 3.92, Reference: 70},
		{Shown: 3.98, Reference: 80}, {Shown: 4.06, Reference: 90}, {Shown: 4.20, Reference: 100}},
	"lead-acid": {{Shown: 1.95, Reference: 0}, {Shown: 1.99, Reference: 20}, {Shown: 2.03, Reference: 50},
		{Shown: 2.07, Reference: 75}, {Shown: 2.12, Reference: 100}},
	"lifepo4": {{Shown: 2.50, Reference: 0}, {Shown: 3.00, Reference: 9}, {Shown: 3.13, Reference: 14},
		{Shown: 3.20, Reference: 20}, {Shown: 3.22, Reference: 30}, {Shown: 3.25, Reference: 40},
		{Shown: 3.26, Reference: 50}, {Shown: 3.27, Reference: 60}, {Shown: 3.30, Reference: 70},
		{Shown: 3.32, Reference: 80}, {Shown: 3.35, Reference: 90}, {Shown: 3.40, Reference: 100}},
}

func charge(r *Recipe, in []Source, m *Machine) error {
	points, named := curves[r.Curve]
	switch {
	case r.Curve == "own" && len(r.Points) < 2:
		return fault("points", "are missing; an own curve takes two or more of volts and percent")
	case r.Curve == "own":
		points = r.Points
	case !named:
		return fault("curve", "%s", site.Unknown("curve", r.Curve, []string{"li-ion", "lead-acid", "lifepo4", "own"}))
	case len(r.Points) > 0:
		return fault("points", "have no meaning with the curve %s; take the curve own", r.Curve)
	}
	fit, err := calibrate.FitPairs(points, calibrate.Corners)
	if err != nil {
		return fault("points", "%v", err)
	}
	factor := max(1, float64(r.Cells))
	divider := r.Divider
	if divider == 0 {
		divider = 1
	}
	m.Output = Output{Kind: site.KindNumber, Unit: "%EL", Quantity: "charge"}
	m.step = func(_ measure.Instant, v []float64) (float64, bool) {
		return max(0, min(100, fit.Curve.Apply(v[0]*divider/factor))), true
	}
	return m.in(in, "V")
}
