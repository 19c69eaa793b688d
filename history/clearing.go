package history

import (
	"context"

	"jauntylark/pipeline/reading"
	"jauntylark/store/timeseries"
)

// clear carries out what people ordered to clear or to put back.
func (k *Upkeep) clear(ctx context.Context) error {
	for {
		some, err := timeseries.ClearStep(ctx, k.store, k.Now())
		if err != nil || !some {
			return err
		}
		if err := k.number(ctx); err != nil {
			return err
		}
		k.Soon() // figures follow at once
	}
}

// number has a commit number what was changed in the background, so that the feed of changes tells it soon.
func (k *Upkeep) number(ctx context.Context) error {
	if some, err := timeseries.Unnumbered(ctx, k.store); err != nil || !some {
		return err
	}
	return k.pipeline.Do(ctx, func(*reading.Turn) error { return nil })
}
