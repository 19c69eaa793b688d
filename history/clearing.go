package history

import (
	"context"

	"jauntylark/store/timeseries"
)

// clear carries out what people ordered to clear or to put back.
func (k *Upkeep) clear(ctx context.Context) error {
	for {
		some, err := timeseries.ClearStep(ctx, k.store, k.Now())
		if err != nil || !some {
			return err
		}
		k.Soon() // figures follow at once
	}
}
