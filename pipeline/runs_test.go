package pipeline_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/run"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/record"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/events"
	"jauntylark/store/storetest"
)

// twoOfOne are two processes over one database, with an asset that has a signal.
func twoOfOne(t *testing.T) (processes []*bench, records *store.Store, now *atomic.Int64) {
	ctx := context.Background()
	now = new(atomic.Int64)
	now.Store(int64(start))
	records = storetest.Store(t)
	processes = []*bench{process(t, records, now), process(t, records, now)}
	first := processes[0]
	if err := configure.AddDevice(ctx, first.Pipeline, deviceD(), configure.Secret{Hash: first.key},
		pipeline.Actor{Called: "test"}); err != nil {
		t.Fatal(err)
	}
	first.send(measure.Sample{Name: "temp", At: start, Value: 0})
	if err := record.AddAsset(ctx, first.Pipeline, "kiln", act.AssetChange{Signals: &[]string{"d/temp"}},
		pipeline.Actor{Called: "test"}); err != nil {
		t.Fatal(err)
	}
	return processes, records, now
}

// stretches are runs as text, oldest first.
func stretches(t *testing.T, records *store.Store) (all []string) {
	t.Helper()
	runs, err := events.Runs(context.Background(), records, events.RunQuery{Asset: "kiln", Limit: 1000})
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range slices.Backward(runs) {
		all = append(all, stretch(r.StartedAt, r.EndedAt))
	}
	return all
}

func stretch(from measure.Instant, until *measure.Instant) string {
	if until == nil {
		return fmt.Sprint(from, " on")
	}
	return fmt.Sprint(from, " ", *until)
}

// Readings come to two processes in turn: the runs of a plan are those of one who sees them all, none missed and none
// doubled.
func TestAPlanOfSeveralProcessesIsOne(t *testing.T) {
	ctx := context.Background()
	processes, records, now := twoOfOne(t)
	plan := run.Plan{Name: "firing", Asset: "kiln", Signal: "d/temp", Start: alarm.Test{Kind: alarm.Above, A: 6},
		End: alarm.Test{Kind: alarm.Below, A: 3}}
	if err := record.SavePlan(ctx, processes[0].Pipeline, &plan, pipeline.Actor{Called: "test"}); err != nil {
		t.Fatal(err)
	}
	r := rand.New(rand.NewPCG(8, 9))
	var want []string
	var from measure.Instant
	at := start
	for range 150 {
		at += measure.Instant(500 + r.IntN(1500))
		value := float64(r.IntN(10))
		switch {
		case from == 0 && value > 6:
			from = at
		case from != 0 && value < 3:
			want = append(want, stretch(from, &at))
			from = 0
		}
		now.Store(int64(at))
		processes[r.IntN(2)].send(measure.Sample{Name: "temp", At: at, Value: value})
	}
	if from != 0 {
		want = append(want, stretch(from, nil))
	}
	if got := stretches(t, records); len(want) < 10 || !slices.Equal(got, want) {
		t.Errorf("runs   %v\nwanted %v", got, want)
	}
}

// Nobody was there for three nights: each has its run all the same, once, at its hours; and the clock that springs back
// makes no more.
func TestNightsOfAnOutageHaveTheirRuns(t *testing.T) {
	storetest.Long(t)
	ctx := context.Background()
	processes, records, now := twoOfOne(t)
	if err := record.SavePlan(ctx, processes[0].Pipeline,
		&run.Plan{Name: "night", Asset: "kiln", Hours: "daily 22:00-06:00"},
		pipeline.Actor{Called: "test"}); err != nil {
		t.Fatal(err)
	}
	here, err := config.Site(ctx, records)
	if err != nil {
		t.Fatal(err)
	}
	zone := here.Location()
	noon := start.Time().In(zone)
	noon = time.Date(noon.Year(), noon.Month(), noon.Day()+1, 12, 0, 0, 0, zone)
	var want []string
	for n := range 3 {
		from := time.Date(noon.Year(), noon.Month(), noon.Day()+n, 22, 0, 0, 0, zone)
		until := measure.InstantOf(from.Add(8 * time.Hour))
		want = append(want, stretch(measure.InstantOf(from), &until))
	}
	now.Store(int64(measure.InstantOf(noon)))
	for _, p := range processes {
		p.lookedTwice()
	}
	before := len(stretches(t, records)) // a night may have been on when the test began
	now.Store(int64(measure.InstantOf(noon.AddDate(0, 0, 3))))
	storetest.Eventually(t, "all nights are over", func() bool {
		all := stretches(t, records)
		return len(all) >= before+3 && !strings.HasSuffix(all[len(all)-1], "on")
	})
	for _, days := range []int{2, 3} {
		now.Store(int64(measure.InstantOf(noon.AddDate(0, 0, days))))
		for _, p := range processes {
			p.lookedTwice()
		}
	}
	if got := stretches(t, records)[before:]; !slices.Equal(got, want) {
		t.Errorf("runs   %v\nwanted %v", got, want)
	}
}

// An asset that was removed does not stand in the way of the readings that its plan looks at; brought back, the plan
// goes on.
func TestAPlanOfARemovedAsset(t *testing.T) {
	ctx := context.Background()
	processes, records, now := twoOfOne(t)
	b, who := processes[0], pipeline.Actor{Called: "test"}
	if err := record.SavePlan(ctx, b.Pipeline, &run.Plan{Name: "firing", Asset: "kiln", Signal: "d/temp",
		Start: alarm.Test{Kind: alarm.Above, A: 6}}, who); err != nil {
		t.Fatal(err)
	}
	send := func(seconds int, value float64) {
		t.Helper()
		at := start.Add(time.Duration(seconds) * time.Second)
		now.Store(int64(at))
		if out := b.send(measure.Sample{Name: "temp", At: at, Value: value}); len(out.Refused) > 0 {
			t.Fatalf("%+v", out)
		}
	}
	if err := record.RemoveAsset(ctx, b.Pipeline, "kiln", who); err != nil {
		t.Fatal(err)
	}
	send(1, 9)
	send(2, 0)
	if err := record.BringAssetBack(ctx, b.Pipeline, "kiln", who); err != nil {
		t.Fatal(err)
	}
	send(3, 9)
	send(4, 0)
	until := start.Add(4 * time.Second)
	if got, want := stretches(t, records), []string{stretch(start.Add(3*time.Second), &until)}; !slices.Equal(got,
		want) {
		t.Errorf("runs   %v\nwanted %v", got, want)
	}
	if n := len(b.readings("temp")); n != 5 {
		t.Errorf("%d readings", n)
	}
}

// Two people start a run of the same thing at the same time: one is told that the other's is on.
func TestOneRunByHandAtATime(t *testing.T) {
	ctx := context.Background()
	processes, records, _ := twoOfOne(t)
	failed := make(chan error, 2)
	for _, p := range processes {
		go func() {
			_, err := record.StartRun(ctx, p.Pipeline, act.RunStart{Asset: "kiln", Title: "First"},
				pipeline.Actor{Called: site.Title("", "orla")})
			failed <- err
		}()
	}
	if a, b := <-failed, <-failed; (a == nil) == (b == nil) {
		t.Errorf("%v, %v", a, b)
	}
	if got := stretches(t, records); len(got) != 1 {
		t.Errorf("runs %v", got)
	}
}
