package total

import (
	"cmp"
	"fmt"
	"math/big"
	"slices"
	"strings"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/core/wall"
)

// Tariff is what a kilowatt-hour costs, by hour, day of the week and block, from a date on.
type Tariff struct {
	Name     string    `json:"name" pattern:"^[a-z0-9][a-z0-9-]{0,62}$" example:"day-night"`
	Versions []Version `json:"versions" nullable:"false" doc:"in order of their dates; the first holds for all days before it too"`
}

// Version is a tariff as it holds from a date on.
type Version struct {
	From     string `json:"from" format:"date" example:"2026-10-01" doc:"the first day, in the site's time zone"`
	Standing Money  `json:"standing" required:"false" doc:"charge for each day, in the site's currency" example:"0.6112"`
	Rates    []Rate `json:"rates" nullable:"false" doc:"the first that fits an instant holds; together they cover the week"`
}

// Rate is one price of a version.
type Rate struct {
	Name   string   `json:"name" minLength:"1" maxLength:"40" example:"night"`
	Days   []string `json:"days,omitempty" required:"false" nullable:"false" doc:"mon, tue, wed, thu, fri, sat, sun; every day when left out"`
	Since  string   `json:"since,omitempty" required:"false" doc:"from this time of the day on; midnight when left out" example:"23:00"`
	Until  string   `json:"until,omitempty" required:"false" doc:"up to, but without, this time, over midnight where it is not later than since; midnight when left out" example:"08:00"`
	Blocks []Block  `json:"blocks" nullable:"false" minItems:"1" doc:"prices by what was used of the rate in the calendar month; one for a single price"`
}

// Block is a price up to an amount.
type Block struct {
	UpTo  *float64 `json:"up_to,omitempty" required:"false" doc:"kilowatt-hours in the month; left out in the last block"`
	Price Money    `json:"price" doc:"for a kilowatt-hour" example:"0.3421"`
}

// Money is a sum in millionths of the currency. Its text form is 0.3421.
type Money int64

// ParseMoney reads 0.3421.
func ParseMoney(text string) (Money, error) {
	r, ok := new(big.Rat).SetString(strings.TrimSpace(text))
	if ok {
		r.Mul(r, big.NewRat(1e6, 1))
	}
	if !ok || !r.IsInt() || !r.Num().IsInt64() {
		return 0, fmt.Errorf("%q is no sum of money with up to six decimals", text)
	}
	return Money(r.Num().Int64()), nil
}

// String writes the sum without needless zeros.
func (m Money) String() string {
	text := strings.TrimRight(new(big.Rat).SetFrac64(int64(m), 1e6).FloatString(6), "0")
	return strings.TrimSuffix(text, ".")
}

// MarshalText writes the sum as String does.
func (m Money) MarshalText() ([]byte, error) { return []byte(m.String()), nil }

// UnmarshalText reads the sum as ParseMoney does.
func (m *Money) UnmarshalText(text []byte) (err error) {
	*m, err = ParseMoney(string(text))
	return err
}

var dayNames = []string{"sun", "mon", "tue", "wed", "thu", "fri", "sat"}

const minutesADay = 24 * 60

// week is which rate holds in each minute of each day of the week by the clock on the wall; -1: none.
type week [7][minutesADay]int8

// Check tells what is wrong with the tariff: nil or a *measure.Fault.
func (t *Tariff) Check() error {
	if err := site.CheckName(t.Name); err != nil {
		return &measure.Fault{Field: "name", Reason: err.Error()}
	}
	if len(t.Versions) == 0 {
		return &measure.Fault{Field: "versions", Reason: "are missing; one at least says the prices"}
	}
	for i := range t.Versions {
		v := &t.Versions[i]
		at := func(field, format string, args ...any) error {
			return &measure.Fault{Field: fmt.Sprintf("versions[%d].%s", i, field), Reason: fmt.Sprintf(format, args...)}
		}
		if _, err := time.Parse(time.DateOnly, v.From); err != nil {
			return at("from", "%q is no date like 2026-10-01", v.From)
		}
		if i > 0 && v.From <= t.Versions[i-1].From {
			return at("from", "%s is not after %s; versions come in order", v.From, t.Versions[i-1].From)
		}
		if v.Standing < 0 || len(v.Rates) > 50 {
			return at("standing", "%s is less than nothing, or there are more than 50 rates", v.Standing)
		}
		for k := range v.Rates {
			if err := v.Rates[k].check(); err != nil {
				return at(fmt.Sprintf("rates[%d]", k), "%v", err)
			}
		}
		w := v.week()
		for day := range w {
			if minute := slices.Index(w[day][:], -1); minute >= 0 {
				return at("rates", "none holds on %s at %02d:%02d; let the last one hold always", dayNames[day],
					minute/60, minute%60)
			}
		}
	}
	return nil
}

