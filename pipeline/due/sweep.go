package due

import (
	"context"
	"sync"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/pipeline"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/event"
	"jauntylark/pipeline/reading"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

const (
	sweepInterval = 200 * time.Millisecond
	choresEvery   = 25 // sweeps between two looks at what is seldom due
)

func wait(ctx context.Context, tick *time.Ticker) {
	select {
	case <-ctx.Done():
	case <-tick.C:
	}
}

func rest(ctx context.Context, long time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(long):
	}
}

// sweepEvery does what is due: each kind of work in commits of its own, alarms first.
func sweepEvery(ctx context.Context, p *pipeline.Pipeline, interval time.Duration) {
	tick := time.NewTicker(interval)
	defer tick.Stop()
	all := dueWorks()
	for ticks := 0; ; ticks++ {
		before := time.Now()
		if wait(ctx, tick); ctx.Err() != nil {
			return
		}
		p.Meter.Sweep(time.Since(before) - interval)
		// the process stood still: what waits at its doors comes first
		if time.Since(before) > interval+event.SweepAfter {
			rest(ctx, event.SweepAfter)
		}
		due, err := events.WhatIsDue(ctx, p.Store, p.Now().Add(-event.SweepAfter))
		if err != nil { // a database that is away is logged by the commits
			continue
		}
		for _, d := range all {
			if d.wanted != nil && d.wanted(due) || d.seldom != nil && ticks%choresEvery == 0 && d.seldom(ctx, p) {
				d.run(ctx, p)
			}
		}
	}
}

// dueGuards gives the guards whose delays, or armed hours, have ended.
func dueGuards(t *reading.Turn) ([]int64, error) {
	return config.DueGuards(t.Ctx, t.Tx, t.Now.Add(-event.SweepAfter), commit.AtOnce)
}

func sweepGuards(t *reading.Turn, ids []int64) error {
	until := t.Now.Add(-event.SweepAfter)
	for _, id := range ids {
		g := t.Site.Guards[id]
		at := until - g.Subject.State.Lag()
		due := g.State.Due(&g.Guard)
		t.Step(g, alarm.Event{Kind: alarm.DueInstant, At: at}, "")
		if st := &g.Subject.State; due != 0 && due <= at && st.SteppedAt < g.State.Stepped {
			st.SteppedAt = g.State.Stepped
			t.Changed(g.Subject)
		}
		t.GuardChanged(g)
	}
	return nil
}

// Run does what falls due until ctx ends.
func Run(ctx context.Context, p *pipeline.Pipeline) {
	var beside sync.WaitGroup
	beside.Go(func() { sweepEvery(ctx, p, sweepInterval) })
	beside.Go(func() { lateEvery(ctx, p) })
	beside.Wait()
}
