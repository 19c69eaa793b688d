package measure

import (
	"fmt"
	"math"
	"sort"
	"strconv"
	"strings"
)

// Unit is a unit code: SenML's (RFC 8428 section 12.1, RFC 8798) or, where SenML has none, UCUM's.
// The empty Unit means that nobody has said.
type Unit string

// unitFacts place a unit on the scale of its dimension: base = value*factor + offset.
type unitFacts struct {
	dimension string
	factor    float64
	offset    float64
	shown     string
}

// units are the codes that are known. Factors are exact by definition (SI brochure, 9th edition;
// NIST SP 811 appendix B for the inch, foot, pound and gallon).
var units = map[Unit]unitFacts{
	"Cel": {"temperature", 1, 273.15, "°C"}, "K": {"temperature", 1, 0, "K"},
	"[degF]": {"temperature", 5.0 / 9, 459.67 * 5 / 9, "°F"},
	"%RH":    {"humidity", 1, 0, "%"},
	"/":      {"ratio", 1, 0, ""}, "%": {"ratio", 0.01, 0, "%"},
	"By":  {"information", 1, 0, "bytes"},
	"ppm": {"ratio", 1e-6, 0, "ppm"}, "ppb": {"ratio", 1e-9, 0, "ppb"},
	"Pa": {"pressure", 1, 0, "Pa"}, "hPa": {"pressure", 100, 0, "hPa"},
	"kPa": {"pressure", 1000, 0, "kPa"}, "bar": {"pressure", 1e5, 0, "bar"},
	"mbar": {"pressure", 100, 0, "mbar"},
	"V":    {"voltage", 1, 0, "V"}, "mV": {"voltage", 1e-3, 0, "mV"}, "kV": {"voltage", 1e3, 0, "kV"},
	"A": {"current", 1, 0, "A"}, "mA": {"current", 1e-3, 0, "mA"},
	"W": {"power", 1, 0, "W"}, "mW": {"power", 1e-3, 0, "mW"}, "kW": {"power", 1e3, 0, "kW"},
	"VA": {"apparent power", 1, 0, "VA"}, "kVA": {"apparent power", 1e3, 0, "kVA"},
	"var": {"reactive power", 1, 0, "var"}, "kvar": {"reactive power", 1e3, 0, "kvar"},
	"J": {"energy", 1, 0, "J"}, "kJ": {"energy", 1e3, 0, "kJ"},
	"mWh": {"energy", 3.6, 0, "mWh"}, "Wh": {"energy", 3600, 0, "Wh"}, "kWh": {"energy", 3.6e6, 0, "kWh"},
	"MWh": {"energy", 3.6e9, 0, "MWh"},
	"VAh": {"apparent energy", 1, 0, "VAh"}, "varh": {"reactive energy", 1, 0, "varh"},
	"Ah": {"charge", 3600, 0, "Ah"}, "C": {"charge", 1, 0, "C"},
	"Ohm": {"resistance", 1, 0, "Ω"}, "kOhm": {"resistance", 1e3, 0, "kΩ"},
	"F": {"capacitance", 1, 0, "F"}, "H": {"inductance", 1, 0, "H"},
	"S": {"conductance", 1, 0, "S"}, "S/m": {"conductivity", 1, 0, "S/m"},
	"mS/cm": {"conductivity", 0.1, 0, "mS/cm"}, "uS/cm": {"conductivity", 1e-4, 0, "µS/cm"},
	"m": {"length", 1, 0, "m"}, "km": {"length", 1e3, 0, "km"}, "cm": {"length", 1e-2, 0, "cm"},
	"mm": {"length", 1e-3, 0, "mm"}, "um": {"length", 1e-6, 0, "µm"},
	"[in_i]": {"length", 0.0254, 0, "in"}, "[ft_i]": {"length", 0.3048, 0, "ft"},
	"m2": {"area", 1, 0, "m²"}, "m3": {"volume", 1, 0, "m³"},
	"l": {"volume", 1e-3, 0, "l"}, "L": {"volume", 1e-3, 0, "l"}, "ml": {"volume", 1e-6, 0, "ml"},
	"m3/s": {"flow", 1, 0, "m³/s"}, "l/s": {"flow", 1e-3, 0, "l/s"},
	"m3/h": {"flow", 1.0 / 3600, 0, "m³/h"}, "l/min": {"flow", 1e-3 / 60, 0, "l/min"},
	"m/s": {"speed", 1, 0, "m/s"}, "km/h": {"speed", 1 / 3.6, 0, "km/h"},
	"m/s2": {"acceleration", 1, 0, "m/s²"},
	"kg":   {"mass", 1, 0, "kg"}, "g": {"mass", 1e-3, 0, "g"}, "mg": {"mass", 1e-6, 0, "mg"},
	"[lb_av]": {"mass", 0.45359237, 0, "lb"},
	"kg/m3":   {"density", 1, 0, "kg/m³"}, "g/m3": {"density", 1e-3, 0, "g/m³"},
	"mg/m3": {"density", 1e-6, 0, "mg/m³"}, "ug/m3": {"density", 1e-9, 0, "µg/m³"},
	"mg/l": {"density", 1e-3, 0, "mg/l"},
	"s":    {"time", 1, 0, "s"}, "ms": {"time", 1e-3, 0, "ms"}, "min": {"time", 60, 0, "min"},
	"h": {"time", 3600, 0, "h"}, "d": {"time", 86400, 0, "d"},
	"Hz": {"frequency", 1, 0, "Hz"}, "kHz": {"frequency", 1e3, 0, "kHz"}, "1/s": {"frequency", 1, 0, "/s"},
	"1/min": {"frequency", 1.0 / 60, 0, "/min"}, "beat/min": {"heart rate", 1, 0, "/min"},
	"lx": {"illuminance", 1, 0, "lx"}, "lm": {"luminous flux", 1, 0, "lm"}, "cd": {"luminous intensity", 1, 0, "cd"},
	"cd/m2": {"luminance", 1, 0, "cd/m²"}, "W/m2": {"irradiance", 1, 0, "W/m²"},
	"dB": {"level", 1, 0, "dB"}, "dBW": {"power level", 1, 0, "dBW"}, "dBm": {"power level", 1, -30, "dBm"},
	"rad": {"angle", 1, 0, "rad"}, "deg": {"angle", math.Pi / 180, 0, "°"},
	"lat": {"latitude", 1, 0, "° lat"}, "lon": {"longitude", 1, 0, "° lon"},
	"N": {"force", 1, 0, "N"}, "N/m": {"stiffness", 1, 0, "N/m"},
	"pH": {"acidity", 1, 0, "pH"}, "Bq": {"activity", 1, 0, "Bq"}, "Gy": {"dose", 1, 0, "Gy"},
	"Sv": {"dose equivalent", 1, 0, "Sv"}, "T": {"flux density", 1, 0, "T"}, "Wb": {"flux", 1, 0, "Wb"},
	"mol": {"amount", 1, 0, "mol"}, "kat": {"catalysis", 1, 0, "kat"}, "sr": {"solid angle", 1, 0, "sr"},
	"%EL": {"battery level", 1, 0, "%"}, "EL": {"battery time", 1, 0, "s"},
	"count": {"count", 1, 0, ""}, "bit": {"data", 1, 0, "bit"}, "B": {"data", 8, 0, "B"},
	"bit/s": {"data rate", 1, 0, "bit/s"},
	"NTU":   {"turbidity", 1, 0, "NTU"},
}

