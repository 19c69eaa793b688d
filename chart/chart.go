// Package chart draws the course of signals: in braille for a terminal, and as pictures.
package chart

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/wall"
)

// Panel is what is drawn of one signal.
type Panel struct {
	Title  string
	Unit   measure.Unit
	Step   float64 // of its values; 0: not known
	Steps  bool    // a value holds until the next: a switch
	Line   []measure.Reading
	Limits []Limit
	Whole  bool // all limits are shown, however far off they are
	Alarms []Shading
	Called string    // what Alarms are, in a word: alarm, when it is empty
	Doubts []Shading // in which readings are of no use
}

// Limit is a value at which a guard speaks.
type Limit struct {
	Value float64
	Name  string
}

// Shading is a stretch of time.
type Shading struct{ From, Until measure.Instant }

// Span is what all panels show.
type Span struct {
	From, Until measure.Instant
	Zone        *time.Location
}

// extent gives the lowest and highest value that a panel shows, with a little room, and limits that are not
// far off.
func (p *Panel) extent() (low, high float64) {
	low, high = math.Inf(1), math.Inf(-1)
	for _, r := range p.Line {
		low, high = min(low, r.Value), max(high, r.Value)
	}
	if len(p.Line) == 0 {
		return 0, 1
	}
	size := max(high-low, math.Abs(high)/1000, 1e-9)
	for _, l := range p.Limits {
		if p.Whole || l.Value > low-size && l.Value < high+size {
			low, high = min(low, l.Value), max(high, l.Value)
		}
	}
	if p.Steps {
		low, high = min(low, 0), max(high, 1)
	}
	room := max(high-low, math.Abs(high)/1000, 1e-9) / 20
	return low - room, high + room
}

// gap is from how long on nothing between two readings is drawn as nothing: ten times the usual, and three
// columns at least.
func (p *Panel) gap(span Span, columns int) measure.Instant {
	steps := make([]measure.Instant, 0, len(p.Line))
	for i := 1; i < len(p.Line); i++ {
		steps = append(steps, p.Line[i].At-p.Line[i-1].At)
	}
	if len(steps) == 0 {
		return span.Until - span.From
	}
	slices.Sort(steps)
	return max(10*steps[len(steps)/2], 3*(span.Until-span.From)/measure.Instant(columns))
}

// summary says what the line comes to.
func (p *Panel) summary(span Span) string {
	if len(p.Line) == 0 {
		return "no readings"
	}
	return p.course(span) + p.doubt(span)
}

// doubt says for how long readings were of no use.
func (p *Panel) doubt(span Span) string {
	length := time.Duration(0)
	for _, d := range p.Doubts {
		if from, until := max(d.From, span.From), min(d.Until, span.Until); from <= until {
			length += until.Sub(from)
		}
	}
	if length == 0 {
		return ""
	}
	return "; hatched: of no use for " + prose.Length(max(length, time.Second))
}

// course says between which values the line goes.
func (p *Panel) course(span Span) string {
	if p.Steps {
		return "now " + onOff(p.Line[len(p.Line)-1].Value)
	}
	low, high := p.Line[0], p.Line[0]
	for _, r := range p.Line {
		if r.Value < low.Value {
			low = r
		}
		if r.Value > high.Value {
			high = r
		}
	}
	last := p.Line[len(p.Line)-1]
	at := func(r measure.Reading) string {
		form := "15:04"
		if span.Until-span.From > 86_400_000 {
			form = "2 Jan 15:04"
		}
		return r.At.Time().In(span.Zone).Format(form)
	}
	return fmt.Sprintf("last %s; lowest %s at %s, highest %s at %s", measure.Say(last.Value, p.Unit, p.Step),
		measure.Say(low.Value, p.Unit, p.Step), at(low), measure.Say(high.Value, p.Unit, p.Step), at(high))
}

func onOff(v float64) string {
	if v == 0 {
		return "off"
	}
	return "on"
}

// ticks gives round instants for an axis, some dozen columns apart, and how to write them.
func (s Span) ticks(most int) (at []measure.Instant, form string) {
	length := s.Until.Sub(s.From)
	step := 7 * 24 * time.Hour
	for _, d := range []time.Duration{time.Second, 5 * time.Second, 15 * time.Second, time.Minute, 5 * time.Minute,
		15 * time.Minute, time.Hour, 3 * time.Hour, 6 * time.Hour, 12 * time.Hour,
		24 * time.Hour, 2 * 24 * time.Hour, 7 * 24 * time.Hour, 14 * 24 * time.Hour, 28 * 24 * time.Hour,
		91 * 24 * time.Hour, 364 * 24 * time.Hour} {
		if step = d; length/d <= time.Duration(max(1, most)) {
			break
		}
	}
	switch {
	case step < time.Minute:
		form = "15:04:05"
	case step < 24*time.Hour:
		form = "15:04"
		if length > 24*time.Hour {
			form = "2 Jan 15:04"
		}
	default:
		form = "2 Jan"
	}
	if step < time.Minute {
		ms := measure.Instant(step.Milliseconds())
		for t := (s.From + ms - 1) / ms * ms; t <= s.Until; t += ms {
			at = append(at, t)
		}
		return at, form
	}
	return s.clockTicks(step), form
}

// clockTicks gives the instants at which the clock on the wall shows a multiple of a step of a minute or more.
func (s Span) clockTicks(step time.Duration) (at []measure.Instant) {
	days := wall.Day(max(1, step/(24*time.Hour)))
	minutes := int(min(step, 24*time.Hour) / time.Minute)
	for day := wall.On(s.From, s.Zone) / days * days; day.Begin(s.Zone) <= s.Until; day += days {
		for minute := 0; minute < 24*60; minute += minutes {
			if t := day.At(minute, s.Zone); t >= s.From && t <= s.Until && (len(at) == 0 || t > at[len(at)-1]) {
				at = append(at, t)
			}
		}
	}
	return at
}

// figure writes a value of an axis with as many decimals as tell its steps apart.
func figure(v, size float64) string {
	decimals := max(0, int(math.Ceil(1-math.Log10(max(size, 1e-12)))))
	text := fmt.Sprintf("%.*f", min(decimals, 9), v)
	if strings.Trim(text, "-0.") == "" {
		return "0"
	}
	return text
}
