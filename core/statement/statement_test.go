package statement

import (
	"encoding/csv"
	"flag"
	"fmt"
	"os"
	"strconv"
	"strings"
	"testing"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/core/total"
)

func instant(t *testing.T, text string) measure.Instant {
	t.Helper()
	var i measure.Instant
	if err := i.UnmarshalText([]byte(text)); err != nil {
		t.Fatal(err)
	}
	return i
}

func dublin(t *testing.T) *time.Location {
	zone, err := time.LoadLocation("Europe/Dublin")
	if err != nil {
		t.Fatal(err)
	}
	return zone
}

func TestPeriodsAndWhenTheyAreSent(t *testing.T) {
	zone := dublin(t)
	for _, c := range []struct {
		every, at, now          string
		from, until, due, words string
	}{
		{"month", "07:00", "2026-11-25T12:00:00Z", "2026-10-01T00:00:00+01:00", "2026-11-01T00:00:00Z",
			"2026-12-01T07:00:00Z", "October 2026"},
		{"month", "07:00", "2026-11-01T06:59:59Z", "2026-10-01T00:00:00+01:00", "2026-11-01T00:00:00Z",
			"2026-11-01T07:00:00Z", "October 2026"},
		{"week", "08:00", "2026-10-28T12:00:00Z", "2026-10-19T00:00:00+01:00", "2026-10-26T00:00:00Z",
			"2026-11-02T08:00:00Z", "the week from Monday 19 October 2026"},
		{"day", "00:30", "2026-03-29T22:00:00Z", "2026-03-28T00:00:00Z", "2026-03-29T00:00:00Z",
			"2026-03-30T00:30:00+01:00", "Saturday 28 March 2026"},
		{"day", "02:30", "2026-03-30T12:00:00Z", "2026-03-29T00:00:00Z", "2026-03-30T00:00:00+01:00",
			"2026-03-31T02:30:00+01:00", "Sunday 29 March 2026"},
	} {
		s := Statement{Name: "s", Kind: Alarms, Every: c.every, At: c.at}
		if err := s.Check(); err != nil {
			t.Fatal(err)
		}
		now := instant(t, c.now)
		p := s.Last(now, zone)
		if p.From != instant(t, c.from) || p.Until != instant(t, c.until) || s.Words(p, zone) != c.words {
			t.Errorf("%s at %s: %s to %s, %s", c.every, c.now, p.From, p.Until, s.Words(p, zone))
		}
		if due := s.NextDue(now, zone); due != instant(t, c.due) {
			t.Errorf("%s at %s: next at %s, want %s", c.every, c.now, due, c.due)
		}
		if before := s.Before(p, zone); before.Until != p.From {
			t.Errorf("before: %+v", before)
		}
	}
}

// However often it is asked, each period is due exactly once.
func TestEachPeriodIsDueOnce(t *testing.T) {
	zone := dublin(t)
	for _, every := range []string{"day", "week", "month"} {
		s := Statement{Every: every, At: "01:30"} // a time that is there twice, and not at all, on two days
		at, last := instant(t, "2026-01-01T00:00:00Z"), measure.Instant(0)
		for range 500 {
			at = s.NextDue(at, zone)
			p := s.Last(at, zone)
			if last != 0 && p.From != last {
				t.Fatalf("%s: the period from %s is told after that until %s", every, p.From, last)
			}
			last = p.Until
		}
	}
}

var rewrite = flag.Bool("rewrite", false, "write testdata/statements.txt anew; read it before you keep it")

// after is long after every period of these tests.
const after = measure.Instant(1_900_000_000_000)

