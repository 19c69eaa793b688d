package derive

import (
	"slices"

	"jauntylark/core/measure"
	"jauntylark/core/site"
)

func difference(_ *Recipe, in []Source, m *Machine) error {
	unit := in[0].Unit
	m.Output = Output{Kind: site.KindNumber, Unit: unit, Quantity: "difference"}
	// a difference of temperatures is no temperature: 0 °C is not "no difference"
	if unit.Dimension() == "temperature" {
		unit, m.Unit = "Cel", "K"
	}
	m.step = func(_ measure.Instant, v []float64) (float64, bool) { return v[0] - v[1], true }
	return m.in(in, unit, unit)
}

// severally builds a kind that makes one number of several in one unit, that of the first.
func severally(of func([]float64) float64) func(*Recipe, []Source, *Machine) error {
	return func(r *Recipe, in []Source, m *Machine) error {
		m.Output = Output{Kind: site.KindNumber, Unit: in[0].Unit, Quantity: r.Kind}
		m.step = func(_ measure.Instant, v []float64) (float64, bool) { return of(v), true }
		units := make([]measure.Unit, len(in))
		for i := range units {
			units[i] = in[0].Unit
		}
		return m.in(in, units...)
	}
}

func sumOf(v []float64) (sum float64) {
	for _, x := range v {
		sum += x
	}
	return sum
}

func meanOf(v []float64) float64    { return sumOf(v) / float64(len(v)) }
func highestOf(v []float64) float64 { return slices.Max(v) }
func lowestOf(v []float64) float64  { return slices.Min(v) }

func power(_ *Recipe, in []Source, m *Machine) error {
	m.Output = Output{Kind: site.KindNumber, Unit: "W", Quantity: "power"}
	m.step = func(_ measure.Instant, v []float64) (float64, bool) {
		watts := v[0] * v[1]
		if len(in) == 3 {
			watts *= v[2]
		}
		return watts, true
	}
	return m.in(in, "V", "A", "/")
}
