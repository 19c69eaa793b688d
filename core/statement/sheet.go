package statement

import (
	"fmt"
	"html/template"
	"slices"
	"strconv"
	"strings"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/core/total"
)

// Sheet is what one period of a statement came to.
type Sheet struct {
	Title  string   `json:"title"`
	Site   string   `json:"site"`
	Period Period   `json:"period"`
	Words  string   `json:"words" doc:"the period in words"`
	Says   []string `json:"says" nullable:"false" doc:"what it comes to, in sentences"`
	Tables []Table  `json:"tables" nullable:"false"`

	Picture template.URL `json:"-"` // drawn after what it says, as an address of its own (RFC 2397); empty: none
}

// Table is one table of a sheet. Its first column names the row; Bars, where they are, are drawn beside it.
type Table struct {
	Title   string     `json:"title"`
	Columns []string   `json:"columns" nullable:"false"`
	Rows    [][]string `json:"rows" nullable:"false" doc:"as people read them"`
	Plain   [][]Plain  `json:"plain,omitempty" nullable:"false" doc:"the same for programs: numbers without their units, dates by ISO 8601"`
	Bars    []float64  `json:"bars,omitempty" nullable:"false" doc:"a share of the largest, 0 to 1, for each row, but for the sum below"`
}

// Plain is a cell for programs.
type Plain struct {
	Value string `json:"value"`
	Unit  string `json:"unit,omitempty"`
}

// cell is one as people read it, and as programs do.
type cell struct {
	text string
	Plain
}

// name is a cell without a number.
func name(text string) cell { return cell{text, Plain{Value: text}} }

// add puts a row below the others.
func (t *Table) add(cells ...cell) {
	var row []string
	var plain []Plain
	for _, c := range cells {
		row, plain = append(row, c.text), append(plain, c.Plain)
	}
	t.Rows, t.Plain = append(t.Rows, row), append(t.Plain, plain)
}

// Came is what one total came to in a period, in what that is compared with, and by day.
type Came struct {
	total.Total
	Now, Before total.Result
	Days        []total.Result
}

// known tells whether anything is known of a stretch.
func known(r *total.Result) bool { return r.Known > 0 }

// scope is the site, the period and what it is compared with, in words.
type scope struct {
	*Statement
	site.Site
	Period
	now    measure.Instant
	zone   *time.Location
	words  string // the period
	before string // what it is compared with: "September 2026"
	when   string // the same in a sentence: "in September 2026", "on Saturday 31 October 2026"
}

func newScope(s *Statement, here site.Site, p Period, now measure.Instant) scope {
	zone := here.Location()
	old, part := s.Compared(p, now, zone)
	of := scope{Statement: s, Site: here, Period: p, now: now, zone: zone, words: s.Words(p, zone),
		before: s.Words(old, zone)}
	if part {
		of.words += ", up to " + now.Time().In(zone).Format("2 January 15:04")
		of.before = "as much of " + of.before
	}
	if of.when = "in " + of.before; s.Every == total.ByDay && !part {
		of.when = "on " + of.before
	}
	return of
}

func (o scope) begin() Sheet {
	return Sheet{Title: o.Called(), Site: o.Site.Name, Period: o.Period, Words: o.words, Says: []string{},
		Tables: []Table{}}
}

// OfEnergy makes the sheet of energy and cost, as of an instant.
func OfEnergy(s *Statement, here site.Site, p Period, now measure.Instant, all []Came) Sheet {
	o := newScope(s, here, p, now)
	sheet := o.begin()
	for i := range all {
		c := &all[i]
		title := site.Title(c.Title, c.Name)
		came := amount(&c.Total, c.Now).text
		if c.Kind == total.Cost {
			came = measure.Amount(used(c.Now.Rates), "kWh") + " and " + came
		}
		if !known(&c.Now) {
			sheet.Says = append(sheet.Says, fmt.Sprintf("%s: there is no data of %s.", title, o.words))
			continue
		}
		sheet.Says = append(sheet.Says, fmt.Sprintf("%s came to %s, %s.", title, came,
			compared(&c.Total, c.Now, c.Before, o.when)))
		if missing := c.Now.Missing; missing > 60 {
			sheet.Says = append(sheet.Says, fmt.Sprintf("Of %s, %s are without data and not counted.", title,
				prose.Length(time.Duration(missing*float64(time.Second)))))
		}
		if len(c.Now.Rates) > 0 {
			sheet.Tables = append(sheet.Tables, o.byRate(c))
		}
		sheet.Tables = append(sheet.Tables, o.byDay(c))
	}
	if len(all) == 0 {
		sheet.Says = append(sheet.Says,
			"There is no total of energy or cost. Add one: jaunty total add NAME DEVICE/SIGNAL --kind energy")
	}
	return sheet
}