func TestSheets(t *testing.T) {
	zone := dublin(t)
	here := site.Site{Name: "Hollowbrook <Fernery>", Zone: "Europe/Dublin", Currency: "EUR"}
	s := &Statement{Name: "electricity", Kind: Energy, Every: "month"}
	p := s.PeriodAt(instant(t, "2026-10-15T12:00:00Z"), zone)
	cost := Came{Total: total.Total{Name: "lamps", Kind: total.Cost, Unit: "EUR"},
		Now: total.Result{Value: 160.78, Cost: "160.78", Known: 1, Missing: 7200, Standing: "18.60",
			Rates: []total.RateUse{{Name: "night", Used: 71.7, Cost: "12.18"},
				{Name: "day", Used: 273, Cost: "130.00"}}},
		Before: total.Result{Value: 149.25, Cost: "149.25", Known: 1, Standing: "18.00",
			Rates: []total.RateUse{{Name: "day", Used: 385, Cost: "131.25"}}},
		Days: []total.Result{{At: p.From, Value: 5.333}, {At: p.From + 86_400_000, Value: 155.444},
			{At: p.From + 2*86_400_000, Value: 0.003}}}
	sheet := OfEnergy(s, here, p, after, []Came{cost})
	text := sheet.Text()
	for _, says := range []string{"Lamps came to 345 kWh and 160.78 EUR, 8 % more than in September 2026 (149.25 EUR).",
		"Of Lamps, 2 hours are without data",
		"night            72 kWh   12.18 EUR   –", "day              273 kWh  130.00 EUR  385 kWh      131.25 EUR",
		"standing charge           18.60 EUR                18.00 EUR",
		"all              345 kWh  160.78 EUR  385 kWh      149.25 EUR", "Thu 1 Oct  5.33 EUR", "Fri 2 Oct  155.45 EUR",
		"Sat 3 Oct  0.00 EUR", "all        160.78 EUR"} {
		if !strings.Contains(text, says) {
			t.Errorf("does not say %q:\n%s", says, text)
		}
	}
	page, err := sheet.HTML()
	if err != nil || strings.Contains(page, "<Fernery>") || !strings.Contains(page, `style="width: 100%"`) ||
		!strings.Contains(page, "Electricity") {
		t.Errorf("%v\n%s", err, page)
	}
	table, err := sheet.CSV()
	if err != nil || !strings.Contains(table, "2026-10-02,155.45,EUR\n") ||
		!strings.Contains(table,
			"rate,used,used unit,cost,cost unit,used before,used before unit,cost before,cost before unit\n") ||
		!strings.Contains(table, "standing charge,,,18.60,EUR,,,18.00,EUR\n") {
		t.Errorf("%v\n%s", err, table)
	}
	formulas := Sheet{Tables: []Table{{Columns: []string{"a"}, Rows: [][]string{{"=1+1", "-3.5", "@x"}}}}}
	if table, err := formulas.CSV(); err != nil || !strings.Contains(table, "'=1+1,-3.5,'@x") {
		t.Errorf("%v\n%s", err, table)
	}
	r := csv.NewReader(strings.NewReader(table))
	r.FieldsPerRecord = -1
	if rows, err := r.ReadAll(); err != nil || len(rows) < 8 {
		t.Errorf("%d %v", len(rows), err)
	}
	if empty := OfEnergy(s, here, p, after, nil); !strings.Contains(empty.Text(), "There is no total of energy") {
		t.Errorf("%s", empty.Text())
	}
	week := &Statement{Name: "w", Kind: Alarms, Every: "week"}
	health := alarm.Health{Alarms: 3, Figures: []alarm.HealthFigure{{Name: "alarms a day", Value: 0.4, Limit: 6,
		Source: "EEMUA 191"}}, Offenders: []alarm.Offender{{Guard: "g", Alarms: 3}},
		People: []alarm.Recipient{{Address: "orla", Alarms: 3}}}
	if text := func() string {
		s := OfAlarms(week, here, p, after, health, alarm.Health{Alarms: 6})
		return s.Text()
	}(); !strings.Contains(text, "3 alarms were raised, 50 % less than in the week") {
		t.Errorf("%s", text)
	}
	totals := OfTotals(&Statement{Name: "t", Kind: Totals, Every: "day"}, here, p, after,
		[]Came{{Total: total.Total{Name: "cycles", Kind: total.Cycles}, Now: total.Result{Value: 55, Known: 1},
			Before: total.Result{Value: 1, Known: 1}}, {Total: total.Total{Name: "on", Kind: total.OnTime},
			Now: total.Result{Value: 3725, Known: 1}}})
	if text := totals.Text(); !strings.Contains(text, "Cycles: 55 starts, 5400 % more") &&
		!strings.Contains(text, "Cycles: 55 starts, 55 times as much as on") ||
		!strings.Contains(text, "1 hour 2 minutes") || !strings.Contains(text, "there is nothing") {
		t.Errorf("%s", text)
	}
}

// A statement by a carrier with little room has its figures.
func TestAStatementInLittleRoom(t *testing.T) {
	here := site.Site{Name: "Hollowbrook", Zone: "Europe/Dublin", Currency: "EUR"}
	s := &Statement{Name: "electricity", Kind: Energy, Every: "month"}
	p := s.PeriodAt(instant(t, "2026-10-15T12:00:00Z"), dublin(t))
	cost := Came{Total: total.Total{Name: "lamps", Kind: total.Cost, Unit: "EUR"},
		Now:    total.Result{Value: 160.78, Known: 1, Rates: []total.RateUse{{Used: 344.7}}},
		Before: total.Result{Value: 149.25, Known: 1}}
	sheet := OfEnergy(s, here, p, after, []Came{cost})
	want := "Hollowbrook, Electricity: October 2026. Lamps came to 345 kWh and 160.78 EUR, 8 % more than in " +
		"September 2026 (149.25 EUR)."
	if f := roster.FormOf(roster.Text, sheet.Message(), roster.MessageData{}); f.Text != want || f.Messages != 1 {
		t.Errorf("%+v", f)
	}
	if f := roster.FormOf(roster.Chat, sheet.Message(), roster.MessageData{}); strings.ReplaceAll(f.Text, "\n",
		" ") != want {
		t.Errorf("%+v", f)
	}
}

