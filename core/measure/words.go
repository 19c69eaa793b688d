package measure

import (
	"fmt"
	"math"
	"strconv"
	"strings"
	"time"
)

// Count says how many of a thing there are: "1 alarm", "12 alarms".
func Count(n int, one, many string) string {
	if n == 1 || n == -1 {
		return fmt.Sprintf("%d %s", n, one)
	}
	return fmt.Sprintf("%d %s", n, many)
}

// Length says how long in its two largest parts: "4 minutes", "1 hour 5 minutes", "12 seconds".
func Length(d time.Duration) string {
	d = d.Round(time.Second)
	parts := []string{}
	for _, unit := range []struct {
		name string
		size time.Duration
	}{{"day", 24 * time.Hour}, {"hour", time.Hour}, {"minute", time.Minute}, {"second", time.Second}} {
		n := int(d / unit.size)
		d -= time.Duration(n) * unit.size
		switch {
		case n > 0:
			parts = append(parts, Count(n, unit.name, unit.name+"s"))
		case len(parts) > 0:
			return parts[0]
		}
		if len(parts) == 2 {
			break
		}
	}
	if len(parts) == 0 {
		return "less than a second"
	}
	return strings.Join(parts, " ")
}

// scales are the units that a size is told in, by dimension, the smallest first.
var scales = map[string][]Unit{"energy": {"mWh", "Wh", "kWh", "MWh"}}

// Scaled gives a value in the unit of its dimension in which it is read best: 12 mWh, not 0.000012 kWh. Only energies have
// several; of all else it gives the value as it is.
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

// Stepped writes a value no finer than a step above 0, with as many decimal places as the step has; a half goes away from 0.
func Stepped(value, step float64) string {
	_, decimals, _ := strings.Cut(strings.TrimRight(strconv.FormatFloat(step, 'f', finest, 64), "0"), ".")
	return Round(math.Round(value/step)*step, len(decimals))
}

// Places gives how many decimal places a value of a size is told with: three significant digits, and none below the point from 100 on.
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