func used(rates []total.RateUse) (sum float64) {
	for _, u := range rates {
		sum += u.Used
	}
	return sum
}

// byRate splits what was used and what it cost by the rates of the tariff, as day and night, and the standing charge.
func (o scope) byRate(c *Came) Table {
	t := Table{Title: site.Title(c.Title, c.Name) + " by rate", Columns: []string{"rate", "used", "cost", "used before",
		"cost before"}, Rows: [][]string{}}
	energy := total.Total{Kind: total.Energy, Unit: "kWh"}
	split := func(r total.Result) (sum cell, cells []cell) {
		parts := make([]float64, len(r.Rates))
		for i, u := range r.Rates {
			parts[i] = u.Used
		}
		return amounts(&energy, used(r.Rates), parts)
	}
	money := func(text string) cell {
		if text == "" {
			text = "0.00"
		}
		return cell{text + " " + c.Unit, Plain{text, c.Unit}}
	}
	sum, now := split(c.Now)
	oldSum, old := split(c.Before)
	most := 0.0
	for _, u := range c.Now.Rates {
		most = max(most, u.Used)
	}
	for i, u := range c.Now.Rates {
		usedBefore, costBefore := name("–"), name("–")
		if k := slices.IndexFunc(c.Before.Rates, func(b total.RateUse) bool { return b.Name == u.Name }); k >= 0 {
			usedBefore, costBefore = old[k], money(c.Before.Rates[k].Cost)
		}
		t.add(name(u.Name), now[i], money(u.Cost), usedBefore, costBefore)
		t.Bars = append(t.Bars, share(u.Used, most))
	}
	before := []cell{name("–"), name("–"), name("–")}
	if known(&c.Before) {
		before = []cell{money(c.Before.Standing), oldSum, money(c.Before.Cost)}
	}
	t.add(name("standing charge"), name(""), money(c.Now.Standing), name(""), before[0])
	t.add(name("all"), sum, money(c.Now.Cost), before[1], before[2])
	return t
}

func share(v, most float64) float64 {
	if most <= 0 {
		return 0
	}
	return v / most
}

// byDay lists the days, which add up to the sum below them as they are printed.
func (o scope) byDay(c *Came) Table {
	t := Table{Title: site.Title(c.Title, c.Name) + " by day", Columns: []string{"day", "total"}, Rows: [][]string{}}
	values, most := []float64{}, 0.0
	for _, d := range c.Days {
		values, most = append(values, d.Value), max(most, d.Value)
	}
	sum, cells := amounts(&c.Total, c.Now.Value, values)
	for i, d := range c.Days {
		if d.At > o.now {
			break
		}
		local := d.At.Time().In(o.zone)
		t.add(cell{local.Format("Mon 2 Jan"), Plain{Value: local.Format(time.DateOnly)}}, cells[i])
		t.Bars = append(t.Bars, share(d.Value, most))
	}
	if c.Kind != total.LongestRun {
		t.add(name("all"), sum)
	}
	return t
}

