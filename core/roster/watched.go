package roster

import (
	"fmt"
	"math"
	"strings"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/derive"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/site"
)

// Watched is what a guard looks at that is computed from the signal which it is about.
type Watched struct {
	Recipe derive.Recipe
	Of     []Part // what it is computed from, in the recipe's order
	Units  site.Units
}

// Part is one signal that is computed from.
type Part struct {
	Device, Signal string // as people call them
	Unit           measure.Unit
	Step           float64 // of its figures; 0: not known
	Switch         bool
}

// itself tells whether a switch says that its device runs: what it tells is told of the device.
func (p *Part) itself() bool { return p.Switch && site.RunsItself(p.Signal) }

// step is that of its figures in a unit.
func (p *Part) step(unit measure.Unit) float64 { return measure.StepIn(p.Step, p.Unit, unit) }

func (p *Part) thing() string {
	if p.itself() {
		return p.Device
	}
	return Thing(p.Device, p.Signal)
}

// Sentence says what is wrong by a value of what is computed, in the unit in which the site sees it: "Fog pump ran 7
// times in the last hour, more than 6".
func (w *Watched) Sentence(test alarm.Test, value float64, unit measure.Unit) string {
	says := w.says(value, unit)
	if says == "" || test.Kind > alarm.Inside {
		return fmt.Sprintf("%s is %s", w.Thing(), test.Words(unit))
	}
	thing := w.Of[0].thing()
	if w.Recipe.Kind == "readings-over" {
		return thing + " " + says
	}
	return fmt.Sprintf("%s %s, %s", thing, says, w.beyond(test, value, unit))
}

// Reads says what is computed now, in a sentence: "It ran 5 times in the last hour."; empty where that is a plain
// value.
func (w *Watched) Reads(value float64, unit measure.Unit) string {
	if says := w.says(value, unit); says != "" {
		return "It " + says + "."
	}
	return ""
}

// Thing is what is computed, as people call it: "Fern house air temperature, its moving mean over 1 hour".
func (w *Watched) Thing() string {
	kind := strings.ReplaceAll(w.Recipe.Kind, "-", " ")
	if w.Recipe.Window > 0 {
		kind += " over " + prose.Length(time.Duration(w.Recipe.Window))
	}
	if w.Recipe.Kind == "difference" && len(w.Of) > 1 {
		return fmt.Sprintf("%s less %s", w.Of[0].thing(), w.Of[1].thing())
	}
	if w.Recipe.Formula != "" {
		return fmt.Sprintf("%s by the formula %s", w.Of[0].thing(), w.Recipe.Formula)
	}
	return fmt.Sprintf("%s, its %s,", w.Of[0].thing(), kind)
}

// says tells a value of what is computed as it is said of the thing; empty for kinds that are told as plain values.
func (w *Watched) says(value float64, unit measure.Unit) string {
	of := &w.Of[0]
	last := "last " + strings.TrimPrefix(prose.Length(time.Duration(w.Recipe.Window)), "1 ")
	long := prose.Length(time.Duration(value * float64(time.Minute)))
	went, since, on := "was on", "has been on", "was switched on"
	if of.itself() {
		went, since, on = "ran", "has run", "ran"
	}
	switch w.Recipe.Kind {
	case "cycles":
		return fmt.Sprintf("%s %s in the %s", on, prose.Count(int(value), "time", "times"), last)
	case "on-for":
		return since + " for " + long
	case "off-for":
		return "has been off for " + long
	case "on-time":
		return fmt.Sprintf("%s for %s in the %s", went, long, last)
	case "readings-over":
		test, err := alarm.ParseTest(w.Recipe.When)
		if err != nil {
			return ""
		}
		shown, of := Shown(test, of.Unit, w.Units)
		return fmt.Sprintf("was %s in %d of the last %d readings", shown.Words(of), int(value), w.Recipe.Last)
	case "rate":
		verb := "rises"
		if value < 0 {
			verb = "falls"
		}
		return fmt.Sprintf("%s by %s", verb, measure.Say(math.Abs(value), unit, of.step(unit)))
	case "times-usual":
		what := "starts"
		if w.Recipe.Count == "on-time" {
			what = "time on"
		}
		return fmt.Sprintf("had %s times the usual %s in the last day", measure.Say(value, "", 0), what)
	case "unlike-usual":
		side := "above"
		if value < 0 {
			side = "below"
		}
		return fmt.Sprintf("reads %s %s its usual of this hour", measure.Say(math.Abs(value), "", 0)+" spreads", side)
	case "moving-mean":
		return fmt.Sprintf("was %s on average over the %s", measure.Say(value, unit, of.step(unit)), last)
	}
	return ""
}

// beyond says a test as what a value lies beyond: "more than 6", "longer than 1 minute".
func (w *Watched) beyond(test alarm.Test, value float64, unit measure.Unit) string {
	more, less := "more than", "less than"
	figure := func(v float64) string { return measure.Figure(v, unit) }
	switch w.Recipe.Kind {
	case "on-for", "off-for", "on-time":
		more, less = "longer than", "shorter than"
		figure = func(v float64) string { return prose.Length(time.Duration(v * float64(time.Minute))) }
	case "cycles", "times-usual":
		figure = func(v float64) string { return measure.Figure(v, "") }
	case "unlike-usual", "rate":
		if w.Recipe.Kind == "unlike-usual" {
			figure = func(v float64) string { return measure.Figure(v, "") }
		}
		if value < 0 && test.Kind != alarm.Outside && test.Kind != alarm.Inside { // told by its size
			flipped := map[alarm.Kind]alarm.Kind{alarm.Above: alarm.Below, alarm.AtLeast: alarm.AtMost,
				alarm.Below: alarm.Above, alarm.AtMost: alarm.AtLeast}
			test.Kind, test.A = flipped[test.Kind], -test.A
		}
	}
	switch test.Kind {
	case alarm.Above:
		return more + " " + figure(test.A)
	case alarm.AtLeast:
		return figure(test.A) + " or more"
	case alarm.Below:
		return less + " " + figure(test.A)
	case alarm.AtMost:
		return figure(test.A) + " or less"
	case alarm.Outside:
		return fmt.Sprintf("not between %s and %s", measure.Figure(test.A, ""), figure(test.B))
	}
	return fmt.Sprintf("between %s and %s", measure.Figure(test.A, ""), figure(test.B))
}
