package history

import (
	"context"
	"time"

	"jauntylark/pipeline/configure"
	"jauntylark/store/timeseries"
)

const (
	followAfter  = 20 * time.Second // what is noted waits so long for what belongs to it
	computeEvery = 15 * time.Minute // so much of a derived signal is stored at once
	spell        = 3 * time.Second  // how long one of the two goes on before the other has its turn
)

// computeAnew computes what follows from readings and has changed, or is new: derived signals, and then
// figures and totals. It goes on without a pause while there is something to do.
func (k *Upkeep) computeAnew(ctx context.Context) {
	hurried, busy := false, false
	for ctx.Err() == nil {
		if !busy {
			hurried = false
		}
		select {
		case <-k.anew: // perhaps while it was busy
			hurried = true
		default:
		}
		if !busy && !hurried {
			select {
			case <-ctx.Done():
			case <-k.anew:
				hurried = true
			case <-time.After(min(between, k.SealAfter)):
			}
		}
		busy = false
		spell := func(work func(context.Context, bool) (bool, error)) func(context.Context) error {
			return func(ctx context.Context) error {
				more, err := work(ctx, hurried)
				busy = busy || more && err == nil
				return err
			}
		}
		k.try(ctx, "computing derived signals", spell(k.derive))
		k.try(ctx, "numbering what was changed", k.number)
		k.try(ctx, "computing figures anew", spell(k.follow))
	}
}

// derive stores what is derived: what was touched at once, what is new now and then. It tells whether there is
// more to do.
func (k *Upkeep) derive(ctx context.Context, hurried bool) (more bool, err error) {
	if err := timeseries.NoteNewHolds(ctx, k.store); err != nil {
		return false, err
	}
	while := computeEvery
	if hurried {
		while = time.Minute
	}
	for end := time.Now().Add(spell); time.Now().Before(end); {
		begun, now := time.Now(), k.Now()
		done, err := timeseries.Compute(ctx, k.store, now.Add(-timeseries.ComputeAfter), now, while)
		if err != nil || !done.Some {
			return false, err
		}
		if done.Newest {
			if err := configure.Renew(ctx, k.pipeline, done.Signal); err != nil {
				return false, err
			}
		}
		giveWay(ctx, begun, hurried)
	}
	return true, nil
}

// giveWay lets what comes in go first, for twice as long as a step took, unless somebody waits for it.
func giveWay(ctx context.Context, begun time.Time, hurried bool) {
	if hurried {
		return
	}
	select {
	case <-ctx.Done():
	case <-time.After(2 * time.Since(begun)):
	}
}

// follow computes figures and totals anew where they are stale: noted a little while ago, so that what belongs
// together is done together. It tells whether there is more to do.
func (k *Upkeep) follow(ctx context.Context, hurried bool) (more bool, err error) {
	before := k.Now()
	if err := timeseries.NoteNewRules(ctx, k.store, before); err != nil {
		return false, err
	}
	if !hurried {
		before = before.Add(-min(followAfter, 10*k.SealAfter))
	}
	for end := time.Now().Add(spell); time.Now().Before(end); {
		begun := time.Now()
		if some, err := timeseries.Follow(ctx, k.store, before); err != nil || !some {
			return false, err
		}
		giveWay(ctx, begun, hurried)
	}
	return true, nil
}
