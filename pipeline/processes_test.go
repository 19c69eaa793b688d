package pipeline_test

import (
	"context"
	"errors"
	"math/rand/v2"
	"slices"
	"sync/atomic"
	"testing"
	"time"

	"jauntylark/clock"
	"jauntylark/core/alarm"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/pipeline"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/credential"
	"jauntylark/pipeline/reading"
	"jauntylark/pipeline/respond"
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
	if err := configure.AddDevice(ctx, first.Pipeline, deviceD(), configure.Secret{Hash: first.key},
		pipeline.Actor{Called: "test"}); err != nil {
		t.Fatal(err)
	}
	first.send(measure.Sample{Name: "temp", At: start, Value: 0})
	guard := first.guard(alarm.Guard{Signal: "d/temp", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 5},
		Deadband: 1, OnDelay: measure.Duration(1500 * time.Millisecond),
		OffDelay: measure.Duration(700 * time.Millisecond)}})
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
		if out := b.send(pack...); len(out.Refused) > 0 {
			t.Fatalf("round %d: %+v", round, out)
		}
		if round%10 == 0 {
			if _, err := respond.Acknowledge(ctx, b.Pipeline, 1, "", "Orla"); err != nil && len(first.alarms()) > 0 {
				t.Fatal(err)
			}
		}
	}
	stored := slices.DeleteFunc(first.readings("temp"), func(r measure.Reading) bool {
		return r.At <= start || r.Quality&measure.Late != 0
	})
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

// A key that one process has made is good at the other at once: packs at the same time are all
// stored, each once.
func TestPacksAtTheSameTime(t *testing.T) {
	storetest.Long(t)
	ctx := context.Background()
	now := new(atomic.Int64)
	now.Store(int64(start))
	records := storetest.Store(t)
	one, two := process(t, records, now), process(t, records, now)
	if err := configure.AddDevice(ctx, one.Pipeline, deviceD(), configure.Secret{Hash: one.key},
		pipeline.Actor{Called: "test"}); err != nil {
		t.Fatal(err)
	}
	const packs = 200
	failed := make(chan error, 4*packs)
	for w := range 4 {
		p := []*bench{one, two}[w%2]
		go func() {
			for i := range packs {
				_, err := p.Submit(ctx, &reading.Pack{Sender: credential.Sender{Key: p.key}, Arrived: start,
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

// A guard that began at an instant passes over older readings, in a process that starts later too.
func TestWhenAGuardBeganOutlivesARestart(t *testing.T) {
	b := fresh(t)
	b.send(measure.Sample{Name: "temp", At: b.at(-50), Value: 20})
	b.guard(alarm.Guard{Signal: "d/temp", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 30}}})
	later := process(t, b.store, b.now)
	later.send(measure.Sample{Name: "temp", At: b.at(-20), Value: 99})
	if got := b.alarms(); len(got) != 0 {
		t.Errorf("a reading from before the guard began raised %+v", got)
	}
	later.send(measure.Sample{Name: "temp", At: b.at(1), Value: 99})
	if got := b.alarms(); len(got) != 1 {
		t.Errorf("a reading from after it began: %+v", got)
	}
}

// A commit that the database refuses takes nothing with it: not the packs beside it, and not what the
// process believes.
func TestARefusedCommitHarmsNothingElse(t *testing.T) {
	b := fresh(t)
	ctx := context.Background()
	b.send(measure.Sample{Name: "temp", At: b.at(-1), Value: 20})
	b.guard(alarm.Guard{Signal: "d/temp", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 30}}})
	tx, err := b.store.Begin(ctx)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := tx.Exec(ctx, `alter table reading add check (value <> 666)`); err != nil {
		t.Fatal(err)
	}
	if err := tx.Commit(); err != nil {
		t.Fatal(err)
	}
	pack := func(name string, seconds, value float64) *reading.Pack {
		return &reading.Pack{Sender: credential.Sender{Key: b.key}, Arrived: b.Now(),
			Samples: []measure.Sample{{Name: name, At: b.at(seconds), Value: value}}}
	}
	const others = 20
	failed, taken := make(chan error, 1), make(chan error, others)
	hold := make(chan struct{})
	go b.Do(ctx, func(*reading.Turn) error { <-hold; return nil }) // so that the packs share a commit
	time.Sleep(50 * time.Millisecond)
	go func() { _, err := b.Submit(ctx, pack("temp", 1, 666)); failed <- err }()
	for i := range others {
		go func() { _, err := b.Submit(ctx, pack("other", float64(i), 1)); taken <- err }()
	}
	time.Sleep(50 * time.Millisecond)
	close(hold)
	if err := <-failed; err == nil || errors.Is(err, commit.ErrAway) {
		t.Errorf("the refused pack: %v", err)
	}
	for range others {
		if err := <-taken; err != nil {
			t.Errorf("a pack beside it: %v", err)
		}
	}
	if got := b.alarms(); len(got) != 0 {
		t.Errorf("what was refused has raised %+v", got)
	}
	b.send(measure.Sample{Name: "temp", At: b.at(1), Value: 31})
	if got := b.readings("temp"); len(got) != 2 || got[1].Value != 31 || got[1].Quality != 0 {
		t.Errorf("after it: %v", got)
	}
	if got := b.alarms(); len(got) != 1 || got[0].Value != 31 {
		t.Errorf("after it: %+v", got)
	}
}

// Over several processes that take turns, an output is at any moment what a plain reading of the newest value says,
// each change is ordered once, and each order is told after its commit.
func TestSeveralProcessesOrderOnce(t *testing.T) {
	storetest.Long(t)
	ctx := context.Background()
	now := new(atomic.Int64)
	now.Store(int64(start))
	records := storetest.Store(t)
	told := make(chan drive.Output, 1000)
	var processes []*bench
	for range 2 {
		b := processTelling(t, records, clock.Following(func() measure.Instant { return measure.Instant(now.Load()) }),
			func(orders []drive.Output) {
				for _, o := range orders {
					told <- o
				}
			})
		b.now = now
		processes = append(processes, b)
	}
	first := processes[0]
	first.must(configure.AddDevice(ctx, first.Pipeline, deviceD(), configure.Secret{Hash: first.key},
		pipeline.Actor{Called: "test"}))
	first.stream("temp", -1, 0)
	first.output("d/relay", drive.Spec{})
	first.interlock(drive.Interlock{Name: "x", Output: "d/relay", Signal: "d/temp", When: "above 5", Deadband: 2})
	r := rand.New(rand.NewPCG(7, 8))
	on, changes := false, 1
	for i := range 150 {
		b := processes[r.IntN(2)]
		v := float64(r.IntN(10))
		b.stream("temp", float64(i), v)
		was := on
		if v > 5 {
			on = true
		} else if v <= 3 {
			on = false
		}
		if was != on {
			changes++
		}
		want := drive.Off
		if on {
			want = drive.On
		}
		if o := b.stands("d/relay"); o.Ordered != want {
			t.Fatalf("round %d, %v: %s, not %s", i, v, o.Ordered, want)
		}
	}
	if len(told) != changes {
		t.Errorf("%d orders were told of %d", len(told), changes)
	}
	last := int64(0)
	for range changes {
		if o := <-told; o.No <= last {
			t.Errorf("order %d after %d", o.No, last)
		} else {
			last = o.No
		}
	}
}
