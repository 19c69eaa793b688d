package run

import (
	"math"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

func v(x float64) *float64 { return &x }

func TestGoalsAsPeopleWriteThem(t *testing.T) {
	for text, words := range map[string]string{
		"compost/core reaches 74":                   "core reaches 74 °C",
		"store/air falls to 4":                      "core falls to 4 °C",
		"house/air between 18 and 22 for 90%":       "core between 18 °C and 22 °C for 90 % of the time",
		"house/air between -2.5 and 22":             "core between -2.5 °C and 22 °C all the time",
		"house/air between 18 and 22 for 99.5 %":    "",
		"house/air reaches":                         "",
		"house/air reaches warm":                    "",
		"house/air between 22 and 18":               "",
		"house/air between 18 or 22":                "",
		"house/air reaches 7 8":                     "",
		"house/air hovers around 20":                "",
		"house/air between 18 and 22 for 120%":      "",
		"house/air between 18 and 22 for some time": "",
	} {
		g, err := ParseGoal(text)
		switch {
		case words == "" && err == nil:
			t.Errorf("%q was taken for %+v", text, g)
		case words != "" && (err != nil || g.Words("core", "Cel") != words):
			t.Errorf("%q says %q (%v)", text, g.Words("core", "Cel"), err)
		}
	}
	for _, bad := range []Goal{{Signal: "a/b"}, {Signal: "a/b", Reach: v(1), Low: v(2)},
		{Signal: "a/b", Low: v(1), Falls: true}} {
		if bad.Check() == nil {
			t.Errorf("%+v was taken", bad)
		}
	}
}

func TestPlans(t *testing.T) {
	p := Plan{Name: "firing", Asset: "boiler", Signal: "boiler/flame", Start: alarm.Test{Kind: alarm.Above, A: 40}}
	if err := p.Check(); err != nil {
		t.Fatal(err)
	}
	if !p.Starts(41) || p.Starts(40) || p.Ends(41) || !p.Ends(40) {
		t.Error("a plan without an end does not end when its start is not met any more")
	}
	p.End = alarm.Test{Kind: alarm.Below, A: 30}
	if p.Ends(35) || !p.Ends(29) {
		t.Error("a plan does not end by its end")
	}
	for says, bad := range map[string]Plan{
		"either hours":                {Name: "a", Hours: "daily 22:00-06:00", Signal: "a/b"},
		"has either":                  {Name: "a"},
		"signal":                      {Name: "a", Start: p.Start},
		"start: is missing":           {Name: "a", Signal: "a/b"},
		"does not look at a value":    {Name: "a", Signal: "a/b", Start: alarm.Test{Kind: alarm.Stuck}},
		"end: 'faulty' does not look": {Name: "a", Signal: "a/b", Start: p.Start, End: alarm.Test{Kind: alarm.Faulty}},
		"hours:":                      {Name: "a", Hours: "sometimes"},
		"name:":                       {Name: "A b", Hours: "daily 22:00-06:00"},
	} {
		if err := bad.Check(); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%+v: %v; should say %q", bad, err, says)
		}
	}
}

const second = measure.Instant(1000)

func TestWhatARunCameTo(t *testing.T) {
	s := &site.Signal{Device: "house", Name: "air", Unit: "Cel"}
	goals := Goals{{Signal: "house/air", Reach: v(25)}, {Signal: "house/air", Low: v(18), High: v(22), Share: 50},
		{Signal: "house/other", Reach: v(1)}, {Signal: "house/air", Reach: v(10), Falls: true}}
	from, until := 1000*second, 1100*second
	g := Gather(s, "air", goals, from, until, 60*second)
	g.Take([]measure.Reading{{At: from - 20*second, Value: 20}, {At: from + 40*second, Value: 30},
		{At: from + 50*second, Value: 99, Quality: measure.Implausible}})
	g.Take([]measure.Reading{{At: from + 60*second, Value: 15}, {At: until + 5*second, Value: 99}})
	course, results := g.Finish(false)
	// 40 s at 20, 20 s at 30, 40 s at 15.
	if *course.Mean != (40*20+20*30+40*15)/100.0 || *course.Lowest != 15 || *course.Highest != 30 ||
		*course.HighestAt != from+40*second || course.Readings != 2 || course.Known != 100 {
		t.Errorf("the course: %+v, mean %v", course, *course.Mean)
	}
	if len(results) != 3 || results[0].State != Reached || *results[0].At != from+40*second ||
		results[1].State != Missed || *results[1].Kept != 40 || results[1].InBand != 40 || results[2].State != Missed {
		t.Errorf("the goals: %+v", results)
	}
	g = Gather(s, "air", goals, from, until, 10*second) // a gap longer than a value may hold counts for nothing
	g.Take([]measure.Reading{{At: from, Value: 20}, {At: from + 50*second, Value: 20},
		{At: from + 55*second, Value: 20}})
	if course, results = g.Finish(true); course.Known != 5 || results[1].State != Open || *results[1].Kept != 100 ||
		results[0].Forecast == nil {
		t.Errorf("with gaps: %+v, %+v", course, results)
	}
	if _, results = Gather(s, "air", goals, from, until, 10*second).Finish(false); results[1].State != Missed ||
		results[1].Kept != nil {
		t.Errorf("without a reading: %+v", results[1])
	}
}

