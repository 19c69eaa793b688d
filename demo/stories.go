package demo

import (
	"math"

	"jauntylark/core/measure"
)

// clock tells when things happen: the stories of the history are told backwards from when the site was
// first set up, the live ones forwards from when its devices began.
type clock struct {
	begun measure.Instant // 0: no stories in the history
	live  measure.Instant // 0: no live stories
}

// before tells how far an instant lies in a stretch of the history that begins so many days before the
// site was set up and lasts so many hours: from 0 to 1, and whether it lies in it.
func (c clock) before(at measure.Instant, days, hours float64) (float64, bool) {
	if c.begun == 0 {
		return 0, false
	}
	into := (float64(at-c.begun)/1000 + days*day) / (hours * hour)
	return into, into >= 0 && into < 1
}

// every20Minutes tells whether an instant lies between two minutes of a live story, which comes again every 20.
func (c clock) every20Minutes(at measure.Instant, from, until float64) bool {
	into := math.Mod(float64(at-c.live)/1000/minute, 20)
	return c.live != 0 && at >= c.live && into >= from && into < until
}

// drift is a slow, irregular change between -1 and 1, smooth from one period to the next: the weather.
func drift(at measure.Instant, period float64, seed uint64) float64 {
	place := float64(at) / 1000 / period
	n := math.Floor(place)
	share := (1 - math.Cos(math.Pi*(place-n))) / 2
	return jitter(measure.Instant(n), seed)*(1-share) + jitter(measure.Instant(n)+1, seed)*share
}

// bell rises from 0 to 1 and falls again while into goes from 0 to 1.
func bell(into float64) float64 { return math.Pow(math.Sin(math.Pi*into), 2) }

// running tells whether a thing that starts so many times a day, for so many seconds each, runs. The starts
// are not quite regular.
func running(at measure.Instant, aDay, seconds float64, seed uint64) bool {
	period := day / aDay
	n := math.Floor(float64(at) / 1000 / period)
	late := 0.3 * period * (1 + jitter(measure.Instant(n), seed)) / 2
	into := float64(at)/1000 - n*period - late
	return into >= 0 && into < seconds*(1+0.2*jitter(measure.Instant(n), seed+1))
}

// fogPump: four days ago a valve began to stick; its cycles grow from 9 a day to 55, each longer.
func (c clock) fogPump(at measure.Instant) float64 {
	runs := running(at, 9, 40, 30)
	if c.begun != 0 && at > c.begun-4*86_400_000 {
		worse := min(1, float64(at-c.begun+4*86_400_000)/(4*86_400_000))
		runs = running(at, math.Round(9+46*worse), 40+50*worse, 32)
	}
	if runs {
		return 23.6 + 0.15*jitter(at, 34)
	}
	return 0.4 + 0.05*jitter(at, 35)
}

// carbonMonoxide: a blocked flue, three rising exposures.
func (c clock) carbonMonoxide(at measure.Instant) float64 {
	ppm := 2 + 0.8*wave(at, 7*hour, 0.2) + 0.5*jitter(at, 36)
	for _, e := range []struct{ days, peak float64 }{{9.3, 42}, {5.6, 118}, {1.4, 286}} {
		if into, inside := c.before(at, e.days, 0.75); inside {
			ppm += e.peak * bell(into)
		}
	}
	return max(0, ppm)
}

// flameEye reads false while there is a flame.
func flameEye(at measure.Instant) float64 {
	if running(at, 36, 720, 37) {
		return 0
	}
	return 1
}

func dust(at measure.Instant) float64 {
	return 14 + 6*daylight(at) + 3*wave(at, 50*minute, 0.1) + 2*jitter(at, 38)
}

// vapour reads far too high until the sensor has warmed up.
func (c clock) vapour(at measure.Instant) float64 {
	cold := 0.0
	if c.live != 0 {
		cold = 900 * math.Exp(-c.uptime(at)/40)
	}
	return 110 + 25*daylight(at) + 12*wave(at, 2.2*hour, 0.3) + 4*jitter(at, 39) + cold
}

// uptime counts the seconds since the potting shed got power: when the site was set up, or when the live devices
// began.
func (c clock) uptime(at measure.Instant) float64 {
	since := max(c.begun-60*86_400_000, 0)
	if c.live != 0 {
		since = c.live
	}
	return max(0, float64(at-since)/1000)
}

