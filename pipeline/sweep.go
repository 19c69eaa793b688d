package pipeline

import (
	"context"
	"time"

	"jauntylark/core/alarm"
)

const (
	sweepInterval = 200 * time.Millisecond
	sweepAfter    = time.Second // readings that are on their way come first
	sweepAtOnce   = 1000
	beatInterval  = time.Second
	choresEvery   = 25                      // sweeps between two looks at what is seldom due
	downAfter     = 2500 * time.Millisecond // no note that the ways in are up for so long: they were down
	stoodStill    = 10 * time.Second        // a process that did nothing for so long may have lost what was sent to it
)

// beatEvery notes that the ways in are up.
func (p *Pipeline) beatEvery(ctx context.Context) {
	tick := time.NewTicker(beatInterval)
	defer tick.Stop()
	for ; ; wait(ctx, tick) {
		if ctx.Err() != nil {
			return
		}
		if p.mayHaveBeenAway() && p.Do(ctx, func(*Turn) error { return nil }) != nil { // what was away is found out first
			continue
		}
		now, from := p.Moment(), p.Clock.Elapsed()
		shown, err := p.store.Beat(ctx, now, downAfter.Milliseconds())
		if err != nil {
			continue
		}
		p.isUp(now)
		if p.Clock.Compare(shown, from, p.Clock.Elapsed()) != 0 {
			_ = p.Do(ctx, func(*Turn) error { return nil }) // each commit takes what the clock leapt by
		}
	}
}

func wait(ctx context.Context, tick *time.Ticker) {
	select {
	case <-ctx.Done():
	case <-tick.C:
	}
}

func pause(ctx context.Context, long time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(long):
	}
}

// sweepEvery does what is due: each kind of work in commits of its own, alarms first.
func (p *Pipeline) sweepEvery(ctx context.Context, interval time.Duration) {
	tick := time.NewTicker(interval)
	defer tick.Stop()
	all := dueWorks()
	for ticks := 0; ; ticks++ {
		before := time.Now()
		if wait(ctx, tick); ctx.Err() != nil {
			return
		}
		p.Meter.Sweep(time.Since(before) - interval)
		if time.Since(before) > interval+sweepAfter { // the process stood still: what waits at its doors comes first
			pause(ctx, sweepAfter)
		}
		due, err := p.store.Due(ctx, p.Now().Add(-sweepAfter))
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

// dueDevices gives the devices whose silence is to be looked at.
func (t *Turn) dueDevices() ([]int64, error) { return t.Tx.DueDevices(t.ctx, t.Now, sweepAtOnce) }

func (t *Turn) sweepDevices(ids []int64) error {
	upSince, err := t.Tx.UpSince(t.ctx)
	if err != nil {
		return err
	}
	for _, id := range ids {
		if err := t.lookAt(t.live.devices[id], upSince); err != nil {
			return err
		}
	}
	return nil
}

// dueGuards gives the guards whose delays, or armed hours, have ended.
func (t *Turn) dueGuards() ([]int64, error) {
	return t.Tx.DueGuards(t.ctx, t.Now.Add(-sweepAfter), sweepAtOnce)
}

func (t *Turn) sweepGuards(ids []int64) error {
	until := t.Now.Add(-sweepAfter)
	for _, id := range ids {
		g := t.live.guards[id]
		at := until - g.signal.state.Lag()
		due := g.state.Due(&g.Guard)
		t.step(g, alarm.Event{Kind: alarm.DueInstant, At: at}, "")
		if st := &g.signal.state; due != 0 && due <= at && st.SteppedAt < g.state.Stepped {
			st.SteppedAt = g.state.Stepped
			t.changed(g.signal)
		}
		t.keep(g)
	}
	return nil
}
