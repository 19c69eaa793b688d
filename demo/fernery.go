// Package demo is the demo site: Hollowbrook Fernery, a made-up Victorian glasshouse. It is set up
// over the API like any site, gets months of history, and has simulated devices that go on from it.
package demo

import (
	"math"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/quality"
	"jauntylark/core/site"
	"jauntylark/standin"
)

// Owner is the demo's head gardener, who signs in.
const Owner = "orla@hollowbrook.example"

// siteName is what the site is called.
const siteName = "Hollowbrook Fernery"

// zone is the site's time zone.
const zone = "Europe/Dublin"

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

// device is one device of the demo: what it measures, which way it sends, and the kit that it is made
// from.
type device struct {
	*standin.Device
	by  string
	kit string
}

// The ways that the demo's devices send by.
const (
	byHTTP = "HTTP"
	byMQTT = "MQTT"
	byCoAP = "CoAP"
)

// devices are those of the demo.
func devices(c clock) []device {
	sig := func(name string, unit measure.Unit, value func(measure.Instant) float64, step float64) standin.Signal {
		return standin.Signal{Name: name, Unit: unit, Value: stepped(value, step)}
	}
	flue, varnish := c.flue(), c.varnish()
	gas := func(at measure.Instant) float64 { return c.carbonMonoxide(at) + flue.read(at) }
	vapour := func(at measure.Instant) float64 { return c.vapour(at) + varnish.read(at) }
	return []device{
		{fernHouse(c.live), byCoAP, ""},
		{&standin.Device{Name: "pond", Every: 2 * time.Second, Firmware: "2.0.3",
			Signals: []standin.Signal{sig("oxygen", "%", c.oxygen, 0.1), sig("water", "Cel", water, 0.1)}}, byMQTT,
			"pond-probe"},
		// its probes speak Fahrenheit
		{&standin.Device{Name: "bench", Every: 15 * time.Second, Signals: []standin.Signal{
			sig("root-zone", "[degF]", c.rootZone, 0.1), sig("canopy", "[degF]", canopy, 0.1)}}, byHTTP, "bench-probe"},
		{&standin.Device{Name: "lamp-meter", Every: 5 * time.Second, Firmware: "0.9.1", Signals: []standin.Signal{
			sig("volts", "V", volts, 0.1), sig("amperes", "A", c.amperes, 0.01),
			sig("power-factor", "/", c.powerFactor, 0.01)}}, byMQTT, ""},
		// its radio is down
		{&standin.Device{Name: "cistern", Every: 2 * time.Second, Firmware: "1.4.2",
			Away:    func(at measure.Instant) bool { return c.every20Minutes(at, 4, 4+2/3.) },
			Signals: []standin.Signal{sig("level", "count", c.level, 1), sig("conductivity", "uS/cm", conductivity, 1)},
			Outputs: []standin.Output{lamp("buzzer")}}, byMQTT, "level-probe"},
		{&standin.Device{Name: "gate-node", Every: 5 * time.Minute, Firmware: "3.1.0", Signals: []standin.Signal{
			sig("cell", "V", func(at measure.Instant) float64 { return c.battery(at) / 3.2 }, 0.001),
			sig("air", "Cel", gateAir, 0.1), sig("humidity", "%RH", gateHumidity, 0.5)}}, byCoAP, ""},
		{&standin.Device{Name: "fog-pump", Every: time.Second,
			Signals: []standin.Signal{sig("supply", "V", c.fogPump, 0.1)}}, byMQTT, ""},
		{&standin.Device{Name: "boiler-room", Every: 2 * time.Second, Firmware: "1.1.0", Signals: []standin.Signal{
			sig("carbon-monoxide", "ppm", gas, 1), {Name: "flame-eye", Value: flameEye, Switch: true}},
			Outputs: []standin.Output{fan("fan", flue), lamp("beacon")}}, byMQTT, ""},
		{&standin.Device{Name: "potting-shed", Every: 15 * time.Second,
			Signals: []standin.Signal{sig("dust", "ug/m3", dust, 1), sig("vapour", "ppb", vapour, 1),
				sig("uptime", "s", c.uptime, 1)},
			Outputs: []standin.Output{fan("extractor", varnish)}}, byHTTP, ""},
		{&standin.Device{Name: "compost", Every: 15 * time.Second,
			Signals: []standin.Signal{sig("core", "Cel", c.compostCore, 0.1), sig("edge", "Cel", compostEdge, 0.1)},
			Outputs: []standin.Output{lamp("lamp")}}, byMQTT, ""},
		{&standin.Device{Name: "switchboard-eye", Every: 5 * time.Minute, Frame: c.sentFrame}, byHTTP, ""},
	}
}

