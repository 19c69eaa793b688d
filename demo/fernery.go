// Package demo is the demo site: Hollowbrook Fernery, a made-up Victorian glasshouse. It is set up
// over the API like any site, gets two days of history, and has simulated devices that go on from it.
package demo

import (
	"math"
	"time"

	"jauntylark/core/measure"
	"jauntylark/standin"
)

// Owner is the demo's head gardener, who signs in.
const Owner = "orla@hollowbrook.example"

const (
	minute = 60.0
	hour   = 60 * minute
	day    = 24 * hour
)

// wave is a sine of a period in seconds, shifted by phase turns.
func wave(at measure.Instant, period, phase float64) float64 {
	return math.Sin(2 * math.Pi * (float64(at)/1000/period + phase))
}

// jitter is noise between -1 and 1 that depends on nothing but the instant and the seed (the
// finalizer of MurmurHash3).
func jitter(at measure.Instant, seed uint64) float64 {
	h := uint64(at) + seed*0x9e3779b97f4a7c15
	h ^= h >> 33
	h *= 0xff51afd7ed558ccd
	h ^= h >> 33
	h *= 0xc4ceb9fe1a85ec53
	h ^= h >> 33
	return float64(h>>11)/(1<<52) - 1
}

func rounded(v, step float64) float64 {
	v = math.Round(v/step) * step
	return math.Round(v*1e6) / 1e6
}

// daylight is 0 at night and up to 1 at noon.
func daylight(at measure.Instant) float64 { return max(0, wave(at, day, -0.25)) }

// ventStuck is how far the stuck roof vent has heated the house, from 0 to 1: a story that begins 40 s after the live
// devices did, lasts two and a half minutes, and comes again every 20 minutes. It is 0 in the
// history.
func ventStuck(at, liveSince measure.Instant) float64 {
	if liveSince == 0 || at < liveSince {
		return 0
	}
	into := math.Mod(float64(at-liveSince)/1000, 20*minute) - 40
	if into < 0 || into > 150 {
		return 0
	}
	return math.Min(1, math.Min(into/30, (150-into)/30))
}

// devices are those of the demo; their live story begins at liveSince.
func devices(liveSince measure.Instant) []*standin.Device {
	air := func(at measure.Instant) float64 {
		usual := 18 + 4*wave(at, day, -0.33) + 0.4*wave(at, 47*minute, 0)
		return usual + ventStuck(at, liveSince)*(33-usual) + 0.1*jitter(at, 1)
	}
	glass := func(at measure.Instant) float64 {
		return 9 + 7*wave(at, day, -0.3) + 0.3*wave(at, 31*minute, 0.2) + 0.08*jitter(at, 2) + 4*ventStuck(at, liveSince)
	}
	humidity := func(at measure.Instant) float64 {
		return math.Min(99, 82-7*wave(at, day, -0.33)+3*wave(at, 73*minute, 0.4)+0.5*jitter(at, 3)-17*ventStuck(at, liveSince))
	}
	pressure := func(at measure.Instant) float64 {
		return 1009 + 8*wave(at, 5.3*day, 0.1) + 1.1*wave(at, day/2, 0.2) + 0.06*jitter(at, 4)
	}
	light := func(at measure.Instant) float64 {
		return 21000 * daylight(at) * (0.72 + 0.2*wave(at, 23*minute, 0) + 0.08*jitter(at, 5))
	}
	co2 := func(at measure.Instant) float64 {
		return 470 - 60*daylight(at) + 25*wave(at, 3*hour, 0.3) + 4*jitter(at, 6)
	}
	return []*standin.Device{
		{Name: "fern-house", Every: 15 * time.Second, Signals: []standin.Signal{
			{Name: "air", Unit: "Cel", Value: stepped(air, 0.1)},
			{Name: "humidity", Unit: "%RH", Value: stepped(humidity, 0.5)},
			{Name: "pressure", Unit: "hPa", Value: stepped(pressure, 0.1)},
			{Name: "light", Unit: "lx", Value: stepped(light, 10)},
			{Name: "co2", Unit: "ppm", Value: stepped(co2, 1)},
			{Name: "glass", Unit: "Cel", Value: stepped(glass, 0.1)},
		}},
		{Name: "pond", Every: 2 * time.Second, Signals: []standin.Signal{
			{Name: "oxygen", Unit: "%", Value: stepped(oxygen, 0.1)},
			{Name: "water", Unit: "Cel", Value: stepped(water, 0.1)},
		}},
	}
}

func stepped(value func(measure.Instant) float64, step float64) func(measure.Instant) float64 {
	return func(at measure.Instant) float64 { return rounded(value(at), step) }
}

func water(at measure.Instant) float64 {
	return 13 + 1.6*wave(at, day, -0.4) + 0.05*jitter(at, 7)
}

// oxygen falls at night, when the plants breathe.
func oxygen(at measure.Instant) float64 {
	return math.Max(0, 86+11*wave(at, day, -0.36)+1.2*wave(at, 13*minute, 0.5)+0.4*jitter(at, 8))
}

// called is what people call the signals.
var called = map[string]string{
	"fern-house/air": "Air temperature", "fern-house/humidity": "Humidity", "fern-house/pressure": "Air pressure", "fern-house/light": "Light",
	"fern-house/co2": "CO2", "fern-house/glass": "Glass temperature", "pond/oxygen": "Dissolved oxygen", "pond/water": "Water temperature",
}

// guard is one of the demo's guards, as the API takes it.
type guard map[string]any

var guards = []guard{
	{"name": "fern-house-hot", "signal": "fern-house/air", "when": "above 30", "deadband": 1, "on_delay": "10s", "off_delay": "10s", "severity": "warning",
		"tell": []string{Owner}, "advice": "Open the roof vents by hand; the crank hangs by the north door."},
	{"name": "fern-house-cold", "signal": "fern-house/air", "when": "below 8", "deadband": 1, "on_delay": "5m", "off_delay": "5m", "severity": "critical",
		"tell": []string{Owner, "tadhg@hollowbrook.example"}, "advice": "Start the standby heater in the boiler room."},
	{"name": "pond-oxygen-low", "signal": "pond/oxygen", "when": "below 55", "deadband": 5, "on_delay": "1m", "off_delay": "1m", "severity": "critical",
		"tell": []string{Owner, "tadhg@hollowbrook.example"}, "advice": "Switch on the cascade; its switch is behind the statue."},
	{"name": "fern-house-stuffy", "signal": "fern-house/co2", "when": "above 900", "deadband": 50, "on_delay": "2m", "off_delay": "2m", "severity": "advisory",
		"tell": []string{}},
}
