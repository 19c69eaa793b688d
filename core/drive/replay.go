package drive

import (
	"slices"
	"time"

	"jauntylark/core/measure"
)

// OutputStretch is a stretch of time in which an output was, or would have been, in another state than at rest.
type OutputStretch struct {
	From  measure.Instant  `json:"from" format:"date-time"`
	Until *measure.Instant `json:"until" format:"date-time" doc:"null: it still is at the end"`
	Value Value            `json:"value"`
	Blind bool             `json:"blind" doc:"the safe state, since what drives it could not be believed"`
	Why   string           `json:"why"`
}

// Length is how long the run was, by an instant where it still goes on.
func (r OutputStretch) Length(until measure.Instant) time.Duration {
	if r.Until != nil {
		until = *r.Until
	}
	return until.Sub(r.From)
}

// Replay lets one interlock, alone on its output, see what was, and notes what the output would have done: with its
// least times and the most starts in an hour. Nobody is there to reset it, so it does not latch.
type Replay struct {
	lock   Interlock
	output Output
	runs   []OutputStretch
}

// NewReplay begins with an output at rest.
func NewReplay(i Interlock, o Output) *Replay {
	i.Memory, i.Latch, o.State = Memory{}, false, State{}
	return &Replay{lock: i, output: o}
}

// See takes what the interlock sees; instants must not go back.
func (t *Replay) See(s Sight) {
	t.settle(s.At - 1)
	t.lock.Memory = t.lock.Look(&t.output, s)
	t.order(s.At)
}

// settle lets what waited become what it waited for, up to an instant.
func (t *Replay) settle(until measure.Instant) {
	for w := t.output.Waiting; w != nil && w.Until <= until; w = t.output.Waiting {
		t.order(w.Until)
	}
}

func (t *Replay) order(at measure.Instant) {
	var demands []Demand
	if d, asks := t.lock.Demand(); asks {
		demands = append(demands, d)
	}
	state, turned := t.output.Order(t.output.State, t.output.Choose(demands), at)
	t.output.State = state
	if !turned {
		return
	}
	if n := len(t.runs); n > 0 && t.runs[n-1].Until == nil {
		t.runs[n-1].Until = &at
	}
	if state.Ordered != t.output.Resting() {
		t.runs = append(t.runs, OutputStretch{From: at, Value: state.Ordered, Blind: t.lock.Blind != "",
			Why: state.Why})
	}
}

// Tried is what a trial found.
type Tried struct {
	Stretches []OutputStretch  `json:"stretches" nullable:"false" doc:"when the output would have been in another state than at rest, in order"`
	Starts    int              `json:"starts" doc:"how often a switch or a level would have started"`
	Running   measure.Duration `json:"running" doc:"for how long it would have run, all in all; of a colour or a text: for how long it would not have been at rest"`
	Longest   measure.Duration `json:"longest" doc:"the longest run"`
	Busiest   int              `json:"busiest_hour" doc:"the most starts within an hour"`
	Blind     measure.Duration `json:"blind" doc:"for how long it would have been in the safe state since what drives it could not be believed, or was not there"`
}

// Finish settles what waits up to an instant and gives what was found. Runs that follow one another without standing
// still are one start.
func (t *Replay) Finish(until measure.Instant) Tried {
	t.settle(until)
	out := Tried{Stretches: slices.Clone(t.runs)}
	if out.Stretches == nil {
		out.Stretches = []OutputStretch{}
	}
	runs := t.output.Kind == KindSwitch || t.output.Kind == KindLevel
	var starts []measure.Instant
	var began, ended measure.Instant
	for _, r := range out.Stretches {
		length := measure.Duration(r.Length(until))
		if r.Blind {
			out.Blind += length
		}
		if runs && !t.output.Running(r.Value) {
			continue
		}
		out.Running += length
		if len(starts) == 0 || r.From != ended {
			starts, began = append(starts, r.From), r.From
		}
		ended = r.From.Add(time.Duration(length))
		out.Longest = max(out.Longest, measure.Duration(ended.Sub(began)))
	}
	if !runs {
		return out
	}
	out.Starts = len(starts)
	for i := range starts {
		for n := i; n < len(starts) && starts[n] < starts[i]+hour; n++ {
			out.Busiest = max(out.Busiest, n-i+1)
		}
	}
	return out
}