func (r *Rate) check() error {
	for _, day := range r.Days {
		if !slices.Contains(dayNames, day) {
			return fmt.Errorf("days: %s", site.Unknown("day", day, dayNames))
		}
	}
	for _, clock := range []string{r.Since, r.Until} {
		if _, err := minuteOf(clock, 0); err != nil {
			return err
		}
	}
	if len(r.Blocks) == 0 {
		return fmt.Errorf("blocks: a price is missing")
	}
	for i, b := range r.Blocks {
		last := i == len(r.Blocks)-1
		if (b.UpTo == nil) != last {
			return fmt.Errorf("blocks: each but the last says up to how many kilowatt-hours it goes")
		}
		if !last && (*b.UpTo <= 0 || i > 0 && *b.UpTo <= *r.Blocks[i-1].UpTo) {
			return fmt.Errorf("blocks: %v is not more than the one before", *b.UpTo)
		}
	}
	return nil
}

// minuteOf reads a time of the day; whole for nothing said.
func minuteOf(clock string, whole int) (int, error) {
	if clock == "" || clock == "24:00" {
		return whole, nil
	}
	t, err := time.Parse("15:04", clock)
	if err != nil {
		return 0, fmt.Errorf("%q is no time of the day like 23:00", clock)
	}
	return t.Hour()*60 + t.Minute(), nil
}

func (v *Version) week() (w week) {
	for day := range w {
		for minute := range w[day] {
			w[day][minute] = -1
		}
	}
	for k := len(v.Rates) - 1; k >= 0; k-- { // the first that fits is written last
		r := &v.Rates[k]
		since, _ := minuteOf(r.Since, 0)
		until, _ := minuteOf(r.Until, minutesADay)
		for day := range w {
			if len(r.Days) > 0 && !slices.Contains(r.Days, dayNames[day]) {
				continue
			}
			for minute := range w[day] {
				if since < until && minute >= since && minute < until || since >= until &&
					(minute >= since || minute < until) {
					w[day][minute] = int8(k)
				}
			}
		}
	}
	return w
}

// on gives the version that holds on a day; -1 for a tariff without any.
func (t *Tariff) on(day string) int {
	i, found := slices.BinarySearchFunc(t.Versions, day,
		func(v Version, day string) int { return cmp.Compare(v.From, day) })
	if !found {
		i--
	}
	return min(max(0, i), len(t.Versions)-1)
}

// Cuts gives which rate holds from when on, over whole days from the midnight at or before from until after
// until. Rates follow the clock on the wall, so on the day of a clock change they are longer or shorter.
func (t *Tariff) Cuts(from, until measure.Instant, zone *time.Location) []Cut {
	var cuts []Cut
	weeks := make([]week, len(t.Versions))
	for i := range t.Versions {
		weeks[i] = t.Versions[i].week()
	}
	for at := wall.Midnight(from, zone); at <= until; {
		next := wall.NextMidnight(at, zone)
		w := &weeks[t.on(dateOf(at, zone))]
		first := true
		for minute := at; minute < next; minute += 60_000 {
			day, shown := wall.Shown(minute, zone)
			rate := int(w[day.Weekday()][shown])
			if first || cuts[len(cuts)-1].Rate != rate {
				cuts, first = append(cuts, Cut{minute, rate}), false
			}
		}
		at = next
	}
	return cuts
}

func dateOf(at measure.Instant, zone *time.Location) string { return wall.On(at, zone).String() }

// Versions is how a tariff's versions are stored.
type Versions []Version
