package total

import (
	"fmt"
	"math/big"
	"slices"
	"strconv"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/core/wall"
)

// The kinds of a totalizer.
const (
	OnTime     = "on-time"     // how long the signal was not 0
	Cycles     = "cycles"      // how often it was switched on
	LongestRun = "longest-run" // the longest time that it was on without a break
	Energy     = "energy"      // of a power
	Cost       = "cost"        // of that energy by a tariff
	Volume     = "volume"      // of a flow
	Integral   = "integral"    // of any rate: its value times hours
)

// KindsOf lists the kinds.
var KindsOf = []string{OnTime, Cycles, LongestRun, Energy, Cost, Volume, Integral}

// Total is a running total of one signal.
type Total struct {
	ID        int64            `json:"id" db:"id" readOnly:"true"`
	Name      string           `json:"name" db:"name" pattern:"^[a-z0-9][a-z0-9-]{0,62}$" doc:"unique in the site" example:"fog-pump-cycles"`
	Title     string           `json:"title" db:"title" required:"false" maxLength:"80"`
	Signal    string           `json:"signal" db:"signal" doc:"DEVICE/SIGNAL" example:"fog-pump/running"`
	Kind      string           `json:"kind" db:"kind" enum:"on-time,cycles,longest-run,energy,cost,volume,integral"`
	Tariff    string           `json:"tariff" db:"tariff" required:"false" doc:"of cost: the name of the tariff"`
	Unit      string           `json:"unit" db:"-" readOnly:"true" doc:"of its values; the currency for cost; s for times"`
	ResetAt   *measure.Instant `json:"reset_at" db:"reset_at" readOnly:"true" format:"date-time" doc:"when it was last reset; null: never"`
	CreatedAt measure.Instant  `json:"created_at" db:"created_at" readOnly:"true" format:"date-time"`
}

// Fit tells what is wrong with a total of a signal: nil or a *measure.Fault.
func (t *Total) Fit(s *site.Signal) error {
	wrong := func(field, format string, args ...any) error {
		return &measure.Fault{Field: field, Reason: fmt.Sprintf(format, args...)}
	}
	dimension := map[string]string{Energy: "power", Cost: "power", Volume: "flow"}[t.Kind]
	switched := t.Kind == OnTime || t.Kind == Cycles || t.Kind == LongestRun
	switch {
	case s.Kind != site.KindNumber && s.Kind != site.KindSwitch:
		return wrong("signal", "%s holds %s, which cannot be added up", s.Path(), s.Kind)
	case switched && s.Kind != site.KindSwitch:
		return wrong("signal", "%s holds numbers; %s is of a signal that is on or off: derive one (kind on-off) first",
			s.Path(), t.Kind)
	case dimension != "" && s.Unit.Dimension() != dimension:
		return wrong("signal", "%s is of a %s, but %s is in %q", t.Kind, dimension, s.Path(), s.Unit)
	case (t.Kind == Cost) != (t.Tariff != ""):
		return wrong("tariff", "belongs to cost, and cost needs one")
	}
	return nil
}

// Result is what a total comes to over a stretch.
type Result struct {
	At       measure.Instant  `json:"at" format:"date-time" doc:"when the stretch begins"`
	Until    measure.Instant  `json:"until" format:"date-time" doc:"when it ends"`
	Value    float64          `json:"value"`
	Cost     string           `json:"cost,omitempty" doc:"of cost: the sum with two decimals, rounded once"`
	Known    float64          `json:"known" doc:"seconds of the stretch that were counted"`
	Missing  float64          `json:"missing" doc:"seconds, from its first reading to its newest, without data"`
	LeftOut  int              `json:"left_out" doc:"readings that are not usable and were passed over"`
	Rates    []RateUse        `json:"rates,omitempty" nullable:"false" doc:"of cost: what was used at each rate of the tariff"`
	Standing string           `json:"standing,omitempty" doc:"of cost: the standing charge in it, with two decimals"`
	LastOn   *measure.Instant `json:"last_on,omitempty" format:"date-time" doc:"of a signal that is on or off: when it was last on"`
}

// RateUse is what was used at one rate of a tariff.
type RateUse struct {
	Name string  `json:"name"`
	Used float64 `json:"used" doc:"kilowatt-hours"`
	Cost string  `json:"cost" doc:"with two decimals; those of all rates and the standing charge add up to the cost"`
}