func TestForecastsOnKnownCurves(t *testing.T) {
	curves := []struct {
		name    string
		at      func(s float64) float64
		goal    float64
		falls   bool
		reached float64 // seconds; 0: never
	}{
		{"a straight line", func(s float64) float64 { return 20 + s/100 }, 60, false, 4000},
		{"a body that is heated", func(s float64) float64 { return 80 - 60*math.Exp(-s/2000) }, 70, false,
			2000 * math.Log(6)},
		{"a body that cools", func(s float64) float64 { return 5 + 60*math.Exp(-s/1500) }, 10, true,
			1500 * math.Log(12)},
		{"one that levels off before", func(s float64) float64 { return 60 - 40*math.Exp(-s/500) }, 74, false, 0},
	}
	for _, noise := range []float64{0, 0.05, 0.3} {
		covered, tries := 0, 0
		for _, c := range curves {
			for seed := range 40 {
				random := rand.New(rand.NewPCG(uint64(seed), 9))
				const now = 2400.0
				var points []Moment
				for s := 0.0; s <= now; s += 10 {
					points = append(points, Moment{s, c.at(s) + noise*random.NormFloat64()})
				}
				f := Foresee(points, c.goal, c.falls, 0, measure.Instant(now*1000))
				if c.reached == 0 {
					if f.At != nil && noise < 0.3 || f.Late != nil {
						t.Errorf("%s, noise %v: said to come at %v (%+v)", c.name, noise, f.At, f)
					}
					if f.Plateau != nil && math.Abs(*f.Plateau-60) > 3 && noise < 0.3 {
						t.Errorf("%s, noise %v: said to level off at %v", c.name, noise, *f.Plateau)
					}
					continue
				}
				if f.At == nil {
					t.Errorf("%s, noise %v: not said to come: %+v", c.name, noise, f)
					continue
				}
				off := math.Abs(float64(*f.At)/1000-c.reached) / c.reached
				if noise == 0 && off > 0.01 || noise == 0.05 && off > 0.1 || off > 0.5 {
					t.Errorf("%s, noise %v: said to come at %.0f s, comes at %.0f s", c.name, noise,
						float64(*f.At)/1000, c.reached)
				}
				if noise > 0 {
					tries++
					if float64(*f.Early)/1000 <= c.reached && (f.Late == nil || float64(*f.Late)/1000 >= c.reached) {
						covered++
					}
				}
			}
		}
		if tries > 0 && float64(covered)/float64(tries) < 0.9 {
			t.Errorf("noise %v: %d of %d intervals hold the truth, 95 %% are meant to", noise, covered, tries)
		}
	}
}

func TestForecastsThatCannotBeMade(t *testing.T) {
	points := func(n int, at func(s float64) float64) (all []Moment) {
		for i := range n {
			all = append(all, Moment{float64(i) * 10, at(float64(i) * 10)})
		}
		return all
	}
	for why, f := range map[string]Forecast{
		TooEarly: Foresee(points(5, func(s float64) float64 { return s }), 100, false, 0, 50_000),
		Still:    Foresee(points(100, func(float64) float64 { return 7 }), 100, false, 0, 1_000_000),
		OtherWay: Foresee(points(100, func(s float64) float64 { return 50 - s/30 }), 100, false, 0, 1_000_000),
	} {
		if f.Why != why || f.At != nil {
			t.Errorf("should be %q: %+v", why, f)
		}
		if words := f.Words(time.UTC, 0, "Cel"); !strings.Contains(words, strings.TrimPrefix(why, "is ")) {
			t.Errorf("%q says %q", why, words)
		}
	}
	f := Foresee(points(100, func(s float64) float64 { return s / 10 }), 110, false, 0, 990_000)
	if words := f.Words(time.UTC, 0, "Cel"); !strings.HasPrefix(words, "at about 00:18") {
		t.Errorf("a straight line says %q (%+v)", words, f)
	}
}

func TestAReportSaysItAll(t *testing.T) {
	end := 4000 * second
	s := Summary{Run: Run{Asset: "heap", Title: "Heap 7", StartedAt: second, EndedAt: &end,
		Phases: Phases{{At: second, Name: "heating"}, {At: 2000 * second, Name: "holding"}}, Note: "Turned twice."},
		Until: end, Lasted: 3999, Alarms: 1, Sums: []Sum{{Called: "Fan", Kind: "energy", Value: 1.25, Unit: "kWh"},
			{Called: "Fan cost", Kind: "cost", Value: 0.3712, Unit: "EUR"}},
		Courses: []SignalCourse{{Signal: "heap/core", Called: "core", Unit: "Cel", Lowest: v(20), LowestAt: &end,
			Highest: v(71), HighestAt: &end, Mean: v(55.5)}, {Called: "edge"}},
		Results: []Outcome{{Words: "core reaches 70 °C", Goal: Goal{Reach: v(70)}, At: &end, State: Reached},
			{Words: "edge at least 40 °C for 90 % of the time", Goal: Goal{Low: v(40), Share: 90}, Kept: v(80),
				InBand: 3200, State: Missed}}}
	sheet := s.Sheet("Compost heap", site.Site{Name: "Fernery", Zone: "UTC"}, end)
	text := sheet.Heading() + "\n" + sheet.Text()
	for _, want := range []string{"Heap 7: on Compost heap", "It took 1 hour 6 minutes.",
		"core reaches 70 °C: reached at 01:06:40", "missed: 80.0 % of the time, 53 minutes 20 seconds", "One alarm",
		"Turned twice.", "1.25 kWh", "0.37 EUR", "holding", "no reading", "55.5 °C"} {
		if !strings.Contains(text, want) {
			t.Errorf("the report does not say %q:\n%s", want, text)
		}
	}
}