// The whole text of a statement by every carrier is kept, so that whoever changes it reads it.
func TestAStatementByEveryCarrier(t *testing.T) {
	here := site.Site{Name: "Hollowbrook", Zone: "Europe/Dublin", Currency: "EUR"}
	zone := dublin(t)
	s := &Statement{Name: "electricity", Kind: Energy, Every: "month"}
	p := s.PeriodAt(instant(t, "2026-11-15T12:00:00Z"), zone)
	cost := Came{Total: total.Total{Name: "lamps", Kind: total.Cost, Unit: "EUR"},
		Now: total.Result{Value: 15.03, Cost: "15.03", Known: 1, Missing: 7300, Standing: "1.22",
			Rates: []total.RateUse{{Name: "night", Used: 8.2, Cost: "1.41"}, {Name: "day", Used: 35.4, Cost: "12.40"}}},
		Before: total.Result{Value: 14.2, Cost: "14.20", Known: 1, Standing: "1.22",
			Rates: []total.RateUse{{Name: "night", Used: 9, Cost: "1.55"}, {Name: "day", Used: 32.6, Cost: "11.43"}}},
		Days: []total.Result{{At: p.From, Value: 7.514}, {At: p.From + 86_400_000, Value: 7.516}}}
	energy := Came{Total: total.Total{Name: "door", Title: "Door lamp", Kind: total.Energy, Unit: "kWh"},
		Now: total.Result{Value: 0.0000121, Known: 1}, Days: []total.Result{{At: p.From, Value: 0.0000061},
			{At: p.From + 86_400_000, Value: 0.000006}}}
	sheet := OfEnergy(s, here, p, instant(t, "2026-11-02T23:30:00Z"), []Came{cost, energy})
	runs := OfTotals(&Statement{Name: "pumps", Kind: Totals, Every: "day"}, here, Period{p.From, p.From + 86_400_000},
		after, []Came{
			{Total: total.Total{Name: "fog", Title: "Fog pump", Kind: total.Cycles},
				Now:    total.Result{Value: 56, Known: 1},
				Before: total.Result{Value: 50, Known: 1}},
			{Total: total.Total{Name: "fog-time", Title: "Fog pump, on", Kind: total.OnTime},
				Now: total.Result{Value: 3725, Known: 1}, Before: total.Result{Known: 1}}})
	alarms := OfAlarms(&Statement{Name: "alarms", Kind: Alarms, Every: "week"}, here, p, after, alarm.Health{},
		alarm.Health{Alarms: 1})
	var b strings.Builder
	for _, one := range []*Sheet{&sheet, &runs, &alarms} {
		for _, carrier := range []string{roster.Mail, roster.Text, roster.Chat, roster.Push} {
			f := roster.FormOf(carrier, one.Message(), roster.MessageData{})
			fmt.Fprintf(&b, "---- %s\n[%s]\n%s\n", carrier, f.Subject, strings.TrimSpace(f.Text))
		}
		table, err := one.CSV()
		if err != nil {
			t.Fatal(err)
		}
		fmt.Fprintf(&b, "---- CSV\n%s\n", table)
	}
	const file = "testdata/statements.txt"
	if *rewrite {
		if err := os.WriteFile(file, []byte(b.String()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if kept, err := os.ReadFile(file); err != nil || string(kept) != b.String() {
		t.Errorf("%v\n%s", err, b.String())
	}
}

// What is printed of the parts adds up to what is printed of the whole, in one unit with one number of places.
func TestDaysAddUp(t *testing.T) {
	for _, c := range []struct {
		kind, unit string
		parts      []float64
		whole      string
	}{
		{total.Cost, "EUR", []float64{0.333333, 0.333333, 0.333334}, "1.00 EUR"},
		{total.Energy, "kWh", []float64{11.26, 11.26, 11.26}, "33.8 kWh"},
		{total.Energy, "kWh", []float64{0.0000061, 0.0000059}, "12.00 mWh"},
		{total.Energy, "kWh", []float64{1200, 800.4}, "2.00 MWh"},
		{total.Volume, "m3", []float64{0.5, 0.25, 0}, "0.750 m³"},
		{total.Cost, "EUR", []float64{-0.005, 0.015}, "0.01 EUR"},
	} {
		whole := 0.0
		for _, v := range c.parts {
			whole += v
		}
		sum, cells := amounts(&total.Total{Kind: c.kind, Unit: c.unit}, whole, c.parts)
		added, places := 0.0, len(sum.Value)-strings.Index(sum.Value+".", ".")-1
		for _, one := range cells {
			v, err := strconv.ParseFloat(one.Value, 64)
			if err != nil || one.Unit != sum.Unit {
				t.Errorf("%+v %v", one, err)
			}
			added += v
		}
		if sum.text != c.whole || measure.Round(added, max(places, 0)) != sum.Value {
			t.Errorf("%v %s: %s, and the parts %+v add up to %v", c.parts, c.unit, sum.text, cells, added)
		}
	}
}

func TestComparedWithAsMuchOfTheLastOne(t *testing.T) {
	zone := dublin(t)
	s := &Statement{Name: "e", Kind: Energy, Every: "month"}
	p := s.PeriodAt(instant(t, "2026-11-10T12:00:00Z"), zone)
	for at, until := range map[string]string{"2026-11-10T12:00:00Z": "2026-10-10T12:00:00+01:00",
		"2026-11-30T06:30:00Z": "2026-10-30T06:30:00Z", "2026-12-02T00:00:00Z": "2026-11-01T00:00:00Z"} {
		before, part := s.Compared(p, instant(t, at), zone)
		if before.From != instant(t, "2026-10-01T00:00:00+01:00") || before.Until != instant(t, until) ||
			part != (before.Until != p.From) {
			t.Errorf("at %s: until %s, part %v", at, before.Until, part)
		}
	}
	march := s.PeriodAt(instant(t, "2026-03-10T12:00:00Z"), zone) // February is shorter
	if before, _ := s.Compared(march, instant(t, "2026-03-31T10:00:00Z"), zone); before.Until != march.From {
		t.Errorf("%s", before.Until)
	}
	here := site.Site{Name: "Here", Zone: "Europe/Dublin"}
	came := Came{Total: total.Total{Name: "lamps", Kind: total.Energy, Unit: "kWh"},
		Now: total.Result{Value: 50, Known: 1}, Before: total.Result{Value: 0, Known: 1}}
	sheet := OfEnergy(s, here, p, instant(t, "2026-11-10T12:00:00Z"), []Came{came, {Total: came.Total, Now: came.Now},
		{Total: came.Total}})
	if got := strings.Join(sheet.Says,
		"\n"); got != "Lamps came to 50.0 kWh, and in as much of October 2026 none.\nLamps came to 50.0 kWh, and "+
		"there is nothing in as much of October 2026 to compare it with.\nLamps: there is no data of November "+
		"2026, up to 10 November 12:00." {
		t.Errorf("%s", got)
	}
}

func TestAStatementMovesWithTheZone(t *testing.T) {
	zones := map[string]*time.Location{}
	for _, name := range []string{"Europe/Dublin", "Asia/Tokyo", "Pacific/Honolulu"} {
		zone, err := time.LoadLocation(name)
		if err != nil {
			t.Fatal(err)
		}
		zones[name] = zone
	}
	for _, c := range []struct{ to, now, sent, due string }{
		{"Asia/Tokyo", "2026-11-25T12:00:00Z", "2026-11-16T00:00:00+09:00", "2026-11-30T08:00:00+09:00"},
		// past there: not left out
		{"Asia/Tokyo", "2026-11-30T06:00:00Z", "2026-11-16T00:00:00+09:00", "2026-11-30T08:00:00Z"},
		{"Pacific/Honolulu", "2026-11-25T12:00:00Z", "2026-11-16T00:00:00-10:00", "2026-11-30T08:00:00Z"},
	} {
		sent, due := instant(t, "2026-11-16T00:00:00Z"), instant(t, "2026-11-30T08:00:00Z")
		s := Statement{Name: "s", Kind: Alarms, Every: "week", At: "08:00", SentFor: &sent, DueAt: &due}
		s.Rezone(instant(t, c.now), zones["Europe/Dublin"], zones[c.to])
		if *s.SentFor != instant(t, c.sent) || *s.DueAt != instant(t, c.due) {
			t.Errorf("to %s at %s: sent for %s, due %s", c.to, c.now, s.SentFor, s.DueAt)
		}
	}
	s := Statement{Name: "s", Kind: Alarms, Every: "week", At: "08:00"}
	if s.Rezone(0, zones["Europe/Dublin"], zones["Asia/Tokyo"]); s.SentFor != nil || s.DueAt != nil {
		t.Errorf("%+v", s)
	}
}