// Source is what results depend on besides the tallies.
type Source struct {
	Unit        measure.Unit
	First, Last measure.Instant // of all readings of the signal; 0: none
	Zone        *time.Location
	Tariff      *Tariff
	Currency    string
}

// OutUnit is the unit of a total's values: a unit code, the currency, or the signal's unit times hours.
func (t *Total) OutUnit(signal measure.Unit, currency string) string {
	switch t.Kind {
	case OnTime, LongestRun:
		return "s"
	case Cycles:
		return "count"
	case Energy:
		return "kWh"
	case Cost:
		return currency
	case Volume:
		if signal == "l/s" || signal == "l/min" {
			return "l"
		}
		return "m3"
	}
	return signal.Shown() + "·h"
}

// Results adds tallies, in order, up between edges, which ascend. Those of a cost begin with the calendar
// month that the first edge lies in.
func (t *Total) Results(tallies []Tally, edges []measure.Instant, from *Source) []Result {
	out := make([]Result, 0, len(edges)-1)
	costs := t.costs(tallies, edges, from)
	next := 0
	for next < len(tallies) && tallies[next].At < edges[0] {
		next++
	}
	for i := 0; i+1 < len(edges); i++ {
		sum, first := Tally{At: edges[i], Until: edges[i]}, next
		for ; next < len(tallies) && tallies[next].At < edges[i+1]; next++ {
			sum.Join(&tallies[next])
		}
		r := Result{At: edges[i], Until: edges[i+1], Known: float64(sum.Known) / 1000, LeftOut: sum.LeftOut}
		if sum.LastOn > 0 && (t.Kind == OnTime || t.Kind == Cycles || t.Kind == LongestRun) {
			r.LastOn = &sum.LastOn
		}
		if from.Last > 0 {
			span := min(edges[i+1], from.Last) - max(edges[i], from.First)
			r.Missing = float64(max(0, int64(span)-sum.Known)) / 1000
		}
		r.Value = t.value(&sum, from.Unit)
		if t.Kind == Cost {
			r.Cost = costs[i].all.FloatString(2)
			r.Value, _ = costs[i].all.Float64()
			r.Rates = from.rateUse(tallies[first:next])
			r.Standing = costs[i].share(r.Rates)
		}
		out = append(out, r)
	}
	return out
}

// rateUse adds up what was used at each rate, by the rates' names, in the order of the tariff.
func (s *Source) rateUse(tallies []Tally) (uses []RateUse) {
	bill := Bill{Tariff: s.Tariff, Unit: s.Unit, Zone: s.Zone}
	for i := range tallies {
		rates := s.Tariff.Versions[s.Tariff.on(dateOf(tallies[i].At, s.Zone))].Rates
		for k, amount := range tallies[i].Rates {
			if k >= len(rates) {
				break
			}
			used, _ := bill.kilowattHours(amount).Float64()
			at := slices.IndexFunc(uses, func(u RateUse) bool { return u.Name == rates[k].Name })
			if at < 0 {
				uses = append(uses, RateUse{Name: rates[k].Name})
				at = len(uses) - 1
			}
			uses[at].Used += used
		}
	}
	return uses
}

func (t *Total) value(sum *Tally, unit measure.Unit) float64 {
	unitSeconds := sum.Amount.Units()
	convert := func(base, ends, out measure.Unit) float64 {
		inBase, _ := measure.Convert(unitSeconds, unit, base)
		v, _ := measure.Convert(inBase, ends, out)
		return v
	}
	switch t.Kind {
	case OnTime:
		return float64(sum.On) / 1000
	case LongestRun:
		return float64(sum.Longest) / 1000
	case Cycles:
		return float64(sum.Starts)
	case Energy:
		return convert("W", "J", "kWh")
	case Volume:
		return convert("m3/s", "m3", measure.Unit(t.OutUnit(unit, "")))
	}
	return unitSeconds / 3600
}

// bill is what the energy of a stretch costs, and its parts.
type bill struct {
	all, standing *big.Rat
	rates         map[string]*big.Rat // by their names
}

