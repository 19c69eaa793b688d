package history_test

import (
	"context"
	"log/slog"
	"math"
	"slices"
	"sync/atomic"
	"testing"
	"time"

	"jauntylark/clock"
	"jauntylark/core/act"
	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/site"
	"jauntylark/history"
	"jauntylark/pipeline"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/credential"
	"jauntylark/pipeline/due"
	"jauntylark/pipeline/reading"
	"jauntylark/pipeline/record"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/storetest"
	"jauntylark/store/timeseries"
)

func TestMain(m *testing.M) { storetest.Main(m) }

// place is a site whose history is kept, at a time that the test sets.
type place struct {
	*store.Store
	*pipeline.Pipeline
	t    *testing.T
	now  atomic.Int64
	soon func()
	hold measure.Instant // for how long a value of d holds
}

func newPlace(t *testing.T, adjust func(*history.Options)) *place {
	p := unkept(t)
	p.keep(adjust)
	return p
}

// unkept is a place with a device d whose keeper does not run yet.
func unkept(t *testing.T) *place {
	p := &place{Store: storetest.Store(t), t: t}
	p.now.Store(1_790_000_000_000)
	p.Pipeline = pipeline.New(p.Store, pipeline.Options{Log: slog.New(slog.DiscardHandler),
		Clock: clock.Following(p.at)})
	p.run(p.Pipeline.Run)
	p.run(func(ctx context.Context) { due.Run(ctx, p.Pipeline) })
	if err := configure.AddDevice(context.Background(), p.Pipeline, &site.Device{Name: "d"}, configure.Secret{},
		pipeline.Actor{}); err != nil {
		t.Fatal(err)
	}
	return p
}

// keep lets a keeper run until the end of the test.
func (p *place) keep(adjust func(*history.Options)) {
	o := history.Options{Log: slog.New(slog.DiscardHandler), Now: p.at, SealAfter: 20 * time.Millisecond}
	if adjust != nil {
		adjust(&o)
	}
	keeper := history.New(p.Store, p.Pipeline, o)
	p.soon = keeper.Soon
	p.run(keeper.Run)
}

// run lets something run until the end of the test, which waits for its end.
func (p *place) run(what func(context.Context)) {
	ctx, stop := context.WithCancel(context.Background())
	ended := make(chan struct{})
	go func() { what(ctx); close(ended) }()
	p.t.Cleanup(func() { stop(); <-ended })
}

func (p *place) at() measure.Instant { return measure.Instant(p.now.Load()) }

// past stores n readings a minute apart that end now.
func (p *place) past(signal string, n int) []measure.Reading {
	p.t.Helper()
	readings := make([]measure.Reading, n)
	for i := range readings {
		readings[i] = measure.Reading{At: p.at() - measure.Instant(n-i)*60_000,
			Value: math.Round(100*math.Sin(float64(i)/40)) / 10}
	}
	told, err := record.Import(context.Background(), p.Pipeline,
		&record.Past{Signal: "d/" + signal, Kind: site.KindNumber, Unit: "Cel", Readings: readings})
	if err != nil || told.Added != n {
		p.t.Fatal(told, err)
	}
	return readings
}

func (p *place) signal(name string) site.Signal {
	p.t.Helper()
	s, err := config.Signal(context.Background(), p.Store, "d", name)
	if err != nil {
		p.t.Fatal(err)
	}
	return s
}

// stored gives all readings of a signal.
func (p *place) stored(name string) []measure.Reading {
	p.t.Helper()
	s := p.signal(name)
	all, _, err := timeseries.Readings(context.Background(), p.Store, &s, 0, 1<<60, 1<<30)
	if err != nil {
		p.t.Fatal(err)
	}
	return all
}

func (p *place) days(name string) []series.Figures {
	p.t.Helper()
	days, err := timeseries.Figures(context.Background(), p.Store, p.signal(name).ID, series.Day, 0, 1<<60)
	if err != nil {
		p.t.Fatal(err)
	}
	return days
}

func (p *place) settled() {
	p.t.Helper()
	storetest.Eventually(p.t, "nothing waits", func() bool {
		p.soon()
		b, err := timeseries.Backlog(context.Background(), p.Store)
		return err == nil && b.Rows == 0 && b.Stale == 0
	})
}

