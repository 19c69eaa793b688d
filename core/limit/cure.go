package limit

import (
	"fmt"
	"math"
	"slices"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
)

// Cure is a change of a guard that would have kept it quieter.
type Cure struct {
	Deadband *float64          `json:"deadband,omitempty"`
	OffDelay *measure.Duration `json:"off_delay,omitempty"`
	OnDelay  *measure.Duration `json:"on_delay,omitempty"`
	Of       int               `json:"of" doc:"so many alarms there were"`
	Saved    int               `json:"saved" doc:"so many fewer there would have been"`
	Words    string            `json:"words"`
}

// enough is the share of alarms that a cure must save to be named.
const enough = 0.5

// cured is the share with which the search ends: the mildest change that reaches it is named.
const cured = 0.9

// FindCure finds the mildest change that would have saved most of a guard's alarms over readings in order of time: a
// deadband first, since that costs no time, then an off-delay, then an on-delay. What would have raised nothing at all,
// or not an alarm that people marked as real, is none. past are the guard's alarms over these readings, which are
// counted; silentAfter is as of an alarm.Run. It gives nil where nothing helps.
func FindCure(g alarm.Guard, readings []measure.Reading, past []alarm.Alarm, silentAfter time.Duration,
	unit measure.Unit) *Cure {
	if len(readings) == 0 {
		return nil
	}
	of := len(past)
	var best *Cure
	consider := func(c Cure, changed alarm.Guard) (done bool) {
		would := replay(changed, readings, silentAfter)
		if met := alarm.Meet(would, past); len(would) == 0 || met.Real < met.RealOf {
			return false
		}
		c.Of, c.Saved = of, of-len(would)
		if float64(c.Saved) >= enough*float64(of) && (best == nil || c.Saved > best.Saved+of/10) {
			best = &c
		}
		return float64(c.Saved) >= cured*float64(of)
	}
	if of >= 2 {
		search(g, readings, consider)
	}
	if best != nil {
		best.Words = best.words(unit)
	}
	return best
}

func search(g alarm.Guard, readings []measure.Reading, consider func(Cure, alarm.Guard) bool) {
	for _, deadband := range deadbands(g, readings) {
		changed := withAll(g, func(r *alarm.Rung) { r.Deadband, r.Clears = max(r.Deadband, deadband), alarm.Test{} })
		if changed.Check() == nil && consider(Cure{Deadband: &deadband}, changed) {
			return
		}
	}
	for _, d := range lengths[1:] {
		delay := measure.Duration(d)
		if consider(Cure{OffDelay: &delay}, withAll(g, func(r *alarm.Rung) { r.OffDelay = max(r.OffDelay, delay) })) {
			return
		}
	}
	for _, d := range lengths[1:] {
		delay := measure.Duration(d)
		if consider(Cure{OnDelay: &delay}, withAll(g, func(r *alarm.Rung) { r.OnDelay = max(r.OnDelay, delay) })) {
			return
		}
	}
}

// withAll gives a guard with all its rungs changed.
func withAll(g alarm.Guard, change func(*alarm.Rung)) alarm.Guard {
	g.Rungs = slices.Clone(g.Rungs)
	for i := range g.Count() {
		change(g.At(i))
	}
	return g
}

// deadbands are those worth trying, narrowest first: by what the signal jitters, up to a quarter of its width.
func deadbands(g alarm.Guard, readings []measure.Reading) (all []float64) {
	if !g.When.Measured() {
		return nil
	}
	values := make([]float64, 0, len(readings))
	for _, r := range readings {
		if r.Quality.Usable() {
			values = append(values, r.Value)
		}
	}
	slices.Sort(values)
	unit, width := noise(readings), quantile(values, 0.99)-quantile(values, 0.01)
	if unit == 0 || math.IsNaN(unit) {
		unit = width / 50
	}
	for _, times := range []float64{2, 3, 4, 6, 8, 12, 16, 24} {
		d := round(times*unit, times*unit)
		if d > g.Deadband && d <= width/4 {
			all = append(all, d)
		}
	}
	return all
}

func replay(g alarm.Guard, readings []measure.Reading, silentAfter time.Duration) []alarm.Occurrence {
	run := alarm.NewRun(&g, 0, measure.Reading{})
	run.SilentAfter = silentAfter
	run.Take(readings, nil)
	return run.Finish(readings[len(readings)-1].At)
}

func (c *Cure) words(unit measure.Unit) string {
	what := ""
	switch {
	case c.Deadband != nil:
		what = "a deadband of " + measure.Figure(*c.Deadband, unit)
	case c.OffDelay != nil:
		what = fmt.Sprintf("an off-delay of %v", *c.OffDelay)
	default:
		what = fmt.Sprintf("an on-delay of %v", *c.OnDelay)
	}
	return fmt.Sprintf("%s would have saved %d of %d", what, c.Saved, c.Of)
}