// share writes the cost of each rate into uses, and gives the standing charge; rounded so that they add up to the
// whole.
func (b *bill) share(uses []RateUse) (standing string) {
	parts := make([]float64, len(uses)+1)
	for i, u := range uses {
		if cost := b.rates[u.Name]; cost != nil {
			parts[i], _ = cost.Float64()
		}
	}
	parts[len(uses)], _ = b.standing.Float64()
	sum, _ := b.all.Float64()
	rounded := Spread(parts, sum, 2)
	for i := range uses {
		uses[i].Cost = strconv.FormatFloat(rounded[i], 'f', 2, 64)
	}
	return strconv.FormatFloat(rounded[len(uses)], 'f', 2, 64)
}

// costs gives what energy between edges costs, standing charges of days without data included.
func (t *Total) costs(tallies []Tally, edges []measure.Instant, from *Source) []bill {
	sums := make([]bill, len(edges)-1)
	for i := range sums {
		sums[i] = bill{new(big.Rat), new(big.Rat), map[string]*big.Rat{}}
	}
	if t.Kind != Cost || from.Last == 0 {
		return sums
	}
	days := Bill{Tariff: from.Tariff, Unit: from.Unit, Zone: from.Zone}
	last := min(edges[len(edges)-1], from.Last+1)
	piece := 0
	day := max(MonthStart(edges[0], from.Zone), wall.Midnight(from.First, from.Zone))
	for piece < len(tallies) && tallies[piece].At < day {
		piece++
	}
	for day < last {
		next := wall.NextMidnight(day, from.Zone)
		parts := []Tally{{At: day, Until: day}} // the standing charge
		for ; piece < len(tallies) && tallies[piece].At < next; piece++ {
			parts = append(parts, tallies[piece])
		}
		for i := range parts {
			standing, rates := days.Split(&parts[i], i == 0)
			for k := range sums {
				if parts[i].At >= edges[k] && parts[i].At < edges[k+1] {
					sums[k].add(standing, rates)
				}
			}
		}
		day = next
	}
	return sums
}

func (b *bill) add(standing *big.Rat, rates []part) {
	b.all.Add(b.all, standing)
	b.standing.Add(b.standing, standing)
	for _, r := range rates {
		b.all.Add(b.all, r.cost)
		if b.rates[r.name] == nil {
			b.rates[r.name] = new(big.Rat)
		}
		b.rates[r.name].Add(b.rates[r.name], r.cost)
	}
}

// Over gives what pieces of one stretch come to, each of which lies within a local day. A cost is that of the energy
// alone, without standing charges, and its blocks are counted from the stretch's beginning.
func (t *Total) Over(pieces []Tally, from *Source) float64 {
	if t.Kind == Cost {
		bill, sum := Bill{Tariff: from.Tariff, Unit: from.Unit, Zone: from.Zone}, new(big.Rat)
		for i := range pieces {
			sum.Add(sum, bill.Day(&pieces[i], false))
		}
		cost, _ := sum.Float64()
		return cost
	}
	if len(pieces) == 0 {
		return 0
	}
	all := pieces[0]
	for i := range pieces[1:] {
		all.Join(&pieces[1+i])
	}
	return t.value(&all, from.Unit)
}

// MonthStart is the midnight at which the calendar month of an instant begins.
func MonthStart(at measure.Instant, zone *time.Location) measure.Instant {
	return wall.On(at, zone).MonthBegin(0).Begin(zone)
}

// The stretches that a total is told by.
const (
	ByDay   = "day"
	ByWeek  = "week" // from Monday on
	ByMonth = "month"
)

// Edges gives the local midnights at which the days, weeks or calendar months begin that from up to and with
// until touches, and the end of the last. A date that the zone leaves out is no day.
func Edges(by string, from, until measure.Instant, zone *time.Location) []measure.Instant {
	first := wall.On(from, zone)
	following := func(n int) wall.Day { return first + wall.Day(n) }
	switch by {
	case ByWeek:
		following = func(n int) wall.Day { return first.Monday() + wall.Day(7*n) }
	case ByMonth:
		following = first.MonthBegin
	}
	var edges []measure.Instant
	for n := 0; ; n++ {
		at := following(n).Begin(zone)
		if n > 0 && at == edges[len(edges)-1] {
			continue
		}
		if edges = append(edges, at); at > until {
			return edges
		}
	}
}
