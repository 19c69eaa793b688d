package total

import (
	"math/big"
	"time"

	"jauntylark/core/measure"
)

// Bill adds up what energy costs, day by day in order, beginning with the first day of a calendar month: the
// blocks of a month count from its beginning, or from the tariff's version that began within it.
type Bill struct {
	Tariff *Tariff
	Unit   measure.Unit // of the power
	Zone   *time.Location

	month   string
	version int
	used    []*big.Rat // of each rate, in kilowatt-hours
}

// Day gives what one tally, which lies within one local day, costs. first says that the day begins with it,
// so that the standing charge falls in it.
func (b *Bill) Day(t *Tally, first bool) *big.Rat {
	sum, parts := b.Split(t, first)
	for i := range parts {
		sum.Add(sum, parts[i].cost)
	}
	return sum
}

// part is what was used at one rate costs.
type part struct {
	name string
	cost *big.Rat
}

// Split gives what Day gives in parts: the standing charge, and what was used at each rate.
func (b *Bill) Split(t *Tally, first bool) (standing *big.Rat, parts []part) {
	date := dateOf(t.At, b.Zone)
	version := b.Tariff.on(date)
	v := &b.Tariff.Versions[version]
	if date[:7] != b.month || version != b.version {
		b.month, b.version, b.used = date[:7], version, make([]*big.Rat, len(v.Rates))
		for i := range b.used {
			b.used[i] = new(big.Rat)
		}
	}
	standing = new(big.Rat)
	if first {
		standing.SetFrac64(int64(v.Standing), 1e6)
	}
	for i, amount := range t.Rates {
		if i >= len(v.Rates) {
			break
		}
		used := b.kilowattHours(amount)
		before := v.Rates[i].cost(b.used[i])
		b.used[i].Add(b.used[i], used)
		parts = append(parts, part{v.Rates[i].Name, before.Sub(v.Rates[i].cost(b.used[i]), before)})
	}
	return standing, parts
}

// kilowattHours gives an amount of power times time as energy, exactly.
func (b *Bill) kilowattHours(a Amount) *big.Rat {
	r := new(big.Rat).SetInt(a.Big())
	perUnit := map[measure.Unit]*big.Rat{"mW": big.NewRat(1, 1000), "kW": big.NewRat(1000, 1)}[b.Unit]
	if perUnit != nil {
		r.Mul(r, perUnit)
	}
	return r.Quo(r, new(big.Rat).SetInt64(1e6*3600*1e6)) // millionths of a watt, milliseconds
}

// cost gives what an amount of kilowatt-hours costs in a month.
func (r *Rate) cost(used *big.Rat) *big.Rat {
	cost, below := new(big.Rat), new(big.Rat)
	for _, b := range r.Blocks {
		part := new(big.Rat).Set(used)
		if b.UpTo != nil {
			if limit := new(big.Rat).SetFloat64(*b.UpTo); limit.Cmp(used) < 0 {
				part = limit
			}
		}
		part.Sub(part, below)
		if part.Sign() <= 0 && below.Sign() > 0 {
			break
		}
		below.Add(below, part)
		cost.Add(cost, part.Mul(part, new(big.Rat).SetFrac64(int64(b.Price), 1e6)))
	}
	return cost
}
