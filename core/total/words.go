package total

import (
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/prose"
)

// Says writes what a total of a kind comes to, in its unit as OutUnit gives it: "35 minutes", "7 starts", "12.3 mWh",
// "1.20 EUR".
func Says(kind, unit string, value float64) string {
	switch kind {
	case OnTime, LongestRun:
		if value == 0 {
			return "0 seconds"
		}
		return prose.Length(time.Duration(value * float64(time.Second)))
	case Cycles:
		return prose.Count(int(value), "start", "starts")
	case Cost:
		return measure.Round(value, 2) + " " + unit
	}
	return measure.Amount(value, measure.Unit(unit))
}