// Known tells whether the code is one that can be stored. The empty unit is not.
func (u Unit) Known() bool { _, ok := units[u]; return ok }

// Shown is how the unit is written after a figure: °C for Cel. An unknown code is shown as it is.
func (u Unit) Shown() string {
	if f, ok := units[u]; ok {
		return f.shown
	}
	return string(u)
}

// Dimension is what the unit measures, or "" for an unknown code.
func (u Unit) Dimension() string { return units[u].dimension }

// UnitCodes lists the known codes, sorted.
func UnitCodes() []string {
	codes := make([]string, 0, len(units))
	for code := range units {
		codes = append(codes, string(code))
	}
	sort.Strings(codes)
	return codes
}

// UnitMeant gives the code that people mean who write its sign (°C), its name or its letters in
// another case; empty when there is none.
func UnitMeant(text string) Unit {
	lower := strings.ToLower(strings.TrimSpace(text))
	if code, named := unitNames[lower]; named {
		return code
	}
	for _, code := range UnitCodes() {
		if strings.ToLower(code) == lower || strings.ToLower(units[Unit(code)].shown) == lower {
			return Unit(code)
		}
	}
	return ""
}

var unitNames = map[string]Unit{
	"c": "Cel", "celsius": "Cel", "degc": "Cel", "f": "[degF]", "fahrenheit": "[degF]", "degf": "[degF]", "kelvin": "K",
	"percent": "%", "rh": "%RH", "%rh": "%RH",
	"volt": "V", "volts": "V", "amp": "A", "ampere": "A", "watt": "W", "watts": "W", "lux": "lx", "litre": "l",
	"liter": "l", "seconds": "s", "ohm": "Ohm",
}

