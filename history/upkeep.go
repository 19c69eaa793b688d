// Package history looks after what is stored: it seals plain rows into blocks, computes figures anew
// where readings changed, lets go what is older than it shall be kept, takes away what was cleared, and
// watches the disk. All of it goes on in the background, in small transactions, and may be killed at
// any moment; several processes share it.
package history

import (
	"context"
	"log/slog"
	"sync"
	"time"

	"jauntylark/core/measure"
	"jauntylark/pipeline"
	"jauntylark/pipeline/record"
	"jauntylark/pipeline/respond"
	"jauntylark/store"
	"jauntylark/store/timeseries"
)

// Options say how upkeep works.
type Options struct {
	Log       *slog.Logger
	Now       func() measure.Instant
	SealAfter time.Duration // how old plain rows are before they are sealed; 0: DefaultSealAfter
	Folder    string        // whose disk is watched; empty: none

	Room      func(folder string) (free, total int64, err error) // nil: Room
	DiskEvery time.Duration                                      // between two looks at the disk; 0: five seconds
}

// DefaultSealAfter leaves in plain rows what a sender may send again at once.
const DefaultSealAfter = 2 * time.Minute

// Upkeep looks after one site's history for one process.
type Upkeep struct {
	store    *store.Store
	pipeline *pipeline.Pipeline
	Options
	soon, anew chan struct{}
}

// New makes an Upkeep; Run makes it work.
func New(s *store.Store, p *pipeline.Pipeline, o Options) *Upkeep {
	if o.SealAfter == 0 {
		o.SealAfter = DefaultSealAfter
	}
	if o.Room == nil {
		o.Room = Room
	}
	if o.DiskEvery == 0 {
		o.DiskEvery = diskEvery
	}
	return &Upkeep{store: s, pipeline: p, Options: o, soon: make(chan struct{}, 1), anew: make(chan struct{}, 1)}
}

// Soon has the work that waits done without a pause: what was cleared, or is stale.
func (k *Upkeep) Soon() {
	for _, loop := range []chan struct{}{k.soon, k.anew} {
		select {
		case loop <- struct{}{}:
		default:
		}
	}
}

const (
	between    = 5 * time.Second // between two looks
	sealEvery  = 10 * time.Minute
	sealFrom   = 50_000           // so many plain rows are sealed at once, however young the last sealing is
	sealUrgent = 2_000_000        // so many are sealed without a rest
	visit      = 30 * time.Second // how long one sort of work goes on before the others have their turn
	pruneEvery = time.Hour
	joinEvery  = 10 * time.Minute

	analystRuns   = 5 * time.Minute // an analyst's statement, at most
	analystStands = time.Minute     // a transaction of one, at most
)

// Run works until ctx ends.
func (k *Upkeep) Run(ctx context.Context) {
	ctx = store.For(ctx, store.Background)
	var all sync.WaitGroup
	defer all.Wait()
	if k.Folder != "" {
		all.Go(func() { k.watchDisk(ctx) })
	}
	all.Go(func() { k.computeAnew(ctx) })
	sealed, pruned, joined := time.Now(), time.Time{}, time.Time{}
	for {
		select {
		case <-ctx.Done():
			return
		case <-k.soon:
		case <-time.After(min(between, k.SealAfter)):
		}
		k.try(ctx, "ending what analysts run too long", k.endAnalysts)
		k.try(ctx, "clearing", k.clear)
		k.try(ctx, "numbering what was changed", k.number)
		if time.Since(sealed) >= min(sealEvery, 5*k.SealAfter) || k.many(ctx) {
			k.try(ctx, "sealing", k.seal)
			sealed = time.Now()
		}
		if time.Since(joined) >= joinEvery {
			k.try(ctx, "joining what commits have changed",
				func(ctx context.Context) error { return timeseries.JoinChanged(ctx, k.store, k.Now()) })
			joined = time.Now()
		}
		if time.Since(pruned) >= pruneEvery {
			k.try(ctx, "letting go what is old", k.Prune)
			k.try(ctx, "thinning frames", k.thin)
			k.try(ctx, "reminding of verifications",
				func(ctx context.Context) error { return record.Remind(ctx, k.pipeline) })
			k.try(ctx, "reminding of drills", func(ctx context.Context) error {
				return respond.RemindOfDrills(ctx, k.pipeline)
			})
			pruned = time.Now()
		}
	}
}

func (k *Upkeep) try(ctx context.Context, what string, do func(context.Context) error) {
	if err := do(ctx); err != nil && ctx.Err() == nil {
		k.Log.Warn(what+" failed, will try again", "error", err)
	}
}

func (k *Upkeep) endAnalysts(ctx context.Context) error {
	n, err := store.EndAnalysts(ctx, k.store, analystRuns, analystStands)
	if n > 0 {
		k.Log.Warn("an analyst's statement ran too long and was ended", "statements", n)
	}
	return err
}

func (k *Upkeep) many(ctx context.Context) bool {
	n, err := timeseries.PlainRows(ctx, k.store, sealFrom)
	return err == nil && n == sealFrom
}

// seal seals what is old enough, for a while.
func (k *Upkeep) seal(ctx context.Context) error {
	for end := time.Now().Add(visit); time.Now().Before(end); {
		begun, now := time.Now(), k.Now()
		n, err := timeseries.Seal(ctx, k.store, now.Add(-k.SealAfter), now)
		if err != nil || n == 0 {
			return err
		}
		k.Log.Debug("sealed", "readings", n)
		if waiting, err := timeseries.PlainRows(ctx, k.store, sealUrgent); err != nil || waiting == sealUrgent {
			continue
		}
		select { // what comes in goes first
		case <-ctx.Done():
		case <-time.After(5 * time.Since(begun)):
		}
	}
	return nil
}
