package total

import (
	"jauntylark/core/measure"
)

// Tally is what one piece of time comes to: from At up to, but without, Until.
type Tally struct {
	At      measure.Instant `db:"at"`
	Until   measure.Instant `db:"until_at"`
	Known   int64           `db:"known"`    // milliseconds in which a value held
	LeftOut int             `db:"left_out"` // readings that are not usable
	On      int64           `db:"on_for"`   // milliseconds in which the value was not 0
	Starts  int             `db:"starts"`   // readings that are on after one that was off and still held
	Lead    int64           `db:"lead"`     // milliseconds that it was on at the beginning
	Trail   int64           `db:"trail"`    // and at the end
	Longest int64           `db:"longest"`  // the longest run
	LastOn  measure.Instant `db:"last_on"`  // when it was last known to be on; 0: never
	Amount  Amount          `db:"amount"`   // the value times the time it held
	Rates   Rates           `db:"rates"`    // that, by the rates of a tariff; none where there is no tariff
}

// Rates are the amounts by the places of a tariff version's rates.
type Rates []Amount

// Join adds a piece that begins where t ends, or later.
func (t *Tally) Join(o *Tally) {
	touch := t.Until == o.At
	whole := t.Lead == int64(t.Until-t.At)
	if t.Longest = max(t.Longest, o.Longest); touch {
		t.Longest = max(t.Longest, t.Trail+o.Lead)
	}
	if touch && whole {
		t.Lead += o.Lead
	}
	if touch && o.Trail == int64(o.Until-o.At) {
		t.Trail += o.Trail
	} else {
		t.Trail = o.Trail
	}
	t.Until, t.Known, t.LeftOut = o.Until, t.Known+o.Known, t.LeftOut+o.LeftOut
	t.On, t.Starts, t.LastOn = t.On+o.On, t.Starts+o.Starts, max(t.LastOn, o.LastOn)
	t.Amount = t.Amount.Add(o.Amount)
}

// Cut says from when on which rate of a tariff holds.
type Cut struct {
	At   measure.Instant
	Rate int
}

// Aggregator adds up readings by piece. It is fed in order of time, beginning with those up to the hold limit
// before the first piece and ending with the first usable one after the last.
type Aggregator struct {
	edges   []measure.Instant
	hold    measure.Instant
	cuts    []Cut
	cut     int
	tallies []Tally
	at      int // the piece that the newest reading fell in
	held    measure.Reading
	holding bool
	onUntil measure.Instant // the running run has been counted up to here
	run     int64           // its length in this piece
}

// NewAggregator makes an Aggregator for the pieces between edges, which ascend. cuts are those of a tariff, in order,
// the first not after the first edge; none without a tariff.
func NewAggregator(edges []measure.Instant, cuts []Cut, hold measure.Instant) *Aggregator {
	f := &Aggregator{edges: edges, hold: hold, cuts: cuts, tallies: make([]Tally, max(0, len(edges)-1))}
	for i := range f.tallies {
		f.tallies[i].At, f.tallies[i].Until = edges[i], edges[i+1]
	}
	return f
}

// Add takes readings.
func (f *Aggregator) Add(readings []measure.Reading) {
	for i := range readings {
		r := &readings[i]
		piece := f.at
		for piece < len(f.tallies) && r.At >= f.edges[piece+1] {
			piece++
		}
		inside := piece < len(f.tallies) && r.At >= f.edges[0]
		if !r.Quality.Usable() {
			if inside {
				f.tallies[piece].LeftOut++
			}
			continue
		}
		held := f.holding && r.At-f.held.At <= f.hold
		if held {
			f.holdUntil(r.At)
		}
		if inside && r.Value != 0 {
			f.tallies[piece].LastOn = r.At
			if held && f.held.Value == 0 {
				f.tallies[piece].Starts++
			}
		}
		f.held, f.holding, f.at = *r, true, piece
	}
}

// holdUntil counts the held value up to the next reading.
func (f *Aggregator) holdUntil(next measure.Instant) {
	for piece := f.at; piece < len(f.tallies) && f.edges[piece] < next; piece++ {
		from, until := max(f.held.At, f.edges[piece]), min(next, f.edges[piece+1])
		if from >= until {
			continue
		}
		t := &f.tallies[piece]
		t.Known += int64(until - from)
		if f.held.Value != 0 {
			f.on(t, from, until)
		}
		value := millionths(f.held.Value)
		t.Amount = t.Amount.AddProduct(value, int64(until-from))
		f.byRate(t, value, from, until)
	}
}

// on counts a stretch in which the thing was on.
func (f *Aggregator) on(t *Tally, from, until measure.Instant) {
	if f.onUntil != from || from == t.At {
		f.run = 0
	}
	f.run, f.onUntil = f.run+int64(until-from), until
	t.On += int64(until - from)
	t.LastOn = max(t.LastOn, until)
	t.Longest = max(t.Longest, f.run)
	if until-measure.Instant(f.run) == t.At {
		t.Lead = f.run
	}
	if until == t.Until {
		t.Trail = f.run
	}
}

// byRate counts a stretch by the rates that hold in it.
func (f *Aggregator) byRate(t *Tally, value int64, from, until measure.Instant) {
	for len(f.cuts) > 0 && from < until {
		for f.cut+1 < len(f.cuts) && f.cuts[f.cut+1].At <= from {
			f.cut++
		}
		end := until
		if f.cut+1 < len(f.cuts) {
			end = min(end, f.cuts[f.cut+1].At)
		}
		rate := f.cuts[f.cut].Rate
		for len(t.Rates) <= rate {
			t.Rates = append(t.Rates, Amount{})
		}
		t.Rates[rate] = t.Rates[rate].AddProduct(value, int64(end-from))
		from = end
	}
}

// Tallies gives the pieces in which there is anything.
func (f *Aggregator) Tallies() []Tally {
	some := make([]Tally, 0, len(f.tallies))
	for _, t := range f.tallies {
		if t.Known > 0 || t.LeftOut > 0 || t.LastOn > 0 {
			some = append(some, t)
		}
	}
	return some
}
