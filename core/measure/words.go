package measure

import (
	"math"
	"strconv"
	"strings"
	"time"

	"jauntylark/core/prose"
)

// scales are the units that a size is told in, by dimension, the smallest first.
var scales = map[string][]Unit{"energy": {"mWh", "Wh", "kWh", "MWh"}}

// Scaled gives a value in the unit of its dimension in which it is read best: 12 mWh, not 0.000012 kWh. Only energies
// have several; of all else it gives the value as it is.
func Scaled(value float64, unit Unit) (float64, Unit) {
	best, shown := value, unit
	for i, u := range scales[unit.Dimension()] {
		v, err := Convert(value, unit, u)
		if err != nil {
			return value, unit
		}
		if i == 0 || math.Abs(v) >= 1 {
			best, shown = v, u
		}
	}
	if value == 0 {
		return value, unit
	}
	return best, shown
}

// Round writes a value with decimal places; a half goes away from 0.
func Round(value float64, places int) string {
	if scale := math.Pow10(places); math.Abs(value*scale) < 1e15 {
		value = math.Round(value*scale) / scale
	}
	text := strconv.FormatFloat(value, 'f', places, 64)
	if strings.Trim(text, "-0.") == "" {
		text = strings.TrimPrefix(text, "-")
	}
	return text
}

// finest is how many decimal places a step is told with at most.
const finest = 12

// Stepped writes a value no finer than a step above 0, with as many decimal places as the step has; a half goes away
// from 0.
func Stepped(value, step float64) string {
	_, decimals, _ := strings.Cut(strings.TrimRight(strconv.FormatFloat(step, 'f', finest, 64), "0"), ".")
	return Round(math.Round(value/step)*step, len(decimals))
}

// unknownStep is to how many significant digits a value is told where the step of its instrument is not known.
const unknownStep = 5

// Say writes a value that is read, with its unit, as people read it: no finer than the step of its instrument, and to
// five significant digits where none is known (0). An energy without a step is told in the unit in which it is read
// best, and a time from a minute on as a length.
func Say(value float64, unit Unit, step float64) string {
	if length := spell(value, unit); length != "" {
		return length
	}
	if step <= 0 {
		if scales[unit.Dimension()] != nil {
			return Amount(value, unit)
		}
		return Figure(Significant(value, unknownStep), unit)
	}
	text := Stepped(value, step)
	if shown := unit.Shown(); shown != "" {
		return text + " " + shown
	}
	return text
}

// spell writes a time as a length: of seconds from a minute on, of what is measured in more from a second on; empty for
// all else.
func spell(value float64, unit Unit) string {
	if unit.Dimension() != "time" {
		return ""
	}
	seconds, err := Convert(math.Abs(value), unit, "s")
	least := 1.0
	if unit == "s" || unit == "ms" {
		least = 60
	}
	if err != nil || seconds < least || seconds > math.MaxInt32 {
		return ""
	}
	sign := ""
	if value < 0 {
		sign = "-"
	}
	return sign + prose.Length(time.Duration(seconds*float64(time.Second)))
}

// Significant rounds a value to so many significant digits.
func Significant(value float64, digits int) float64 {
	if short, err := strconv.ParseFloat(strconv.FormatFloat(value, 'g', digits, 64), 64); err == nil {
		return short
	}
	return value
}

// StepIn gives a step of one unit in another, as the power of ten that is no larger where their sizes differ: 0.1 °C is
// told to 0.1 °F. It is 0 for a step that is not known, and for units that cannot be converted.
func StepIn(step float64, from, to Unit) float64 {
	if from == to || step <= 0 {
		return max(step, 0)
	}
	high, err := Convert(step, from, to)
	low, _ := Convert(0, from, to)
	if err != nil || high == low {
		return 0
	}
	size := math.Abs(high - low)
	if math.Abs(size-step) < step/1e9 { // of one size, as kelvins and degrees Celsius
		return step
	}
	return math.Pow10(int(math.Floor(math.Log10(size) + 1e-9)))
}

// Places gives how many decimal places a value of a size is told with: three significant digits, and none below the
// point from 100 on.
func Places(size float64) int {
	size = math.Abs(size)
	switch {
	case size >= 99.95 || size == 0:
		return 0
	case size >= 9.995:
		return 1
	case size >= 0.9995:
		return 2
	}
	return min(2-int(math.Floor(math.Log10(size))), 9)
}

// Amount writes what adds up, as energy or a volume, in the unit in which it is read best: "345 kWh", "12.3 mWh".
func Amount(value float64, unit Unit) string {
	value, unit = Scaled(value, unit)
	text := Round(value, Places(value))
	if shown := unit.Shown(); shown != "" {
		return text + " " + shown
	}
	return text
}
