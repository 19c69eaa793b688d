package frame

import (
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/wall"
)

// Around is how far from the raising and the end of an alarm frames are kept.
const Around = 30 * time.Minute

// Thin tells which frames are let go, by their instants, which ascend: of those that are too old for all to be kept,
// the first of each hour stays, then the first of each local day, then none. What lies around one of the moments, and
// the reference, stays.
func (e *Eye) Thin(at, moments []measure.Instant, now measure.Instant, zone *time.Location) (gone []measure.Instant) {
	keep := e.Keep.orUsual()
	hour, date := int64(-1), wall.Day(-1)
	near := 0
	for _, i := range at {
		age := measure.Duration(now.Sub(i))
		if age <= keep.All {
			break
		}
		for near < len(moments) && moments[near] < i.Add(-Around) {
			near++
		}
		stays := near < len(moments) && moments[near] <= i.Add(Around) || e.Reference != nil && *e.Reference == i
		switch thisHour, thisDay := int64(i)/time.Hour.Milliseconds(), wall.On(i, zone); {
		case stays:
		case keep.Daily != 0 && age > keep.Daily:
			gone = append(gone, i)
		case age > keep.Hourly && thisDay == date, age <= keep.Hourly && thisHour == hour:
			gone = append(gone, i)
		default:
			hour, date = thisHour, thisDay
		}
	}
	return gone
}

// Settled is how many frames of a device are kept in the end, when so many come a day; 0 when some are kept for ever.
func (k Thinning) Settled(perDay float64) float64 {
	k = k.orUsual()
	if k.Daily == 0 {
		return 0
	}
	days := func(d measure.Duration) float64 { return time.Duration(d).Hours() / 24 }
	return perDay*days(k.All) + min(24, perDay)*days(k.Hourly-k.All) + min(1, perDay)*days(k.Daily-k.Hourly)
}

// InYear is how many frames of a device are kept a year after the first, when so many come a day.
func (k Thinning) InYear(perDay float64) float64 {
	k = k.orUsual()
	const year = 365
	days := func(d measure.Duration) float64 { return min(year, time.Duration(d).Hours()/24) }
	daily := year - days(k.Hourly)
	if k.Daily != 0 {
		daily = days(k.Daily) - days(k.Hourly)
	}
	return perDay*days(k.All) + min(24, perDay)*(days(k.Hourly)-days(k.All)) + min(1, perDay)*daily
}
