package demo

import (
	"context"
	"fmt"
	"math"
	"strings"
	"sync"
	"time"

	"jauntylark/api"
	"jauntylark/core/measure"
	"jauntylark/standin"
)

// outputs are what the demo's devices can switch, as the API takes them.
var outputs = []struct {
	path string
	spec object
}{
	{"potting-shed/extractor", object{"title": "Extractor", "kind": "switch", "safe": "on", "rest": "off",
		"least_on": "1m", "starts_per_hour": 12}},
	{"boiler-room/fan", object{"title": "Fan", "kind": "switch", "safe": "on", "rest": "off", "least_on": "45s",
		"least_off": "20s", "dangerous": true}},
	{"boiler-room/beacon", object{"title": "Beacon", "kind": "switch", "safe": "off"}},
	// wired inverted
	{"cistern/buzzer", object{"title": "Buzzer", "kind": "switch", "on_sends": "0", "off_sends": "1", "safe": "off"}},
	{"compost/lamp", object{"title": "Lamp", "kind": "colour", "safe": "off"}},
}

// interlocks drive them.
var interlocks = []object{
	{"name": "shed-extractor", "output": "potting-shed/extractor", "signal": "potting-shed/vapour", "when": "above 250",
		"deadband": 60, "latch": true},
	{"name": "boiler-fan", "output": "boiler-room/fan", "signal": "boiler-room/carbon-monoxide", "when": "above 18",
		"deadband": 6, "on_delay": "4s", "safety": true},
	{"name": "boiler-beacon", "output": "boiler-room/beacon", "alarm": "boiler-room/* warning"},
	{"name": "cistern-buzzer", "output": "cistern/buzzer", "alarm": "cistern-dry"},
	{"name": "heap-lamp", "output": "compost/lamp", "signal": "compost/core", "deadband": 1,
		"bands": []object{{"to": 45, "set": "blue"}, {"to": 60, "set": "green"}, {"to": 66, "set": "orange"},
			{"set": "red"}}},
}

// switchable makes outputs and interlocks; what is there stays.
func (s *Site) switchable(ctx context.Context) error {
	for _, o := range outputs {
		place := strings.Split(o.path, "/")
		if s.Owner.Call(ctx, api.GetOutput.At(place), nil, nil) == nil {
			continue
		}
		if err := s.Owner.Call(ctx, api.PutOutput.At(place), o.spec, nil); err != nil {
			return fmt.Errorf("output %s: %w", o.path, err)
		}
	}
	for _, i := range interlocks {
		if s.Owner.Call(ctx, api.GetInterlock.At(i["name"]), nil, nil) == nil {
			continue
		}
		if err := s.Owner.Call(ctx, api.PutInterlock.At(i["name"]), i, nil); err != nil {
			return fmt.Errorf("interlock %s: %w", i["name"], err)
		}
	}
	return nil
}

// draught is air with something in it that a source gives off and that goes away by itself, faster while a fan runs. It
// is what closes the loop: the service reads it, switches the fan, and reads what came of that. Live devices alone have
// one.
type draught struct {
	source     func(at measure.Instant) float64 // what is added a second
	slow, fast float64                          // seconds in which about two thirds go, without the fan and with it

	mu     sync.Mutex
	at     measure.Instant
	amount float64
	fan    bool
	known  map[measure.Instant]float64 // what was read, since a device sends readings again
}

const (
	knownAtMost = 40_000
	standsStill = 15 * time.Minute // longer, and all is gone
)

// read gives how much is in the air at an instant, which is not before those that were asked for.
func (d *draught) read(at measure.Instant) float64 {
	if d == nil {
		return 0
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	if v, known := d.known[at]; known {
		return v
	}
	d.moveTo(at)
	if d.known == nil || len(d.known) > knownAtMost {
		d.known = map[measure.Instant]float64{}
	}
	d.known[at] = d.amount
	return d.amount
}

func (d *draught) moveTo(at measure.Instant) {
	if d.at == 0 || at.Sub(d.at) > standsStill {
		d.at, d.amount = at, 0
	}
	goes := d.slow
	if d.fan {
		goes = d.fast
	}
	for ; d.at < at; d.at += 100 {
		d.amount = d.amount*math.Exp(-0.1/goes) + 0.1*d.source(d.at)
	}
}

// turn starts or stops the fan.
func (d *draught) turn(on bool, at time.Time) {
	if d == nil {
		return
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	d.moveTo(measure.InstantOf(at))
	d.fan = on
}

// flue gives off carbon monoxide when the live devices have run for four minutes, for seven, every 20: without the fan
// it would come to 36 ppm.
func (c clock) flue() *draught { return c.draught(60, 12, 4, 11, 0.6) }

// varnish gives off vapour when they have run for seven minutes, for two, every 20.
func (c clock) varnish() *draught { return c.draught(400, 45, 7, 9, 4) }

// draught is one whose source adds an amount a second between two minutes of each 20; nil in the history.
func (c clock) draught(slow, fast, from, until, aSecond float64) *draught {
	if c.live == 0 {
		return nil
	}
	return &draught{slow: slow, fast: fast, source: func(at measure.Instant) float64 {
		if c.every20Minutes(at, from, until) {
			return aSecond
		}
		return 0
	}}
}

// lamp is an output that only shows something.
func lamp(name string) standin.Output {
	return standin.Output{Name: name, Set: func(string, time.Time) {}}
}

// fan is an output that moves air.
func fan(name string, air *draught) standin.Output {
	return standin.Output{Name: name, Set: func(word string, at time.Time) { air.turn(word == "1", at) }}
}