// Convert gives value, measured in from, in the unit to. It fails when the two measure different
// things or one of them is unknown.
func Convert(value float64, from, to Unit) (float64, error) {
	if from == to {
		return value, nil
	}
	f, okFrom := units[from]
	t, okTo := units[to]
	if !okFrom || !okTo || f.dimension != t.dimension {
		return 0, fmt.Errorf("%s cannot be given in %s", describe(from), describe(to))
	}
	return convert(value, f, t), nil
}

func convert(value float64, f, t unitFacts) float64 {
	if f.offset == t.offset {
		return Settle(value*f.factor/t.factor, 0)
	}
	// Scales with other zeros (°F, °C, K) lose the last digits: 68 °F must be 20 °C and nothing beside.
	moved := (value*f.factor + (f.offset - t.offset)) / t.factor
	if math.Abs(moved) < 1e5 {
		moved = math.Round(moved*1e9) / 1e9
	}
	return moved
}

// Converter gives Convert from one unit to another as a function, nil where it changes nothing. It fails
// where Convert does.
func Converter(from, to Unit) (func(float64) float64, error) {
	if _, err := Convert(0, from, to); err != nil || from == to {
		return nil, err
	}
	f, t := units[from], units[to]
	return func(value float64) float64 { return convert(value, f, t) }, nil
}

func describe(u Unit) string {
	if d := u.Dimension(); d != "" {
		return fmt.Sprintf("%s (%s)", u, d)
	}
	return fmt.Sprintf("%q (no known unit)", string(u))
}

// Figure writes a value for people: at most six significant digits, no exponent in the ordinary
// range, and the unit behind it as it is shown.
func Figure(value float64, unit Unit) string {
	text := strconv.FormatFloat(value, 'g', 6, 64)
	if short, err := strconv.ParseFloat(text, 64); err == nil && math.Abs(short) < 1e12 &&
		(math.Abs(short) >= 1e-6 || short == 0) {
		text = strconv.FormatFloat(short, 'f', -1, 64)
	}
	if text == "-0" {
		text = "0"
	}
	if shown := unit.Shown(); shown != "" {
		return text + " " + shown
	}
	return text
}

// UnitFacts are what a program needs to convert and show a unit: base = value × factor + offset.
type UnitFacts struct {
	Code      Unit    `json:"code" example:"Cel"`
	Dimension string  `json:"dimension" doc:"what it measures; units of one dimension can be converted" example:"temperature"`
	Factor    float64 `json:"factor" doc:"a value in the dimension's base unit is value × factor + offset"`
	Offset    float64 `json:"offset"`
	Shown     string  `json:"shown" doc:"how it is written behind a figure" example:"°C"`
}

// Units lists the known units, by their codes.
func Units() []UnitFacts {
	list := make([]UnitFacts, 0, len(units))
	for _, code := range UnitCodes() {
		f := units[Unit(code)]
		list = append(list, UnitFacts{Unit(code), f.dimension, f.factor, f.offset, f.shown})
	}
	return list
}
