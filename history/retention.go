package history

import (
	"context"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/store"
	"jauntylark/store/archive"
	"jauntylark/store/config"
	"jauntylark/store/events"
	"jauntylark/store/timeseries"
)

// Prune lets go what is older than it shall be kept, what was cleared long ago, and what a deletion that was cut
// off left behind.
func (k *Upkeep) Prune(ctx context.Context) error {
	if err := timeseries.ForgetCleared(ctx, k.store, k.Now()); err != nil {
		return err
	}
	if err := archive.ForgetRemoved(ctx, k.store, k.Now().Add(-site.BringBackFor)); err != nil {
		return err
	}
	if err := timeseries.DropOrphans(ctx, k.store); err != nil {
		return err
	}
	if err := k.pruneRecords(ctx); err != nil {
		return err
	}
	kept, err := timeseries.Keeps(ctx, k.store)
	if err != nil {
		return err
	}
	for _, rule := range kept {
		if err := k.pruneSignal(ctx, rule); err != nil {
			return err
		}
	}
	return nil
}

func (k *Upkeep) pruneSignal(ctx context.Context, rule timeseries.Kept) error {
	now := k.Now()
	if rule.Readings != 0 {
		for {
			n, err := timeseries.Prune(ctx, k.store, rule.Signal, now.Add(-time.Duration(rule.Readings)))
			if err != nil {
				return err
			}
			if n == 0 {
				break
			}
		}
	}
	if rule.Figures != 0 {
		return timeseries.PruneFigures(ctx, k.store, rule.Signal, now.Add(-time.Duration(rule.Figures)))
	}
	return nil
}

// answersKept is for how long the answers to idempotency keys are kept.
const answersKept = 24 * time.Hour

// pruneRecords lets go of alarms, of the journal, and of what is kept with them, in small steps.
func (k *Upkeep) pruneRecords(ctx context.Context) error {
	here, err := config.Site(ctx, k.store)
	if err != nil {
		return err
	}
	for _, rule := range []struct {
		kept time.Duration
		step func(context.Context, *store.Store, measure.Instant) (bool, error)
	}{
		{time.Duration(here.KeepAlarms), events.PruneAlarms},
		{time.Duration(here.KeepAlarms), events.PruneEvents},
		{time.Duration(here.KeepJournal), events.PruneJournal},
		{answersKept, events.PruneAnswers},
	} {
		for more := rule.kept != 0; more; {
			if more, err = rule.step(ctx, k.store, k.Now().Add(-rule.kept)); err != nil {
				return err
			}
		}
	}
	return store.PruneChanges(ctx, k.store)
}
