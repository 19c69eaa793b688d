package statement

import (
	"encoding/csv"
	"strings"
	"testing"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
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
		{"month", "07:00", "2026-11-25T12:00:00Z", "2026-10-01T00:00:00+01:00", "2026-11-01T00:00:00Z", "2026-12-01T07:00:00Z", "October 2026"},
		{"month", "07:00", "2026-11-01T06:59:59Z", "2026-10-01T00:00:00+01:00", "2026-11-01T00:00:00Z", "2026-11-01T07:00:00Z", "October 2026"},
		{"week", "08:00", "2026-10-28T12:00:00Z", "2026-10-19T00:00:00+01:00", "2026-10-26T00:00:00Z", "2026-11-02T08:00:00Z", "the week from Monday 19 October 2026"},
		{"day", "00:30", "2026-03-29T22:00:00Z", "2026-03-28T00:00:00Z", "2026-03-29T00:00:00Z", "2026-03-30T00:30:00+01:00", "Saturday 28 March 2026"},
		{"day", "02:30", "2026-03-30T12:00:00Z", "2026-03-29T00:00:00Z", "2026-03-30T00:00:00+01:00", "2026-03-31T02:30:00+01:00", "Sunday 29 March 2026"},
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

func TestSheets(t *testing.T) {
	zone := dublin(t)
	here := site.Site{Name: "Hollowbrook <Fernery>", Zone: "Europe/Dublin", Currency: "EUR"}
	s := &Statement{Name: "electricity", Kind: Energy, Every: "month"}
	p := s.PeriodAt(instant(t, "2026-10-15T12:00:00Z"), zone)
	cost := Came{Total: total.Total{Name: "lamps", Kind: total.Cost, Unit: "EUR"},
		Now:    total.Result{Value: 160.78, Cost: "160.78", Missing: 7200, Rates: []total.RateUse{{Name: "night", Used: 71.7}, {Name: "day", Used: 273}}},
		Before: total.Result{Value: 149.25, Cost: "149.25", Rates: []total.RateUse{{Name: "day", Used: 385}}},
		Days:   []total.Result{{At: p.From, Value: 5.33, Cost: "5.33"}, {At: p.From + 86_400_000, Value: 0, Cost: "0.00"}}}
	sheet := OfEnergy(s, here, p, zone, []Came{cost})
	text := sheet.Text()
	for _, says := range []string{"Lamps came to 160.78 EUR, 8 % more than September 2026 (149.25 EUR).", "Of Lamps, 2 hours are without data", "night  71.7 kWh      0.0 kWh", "Thu 1 Oct  5.33 EUR"} {
		if !strings.Contains(text, says) {
			t.Errorf("does not say %q:\n%s", says, text)
		}
	}
	page, err := sheet.HTML()
	if err != nil || strings.Contains(page, "<Fernery>") || !strings.Contains(page, `style="width: 100%"`) || !strings.Contains(page, "Electricity") {
		t.Errorf("%v\n%s", err, page)
	}
	sheet.Tables[0].Rows = append(sheet.Tables[0].Rows, []string{"=1+1", "-3.5", "@x"})
	table, err := sheet.CSV()
	if err != nil || !strings.Contains(table, "'=1+1,-3.5,'@x") {
		t.Errorf("%v\n%s", err, table)
	}
	r := csv.NewReader(strings.NewReader(table))
	r.FieldsPerRecord = -1
	if rows, err := r.ReadAll(); err != nil || len(rows) < 8 {
		t.Errorf("%d %v", len(rows), err)
	}
	if empty := OfEnergy(s, here, p, zone, nil); !strings.Contains(empty.Text(), "There is no total of energy") {
		t.Errorf("%s", empty.Text())
	}
	week := &Statement{Name: "w", Kind: Alarms, Every: "week"}
	health := alarm.Health{Alarms: 3, Figures: []alarm.HealthFigure{{Name: "alarms a day", Value: 0.4, Limit: 6, Source: "EEMUA 191"}}, Offenders: []alarm.Offender{{Guard: "g", Alarms: 3}}, People: []alarm.Reader{{Address: "orla", Alarms: 3}}}
	if text := func() string { s := OfAlarms(week, here, p, zone, health, alarm.Health{Alarms: 6}); return s.Text() }(); !strings.Contains(text, "3 alarms were raised, 50 % less than the week") {
		t.Errorf("%s", text)
	}
	totals := OfTotals(&Statement{Name: "t", Kind: Totals, Every: "day"}, here, p, zone, []Came{{Total: total.Total{Name: "cycles", Kind: total.Cycles}, Now: total.Result{Value: 55}, Before: total.Result{Value: 1}}, {Total: total.Total{Name: "on", Kind: total.OnTime}, Now: total.Result{Value: 3725}}})
	if text := totals.Text(); !strings.Contains(text, "55 starts") || !strings.Contains(text, "1 start\n") && !strings.Contains(text, "1 start ") || !strings.Contains(text, "1 hour 2 minutes") {
		t.Errorf("%s", text)
	}
}

func TestThan(t *testing.T) {
	for _, c := range []struct {
		now, before float64
		want        string
	}{{0, 0, "as much as"}, {1, 0, "more than the nothing of"}, {110, 100, "10 % more than"}, {50, 100, "50 % less than"}, {100.2, 100, "as much as"}} {
		if got := than(c.now, c.before); got != c.want {
			t.Errorf("%v to %v: %s", c.now, c.before, got)
		}
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
		{"Asia/Tokyo", "2026-11-30T06:00:00Z", "2026-11-16T00:00:00+09:00", "2026-11-30T08:00:00Z"}, // past there: not left out
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
