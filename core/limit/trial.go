package limit

import (
	"fmt"
	"math"
	"slices"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
)

// The labels of a stretch.
const (
	Normal = "normal"
	Event  = "event"
)

// Part is a part of a trial with what a signal read in it: usable readings, in order of time.
type Part struct {
	Label    string
	Readings []measure.Reading
	Until    measure.Instant
}

// Suggestion is a guard that a trial speaks for, with why and how sure.
type Suggestion struct {
	Apart     bool             `json:"apart" doc:"whether events can be told from normal stretches at all; if not, there is nothing to suggest"`
	When      alarm.Test       `json:"when" doc:"above or below the limit"`
	Limit     float64          `json:"limit"`
	Deadband  float64          `json:"deadband"`
	OnDelay   measure.Duration `json:"on_delay"`
	OffDelay  measure.Duration `json:"off_delay"`
	Unit      measure.Unit     `json:"unit"`
	Nearest   float64          `json:"nearest_event" doc:"the peak of the event that went least far"`
	Furthest  float64          `json:"furthest_normal" doc:"the peak of the normal stretch that went furthest"`
	Noise     float64          `json:"noise" doc:"by how much a reading jitters, one standard deviation"`
	Reason    string           `json:"reason"`
	Events    int              `json:"events"`
	Normals   int              `json:"normals"`
	Missed    int              `json:"missed" doc:"events that raised no alarm when the limit was found from the other stretches"`
	False     int              `json:"false_alarms" doc:"normal stretches that raised one then"`
	ToAlarm   measure.Duration `json:"time_to_alarm" doc:"from the beginning of an event to its alarm, the middle one"`
	Certainty string           `json:"certainty" doc:"how sure it is, in words"`
}

// least is how many stretches of each label are needed.
const least = 1

// Suggest finds limit, deadband and delays from labelled stretches. The limit lies half way between the normal stretch
// that went furthest and the event that went least far; with an on-delay where that alone tells them apart. What is
// left out in turn tells how sure that is (leave-one-out cross-validation; Stone 1974, J. R. Stat. Soc. B 36, 111).
func Suggest(stretches []Part, unit measure.Unit) Suggestion {
	stretches = slices.DeleteFunc(slices.Clone(stretches), func(s Part) bool { return len(s.Readings) == 0 })
	s := suggest(stretches, unit)
	if s.Apart {
		s.tryOut(stretches, unit)
	}
	return s
}

func suggest(stretches []Part, unit measure.Unit) Suggestion {
	s := Suggestion{Unit: unit}
	for _, stretch := range stretches {
		if stretch.Label == Event {
			s.Events++
		} else {
			s.Normals++
		}
	}
	if s.Events < least || s.Normals < least {
		s.Reason = fmt.Sprintf("There are %s and %s; at least one of each is needed.",
			prose.Count(s.Events, "event", "events"), prose.Count(s.Normals, "normal stretch", "normal stretches"))
		return s
	}
	usual := usualInterval(stretches)
	for _, d := range lengths {
		if d > 0 && d < usual {
			continue
		}
		gap, side := 0.0, 0.0 // the side on which they are further apart
		for _, sign := range []float64{1, -1} {
			if furthest, nearest := peaks(stretches, d, sign); nearest-furthest > gap {
				gap, side = nearest-furthest, sign
				s.Furthest, s.Nearest, s.OnDelay = sign*furthest, sign*nearest, measure.Duration(d)
			}
		}
		if gap > 0 {
			s.settle(stretches, side)
			return s
		}
	}
	furthest, nearest := peaks(stretches, 0, 1)
	s.Furthest, s.Nearest = furthest, nearest
	s.Reason = fmt.Sprintf(
		"They cannot be told apart by a limit: a normal stretch went up to %s, and an event no further than %s; they "+
			"overlap on the low side too, and no on-delay up to an hour parts them. "+
			"Try another signal, a rate of change, or more careful stretches.", measure.Figure(furthest, unit),
		measure.Figure(nearest, unit))
	return s
}

// peaks gives how far the furthest normal stretch and the least far event went, held for d, with low turned into high
// by sign.
func peaks(stretches []Part, d time.Duration, sign float64) (furthest, nearest float64) {
	furthest, nearest = math.Inf(-1), math.Inf(1)
	for _, s := range stretches {
		peak := sustained(turned(s.Readings, sign), d, s.Until)
		if s.Label == Event {
			nearest = min(nearest, peak)
		} else {
			furthest = max(furthest, peak)
		}
	}
	if math.IsInf(furthest, -1) { // no normal stretch is as long as that: its peak must do
		furthest, _ = peaks(stretches, 0, sign)
	}
	return furthest, nearest
}

func turned(readings []measure.Reading, sign float64) []measure.Reading {
	if sign > 0 {
		return readings
	}
	out := slices.Clone(readings)
	for i := range out {
		out[i].Value = -out[i].Value
	}
	return out
}

func usualInterval(stretches []Part) (usual time.Duration) {
	for _, s := range stretches {
		usual = max(usual, interval(s.Readings))
	}
	return usual
}

