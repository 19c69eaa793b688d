package derive

import (
	"math"

	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// Magnus' form of the saturation vapour pressure in hPa, with the coefficients of Sonntag (1990), as given in
// the WMO Guide to Instruments and Methods of Observation (WMO-No. 8, Annex 4.B): over water from -45 to 60
// °C, over ice from -65 to 0 °C. Relative humidity is over water at all temperatures, as WMO defines it.
const (
	magnusPressure   = 6.112
	waterA, waterB   = 17.62, 243.12
	iceA, iceB       = 22.46, 272.62
	lowestAir        = -45.0
	highestAir       = 60.0
	lowestFrost      = -65.0
	vapourConstant   = 216.679 // g K/J × 100: from hPa and K to g/m³
	zeroCelsius      = 273.15
	saturated        = 100.0
	tooMuchSaturated = 105.0 // instruments overshoot when they are wet
)

// vapour gives the logarithm of the vapour pressure over magnusPressure; false outside of the range.
func vapour(air, humidity float64) (float64, bool) {
	if air < lowestAir || air > highestAir || humidity <= 0 || humidity > tooMuchSaturated {
		return 0, false
	}
	return math.Log(min(humidity, saturated)/100) + waterA*air/(waterB+air), true
}

// DewPoint gives the dew point in °C from air temperature in °C and relative humidity in %. over is water,
// ice for the frost point, or either for the frost point below 0 °C. It is false where the air, or the point
// itself, lies beyond the range of the coefficients.
func DewPoint(air, humidity float64, over string) (float64, bool) {
	g, ok := vapour(air, humidity)
	if !ok {
		return 0, false
	}
	dew, lowest, highest := waterB*g/(waterA-g), lowestAir, highestAir
	if over == "ice" || over == "either" && dew < 0 {
		dew, lowest, highest = iceB*g/(iceA-g), lowestFrost, 0
	}
	return dew, dew >= lowest && dew <= highest
}

// AbsoluteHumidity gives grams of water in a cubic metre (WMO-No. 8, 4.A.1: the ideal gas law for vapour).
func AbsoluteHumidity(air, humidity float64) (float64, bool) {
	g, ok := vapour(air, humidity)
	return vapourConstant * magnusPressure * math.Exp(g) / (air + zeroCelsius), ok
}

// in has the machine's inputs converted into units, one a role.
func (m *Machine) in(sources []Source, units ...measure.Unit) error {
	for i, s := range sources {
		if i >= len(units) || units[i] == "" || s.Unit == units[i] {
			continue
		}
		convert, err := measure.Converter(s.Unit, units[i])
		if err != nil {
			return fault("of", "%s: %v", s.Path, err)
		}
		m.inputs[m.order[i]].convert = convert
	}
	return nil
}

func checkOver(r *Recipe) error {
	switch r.Over {
	case "", "water", "ice", "either":
		return nil
	}
	return fault("over", "%q is not water, ice or either", r.Over)
}

func dewPoint(r *Recipe, in []Source, m *Machine) error {
	m.Output = Output{Kind: site.KindNumber, Unit: "Cel", Quantity: "dew point"}
	m.step = func(_ measure.Instant, v []float64) (float64, bool) { return DewPoint(v[0], v[1], r.Over) }
	if err := checkOver(r); err != nil {
		return err
	}
	return m.in(in, "Cel", "%RH")
}

func dewMargin(r *Recipe, in []Source, m *Machine) error {
	m.Output = Output{Kind: site.KindNumber, Unit: "K", Quantity: "dew margin"}
	m.step = func(_ measure.Instant, v []float64) (float64, bool) {
		dew, ok := DewPoint(v[1], v[2], r.Over)
		return v[0] - dew, ok
	}
	if err := checkOver(r); err != nil {
		return err
	}
	return m.in(in, "Cel", "Cel", "%RH")
}

func absoluteHumidity(_ *Recipe, in []Source, m *Machine) error {
	m.Output = Output{Kind: site.KindNumber, Unit: "g/m3", Quantity: "absolute humidity"}
	m.step = func(_ measure.Instant, v []float64) (float64, bool) { return AbsoluteHumidity(v[0], v[1]) }
	return m.in(in, "Cel", "%RH")
}
