package history_test

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"jauntylark/core/act"
	"jauntylark/core/calibrate"
	"jauntylark/core/derive"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/core/total"
	"jauntylark/pipeline"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/credential"
	"jauntylark/pipeline/reading"
	"jauntylark/pipeline/record"
	"jauntylark/store/storetest"
	"jauntylark/store/timeseries"
)

// told is a derived signal of the test with what it is made of.
type told struct {
	name   string
	recipe derive.Recipe
}

func of(signals ...string) (list []derive.Input) {
	for i, s := range signals {
		list = append(list, derive.Input{As: []string{"of", "w"}[i], Signal: "d/" + s})
	}
	return list
}

var derivations = []told{
	{"on", derive.Recipe{Kind: "on-off", When: "above 5", Deadband: 4, Of: of("v")}},
	{"mean", derive.Recipe{Kind: "moving-mean", Window: measure.Duration(time.Minute), Of: of("v")}},
	{"sum", derive.Recipe{Kind: "formula", Formula: "of + w", Of: of("v", "w")}},
	{"cycles", derive.Recipe{Kind: "cycles", Window: measure.Duration(10 * time.Minute), Of: of("on")}},
	{"on-for", derive.Recipe{Kind: "on-for", Of: of("on")}},
	{"trend", derive.Recipe{Kind: "rate", Window: measure.Duration(5 * time.Minute), Of: of("mean")}},
}

var priced = total.Tariff{Name: "two", Versions: []total.Version{{From: "2026-01-01", Standing: price("0.5"),

	Rates: []total.Rate{
		{Name: "odd", Since: "23:40", Until: "00:20", Blocks: []total.Block{{Price: price("0.3")}}},
		{Name: "even", Blocks: []total.Block{{UpTo: upTo(0.002), Price: price("0.1")}, {Price: price("0.2")}}}}}}}

func upTo(v float64) *float64 { return &v }

func price(text string) (p total.Money) {
	if err := p.UnmarshalText([]byte(text)); err != nil {
		panic(err)
	}
	return p
}

var added = []total.Total{
	{Name: "on-time", Signal: "d/on", Kind: total.OnTime}, {Name: "starts", Signal: "d/on", Kind: total.Cycles},
	{Name: "longest", Signal: "d/on", Kind: total.LongestRun},
	{Name: "energy", Signal: "d/w", Kind: total.Energy}, {Name: "cost", Signal: "d/w", Kind: total.Cost, Tariff: "two"},
	{Name: "integral", Signal: "d/sum", Kind: total.Integral}, {Name: "volume", Signal: "d/v", Kind: total.Integral},
}