func send(p *place, at measure.Instant, value float64) (reading.Outcome, error) {
	return p.Submit(context.Background(), &reading.Pack{Sender: credential.Sender{Person: "p"}, Arrived: p.at(),
		Samples: []measure.Sample{{Name: "d/live", At: at, Value: value}}})
}

func TestWhatArrivesIsSealedAndItsFiguresFollow(t *testing.T) {
	p := newPlace(t, nil)
	for i := range 50 {
		p.now.Add(1000)
		if _, err := send(p, p.at(), float64(i)); err != nil {
			t.Fatal(err)
		}
	}
	p.now.Add(10_000)
	p.settled()
	got := p.stored("live")
	if len(got) != 50 || got[49].Value != 49 {
		t.Errorf("%d readings", len(got))
	}
	if days := p.days("live"); len(days) != 1 || days[0].Count != 50 || days[0].High != 49 ||
		days[0].HeldFor != 49_000 {
		t.Errorf("%+v", days)
	}
	// The same again is a duplicate, another value a conflict, though they are in a block now.
	if out, err := send(p, got[10].At, got[10].Value); err != nil || out.Accepted != 1 || len(p.stored("live")) != 50 {
		t.Errorf("%+v %v", out, err)
	}
	if out, err := send(p, got[10].At, -1); err != nil || len(out.Refused) != 1 {
		t.Errorf("%+v %v", out, err)
	}
	// A late one is merged in, and its figures follow.
	if out, err := send(p, got[10].At+500, 1000); err != nil || out.Accepted != 1 {
		t.Errorf("%+v %v", out, err)
	}
	p.now.Add(10_000)
	if days := p.days("live"); days[0].High != 1000 {
		t.Errorf("before it is sealed: %+v", days)
	}
	p.settled()
	if days := p.days("live"); days[0].High != 1000 || days[0].Count != 51 ||
		p.stored("live")[11].Quality != measure.Late {
		t.Errorf("%+v", days)
	}
}

func TestClearedAndPutBack(t *testing.T) {
	p := newPlace(t, nil)
	want := p.past("a", 10_000)
	p.past("b", 500)
	p.settled()
	figures := p.days("a")
	ctx := context.Background()
	c := site.Clearing{What: "d/a", From: want[2000].At, Until: want[7999].At}
	if err := record.Clear(ctx, p.Pipeline, &c, pipeline.Actor{Called: "Orla"}); err != nil {
		t.Fatal(err)
	}
	state := func() site.Clearing {
		p.soon()
		now, err := timeseries.Clearing(ctx, p.Store, c.ID)
		if err != nil {
			t.Fatal(err)
		}
		return now
	}
	storetest.Eventually(t, "cleared", func() bool { return state().State == site.ClearingCleared })
	if got := p.stored("a"); len(got) != 4000 || got[1999] != want[1999] || got[2000] != want[8000] ||
		state().Readings != 6000 {
		t.Errorf("%d readings are left, %+v", len(got), state())
	}
	if got := p.stored("b"); len(got) != 500 {
		t.Errorf("another signal has %d", len(got))
	}
	p.settled()
	if days := p.days("a"); slices.Equal(days, figures) || len(days) >= len(figures) {
		t.Error("the figures did not follow")
	}
	// What comes in between stays.
	between := measure.Reading{At: want[3000].At, Value: 77}
	if _, err := record.Import(ctx, p.Pipeline, &record.Past{Signal: "d/a",
		Readings: []measure.Reading{between}}); err != nil {
		t.Fatal(err)
	}
	if err := record.Unclear(ctx, p.Pipeline, state(), pipeline.Actor{Called: "Orla"}); err != nil {
		t.Fatal(err)
	}
	storetest.Eventually(t, "put back", func() bool { return state().State == site.ClearingUndone })
	want[3000] = between
	if got := p.stored("a"); !slices.Equal(got, want) {
		t.Errorf("%d readings are back, want %d", len(got), len(want))
	}
	if err := record.Unclear(ctx, p.Pipeline, state(), pipeline.Actor{}); err != record.ErrTooLate {
		t.Error(err)
	}
	// All of it: the signal has no newest reading, and a new one is the first. After 30 days it is gone.
	all := site.Clearing{What: "", Until: p.at() + 1e6}
	if err := record.Clear(ctx, p.Pipeline, &all, pipeline.Actor{}); err != nil {
		t.Fatal(err)
	}
	if s := p.signal("a"); s.At != nil {
		t.Errorf("newest reading %+v", s)
	}
	p.now.Add(31 * 24 * 3600 * 1000)
	if _, err := send(p, p.at(), 1); err != nil {
		t.Fatal(err)
	}
	storetest.Eventually(t, "cleared", func() bool {
		p.soon()
		x, _ := timeseries.Clearing(ctx, p.Store, all.ID)
		return x.State == site.ClearingCleared
	})
	if err := timeseries.ForgetCleared(ctx, p.Store, p.at()); err != nil {
		t.Fatal(err)
	}
	if x, err := timeseries.Clearing(ctx, p.Store, all.ID); err != nil || x.State != site.ClearingGone ||
		record.Unclear(ctx, p.Pipeline, x, pipeline.Actor{}) != record.ErrTooLate {
		t.Errorf("%+v %v", x, err)
	}
}

