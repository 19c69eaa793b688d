package total

import (
	"encoding/json"
	"math"
	"math/big"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/site"
)

func zoneOf(t *testing.T, name string) *time.Location {
	t.Helper()
	zone, err := time.LoadLocation(name)
	if err != nil {
		t.Fatal(err)
	}
	return zone
}

func at(t *testing.T, zone *time.Location, text string) measure.Instant {
	t.Helper()
	when, err := time.ParseInLocation("2006-01-02 15:04", text, zone)
	if err != nil {
		t.Fatal(err)
	}
	return measure.InstantOf(when)
}

// every gives readings of a value from from up to until.
func every(step time.Duration, from, until measure.Instant,
	value func(measure.Instant) float64) (out []measure.Reading) {
	for i := from; i <= until; i = i.Add(step) {
		out = append(out, measure.Reading{At: i, Value: value(i)})
	}
	return out
}

func results(total Total, signal measure.Unit, tariff *Tariff, readings []measure.Reading, edges []measure.Instant,
	hold measure.Instant, zone *time.Location) []Result {
	first, last := readings[0].At, readings[len(readings)-1].At
	begin := min(edges[0], MonthStart(edges[0], zone))
	days := Edges(ByDay, begin, edges[len(edges)-1], zone)
	var cuts []Cut
	if tariff != nil {
		cuts = tariff.Cuts(days[0], days[len(days)-1], zone)
	}
	f := NewAggregator(days, cuts, hold)
	f.Add(readings)
	return total.Results(f.Tallies(), edges, &Source{Unit: signal, First: first, Last: last, Zone: zone, Tariff: tariff,
		Currency: "EUR"})
}

// A constant 2 kW for a day is 48 kWh; a ramp from 0 to 1000 W over an hour is half a kilowatt-hour, less
// half a step since each value holds; a sine of one period adds to nothing.
func TestEnergyOfClosedForms(t *testing.T) {
	utc := time.UTC
	begin := at(t, utc, "2026-03-10 00:00")
	end := begin.Add(24 * time.Hour)
	edges := []measure.Instant{begin, end}
	energy := Total{Kind: Energy}
	sum := func(unit measure.Unit, until measure.Instant, value func(measure.Instant) float64) float64 {
		return results(energy, unit, nil, every(time.Second, begin, until, value), edges, 3000, utc)[0].Value
	}
	if got := sum("kW", end, func(measure.Instant) float64 { return 2 }); got != 48 {
		t.Errorf("2 kW for a day is %v kWh", got)
	}
	ramp := sum("W", begin.Add(time.Hour), func(at measure.Instant) float64 { return float64(at-begin) / 3600 })
	if want := 0.5 - 0.5/3600; math.Abs(ramp-want) > 1e-9 {
		t.Errorf("a ramp is %v kWh, not %v", ramp, want)
	}
	if sine := sum("W", end, func(at measure.Instant) float64 {
		return 1000 * math.Sin(2*math.Pi*float64(at-begin)/float64(end-begin))
	}); math.Abs(sine) > 1e-6 {
		t.Errorf("a whole sine is %v kWh", sine)
	}
	flow := Total{Kind: Volume}
	litres := results(flow, "l/min", nil, every(time.Minute, begin, begin.Add(10*time.Minute),
		func(measure.Instant) float64 { return 3 }), edges, 180_000, utc)[0]
	if math.Abs(litres.Value-30) > 1e-9 || flow.OutUnit("l/min", "") != "l" {
		t.Errorf("3 l/min for ten minutes are %v %s", litres.Value, flow.OutUnit("l/min", ""))
	}
}

func TestGapsAndEdges(t *testing.T) {
	zone := zoneOf(t, "Europe/Dublin")
	begin := at(t, zone, "2026-03-10 23:50")
	var readings []measure.Reading
	// 23 min of gap over midnight
	for _, r := range []struct{ minute, value float64 }{{0, 1}, {1, 1}, {2, 0}, {3, 1}, {26, 1}, {27, 1}, {28, 0}} {
		readings = append(readings, measure.Reading{At: begin + measure.Instant(r.minute*60_000), Value: r.value})
	}
	readings = append(readings, measure.Reading{At: begin.Add(29 * time.Minute), Value: 1,
		Quality: measure.Implausible})
	edges := Edges(ByDay, begin, begin.Add(time.Hour), zone)
	on := results(Total{Kind: OnTime}, "", nil, readings, edges, 180_000, zone)
	if on[0].Value != 120 || on[1].Value != 120 {
		t.Errorf("on for %v s before and %v s after midnight", on[0].Value, on[1].Value)
	}
	// the last minute is of the unusable reading
	if on[0].Missing+on[1].Missing != 24*60 || on[0].Missing != 7*60 || on[1].LeftOut != 1 {
		t.Errorf("missing %v and %v s, left out %d", on[0].Missing, on[1].Missing, on[1].LeftOut)
	}
	starts := results(Total{Kind: Cycles}, "", nil, readings, edges, 180_000, zone)
	if starts[0].Value != 1 || starts[1].Value != 0 {
		t.Errorf("%v and %v starts; what is on after a gap is no start", starts[0].Value, starts[1].Value)
	}
}

