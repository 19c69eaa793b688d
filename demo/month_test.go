package demo

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/wall"
)

// minuteByMinute is what a guard "above limit" raises that is armed while inside says so, told by going through a month
// minute by minute with a clock in hand.
func minuteByMinute(readings []measure.Reading, limit, deadband float64, delay time.Duration, zone *time.Location,
	inside func(time.Time) bool) (alarms []string) {
	since, raised := time.Time{}, time.Time{}
	line := func(until time.Time) string {
		return fmt.Sprintf("%s to %s", raised.In(zone).Format("Mon 2 15:04 MST"),
			until.In(zone).Format("Mon 2 15:04 MST"))
	}
	for _, r := range readings {
		now := r.At.Time()
		switch armed := inside(now.In(zone)); {
		case !armed && !raised.IsZero():
			alarms = append(alarms, line(now))
			since, raised = time.Time{}, time.Time{}
		case !armed:
			since = time.Time{}
		case raised.IsZero() && r.Value > limit:
			if since.IsZero() {
				since = now
			}
			if now.Sub(since) >= delay {
				raised = now
			}
		case raised.IsZero():
			since = time.Time{}
		case r.Value <= limit-deadband:
			alarms = append(alarms, line(now))
			since, raised = time.Time{}, time.Time{}
		}
	}
	return alarms
}

// A month of the fern house in zones whose clocks are changed inside of it: what guards with armed hours raise is what
// somebody would note who sits there with a clock.
func TestAMonthInWhichTheClocksChange(t *testing.T) {
	air := devices(clock{})[0].Signals
	value := map[string]func(measure.Instant) float64{}
	for _, s := range air {
		value[s.Name] = s.Value
	}
	minutes := func(clock time.Time) int { return clock.Hour()*60 + clock.Minute() }
	for _, month := range []struct {
		zone        string
		year, month int
	}{{"Europe/Dublin", 2026, 10}, {"Europe/Dublin", 2026, 3}, {"America/New_York", 2026, 11},
		{"America/Santiago", 2026, 9}, {"Australia/Lord_Howe", 2026, 4}} {
		zone, err := time.LoadLocation(month.zone)
		if err != nil {
			t.Fatal(err)
		}
		first := wall.DayOf(month.year, time.Month(month.month), 1)
		var readings []measure.Reading
		for at := first.Begin(zone); at < first.MonthBegin(1).Begin(zone); at += 60_000 {
			readings = append(readings, measure.Reading{At: at, Value: value["humidity"](at)})
		}
		values := make([]float64, len(readings))
		for i := range readings {
			values[i] = readings[i].Value
		}
		slices.Sort(values)
		limit, found := values[len(values)*6/10], 0
		for hours, inside := range map[string]func(time.Time) bool{
			"sun 01:00-02:30": func(c time.Time) bool {
				return c.Weekday() == time.Sunday && minutes(c) >= 60 && minutes(c) < 150
			},
			"daily 00:30-01:30": func(c time.Time) bool { return minutes(c) >= 30 && minutes(c) < 90 },
			"daily 21:00-05:00": func(c time.Time) bool { return minutes(c) >= 21*60 || minutes(c) < 5*60 },
			"sat-sun": func(c time.Time) bool {
				return c.Weekday() == time.Saturday || c.Weekday() == time.Sunday
			},
			"sat 23:30-00:30, mon-fri": func(c time.Time) bool {
				w := c.Weekday()
				return w >= 1 && w <= 5 || w == 6 && minutes(c) >= 23*60+30 || w == 0 && minutes(c) < 30
			},
		} {
			calendar, err := wall.NewCalendar(hours, zone, nil)
			if err != nil {
				t.Fatal(err)
			}
			const delay = 7 * time.Minute
			g := &alarm.Guard{Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: limit}, Deadband: 0.5,
				OnDelay: measure.Duration(delay), Severity: alarm.Advisory}}
			g.In(calendar)
			run := alarm.NewRun(g, readings[0].At, measure.Reading{})
			run.Take(readings, nil)
			var got []string
			for _, o := range run.Finish(readings[len(readings)-1].At) {
				if o.ClearedAt != nil {
					got = append(got, fmt.Sprintf("%s to %s", o.RaisedAt.Time().In(zone).Format("Mon 2 15:04 MST"),
						o.ClearedAt.Time().In(zone).Format("Mon 2 15:04 MST")))
				}
			}
			want := minuteByMinute(readings, limit, 0.5, delay, zone, inside)
			if !slices.Equal(got, want) {
				t.Errorf("%s in %d-%02d, %s:\n%s\nwant\n%s", month.zone, month.year, month.month, hours,
					strings.Join(got, "\n"), strings.Join(want, "\n"))
			}
			found += len(want)
			t.Logf("%s %d-%02d, %s, above %.1f: %d alarms\n%s", month.zone, month.year, month.month, hours, limit,
				len(got), strings.Join(got, "\n"))
		}
		if found < 50 {
			t.Errorf("%s: %d alarms in a month prove little", month.zone, found)
		}
	}
}