// OfTotals makes the sheet of totals, as of an instant.
func OfTotals(s *Statement, here site.Site, p Period, now measure.Instant, all []Came) Sheet {
	o := newScope(s, here, p, now)
	sheet := o.begin()
	t := Table{Title: "What they came to", Columns: []string{"total", o.words, o.before, "without data"},
		Rows: [][]string{}}
	for i := range all {
		c := &all[i]
		title, missing, before, came := site.Title(c.Title, c.Name), name(""), name("–"), name("no data")
		if c.Now.Missing > 60 {
			missing = cell{prose.Length(time.Duration(c.Now.Missing * float64(time.Second))),
				Plain{measure.Round(c.Now.Missing, 0), "s"}}
		}
		if known(&c.Before) {
			before = amount(&c.Total, c.Before)
		}
		if known(&c.Now) {
			came = amount(&c.Total, c.Now)
			sheet.Says = append(sheet.Says, fmt.Sprintf("%s: %s, %s.", title, came.text,
				compared(&c.Total, c.Now, c.Before, o.when)))
		} else {
			sheet.Says = append(sheet.Says, title+": no data.")
		}
		t.add(name(title), came, before, missing)
	}
	if len(all) == 0 {
		sheet.Says = append(sheet.Says,
			"There is no total. Add one: jaunty total add NAME DEVICE/SIGNAL --kind on-time")
	}
	sheet.Tables = append(sheet.Tables, t)
	return sheet
}

// OfAlarms makes the sheet of how the alarms did.
func OfAlarms(s *Statement, here site.Site, p Period, at measure.Instant, now, before alarm.Health) Sheet {
	o := newScope(s, here, p, at)
	sheet := o.begin()
	sheet.Says = append(sheet.Says, alarmsSay(now.Alarms, before.Alarms, o.when))
	if n := len(now.Standing); n > 0 {
		sheet.Says = append(sheet.Says, prose.Count(n, "alarm stands", "alarms stand")+" for more than a day.")
	}
	if n := len(now.Floods); n > 0 {
		sheet.Says = append(sheet.Says, prose.Count(n, "time", "times")+
			" alarms came faster than anybody can read them.")
	}
	figures := Table{Title: "Figures", Columns: []string{"figure", "value", "should be at most", "source"},
		Rows: [][]string{}}
	for _, f := range now.Figures {
		figures.Rows = append(figures.Rows, []string{f.Name, f.Words(), f.LimitWords(), f.Source})
	}
	sheet.Tables = append(sheet.Tables, figures)
	if len(now.Offenders) > 0 {
		t := Table{Title: "What raised most", Columns: []string{"guard", "alarms", "what would cure it"},
			Rows: [][]string{}}
		for _, o := range now.Offenders {
			name := o.Guard
			if name == "" {
				name = o.Signal + " (" + o.Kind + ")"
			}
			t.Rows = append(t.Rows, []string{name, strconv.Itoa(o.Alarms), o.Cure})
			t.Bars = append(t.Bars, share(float64(o.Alarms), float64(now.Offenders[0].Alarms)))
		}
		sheet.Tables = append(sheet.Tables, t)
	}
	if len(now.People) > 0 {
		t := Table{Title: "Who was told", Columns: []string{"who", "of how many alarms"}, Rows: [][]string{}}
		for _, r := range now.People {
			t.Rows = append(t.Rows, []string{r.Address, strconv.Itoa(r.Alarms)})
		}
		sheet.Tables = append(sheet.Tables, t)
	}
	return sheet
}

// alarmsSay counts the alarms beside those of before.
func alarmsSay(now, before int, when string) string {
	says := prose.Count(now, "alarm was raised", "alarms were raised")
	switch {
	case now == 0 && before == 0:
		return fmt.Sprintf("No alarm was raised, as %s.", when)
	case now == 0:
		return fmt.Sprintf("No alarm was raised; %s %s.", when, prose.Count(before, "was", "were"))
	case before == 0:
		return fmt.Sprintf("%s; %s none.", says, when)
	}
	return fmt.Sprintf("%s, %s %s (%d).", says, than(float64(now), float64(before)), when, before)
}

// Message is the sheet as a notice says it: what it comes to, as many sentences as there is room for.
func (s *Sheet) Message() roster.Message {
	w := roster.Message{Short: s.Site + ", " + s.Heading(), Long: s.Text()}
	for n := len(s.Says); n > 0; n-- {
		w.Rest = append(w.Rest, strings.Join(s.Says[:n], " "))
	}
	return w
}

// Stretch gives the instants between which a sheet's alarms are looked at.
func (p Period) Stretch() (from, until measure.Instant) { return p.From, p.Until - 1 }