func TestLongestRunGoesOverMidnight(t *testing.T) {
	zone := zoneOf(t, "Europe/Dublin")
	begin := at(t, zone, "2026-10-23 18:00") // over a clock change: Sunday has 25 hours
	readings := every(time.Minute, begin.Add(-time.Hour), begin.Add(70*time.Hour), func(i measure.Instant) float64 {
		if i >= begin && i < begin.Add(60*time.Hour) {
			return 1
		}
		return 0
	})
	run := Total{Kind: LongestRun}
	whole := results(run, "", nil, readings, Edges(ByMonth, begin, begin, zone), 180_000, zone)
	if whole[0].Value != 60*3600 {
		t.Errorf("the longest run of the month is %v h", whole[0].Value/3600)
	}
	days := results(run, "", nil, readings, Edges(ByDay, begin, begin.Add(69*time.Hour), zone), 180_000, zone)
	for i, want := range []float64{6, 24, 25, 5} {
		if days[i].Value != want*3600 {
			t.Errorf("on day %d it is %v h, not %v", i, days[i].Value/3600, want)
		}
	}
}

// However the readings are cut into pieces and steps, the sums are the same to the last digit, and those of
// a slow second implementation.
func TestTheSumOfThePiecesIsTheSum(t *testing.T) {
	rng := rand.New(rand.NewPCG(9, 10))
	for range 150 {
		var readings []measure.Reading
		now := measure.Instant(1_000_000)
		for range 300 {
			now += measure.Instant(1 + rng.IntN(4000))
			if rng.IntN(30) == 0 {
				now += 20_000
			}
			v := math.Round((rng.Float64()*2000-200)*100) / 100
			if rng.IntN(2) == 0 {
				v = 0
			}
			q := measure.Quality(0)
			if rng.IntN(12) == 0 {
				q = measure.Stuck
			}
			readings = append(readings, measure.Reading{At: now, Value: v, Quality: q})
		}
		const hold = 9000
		fold := func(edges []measure.Instant) Tally {
			f := NewAggregator(edges, nil, hold)
			for rest := readings; len(rest) > 0; {
				n := min(len(rest), 1+rng.IntN(50))
				f.Add(rest[:n])
				rest = rest[n:]
			}
			sum := Tally{At: edges[0], Until: edges[0]}
			for _, piece := range f.Tallies() {
				sum.Join(&piece)
			}
			return sum
		}
		end := now + 1000
		whole := fold([]measure.Instant{500_000, end})
		edges := []measure.Instant{500_000}
		for edges[len(edges)-1] < end {
			edges = append(edges, min(end, edges[len(edges)-1]+measure.Instant(1+rng.IntN(100_000))))
		}
		pieces := fold(edges)
		if pieces.Amount != whole.Amount || pieces.On != whole.On || pieces.Starts != whole.Starts ||
			pieces.Known != whole.Known || pieces.Longest != whole.Longest ||
			pieces.LeftOut != whole.LeftOut || pieces.LastOn != whole.LastOn {
			t.Fatalf("pieces %+v, whole %+v", pieces, whole)
		}
		slow(t, readings, hold, &whole)
	}
}

// slow counts with big numbers and without any cleverness.
func slow(t *testing.T, readings []measure.Reading, hold measure.Instant, got *Tally) {
	t.Helper()
	amount, on, starts, longest, run := new(big.Int), int64(0), 0, int64(0), int64(0)
	var before *measure.Reading
	for i := range readings {
		r := &readings[i]
		if !r.Quality.Usable() {
			continue
		}
		if before != nil && r.At-before.At <= hold {
			lasted := int64(r.At - before.At)
			amount.Add(amount, new(big.Int).Mul(big.NewInt(int64(math.Round(before.Value*1e6))), big.NewInt(lasted)))
			if before.Value != 0 {
				on, run = on+lasted, run+lasted
				longest = max(longest, run)
			} else {
				run = 0
				if r.Value != 0 {
					starts++
				}
			}
		} else {
			run = 0
		}
		before = r
	}
	if got.Amount.Big().Cmp(amount) != 0 || got.On != on || got.Starts != starts || got.Longest != longest {
		t.Fatalf("amount %v on %d starts %d longest %d, not %v %d %d %d", got.Amount.Big(), got.On, got.Starts,
			got.Longest, amount, on, starts, longest)
	}
}