// stranger is a device that nobody has added: it has the site's enrolment key.
func stranger() *standin.Device {
	return &standin.Device{Name: "stranger", Every: 10 * time.Second, Firmware: "0.1", Signals: []standin.Signal{
		{Name: "soil-moisture", Unit: "%", Value: stepped(func(at measure.Instant) float64 {
			return 41 + 6*wave(at, 5*hour, 0) + jitter(at, 20)
		}, 0.5)},
		{Name: "soil", Unit: "Cel", Value: stepped(func(at measure.Instant) float64 {
			return 12 + wave(at, day, -0.4) + 0.1*jitter(at, 21)
		}, 0.1)},
	}}
}

func fernHouse(liveSince measure.Instant) *standin.Device {
	air := func(at measure.Instant) float64 {
		usual := 18 + 1.6*drift(at, 1.7*day, 50) + (3.4+1.2*drift(at, day, 51))*wave(at, day, -0.33) +
			0.4*wave(at, 47*minute, 0)
		return usual + ventStuck(at, liveSince)*(33-usual) + 0.1*jitter(at, 1)
	}
	glass := func(at measure.Instant) float64 {
		return 17 + 2.9*drift(at, 1.7*day, 50) + (3.6+0.8*drift(at, day, 51))*wave(at, day, -0.3) +
			0.3*wave(at, 31*minute, 0.2) + 0.08*jitter(at, 2) + 4*ventStuck(at, liveSince)
	}
	humidity := func(at measure.Instant) float64 {
		return math.Min(99, 82-5*drift(at, 1.7*day, 52)-6*wave(at, day, -0.33)+3*wave(at, 73*minute, 0.4)+
			0.5*jitter(at, 3)-17*ventStuck(at, liveSince))
	}
	pressure := func(at measure.Instant) float64 {
		return 1009 + 8*wave(at, 5.3*day, 0.1) + 1.1*wave(at, day/2, 0.2) + 0.06*jitter(at, 4)
	}
	light := func(at measure.Instant) float64 {
		return 16000 * (1 + 0.6*drift(at, 0.8*day, 55)) * daylight(at) * (0.72 + 0.2*wave(at, 23*minute, 0) +
			0.08*jitter(at, 5))
	}
	co2 := func(at measure.Instant) float64 {
		return 470 - 60*daylight(at) + 25*wave(at, 3*hour, 0.3) + 4*jitter(at, 6)
	}
	return &standin.Device{Name: "fern-house", Every: 15 * time.Second, Firmware: "1.2.0", Signals: []standin.Signal{
		{Name: "air", Unit: "Cel", Value: stepped(air, 0.1)},
		{Name: "humidity", Unit: "%RH", Value: stepped(humidity, 0.5)},
		{Name: "pressure", Unit: "hPa", Value: stepped(pressure, 0.1)},
		{Name: "light", Unit: "lx", Value: stepped(light, 10)},
		{Name: "co2", Unit: "ppm", Value: stepped(co2, 1)},
		{Name: "glass", Unit: "Cel", Value: stepped(glass, 0.1)},
		// a probe on trial: 0.6 high, four minutes behind
		{Name: "new-air", Unit: "Cel", Value: stepped(func(at measure.Instant) float64 {
			return air(at-4*60_000) + 0.6
		}, 0.1)},
	}}
}

func fahrenheit(celsius float64) float64 { return celsius*9/5 + 32 }

func canopy(at measure.Instant) float64 {
	return fahrenheit(17 + 3*wave(at, day, -0.33) + 0.1*jitter(at, 10))
}

func volts(at measure.Instant) float64 { return 231 + 2*wave(at, 3*hour, 0) + 0.6*jitter(at, 11) }

func conductivity(at measure.Instant) float64 {
	return 412 + 18*wave(at, day, 0.1) + 2*jitter(at, 15)
}

func gateAir(at measure.Instant) float64 {
	return 8 + 3*drift(at, 1.7*day, 50) + 4*wave(at, day, -0.33) + 0.2*jitter(at, 17)
}

func gateHumidity(at measure.Instant) float64 {
	return math.Min(100, 84-9*wave(at, day, -0.33)+0.5*jitter(at, 18))
}

