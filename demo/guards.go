package demo

import (
	"context"
	"fmt"
	"time"

	"jauntylark/api"
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/due"
)

func rung(when, severity string, deadband float64, on, off string) object {
	return object{"when": when, "severity": severity, "deadband": deadband, "on_delay": on, "off_delay": off}
}

// guards are the demo's, as the API takes them: each device has one, with its story.
var guards = []object{
	{"name": "fern-house-hot", "signal": "fern-house/air", "when": "above 30", "deadband": 1, "on_delay": "10s",
		"off_delay": "10s", "severity": "warning",
		"rungs": []object{rung("above 32.5", "critical", 1, "1m", "10s")}, "tell": []string{"glasshouse"},
		"advice": "Open the roof vents by hand; the crank hangs by the north door."},
	{"name": "fern-house-cold", "signal": "fern-house/air", "when": "below 8", "deadband": 1, "on_delay": "5m",
		"off_delay": "5m", "severity": "critical",
		"tell": []string{"glasshouse"}, "advice": "Start the standby heater in the boiler room."},
	{"name": "fern-house-stuffy", "signal": "fern-house/co2", "when": "above 900", "deadband": 50, "on_delay": "2m",
		"off_delay": "2m", "severity": "advisory", "tell": []string{}},
	// it chatters
	{"name": "fern-house-damp", "signal": "fern-house/humidity", "when": "above 90", "severity": "advisory",
		"tell": []string{}},
	{"name": "fern-house-condensation", "signal": "fern-house/glass-margin", "when": "below 0.5", "deadband": 0.5,
		"on_delay": "10m", "off_delay": "10m", "severity": "advisory",
		"tell": []string{}, "advice": "Air the house once it is warmer outside than in."},
	{"name": "pond-oxygen-low", "signal": "pond/oxygen", "when": "below 68", "deadband": 3, "on_delay": "5m",
		"off_delay": "5m", "severity": "warning",
		"rungs": []object{rung("below 55", "critical", 5, "1m", "1m")}, "tell": []string{"glasshouse"},
		"advice": "Switch on the cascade; its switch is behind the statue."},
	{"name": "bench-heat-mat", "signal": "bench/root-zone", "when": "below 18", "deadband": 1, "on_delay": "10m",
		"off_delay": "10m", "severity": "warning",
		"tell": []string{"glasshouse"}, "advice": "Press the red button of the heat mat's breaker."},
	{"name": "lamps-left-on", "signal": "lamp-meter/power", "when": "above 500", "deadband": 100, "on_delay": "15m",
		"severity": "advisory", "armed": "daily 21:00-05:00",
		"tell": []string{"tadhg"}, "advice": "Switch the lamps off at the bench."},
	{"name": "carbon-monoxide-high", "signal": "boiler-room/carbon-monoxide", "when": "above 30", "deadband": 8,
		"on_delay": "10s", "off_delay": "1m", "severity": "warning",
		"rungs": []object{rung("above 100", "critical", 20, "10s", "1m")}, "latch": true, "tell": []string{"boiler"},
		"advice": "Stay out, open the outer door, switch the boiler off at the red switch outside."},
	{"name": "potting-shed-vapour", "signal": "potting-shed/vapour", "when": "above 400", "deadband": 80,
		"on_delay": "30s", "off_delay": "2m", "severity": "warning", "latch": true,
		"tell": []string{"glasshouse"}, "advice": "Go out and let the extractor run."},
	{"name": "cistern-dry", "signal": "cistern/level", "when": "below 1150", "deadband": 100, "on_delay": "10s",
		"off_delay": "10s", "severity": "warning",
		"tell": []string{"glasshouse"}, "advice": "Open the feed by hand; the stopcock is under the slate."},
	{"name": "gate-battery-low", "signal": "gate-node/battery", "when": "below 25", "deadband": 5, "on_delay": "15m",
		"severity": "advisory",
		"rungs":    []object{rung("below 10", "warning", 5, "15m", "0s")}, "tell": []string{"tadhg"},
		"advice": "Wipe the solar panel; take the spare battery from the potting shed."},
	{"name": "gate-node-quiet", "signal": "gate-node/air", "when": "silent for 20m", "severity": "advisory",
		"tell": []string{"tadhg"}},
	{"name": "heap-hot", "signal": "compost/core", "when": "above 66", "deadband": 2, "on_delay": "30m",
		"off_delay": "30m", "severity": "advisory",
		"rungs": []object{rung("above 75", "warning", 2, "30m", "30m")}, "tell": []string{"glasshouse"},
		"advice": "Turn the heap."},
	{"name": "main-terminal-warm", "signal": "switchboard-eye/main-terminal-highest", "when": "above 50", "deadband": 3,
		"on_delay": "15m", "severity": "warning",
		"rungs": []object{rung("above 75", "critical", 3, "15m", "0s")},
		"tell":  []string{"glasshouse"}, "advice": "Have the terminal tightened; do not touch it."},
	{"name": "fog-pump-busy", "signal": "fog-pump/times-usual", "when": "above 2", "deadband": 0.5, "on_delay": "10m",
		"off_delay": "1h", "severity": "warning",
		"tell": []string{"glasshouse"}, "advice": "Look whether its valve sticks."},
	{"name": "fog-pump-long", "signal": "fog-pump/running", "when": "is on", "on_delay": "2m", "severity": "advisory",
		"tell":             []string{},
		"suppressed_while": "alarm fog-pump-busy"},
}

