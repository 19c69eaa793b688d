package derive

import (
	"slices"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// onOff is on while the test of a guard would be met, and off when its clear test is.
func onOff(r *Recipe, in []Source, m *Machine) error {
	test, err := alarm.ParseTest(r.When)
	if err != nil {
		return fault("when", "%v", err)
	}
	if test.Kind > alarm.IsOff || !test.Suits(in[0].Kind) {
		return fault("when", "'%s' does not suit %s, which holds %ss", test, in[0].Path, in[0].Kind)
	}
	g := alarm.Guard{Rung: alarm.Rung{When: test, Deadband: r.Deadband, Severity: alarm.Advisory}}
	if err := g.Check(); err != nil {
		return err
	}
	m.Output = Output{Kind: site.KindSwitch, Unit: "", Quantity: "on or off"}
	on := false
	m.seed = func(last measure.Reading) { on = last.Value != 0 }
	m.step = func(_ measure.Instant, v []float64) (float64, bool) {
		switch {
		case g.When.Met(v[0]):
			on = true
		case g.Clear(v[0]):
			on = false
		}
		return digit(on), true
	}
	return nil
}

const minute = 60_000.0 // milliseconds

// onFor counts from the first reading that is on after one that is off, or after a gap.
func onFor(_ *Recipe, in []Source, m *Machine) error {
	m.Output = Output{Kind: site.KindNumber, Unit: "min", Quantity: "time on"}
	var since, last measure.Instant // since when it is on; 0: it is off
	m.seed = func(r measure.Reading) {
		last, since = r.At, 0
		if r.Value > 0 || m.gather(r.At) && m.values[0] != 0 {
			since = r.At - measure.Instant(r.Value*minute+0.5)
		}
	}
	m.step = func(at measure.Instant, v []float64) (float64, bool) {
		switch {
		case v[0] == 0:
			since = 0
		case since == 0 || at-last > in[0].Hold:
			since = at
		}
		if last = at; since == 0 {
			return 0, true
		}
		return float64(at-since) / minute, true
	}
	m.decimals = max(m.decimals, 5) // it is read back as milliseconds
	return nil
}

func offFor(_ *Recipe, _ []Source, m *Machine) error {
	m.Output = Output{Kind: site.KindNumber, Unit: "min", Quantity: "time since it was on"}
	var lastOn measure.Instant
	m.seed = func(r measure.Reading) { lastOn = r.At - measure.Instant(r.Value*minute+0.5) }
	m.step = func(at measure.Instant, v []float64) (float64, bool) {
		if v[0] != 0 {
			lastOn = at
		}
		return float64(at-lastOn) / minute, lastOn != 0
	}
	m.decimals = max(m.decimals, 5)
	return nil
}

// cycles counts the readings that are on after one that was off and still held.
func cycles(r *Recipe, in []Source, m *Machine) error {
	m.Output, m.reach = Output{Kind: site.KindNumber, Unit: "count", Quantity: "cycles"}, measure.Instant(r.Window/1e6)
	w := &starts{hold: in[0].Hold}
	var begun []measure.Instant
	m.step = func(at measure.Instant, v []float64) (float64, bool) {
		if w.add(at, v[0]) {
			begun = append(begun, at)
		}
		for len(begun) > 0 && begun[0] <= at-m.reach {
			begun = begun[1:]
		}
		return float64(len(begun)), true
	}
	return nil
}

// starts finds the instants at which something is switched on.
type starts struct {
	hold, at measure.Instant
	value    float64
}

func (s *starts) add(at measure.Instant, value float64) bool {
	started := value != 0 && s.at != 0 && s.value == 0 && at-s.at <= s.hold
	s.at, s.value = at, value
	return started
}

// stretch is a stretch of time, its end not included.
type stretch struct{ from, until measure.Instant }

func onTime(r *Recipe, in []Source, m *Machine) error {
	m.Output, m.reach = Output{Kind: site.KindNumber, Unit: "min", Quantity: "time on"}, measure.Instant(r.Window/1e6)
	var on []stretch
	var total measure.Instant
	var last measure.Reading
	m.step = func(at measure.Instant, v []float64) (float64, bool) {
		if last.At != 0 && last.Value != 0 && at-last.At <= in[0].Hold {
			total += at - last.At
			if n := len(on); n > 0 && on[n-1].until == last.At {
				on[n-1].until = at
			} else {
				on = append(on, stretch{last.At, at})
			}
		}
		last = measure.Reading{At: at, Value: v[0]}
		for len(on) > 0 && on[0].from < at-m.reach {
			gone := min(on[0].until, at-m.reach)
			total -= gone - on[0].from
			if on[0].from = gone; gone < on[0].until {
				break
			}
			on = on[1:]
		}
		return float64(total) / minute, true
	}
	return nil
}

const (
	hourLong  = measure.Instant(3600_000)
	usualDays = 14 // the days that the last one is held against
	leastDays = 3  // fewer tell nothing
)

// timesUsual holds the count of the last 24 hours, the running one included, against the median of the same
// count of the 14 times 24 hours before.
func timesUsual(r *Recipe, in []Source, m *Machine) error {
	if r.Count != "cycles" && r.Count != "on-time" {
		return fault("count", "%q is not cycles or on-time", r.Count)
	}
	m.Output, m.reach = Output{Kind: site.KindNumber, Unit: "/", Quantity: "times its usual"}, (usualDays+1)*24*hourLong
	u := &usual{hours: map[measure.Instant]measure.Instant{}}
	w := &starts{hold: in[0].Hold}
	m.step = func(at measure.Instant, v []float64) (float64, bool) {
		before := *w
		started := w.add(at, v[0])
		if r.Count == "cycles" {
			if u.count(at, 0); started {
				u.count(at, 1)
			}
		} else if held := before.at != 0 && at-before.at <= before.hold; !held || before.value == 0 {
			u.count(at, 0)
		} else {
			for from := before.at; from < at; {
				until := min(at, (from/hourLong+1)*hourLong)
				u.count(from, until-from)
				from = until
			}
			u.count(at, 0)
		}
		return u.times(at)
	}
	return nil
}

// usual counts by hour. An hour without a reading is not there.
type usual struct {
	hours  map[measure.Instant]measure.Instant
	asOf   measure.Instant // the hour for which base and median hold
	base   measure.Instant // the 23 hours before it
	median float64
}

func (u *usual) count(at, n measure.Instant) { u.hours[at/hourLong] += n }

func (u *usual) times(at measure.Instant) (float64, bool) {
	hour := at / hourLong
	if hour != u.asOf {
		u.asOf = hour
		u.base, _ = u.sum(hour-23, hour)
		var days []float64
		for k := measure.Instant(1); k <= usualDays; k++ {
			if n, some := u.sum(hour-23-24*k, hour+1-24*k); some {
				days = append(days, float64(n))
			}
		}
		u.median = 0
		if n := len(days); n >= leastDays {
			slices.Sort(days)
			u.median = (days[(n-1)/2] + days[n/2]) / 2
		}
		for h := range u.hours {
			if h < hour-(usualDays+1)*24 {
				delete(u.hours, h)
			}
		}
	}
	return float64(u.base+u.hours[hour]) / u.median, u.median > 0
}

func (u *usual) sum(from, until measure.Instant) (n measure.Instant, some bool) {
	for h := from; h < until; h++ {
		counted, there := u.hours[h]
		n, some = n+counted, some || there
	}
	return n, some
}
