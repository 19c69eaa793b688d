package pipeline_test

import (
	"context"
	"math/rand/v2"
	"slices"
	"sync/atomic"
	"testing"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/pipeline"
	"jauntylark/store/storetest"
)

// Readings come to several processes in turn, some of which are new: the alarms are those of a replay
// over the stored readings, none missed and none doubled.
func TestSeveralProcessesAreOne(t *testing.T) {
	ctx := context.Background()
	now := new(atomic.Int64)
	now.Store(int64(start))
	records := storetest.Store(t)
	processes := []*bench{process(t, records, now), process(t, records, now)}
	first := processes[0]
	if err := first.AddDevice(ctx, deviceD(), first.key, "test"); err != nil {
		t.Fatal(err)
	}
	first.send(measure.Sample{Name: "temp", At: start, Value: 0})
	guard := first.guard(alarm.Guard{Signal: "d/temp", When: alarm.Test{Kind: alarm.Above, A: 5}, Deadband: 1,
		OnDelay: measure.Duration(1500 * time.Millisecond), OffDelay: measure.Duration(700 * time.Millisecond)})
	r := rand.New(rand.NewPCG(3, 4))
	at := start
	for round := range 120 {
		if round%40 == 39 {
			processes = append(processes, process(t, records, now))
		}
		b := processes[r.IntN(len(processes))]
		var pack []measure.Sample
		for range 1 + r.IntN(6) {
			at += measure.Instant(1 + r.IntN(1500))
			pack = append(pack, measure.Sample{Name: "temp", At: at, Value: float64(r.IntN(10))})
		}
		now.Store(int64(at)) // the sweeper of any process may come by
		if out := b.send(pack...); len(out.Rejected) > 0 {
			t.Fatalf("round %d: %+v", round, out)
		}
		if round%10 == 0 {
			if _, err := b.Acknowledge(ctx, 1, "Orla"); err != nil && len(first.alarms()) > 0 {
				t.Fatal(err)
			}
		}
	}
	stored := slices.DeleteFunc(first.readings("temp"), func(r measure.Reading) bool { return r.At <= start || r.Quality&measure.Late != 0 })
	want := alarm.Replay(&guard, stored, at)
	var got []alarm.Transition
	for _, a := range first.alarms() {
		got = append(got, alarm.Transition{Kind: alarm.Raised, At: a.RaisedAt})
		if a.ClearedAt != nil {
			got = append(got, alarm.Transition{Kind: alarm.Cleared, At: *a.ClearedAt})
		}
	}
	if len(want) < 20 {
		t.Errorf("only %d transitions; this proves little", len(want))
	}
	if !slices.EqualFunc(got, want, func(a, b alarm.Transition) bool { return a.Kind == b.Kind && a.At == b.At }) {
		t.Errorf("alarms  %v\nreplay  %v", got, want)
	}
}

// A key that one process has made is good at the other at once, and packs at the same time are all
// stored, each once.
func TestPacksAtTheSameTime(t *testing.T) {
	ctx := context.Background()
	now := new(atomic.Int64)
	now.Store(int64(start))
	records := storetest.Store(t)
	one, two := process(t, records, now), process(t, records, now)
	if known, err := two.KnowsKey(ctx, two.key); known || err != nil {
		t.Fatal(known, err)
	}
	if err := one.AddDevice(ctx, deviceD(), one.key, "test"); err != nil {
		t.Fatal(err)
	}
	if known, err := two.KnowsKey(ctx, two.key); !known || err != nil {
		t.Fatal("the other process does not know the key", err)
	}
	const packs = 200
	failed := make(chan error, 4*packs)
	for w := range 4 {
		p := []*bench{one, two}[w%2]
		go func() {
			for i := range packs {
				_, err := p.Submit(ctx, &pipeline.Pack{Sender: pipeline.Sender{Key: p.key}, Arrived: start,
					Samples: []measure.Sample{{Name: "temp", At: start + measure.Instant(i), Value: float64(i)}}})
				failed <- err
			}
		}()
	}
	for range 4 * packs {
		if err := <-failed; err != nil {
			t.Fatal(err)
		}
	}
	got := one.readings("temp")
	if len(got) != packs {
		t.Errorf("%d readings stored of %d that were each sent four times", len(got), packs)
	}
}
