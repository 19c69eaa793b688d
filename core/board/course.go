package board

import (
	"slices"

	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// Course is the states that a signal was in over a stretch: off and on, its bands, its texts. A state holds until the
// next reading, but over no pause longer than the signal's silence; readings of no use have no state.
type Course struct {
	Stretches []StateStretch `json:"stretches" nullable:"false" doc:"in order of time; pauses are left out"`
	States    []StateSum     `json:"states" nullable:"false" doc:"each state, the longest first"`
	Reduced   bool           `json:"reduced" doc:"there were too many changes to tell each: short stretches are joined to the ones before them; the sums hold all"`

	signal      *site.Signal
	until, hold measure.Instant
	open        bool
	state       string
	from, last  measure.Instant
	sums        map[string]*StateSum
	since       measure.Instant
}

// StateStretch is one stretch in one state.
type StateStretch struct {
	From  measure.Instant `json:"from" format:"date-time"`
	Until measure.Instant `json:"until" format:"date-time"`
	State string          `json:"state" doc:"off, on, the name of a band, a text; empty: in no band"`
}

// StateSum is all that a signal was in one state.
type StateSum struct {
	State  string         `json:"state"`
	Lasted measure.Millis `json:"lasted" doc:"seconds"`
	Times  int            `json:"times" doc:"how often it came into this state"`
}

const (
	mostStretches  = 4000
	silenceOfState = 3 // intervals without a reading that end a state
)

// NewCourse begins the course of a signal from since to until.
func NewCourse(s *site.Signal, since, until measure.Instant) *Course {
	return &Course{Stretches: []StateStretch{}, States: []StateSum{}, signal: s, since: since, until: until,
		hold: measure.Instant(silenceOfState) * measure.Instant(int64(s.Interval)/1e6), sums: map[string]*StateSum{}}
}

// Add takes readings in order of time.
func (c *Course) Add(readings []measure.Reading) {
	for i := range readings {
		r := &readings[i]
		if c.open && c.hold > 0 && r.At-c.last > c.hold {
			c.close(c.last + c.hold)
		}
		if !r.Quality.Usable() {
			c.close(r.At)
			continue
		}
		if state := c.stateOf(r); !c.open || state != c.state {
			c.close(r.At)
			c.open, c.state, c.from = true, state, r.At
		}
		c.last = r.At
	}
}

func (c *Course) stateOf(r *measure.Reading) string {
	switch {
	case c.signal.Kind == site.KindText:
		return r.Text
	case c.signal.Kind == site.KindSwitch && len(c.signal.Bands) == 0 && r.Value != 0:
		return "on"
	case c.signal.Kind == site.KindSwitch && len(c.signal.Bands) == 0:
		return "off"
	}
	return c.signal.Bands.Name(r.Value)
}

func (c *Course) close(at measure.Instant) {
	if !c.open {
		return
	}
	c.open = false
	sum := c.sums[c.state]
	if sum == nil {
		sum = &StateSum{State: c.state}
		c.sums[c.state] = sum
	}
	sum.Lasted, sum.Times = sum.Lasted+measure.Millis(at-c.from), sum.Times+1
	c.Stretches = append(c.Stretches, StateStretch{c.from, at, c.state})
	if len(c.Stretches) > 2*mostStretches {
		c.reduce()
	}
}

// End closes the last state at the end of the stretch, or where it fell silent.
func (c *Course) End() {
	end := c.until
	if c.hold > 0 {
		end = min(end, c.last+c.hold)
	}
	c.close(max(end, c.last))
	if len(c.Stretches) > mostStretches {
		c.reduce()
	}
	for _, s := range c.sums {
		c.States = append(c.States, *s)
	}
	slices.SortFunc(c.States, func(a, b StateSum) int {
		if a.Lasted != b.Lasted {
			return int(min(max(b.Lasted-a.Lasted, -1), 1))
		}
		return slices.Compare([]string{a.State}, []string{b.State})
	})
}

// reduce joins stretches that no chart could tell apart.
func (c *Course) reduce() {
	c.Reduced = true
	least := max((c.until-c.since)/mostStretches, 1)
	kept := c.Stretches[:0]
	for _, s := range c.Stretches {
		if last := len(kept) - 1; last >= 0 && s.From == kept[last].Until &&
			(s.Until-s.From < least || s.State == kept[last].State) {
			kept[last].Until = s.Until
			continue
		}
		kept = append(kept, s)
	}
	c.Stretches = kept
}