// Another zone has other days: they are computed anew.
func TestANewZoneHasOtherDays(t *testing.T) {
	p := newPlace(t, nil)
	p.past("a", 5000)
	p.settled()
	err := p.Do(context.Background(), func(turn *reading.Turn) error {
		return config.SetSite(context.Background(), turn.Tx, site.Site{Name: "x", Zone: "Asia/Kathmandu",
			Currency: "EUR"})
	})
	if err != nil {
		t.Fatal(err)
	}
	storetest.Eventually(t, "days begin at a quarter past six UTC", func() bool {
		p.soon()
		b, err := timeseries.Backlog(context.Background(), p.Store)
		days := p.days("a")
		return err == nil && b.Stale == 0 && days[1].At%86_400_000 == (18*60+15)*60_000
	})
}

// When a signal's interval is stated, its values hold for another time: all figures are computed anew.
func TestAnotherIntervalHoldsOtherwise(t *testing.T) {
	p := newPlace(t, nil)
	var readings []measure.Reading
	for at := p.at() - 3*86_400_000; at < p.at(); at += 3_600_000 { // one an hour
		readings = append(readings, measure.Reading{At: at, Value: 5})
	}
	if _, err := record.Import(context.Background(), p.Pipeline, &record.Past{Signal: "d/slow", Kind: site.KindNumber,
		Readings: readings}); err != nil {
		t.Fatal(err)
	}
	p.settled()
	held := func() (sum measure.Millis) {
		for _, d := range p.days("slow") {
			sum += d.HeldFor
		}
		return sum
	}
	if got := held(); got != 71*3_600_000 {
		t.Errorf("held for %d ms", got)
	}
	minute := measure.Duration(time.Minute)
	if err := configure.SetSignal(context.Background(), p.Pipeline, "d/slow", act.SignalChange{Interval: &minute},
		pipeline.Actor{}); err != nil {
		t.Fatal(err)
	}
	storetest.Eventually(t, "an hour is too long to hold", func() bool { p.soon(); return held() == 0 })
}

// What was noted while its stretch was being computed is computed after it.
func TestFiguresFollowWhileReadingsChange(t *testing.T) {
	p := newPlace(t, nil)
	ctx := context.Background()
	p.past("a", 3000)
	for n := range 60 {
		at := p.at() - measure.Instant(1+n*50)*60_000 - 1
		if _, err := record.Import(ctx, p.Pipeline,
			&record.Past{Signal: "d/a", Readings: []measure.Reading{{At: at, Value: 1000 + float64(n)}}}); err != nil {
			t.Fatal(err)
		}
		p.soon()
	}
	p.settled()
	all := p.stored("a")
	edges := series.Hour.Edges(all[0].At, all[len(all)-1].At, time.UTC)
	f := series.NewAggregator(edges, series.HoldLimit(0))
	f.Add(all)
	got, err := timeseries.Figures(ctx, p.Store, p.signal("a").ID, series.Hour, all[0].At, all[len(all)-1].At)
	if want := f.Figures(); err != nil || !slices.Equal(got, want) {
		t.Errorf("%d hours, want %d: %v", len(got), len(want), err)
	}
}