func stepped(value func(measure.Instant) float64, step float64) func(measure.Instant) float64 {
	return func(at measure.Instant) float64 { return rounded(value(at), step) }
}

func water(at measure.Instant) float64 {
	return 13 + 1.2*drift(at, 3*day, 56) + 1.6*wave(at, day, -0.4) + 0.05*jitter(at, 7)
}

// called is what people call the signals.
var called = map[string]string{
	"fern-house/air": "Air temperature", "fern-house/humidity": "Humidity", "fern-house/pressure": "Air pressure",
	"fern-house/light": "Light",
	"fern-house/co2":   "CO2", "fern-house/glass": "Glass temperature",
	"fern-house/new-air": "Air temperature, new probe",
	"lamp-meter/volts":   "Supply voltage", "lamp-meter/amperes": "Lamp current",
	"lamp-meter/power-factor": "Power factor",
	"fog-pump/supply":         "Supply voltage", "boiler-room/carbon-monoxide": "Carbon monoxide",
	"boiler-room/flame-eye": "Flame eye",
	"potting-shed/dust":     "Dust", "potting-shed/vapour": "Solvent vapour", "compost/core": "Core temperature",
	"compost/edge":         "Edge temperature",
	"switchboard-eye/spot": "Main terminal's bolt", "switchboard-eye/highest": "Highest",
	"switchboard-eye/mean": "Mean", "switchboard-eye/lowest": "Lowest", "switchboard-eye/centre": "Centre",
	"switchboard-eye/main-terminal-highest": "Main terminal",
	"switchboard-eye/main-terminal-mean":    "Main terminal, mean",
	"switchboard-eye/main-terminal-share":   "Main terminal, share above 45 °C",
	"switchboard-eye/others-highest":        "Other terminals", "switchboard-eye/others-mean": "Other terminals, mean",
	"switchboard-eye/main-over-others": "Main terminal over the others",
	"switchboard-eye/hottest-x":        "Hottest point, from the left",
	"switchboard-eye/hottest-y":        "Hottest point, from above",
	"gate-node/cell":                   "Cell behind the divider", "gate-node/air": "Air temperature",
	"gate-node/humidity": "Humidity",
}

// kits are the demo's kits, as the API takes them.
var kits = []site.Kit{
	{Name: "pond-probe", Title: "Pond probe", About: "Dissolved oxygen and temperature, on a float.",
		Signals: []site.KitSignal{
			{Name: "oxygen", Title: "Dissolved oxygen", Quantity: "dissolved oxygen", Unit: "%",
				Span: &site.Span{Low: 0.5, High: 200}, FailsTo: quality.Low, Fault: measure.Duration(2 * time.Minute),
				Step: 0.1},
			{Name: "water", Title: "Water temperature", Quantity: "temperature", Unit: "Cel",
				Span: &site.Span{Low: -5, High: 60}, Step: 0.1},
		}, Tiles: []site.KitTile{{Kind: "value", Signals: []string{"oxygen"}},
			{Kind: "lines", Signals: []string{"oxygen", "water"}}}},
	{Name: "bench-probe", Title: "Bench probe",
		About: "Two probes of a propagation bench. They send Fahrenheit; it is stored in Celsius.",
		Signals: []site.KitSignal{
			{Name: "root-zone", Title: "Root zone", Quantity: "temperature", Unit: "Cel",
				Span: &site.Span{Low: -40, High: 85}, Step: 0.1},
			{Name: "canopy", Title: "Canopy", Quantity: "temperature", Unit: "Cel",
				Span: &site.Span{Low: -40, High: 85},
				Step: 0.1},
		}},
	{Name: "level-probe", Title: "Level probe", About: "A 12 bit level sensor: about 2,900 covered, under 1,150 dry.",
		Signals: []site.KitSignal{
			{Name: "level", Title: "Level", Quantity: "level", Unit: "count", Span: &site.Span{Low: 0, High: 4095},
				Step: 1,
				Bands: site.Bands{{Name: "dry", To: figure(1150)},
					{Name: "falling", From: figure(1150), To: figure(2700)},
					{Name: "covered", From: figure(2700)}}},
			{Name: "conductivity", Title: "Conductivity", Quantity: "conductivity", Unit: "uS/cm",
				Span: &site.Span{Low: 0, High: 2000}, Step: 1},
		}},
}

func figure(v float64) *float64 { return &v }
