package demo

import (
	"context"
	"fmt"
	"strings"
	"time"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/measure"
)

// object is a body as the API takes it.
type object map[string]any

// known is what is known of the instruments that come without a kit.
var known = map[string]object{
	"potting-shed/vapour": {"warm_up": "3m", "stuck_after": "6h"},
	"potting-shed/uptime": {"title": "Time since power-on", "unit": "s"},
	"fern-house/air":      {"step": 0.1}, "fern-house/humidity": {"step": 0.5}, "fern-house/glass": {"step": 0.1},
	"fern-house/new-air": {"step": 0.1}, "fern-house/pressure": {"step": 0.1},
	"bench/root-zone": {"step": 0.1}, "bench/canopy": {"step": 0.1}, "compost/edge": {"step": 0.1},
	"gate-node/air": {"step": 0.1}, "gate-node/cell": {"step": 0.001},
	"lamp-meter/volts": {"step": 0.1}, "lamp-meter/amperes": {"step": 0.01}, "lamp-meter/power-factor": {"step": 0.01},
	"boiler-room/carbon-monoxide": {"span": object{"low": 0, "high": 500}, "step": 1},
	"boiler-room/flame-eye":       {"bands": []object{{"name": "flame", "to": 1}, {"name": "dark", "from": 1}}},
	"compost/core": {"step": 0.1, "bands": []object{{"name": "cool", "to": 45, "colour": "blue"},
		{"name": "working", "from": 45, "to": 65, "colour": "green"}, {"name": "hot", "from": 65, "colour": "orange"}}},
}

// derived are the signals that are computed, in an order in which each comes after those it needs.
var derived = []struct {
	path, title string
	recipe      object
}{
	{"fern-house/dew-point", "Dew point", object{"kind": "dew-point",
		"of": of("air=fern-house/air humidity=fern-house/humidity")}},
	{"fern-house/glass-margin", "Glass over dew point",
		object{"kind": "difference", "of": of("a=fern-house/glass b=fern-house/dew-point")}},
	{"fog-pump/running", "Running", object{"kind": "on-off", "of": of("of=fog-pump/supply"), "when": "above 11",
		"deadband": 1}},
	{"fog-pump/cycles-a-day", "Cycles in 24 hours", object{"kind": "cycles", "of": of("of=fog-pump/running"),
		"window": "1d"}},
	{"fog-pump/times-usual", "Cycles against usual", object{"kind": "times-usual", "of": of("of=fog-pump/running"),
		"count": "cycles"}},
	{"lamp-meter/power", "Lamp power", object{"kind": "power",
		"of": of("volts=lamp-meter/volts amperes=lamp-meter/amperes factor=lamp-meter/power-factor")}},
	{"gate-node/battery", "Battery", object{"kind": "charge", "of": of("of=gate-node/cell"), "curve": "li-ion",
		"divider": 3.2}},
	{"gate-node/charging", "Charging", object{"kind": "charging", "of": of("of=gate-node/battery"), "window": "6h",
		"deadband": 0.5}},
	{"gate-node/hours-left", "Hours left", object{"kind": "hours-left", "of": of("of=gate-node/battery"),
		"window": "1d"}},
	{"gate-node/hours-left-at-least", "Hours left, at least",
		object{"kind": "hours-left", "of": of("of=gate-node/battery"), "window": "1d", "edge": "low"}},
	{"bench/warmth", "Root zone over canopy", object{"kind": "difference", "of": of("a=bench/root-zone b=bench/canopy"),
		"decimals": 1}},
}

// of reads "role=signal role=signal".
func of(text string) (inputs []object) {
	for _, pair := range strings.Fields(text) {
		role, signal, _ := strings.Cut(pair, "=")
		inputs = append(inputs, object{"as": role, "signal": signal})
	}
	return inputs
}