func FuzzAmount(f *testing.F) {
	f.Add(int64(3), int64(-4), int64(math.MaxInt64), int64(math.MinInt64))
	f.Fuzz(func(t *testing.T, a, b, c, d int64) {
		got := Amount{}.AddProduct(a, b).AddProduct(c, d)
		want := new(big.Int).Add(new(big.Int).Mul(big.NewInt(a), big.NewInt(b)),
			new(big.Int).Mul(big.NewInt(c), big.NewInt(d)))
		if want.BitLen() < 127 && got.Big().Cmp(want) != 0 {
			t.Errorf("%d × %d + %d × %d is %v, not %v", a, b, c, d, got.Big(), want)
		}
		text, _ := got.MarshalText()
		var back Amount
		if err := back.UnmarshalText(text); err != nil || back != got {
			t.Errorf("%v comes back as %v: %v", got, back, err)
		}
	})
}

func money(t *testing.T, text string) Money {
	t.Helper()
	m, err := ParseMoney(text)
	if err != nil {
		t.Fatal(err)
	}
	return m
}

// dayNight: night from 23:00 to 8:00 at 10 ct, weekends at 20 ct, days at 30 ct for the first 10 kWh of the month
// and 40 ct after; 50 ct standing charge a day. From May on everything costs a quarter of a euro.
func dayNight(t *testing.T) *Tariff {
	upTo := 10.0
	tariff := &Tariff{Name: "day-night", Versions: []Version{
		{From: "2026-01-01", Standing: money(t, "0.50"), Rates: []Rate{
			{Name: "night", Since: "23:00", Until: "08:00", Blocks: []Block{{Price: money(t, "0.10")}}},
			{Name: "weekend", Days: []string{"sat", "sun"}, Blocks: []Block{{Price: money(t, "0.20")}}},
			{Name: "day", Blocks: []Block{{UpTo: &upTo, Price: money(t, "0.30")}, {Price: money(t, "0.40")}}}}},
		{From: "2026-05-01", Rates: []Rate{{Name: "all", Blocks: []Block{{Price: money(t, "0.25")}}}}}}}
	if err := tariff.Check(); err != nil {
		t.Fatal(err)
	}
	return tariff
}

// Bills worked by hand, of a steady 1 kW.
func TestBillsWorkedByHand(t *testing.T) {
	zone := zoneOf(t, "Europe/Dublin")
	tariff := dayNight(t)
	cost := Total{Kind: Cost, Tariff: tariff.Name}
	steady := func(from, until string) []measure.Reading {
		return every(time.Minute, at(t, zone, from), at(t, zone, until), func(measure.Instant) float64 { return 1 })
	}
	check := func(what, from, until, by, want string) {
		t.Helper()
		readings := steady(from, until)
		edges := Edges(by, at(t, zone, from), at(t, zone, until)-1, zone)
		sum := results(cost, "kW", tariff, readings, edges, 180_000, zone)
		if sum[0].Cost != want {
			t.Errorf("%s costs %s, not %s", what, sum[0].Cost, want)
		}
	}
	// Wednesday: 9 h night 0.90, 15 h day: 10 at 0.30 and 5 at 0.40 = 5.00, standing 0.50.
	check("a Wednesday", "2026-03-11 00:00", "2026-03-12 00:00", ByDay, "6.40")
	// Saturday: 9 h night 0.90, 15 h weekend 3.00, standing 0.50.
	check("a Saturday", "2026-03-14 00:00", "2026-03-15 00:00", ByDay, "4.40")
	// Sunday 29 March has 23 hours: the night is an hour shorter.
	check("the Sunday on which an hour is lost", "2026-03-29 00:00", "2026-03-30 00:00", ByDay, "4.30")
	// Sunday 26 October 2025 has 25 hours; the first version holds before its date too.
	check("the Sunday on which an hour comes back", "2025-10-26 00:00", "2025-10-27 00:00", ByDay, "4.50")
	// April 2026: 30 days. 22 weekdays × 15 h = 330 kWh day: 10 at 0.30, 320 at 0.40 = 131; 8 weekend days × 15 × 0.20
	// = 24; 30 × 9 × 0.10 = 27; standing 15.
	check("April", "2026-04-01 00:00", "2026-05-01 00:00", ByMonth, "197.00")
	// May by the new version: 31 × 24 × 0.25.
	check("May", "2026-05-01 00:00", "2026-06-01 00:00", ByMonth, "186.00")

	readings := steady("2026-04-01 00:00", "2026-05-03 00:00")
	days := results(cost, "kW", tariff, readings, Edges(ByDay, at(t, zone, "2026-04-01 00:00"),
		at(t, zone, "2026-05-02 23:00"), zone), 180_000, zone)
	sum := 0.0
	for _, d := range days {
		sum += d.Value
	}
	if math.Abs(sum-209) > 1e-9 {
		t.Errorf("the days of April and two of May cost %v", sum)
	}
	// A day in the middle of the month knows what was used before it.
	alone := results(cost, "kW", tariff, readings, Edges(ByDay, at(t, zone, "2026-04-10 00:00"),
		at(t, zone, "2026-04-10 01:00"), zone), 180_000, zone)
	if alone[0].Cost != "7.40" { // night 0.90, 15 at 0.40, 0.50
		t.Errorf("10 April costs %s", alone[0].Cost)
	}
}

