package history

import "context"

// clear carries out what people ordered to clear or to put back.
func (k *Keeper) clear(ctx context.Context) error {
	for {
		some, err := k.store.ClearStep(ctx, k.Now())
		if err != nil || !some {
			return err
		}
		k.Soon() // figures follow at once
	}
}