// Whatever comes, in whichever order, once or again, late or in time, corrected or taken back, and however far the
// background work is: what is derived and added up is what a computation of all of it from the readings gives, to the
// last bit.
func TestLiveIsWhatIsComputedAnew(t *testing.T) {
	p := newPlace(t, nil)
	p.now.Add(9*3_600_000 + 300_000) // until 23:18, so that it goes on over midnight
	ctx := context.Background()
	rng := rand.New(rand.NewPCG(7, 11))
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	interval := measure.Duration(10 * time.Second)
	must(configure.SetDevice(ctx, p.Pipeline, "d", act.DeviceChange{Interval: &interval}, pipeline.Actor{}))
	p.hold = 30_000
	post := func(samples ...measure.Sample) {
		t.Helper()
		if _, err := p.Submit(ctx, &reading.Pack{Sender: credential.Sender{Person: "p"}, Arrived: p.at(),
			Samples: samples}); err != nil {
			t.Fatal(err)
		}
	}
	post(measure.Sample{Name: "d/v", At: p.at(), Value: 1}, measure.Sample{Name: "d/w", Unit: "W", At: p.at(),
		Value: 40})
	must(configure.SetSignal(ctx, p.Pipeline, "d/v", act.SignalChange{Span: &site.Span{Low: 0, High: 10}},
		pipeline.Actor{}))
	for _, d := range derivations {
		must(configure.Derive(ctx, p.Pipeline, "d/"+d.name, "", d.recipe, pipeline.Actor{}))
	}
	must(record.SaveTariff(ctx, p.Pipeline, &priced, pipeline.Actor{}))
	for i := range added {
		must(record.AddTotal(ctx, p.Pipeline, &added[i], pipeline.Actor{}))
	}
	begin := p.at()
	var calibrations []int64
	late := 0
	for round := range 160 {
		calm := round%20 > 8 // within the deadband of what is on or off
		p.now.Add(int64(1000 * (1 + rng.IntN(60))))
		var pack []measure.Sample
		for range 1 + rng.IntN(12) {
			at := p.at() - measure.Instant(rng.IntN(20_000))
			if rng.IntN(12) == 0 { // a backlog
				at = max(begin, p.at()-measure.Instant(rng.IntN(3_600_000)))
			}
			at -= at % 500
			name, value := "d/v", float64(rng.IntN(125))/10-0.5
			if calm && at > p.at()-60_000 {
				value = 2 + rng.Float64()
			}
			if rng.IntN(3) == 0 {
				name, value = "d/w", float64(rng.IntN(90))
			}
			pack = append(pack, measure.Sample{Name: name, At: at, Value: value})
		}
		post(pack...)
		switch rng.IntN(12) {
		case 0:
			post(pack...) // again
		case 1:
			from := p.at() - measure.Instant(rng.IntN(2_000_000))
			f, err := record.Calibrate(ctx, p.Pipeline, "d/v",
				act.CalibrationOrder{From: &from, Method: calibrate.Offset,
					Pairs: calibrate.Pairs{{Shown: 5, Reference: 5 + rng.Float64()}}}, pipeline.Actor{})
			must(err)
			calibrations = append(calibrations, f.ID)
		case 2:
			if len(calibrations) > 0 {
				_, err := record.Uncalibrate(ctx, p.Pipeline, "d/v", calibrations[0], pipeline.Actor{})
				must(err)
				calibrations = calibrations[1:]
			}
		case 3:
			p.soon()
			time.Sleep(50 * time.Millisecond)
		case 4:
			_, err := record.ResetTotal(ctx, p.Pipeline, "on-time", "", pipeline.Actor{})
			must(err)
		}
		if round%16 == 15 {
			p.agrees(fmt.Sprintf("round %d", round))
		}
	}
	for _, r := range p.stored("v") {
		if r.Quality&measure.Late != 0 {
			late++
		}
	}
	if late < 30 {
		t.Errorf("only %d late readings; this proves little", late)
	}
	p.now.Add(300_000)
	p.settled()
	sent := p.stored("v")
	from := sent[len(sent)-1].At
	_, err := record.Calibrate(ctx, p.Pipeline, "d/v", act.CalibrationOrder{From: &from, Method: calibrate.Offset,
		Pairs: calibrate.Pairs{{Shown: 5, Reference: 5.25}}}, pipeline.Actor{})
	must(err)
	p.agrees("corrected at last")
	p.settled()
	p.agrees("when all is stored")
	interval /= 2 // values hold for another time, so all is another
	must(configure.SetDevice(ctx, p.Pipeline, "d", act.DeviceChange{Interval: &interval}, pipeline.Actor{}))
	p.hold = 15_000
	storetest.Eventually(t, "all is noted", func() bool {
		must(timeseries.NoteNewHolds(ctx, p.Store))
		must(timeseries.NoteNewRules(ctx, p.Store, p.at()))
		return p.byOldRules() == 0
	})
	p.agrees("by another interval")
	p.settled()
	p.agrees("by another interval, stored")
	corrected := 0
	for _, d := range derivations {
		all := p.stored(d.name)
		if s := p.signal(d.name); len(all) == 0 || *s.Value != all[len(all)-1].Value {
			t.Errorf("%s reads %v, its newest reading is %v", d.name, *s.Value, all[len(all)-1])
		}
		for _, r := range all {
			if r.Quality&measure.Corrected != 0 {
				corrected++
			}
		}
	}
	if corrected == 0 {
		t.Error("nothing that was derived was ever corrected")
	}
}

// A value that holds over midnight counts on both days, though they were added up one after the other.
func TestATotalOverMidnight(t *testing.T) {
	p := newPlace(t, nil)
	ctx := context.Background()
	midnight := total.Edges(total.ByDay, p.at(), p.at(), time.UTC)[1]
	for i, seconds := range []int{-10, 5, 15} {
		p.now.Store(int64(midnight) + int64(seconds)*1000)
		if _, err := send(p, p.at(), 3600); err != nil {
			t.Fatal(err)
		}
		if i == 0 {
			if err := record.AddTotal(ctx, p.Pipeline, &total.Total{Name: "through", Signal: "d/live",
				Kind: total.Integral}, pipeline.Actor{}); err != nil {
				t.Fatal(err)
			}
		}
		p.now.Add(100)
		p.settled()
	}
	all, err := timeseries.Totals(ctx, p.Store)
	if err != nil {
		t.Fatal(err)
	}
	got, err := timeseries.Results(ctx, p.Store, timeseries.Asked{Total: all[0],
		Edges: func(*time.Location) []measure.Instant {
			return total.Edges(total.ByDay, midnight-1, midnight, time.UTC)
		}})
	if err != nil || len(got) != 2 || got[0].Value != 10 || got[1].Value != 15 {
		t.Errorf("%+v %v", got, err)
	}
}