// compostCore: nine days ago a heap was made anew; it nears 72 °C, as a body does that is heated.
func (c clock) compostCore(at measure.Instant) float64 {
	if heap := c.heapSince(); c.begun != 0 && at >= heap {
		return 72 - 20*math.Exp(-float64(at-heap)/1000/(4.5*day)) + 0.4*wave(at, day, -0.3) + 0.1*jitter(at, 40)
	}
	return 52 + 2*wave(at, 4*day, 0.1) + 0.6*wave(at, day, -0.3) + 0.1*jitter(at, 40)
}

// heapSince is when the heap was made anew.
func (c clock) heapSince() measure.Instant { return c.begun - 9*86_400_000 }

func compostEdge(at measure.Instant) float64 {
	return 31 + 3*wave(at, day, -0.35) + 0.2*jitter(at, 41)
}

// terminal: one terminal of the switchboard warms over a week.
func (c clock) terminal(at measure.Instant) float64 {
	spot := 27 + 3*wave(at, day, -0.4) + 0.3*jitter(at, 42)
	if into, inside := c.before(at, 7, 24*7); inside {
		spot += 31 * into * into
	} else if c.begun != 0 && at >= c.begun {
		spot += 31
	}
	return spot
}

// forgotten tells whether an instant lies in the weekend on which nobody switched the lamps off: from Friday at six in
// the evening to Monday at six, the last one that was over two days before the site was set up.
func (c clock) forgotten(at measure.Instant) bool {
	const days, thursday = 86_400_000, 3 // 1 January 1970, counted from Monday
	last := c.begun/days - 3
	monday := (last - (last+thursday)%7) * days
	end := monday + 6*3_600_000
	return c.begun != 0 && at < end && at >= end-60*3_600_000
}

// amperes rise when the lamps are on, from six to ten in the morning and four to eight in the evening, and
// once for a whole weekend.
func (c clock) amperes(at measure.Instant) float64 {
	if h := math.Mod(float64(at)/1000, day) / hour; c.forgotten(at) || h >= 6 && h < 10 || h >= 16 && h < 20 {
		return 8.4 + 0.05*jitter(at, 12)
	}
	return 0.06 + 0.01*math.Abs(jitter(at, 12))
}

func (c clock) powerFactor(at measure.Instant) float64 {
	if c.amperes(at) > 1 {
		return 0.94 + 0.005*jitter(at, 13)
	}
	return 0.55 + 0.02*jitter(at, 13)
}

// level: three days ago the cistern ran dry for two hours.
func (c clock) level(at measure.Instant) float64 {
	if into, dry := c.before(at, 2.6, 2); dry {
		return 2870 - 1790*min(1, 6*into, 6*(1-into)) + 6*jitter(at, 14)
	}
	return 2870 + 30*wave(at, 2*hour, 0) + 12*jitter(at, 14)
}

// battery: a cloudy week emptied it, and the sun filled it again.
func (c clock) battery(at measure.Instant) float64 {
	volts := 3.92 + 0.12*wave(at, day, -0.3) - 0.15*wave(at, 11*day, 0.2) + 0.01*jitter(at, 16)
	if into, cloudy := c.before(at, 13, 24*8); cloudy {
		volts -= 0.5 * min(1.3*into, 5*(1-into))
	}
	return volts
}

// rootZone, in °F: two nights ago the heat mat failed until the morning.
func (c clock) rootZone(at measure.Instant) float64 {
	celsius := 21.5 + 0.6*wave(at, 40*minute, 0) + 0.1*jitter(at, 9)
	if into, cold := c.before(at, 1+2/24., 9); cold {
		celsius -= 7 * bell(into)
	}
	return fahrenheit(celsius)
}

// oxygen falls at night, when the plants breathe. Eight days ago the probe was lifted out for cleaning and read 0, and
// it is again six minutes after the live devices began, for three, every 20; on a still night five days ago the oxygen
// was truly low.
func (c clock) oxygen(at measure.Instant) float64 {
	if _, lifted := c.before(at, 8.4, 0.35); lifted || c.every20Minutes(at, 6, 9) {
		return 0
	}
	percent := 86 + 3*drift(at, 1.3*day, 53) + (9+2*drift(at, day, 54))*wave(at, day, -0.36) +
		1.2*wave(at, 13*minute, 0.5) + 0.4*jitter(at, 8)
	if into, still := c.before(at, 5-1/24., 6); still {
		percent -= 40 * bell(into)
	}
	return math.Max(0, percent)
}