// tariff is what the fernery pays for its light.
var tariff = object{"name": "day-night", "versions": []object{
	{"from": "2026-01-01", "standing": "0.58", "rates": []object{
		{"name": "night", "since": "23:00", "until": "08:00", "blocks": []object{{"price": "0.165"}}},
		{"name": "day", "blocks": []object{{"price": "0.318"}}}}},
	{"from": "2026-10-01", "standing": "0.6112", "rates": []object{
		{"name": "night", "since": "23:00", "until": "08:00", "blocks": []object{{"price": "0.1743"}}},
		{"name": "weekend", "days": []string{"sat", "sun"}, "blocks": []object{{"price": "0.2911"}}},
		{"name": "day", "blocks": []object{{"up_to": 150, "price": "0.3421"}, {"price": "0.3688"}}}}},
}}

var totals = []object{
	{"name": "fog-pump-cycles", "title": "Fog pump, cycles", "signal": "fog-pump/running", "kind": "cycles"},
	{"name": "fog-pump-on-time", "title": "Fog pump, time on", "signal": "fog-pump/running", "kind": "on-time"},
	{"name": "lamp-energy", "title": "Lamps, energy", "signal": "lamp-meter/power", "kind": "energy"},
	{"name": "lamp-cost", "title": "Lamps, cost", "signal": "lamp-meter/power", "kind": "cost", "tariff": "day-night"},
}

// giveMeaning says what is known of the instruments, what is computed from them, and what is added up.
func (s *Site) giveMeaning(ctx context.Context) error {
	for path, rules := range known {
		if err := s.Owner.Call(ctx, api.SetSignal.At(strings.Split(path, "/")), rules, nil); err != nil {
			return fmt.Errorf("%s: %w", path, err)
		}
	}
	if err := s.Owner.Call(ctx, api.SetDevice.At("potting-shed"), object{"uptime": "uptime"}, nil); err != nil {
		return err
	}
	for _, d := range derived {
		if err := s.Owner.Call(ctx, api.PutRecipe.At(strings.Split(d.path, "/")),
			object{"title": d.title, "recipe": d.recipe}, nil); err != nil {
			return fmt.Errorf("%s: %w", d.path, err)
		}
	}
	if err := s.Owner.Call(ctx, api.PutTariff.At("day-night"), tariff, nil); err != nil {
		return err
	}
	for _, t := range totals {
		if err := s.Owner.Call(ctx, api.AddTotal.At(), t, nil); err != nil && !isTaken(err) {
			return fmt.Errorf("total %s: %w", t["name"], err)
		}
	}
	return s.holdReferences(ctx)
}

// holdReferences calibrates and verifies the pond's probes, once.
func (s *Site) holdReferences(ctx context.Context) error {
	var trust struct {
		Calibrations []object `json:"calibrations"`
	}
	if err := s.Owner.Call(ctx, api.GetTrust.At("pond", "oxygen"), nil, &trust); err != nil ||
		len(trust.Calibrations) > 0 {
		return err
	}
	from := measure.InstantOf(time.Now().Add(-21 * 24 * time.Hour))
	return doAll(ctx, s.Owner, []order{
		{api.Calibrate.At("pond", "oxygen"), object{"pairs": []object{{"shown": 1.2, "reference": 0},
			{"shown": 98.1, "reference": 100}}, "from": from, "note": "zero in sulphite solution, full in wet air"}},
		{api.PlanVerification.At("pond", "oxygen"), object{"every": "3 months"}},
		{api.PlanVerification.At("pond", "water"), object{"every": "6 months"}},
		{api.Verify.At("pond", "water"), object{"reference": 13.05, "shown": 13.1, "tolerance": "0.2",
			"note": "glass thermometer no. 4"}},
	})
}

type order struct {
	at   api.Place
	body object
}

func doAll(ctx context.Context, to *client.Client, orders []order) error {
	for _, o := range orders {
		if err := to.Call(ctx, o.at, o.body, nil); err != nil {
			return fmt.Errorf("%s: %w", o.at, err)
		}
	}
	return nil
}