func TestADayWithoutDataHasItsStandingCharge(t *testing.T) {
	zone := zoneOf(t, "Europe/Dublin")
	tariff := dayNight(t)
	begin := at(t, zone, "2026-03-11 12:00")
	readings := append(every(time.Minute, begin, begin.Add(time.Hour), func(measure.Instant) float64 { return 1 }),
		measure.Reading{At: begin.Add(72 * time.Hour), Value: 1})
	sum := results(Total{Kind: Cost}, "kW", tariff, readings, Edges(ByMonth, begin, begin, zone), 180_000, zone)
	if sum[0].Cost != "2.30" { // four days' standing, 1 kWh at 0.30
		t.Errorf("it costs %s", sum[0].Cost)
	}
}

func TestTariffsAreChecked(t *testing.T) {
	one := []Block{{Price: 1}}
	ten, five := 10.0, 5.0
	for says, v := range map[string]Version{
		"none holds on sun at 00:00": {From: "2026-01-01",
			Rates: []Rate{{Name: "x", Days: []string{"mon"}, Blocks: one}}},
		"did you mean mon": {From: "2026-01-01",
			Rates: []Rate{{Name: "x", Days: []string{"mo"}, Blocks: one}}},
		"no time of the day": {From: "2026-01-01", Rates: []Rate{{Name: "x", Since: "8 am", Blocks: one}}},
		"is no date":         {From: "1 May", Rates: []Rate{{Name: "x", Blocks: one}}},
		"up to how many": {From: "2026-01-01",
			Rates: []Rate{{Name: "x", Blocks: []Block{{UpTo: &ten, Price: 1}}}}},
		"not more than": {From: "2026-01-01",
			Rates: []Rate{{Name: "x", Blocks: []Block{{UpTo: &ten}, {UpTo: &five}, {}}}}},
		"a price is missing": {From: "2026-01-01", Rates: []Rate{{Name: "x"}}},
	} {
		tariff := Tariff{Name: "t", Versions: []Version{v}}
		if err := tariff.Check(); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%v does not say %q", err, says)
		}
	}
	back := Tariff{}
	text, err := json.Marshal(dayNight(t))
	if err != nil || json.Unmarshal(text, &back) != nil || back.Versions[0].Rates[2].Blocks[0].Price != money(t,
		"0.3") || !strings.Contains(string(text), `"price":"0.3"`) {
		t.Errorf("a tariff comes back as %+v from %s", back, text)
	}
	for _, bad := range []string{"", "x", "0.1234567", "1e30"} {
		if m, err := ParseMoney(bad); err == nil {
			t.Errorf("%q is taken as %v", bad, m)
		}
	}
}

func TestTotalsFitTheirSignals(t *testing.T) {
	for _, c := range []struct {
		total Total
		s     site.Signal
		field string
	}{
		{Total{Kind: OnTime}, site.Signal{Kind: site.KindNumber}, "signal"},
		{Total{Kind: Energy}, site.Signal{Kind: site.KindNumber, Unit: "V"}, "signal"},
		{Total{Kind: Cost}, site.Signal{Kind: site.KindNumber, Unit: "W"}, "tariff"},
		{Total{Kind: Energy, Tariff: "x"}, site.Signal{Kind: site.KindNumber, Unit: "W"}, "tariff"},
		{Total{Kind: Integral}, site.Signal{Kind: site.KindText}, "signal"},
		{Total{Kind: Volume}, site.Signal{Kind: site.KindNumber, Unit: "l/s"}, ""},
	} {
		err := c.total.Fit(&c.s)
		if fault, ok := err.(*measure.Fault); c.field == "" && err != nil || c.field != "" &&
			(!ok || fault.Field != c.field) {
			t.Errorf("%+v of %+v: %v", c.total, c.s, err)
		}
	}
}