// guard makes the guards, lets them look back over the history, and notes what people made of what they found.
func (s *Site) guard(ctx context.Context) error {
	var fresh []string
	for _, g := range guards {
		err := s.Owner.Call(ctx, api.AddGuard.At(), g, nil)
		if err != nil && !isTaken(err) {
			return fmt.Errorf("guard %s: %w", g["name"], err)
		}
		if err == nil && g["name"] != "gate-node-quiet" {
			fresh = append(fresh, g["name"].(string))
		}
	}
	if len(fresh) == 0 {
		return nil
	}
	since := measure.InstantOf(time.Now().Add(-35 * 24 * time.Hour))
	if err := due.Remember(ctx, s.Inside, fresh, since); err != nil {
		return err
	}
	if err := s.mark(ctx); err != nil {
		return err
	}
	return s.tryBoiler(ctx)
}

// judged is what people made of the alarms of some guards.
var judged = map[string]struct{ mark, cause string }{
	"carbon-monoxide-high": {alarm.MarkReal, "the flue was blocked"},
	"cistern-dry":          {alarm.MarkReal, "the feed valve was shut"},
	"bench-heat-mat":       {alarm.MarkReal, "the heat mat's breaker had gone"},
	"pond-oxygen-low":      {alarm.MarkUseful, ""},
	"lamps-left-on":        {alarm.MarkReal, "nobody had switched them off on Friday"},
	"fern-house-damp":      {alarm.MarkFalse, ""},
}

func (s *Site) mark(ctx context.Context) error {
	var alarms []alarm.Alarm
	if err := s.Owner.Call(ctx, api.ListAlarms.At().Asking("all", "true", "limit", "1000"), nil, &alarms); err != nil {
		return err
	}
	marked := map[string]int{}
	for _, a := range alarms {
		j, found := judged[a.Guard]
		if marked[a.Guard]++; !found || marked[a.Guard] > 3 || a.ClearedAt == nil {
			continue
		}
		orders := []order{{api.MarkAlarm.At(a.ID), object{"mark": j.mark}}}
		if j.cause != "" {
			orders = append(orders, order{api.CommentAlarm.At(a.ID), object{"comment": j.cause}})
		}
		if err := doAll(ctx, s.Owner, orders); err != nil {
			return err
		}
	}
	return nil
}

// tryBoiler marks the exposures of the boiler room, and quiet stretches, as a trial.
func (s *Site) tryBoiler(ctx context.Context) error {
	var t site.Trial
	if err := s.Owner.Call(ctx, api.StartTrial.At(), object{"signal": "boiler-room/carbon-monoxide",
		"note": "The blocked flue, afterwards"}, &t); err != nil {
		return err
	}
	for i, days := range []float64{9.3, 5.6, 1.4} {
		from := s.Memory.Begun.Add(-time.Duration(days * 24 * float64(time.Hour)))
		for label, at := range map[string]measure.Instant{"event": from,
			"normal": from.Add(-time.Duration(6+i) * time.Hour)} {
			mark := object{"label": label, "from": at, "until": at.Add(45 * time.Minute)}
			if err := s.Owner.Call(ctx, api.MarkTrial.At(t.ID), mark, nil); err != nil {
				return err
			}
		}
	}
	return nil
}
