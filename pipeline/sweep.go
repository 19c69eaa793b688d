package pipeline

import (
	"context"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/roster"
)

const (
	sweepInterval = 200 * time.Millisecond
	sweepAfter    = time.Second // readings that are on their way come first
	sweepAtOnce   = 1000
	beatEvery     = 5                       // sweeps between two notes that the ways in are up
	choresEvery   = 25                      // sweeps between two looks at what is seldom due
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
		if p.mayHaveBeenAway() && p.Do(ctx, func(*Turn) error { return nil }) != nil {
			continue
		}
		if ticks%beatEvery == 0 {
			now := p.Now()
			if _, err := p.store.Beat(ctx, now, downAfter.Milliseconds()); err != nil {
				continue
			}
			p.isUp(now)
		}
		if ticks%choresEvery == 0 {
			p.chores(ctx)
		}
		if due, err := p.store.AnyDue(ctx, p.Now().Add(-sweepAfter)); err != nil || !due {
			continue // a database that is away is logged by the commits
		}
		if err := p.Do(ctx, (*Turn).sweep); err != nil && ctx.Err() == nil {
			p.Log.Warn("sweeping failed, will try again", "error", err)
		}
	}
}

// chores looks after what is seldom due: telling of an outage, summing up old news, the word that all is quiet.
func (p *Pipeline) chores(ctx context.Context) {
	do := func(act func(*Turn) error) {
		if err := p.Do(ctx, act); err != nil && ctx.Err() == nil {
			p.Log.Warn("telling people failed, will try again", "error", err)
		}
	}
	if untold, err := p.store.OutageUntold(ctx); err == nil && untold {
		do((*Turn).tellBlind)
	}
	if old, err := p.store.AnyOld(ctx, p.Now().Add(-oldAfter)); err == nil && old {
		do((*Turn).sumUpOld)
	}
	if open, err := p.store.AnyOpenDrill(ctx, p.Now()-roster.DrillLasts); err == nil && open {
		do((*Turn).endDrills)
	}
	if p.quietIsDue(ctx) {
		do((*Turn).tellQuiet)
	}
}

// quietIsDue tells whether the word of the day is to be told.
func (p *Pipeline) quietIsDue(ctx context.Context) bool {
	own, err := p.store.SiteReach(ctx)
	if err != nil || own.QuietWord == nil {
		return false
	}
	here, err := p.store.Site(ctx)
	if err != nil {
		return false
	}
	day, due := quietDue(own.QuietWord, here, p.Now())
	told, err := p.store.QuietOn(ctx)
	return err == nil && due && told != day
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
	if err := t.sweepOutputs(); err != nil {
		return err
	}
	if err := t.endShelves(); err != nil {
		return err
	}
	if err := t.sendStatements(); err != nil {
		return err
	}
	if err := t.sweepPlans(); err != nil {
		return err
	}
	if err := t.escalate(); err != nil {
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