// byOldRules counts the signals that are still kept by another silence limit than the test's.
func (p *place) byOldRules() (n int) {
	p.t.Helper()
	tx, err := p.Begin(context.Background())
	if err != nil {
		p.t.Fatal(err)
	}
	defer tx.Rollback()
	if err := tx.Get(context.Background(), &n,
		`select count(*) from signal where silence <> $1 or recipe is not null and holds[1] <> $1`,
		p.hold); err != nil {
		p.t.Fatal(err)
	}
	return n
}

// agrees compares what the store gives with what is computed here from the readings that were sent.
func (p *place) agrees(when string) {
	p.t.Helper()
	for _, d := range derivations {
		want, got := p.computed(d), p.stored(d.name)
		if len(want) < 3 || !slices.EqualFunc(got, want, func(a, b measure.Reading) bool {
			return a.At == b.At && a.Value == b.Value
		}) {
			p.t.Fatalf("%s, %s: %d readings, of %d\n%s", when, d.name, len(got), len(want), firstApart(got, want))
		}
		s, rest := p.signal(d.name), want[len(want)*9/10:] // as a chart asks for it
		if got, _, err := timeseries.Readings(context.Background(), p.Store, &s, rest[0].At, 1<<60,
			1<<30); err != nil || len(got) != len(rest) || got[0].Value != rest[0].Value {
			p.t.Fatalf("%s, the end of %s: %d readings, of %d: %v\n%s", when, d.name, len(got), len(rest), err,
				firstApart(got, rest))
		}
	}
	for i := range added {
		p.addsUp(when, &added[i])
	}
}

func firstApart(got, want []measure.Reading) string {
	for i := range min(len(got), len(want)) {
		if got[i].At != want[i].At || got[i].Value != want[i].Value {
			return fmt.Sprintf("the first that differs is %+v, not %+v", got[i], want[i])
		}
	}
	return "one goes on"
}

// computed computes a derived signal from all readings of its inputs.
func (p *place) computed(d told) []measure.Reading {
	p.t.Helper()
	var sources []derive.Source
	var streams []derive.Stream
	for _, in := range d.recipe.Of {
		s := p.signal(in.Signal[2:])
		rest := p.stored(s.Name)
		sources = append(sources, derive.Source{Path: s.Path(), Kind: s.Kind, Unit: s.Unit, Hold: p.hold})
		streams = append(streams, func() (r measure.Reading, ok bool, err error) {
			if len(rest) == 0 {
				return r, false, nil
			}
			r, rest = rest[0], rest[1:]
			return r, true, nil
		})
	}
	m, err := d.recipe.Build(sources)
	if err != nil {
		p.t.Fatal(err)
	}
	var all []measure.Reading
	for run := m.Over(streams, 0, nil); ; {
		r, some, err := run.Next()
		if err != nil {
			p.t.Fatal(err)
		}
		if !some {
			return all
		}
		all = append(all, r)
	}
}

// addsUp compares a total by day, and since its reset, with its readings added up in one go.
func (p *place) addsUp(when string, v *total.Total) {
	p.t.Helper()
	name := v.Signal[2:]
	s, readings := p.signal(name), p.stored(name)
	first, last := readings[0].At, readings[len(readings)-1].At
	edges := total.Edges(total.ByDay, first, last, time.UTC)
	var cuts []total.Cut
	if v.Tariff != "" {
		cuts = priced.Cuts(edges[0], edges[len(edges)-1], time.UTC)
	}
	pieces := slices.Clone(edges)
	resets, err := timeseries.Resets(context.Background(), p.Store, v.ID)
	if err != nil {
		p.t.Fatal(err)
	}
	for _, r := range resets {
		pieces = append(pieces, r.At)
	}
	slices.Sort(pieces)
	f := total.NewAggregator(slices.Compact(pieces), cuts, p.hold)
	f.Add(readings)
	asks := [][]measure.Instant{edges}
	if len(resets) > 0 {
		asks = append(asks, []measure.Instant{resets[0].At, max(last, resets[0].At) + 1})
	}
	for _, ask := range asks {
		tariff := &priced
		if v.Tariff == "" {
			tariff = nil
		}
		want := v.Results(f.Tallies(), ask, &total.Source{Unit: s.Unit, First: first, Last: last, Zone: time.UTC,
			Tariff: tariff})
		got, err := timeseries.Results(context.Background(), p.Store,
			timeseries.Asked{Total: *v, Edges: func(*time.Location) []measure.Instant { return ask }})
		if err != nil {
			p.t.Fatal(err)
		}
		for i := range want {
			if got[i].Value != want[i].Value || got[i].Known != want[i].Known || got[i].Missing != want[i].Missing ||
				got[i].LeftOut != want[i].LeftOut || got[i].Cost != want[i].Cost || math.IsNaN(got[i].Value) {
				p.t.Fatalf("%s, %s of %s: %+v, computed anew %+v", when, v.Kind, v.Signal, got[i], want[i])
			}
		}
	}
}