// settle finds limit, deadband, off-delay and the words, once the peaks are known.
func (s *Suggestion) settle(stretches []Part, sign float64) {
	s.Apart = true
	room := math.Abs(s.Nearest - s.Furthest)
	s.Limit = round((s.Nearest+s.Furthest)/2, room)
	var jitter []float64
	for _, stretch := range stretches {
		if stretch.Label == Normal {
			jitter = append(jitter, noise(stretch.Readings))
		}
	}
	slices.Sort(jitter)
	s.Noise = quantile(jitter, 0.5)
	s.Deadband = min(round(3*s.Noise, 3*s.Noise), round(room/4, room/4))
	kind := alarm.Above
	if sign < 0 {
		kind = alarm.Below
	}
	s.When = alarm.Test{Kind: kind, A: s.Limit}
	s.OffDelay = measure.Duration(atLeast(longestDip(stretches, s)))
	s.Reason = s.words(sign)
}

// longestDip is the longest time within an event that the value was clear between two times at which it met the test.
func longestDip(stretches []Part, s *Suggestion) (longest time.Duration) {
	for _, stretch := range stretches {
		if stretch.Label != Event {
			continue
		}
		clearSince, met := measure.Instant(0), false
		rung := alarm.Rung{When: s.When, Clears: s.When.Back(s.Deadband)}
		for _, r := range stretch.Readings {
			switch {
			case s.When.Met(r.Value):
				if met && clearSince != 0 {
					longest = max(longest, r.At.Sub(clearSince)+1)
				}
				met, clearSince = true, 0
			case clearSince == 0 && rung.Clear(r.Value):
				clearSince = r.At
			}
		}
	}
	return longest
}

func (s *Suggestion) words(sign float64) string {
	least, highest, peaked := "lowest", "highest", "peaked at"
	if sign < 0 {
		least, highest, peaked = "highest", "lowest", "went down to"
	}
	room := math.Abs(s.Nearest - s.Furthest)
	text := fmt.Sprintf("The %s of %s %s %s, the %s of %s at %s; half way is %s.", least,
		prose.Count(s.Events, "event", "events"), peaked, measure.Figure(round(s.Nearest, room), s.Unit),
		highest, prose.Count(s.Normals, "normal stretch", "normal stretches"),
		measure.Figure(round(s.Furthest, room), ""), measure.Figure(s.Limit, ""))
	if s.Deadband > 0 {
		text += fmt.Sprintf(" Noise is %s, so a deadband of %s.", measure.Figure(round(s.Noise, s.Noise), ""),
			measure.Figure(s.Deadband, ""))
	}
	if s.OnDelay > 0 {
		text += fmt.Sprintf(
			" Normal stretches reach as far for a moment, but do not stay there for %v; so an on-delay of %v.",
			s.OnDelay, s.OnDelay)
	}
	if s.OffDelay > 0 {
		text += fmt.Sprintf(" Within an event it dipped for a while, so an off-delay of %v.", s.OffDelay)
	}
	return text
}

// tryOut leaves out each stretch in turn, finds the limit from the others, and sees what it makes of the one left out.
func (s *Suggestion) tryOut(stretches []Part, unit measure.Unit) {
	var times []time.Duration
	tried, untried := 0, 0
	for i, out := range stretches {
		others := slices.Delete(slices.Clone(stretches), i, i+1)
		found := suggest(others, unit)
		if !found.Apart {
			untried++
			continue
		}
		tried++
		first, raised := found.raises(out)
		switch {
		case out.Label == Event && !raised:
			s.Missed++
		case out.Label == Event:
			times = append(times, first)
		case raised:
			s.False++
		}
	}
	if len(times) > 0 {
		slices.Sort(times)
		s.ToAlarm = measure.Duration(times[len(times)/2].Round(time.Second))
	}
	switch {
	case tried == 0:
		s.Certainty = "It cannot be tried out: there is one stretch of a label only. Record more."
	case s.Missed == 0 && s.False == 0:
		s.Certainty = fmt.Sprintf(
			"Each stretch was left out in turn: no event was missed and there was no false alarm in %s; the alarm "+
				"came %v after the event began, as a rule.", prose.Count(tried, "try", "tries"), s.ToAlarm)
	default:
		s.Certainty = fmt.Sprintf(
			"Each stretch was left out in turn: %s missed, %s in %s. Record more, or expect that.",
			prose.Count(s.Missed, "event", "events"), prose.Count(s.False, "false alarm", "false alarms"),
			prose.Count(tried, "try", "tries"))
	}
	if untried > 0 && tried > 0 {
		s.Certainty += fmt.Sprintf(" %d could not be tried, since too few were left.", untried)
	}
}

// raises tells whether the suggested guard raises an alarm in a stretch, and how long after its beginning.
func (s *Suggestion) raises(stretch Part) (after time.Duration, raised bool) {
	g := s.Guard()
	run := alarm.NewRun(&g, 0, measure.Reading{})
	run.Take(stretch.Readings, nil)
	all := run.Finish(stretch.Until)
	if len(all) == 0 {
		return 0, false
	}
	return all[0].RaisedAt.Sub(stretch.Readings[0].At), true
}

// Guard is the guard that is suggested, without signal and name.
func (s *Suggestion) Guard() alarm.Guard {
	return alarm.Guard{Rung: alarm.Rung{When: s.When, Deadband: s.Deadband, OnDelay: s.OnDelay, OffDelay: s.OffDelay,
		Severity: alarm.Warning}, Tell: []string{}}
}
