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
	beatEvery     = 5                       // sweeps between two notes that the ways in are up
	downAfter     = 2500 * time.Millisecond // no such note for so long: they were down
)

// sweepEvery settles delays that ended without a reading.
func (p *Pipeline) sweepEvery(ctx context.Context, interval time.Duration) {
	tick := time.NewTicker(interval)
	defer tick.Stop()
	for ticks := 0; ; ticks++ {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		if ticks%beatEvery == 0 {
			if _, err := p.store.Beat(ctx, p.Now(), downAfter.Milliseconds()); err != nil {
				continue
			}
		}
		if due, err := p.store.AnyDue(ctx, p.Now().Add(-sweepAfter)); err != nil || !due {
			continue // a database that is away is logged by the commits
		}
		if err := p.Do(ctx, (*Turn).sweep); err != nil && ctx.Err() == nil {
			p.Log.Warn("sweeping failed, will try again", "error", err)
		}
	}
}

func (t *Turn) sweep() error {
	if err := t.sweepDevices(); err != nil { // first, since delays stand still in silence
		return err
	}
	if err := t.saveGuards(); err != nil {
		return err
	}
	until := t.Now.Add(-sweepAfter)
	ids, err := t.Tx.DueGuards(t.ctx, until, sweepAtOnce)
	if err != nil {
		return err
	}
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
	if err := t.tellAll(); err != nil {
		return err
	}
	if err := t.endShelves(); err != nil {
		return err
	}
	return t.release()
}

func (t *Turn) sweepDevices() error {
	ids, err := t.Tx.DueDevices(t.ctx, t.Now, sweepAtOnce)
	if err != nil || len(ids) == 0 {
		return err
	}
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
