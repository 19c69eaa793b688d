package history

import (
	"context"
	"slices"
	"time"
)

const dropAtOnce = 1000

// thin lets thermal frames go that are too old for all to be kept.
func (k *Keeper) thin(ctx context.Context) error {
	eyes, err := k.store.Eyes(ctx)
	if err != nil {
		return err
	}
	here, err := k.store.Site(ctx)
	if err != nil {
		return err
	}
	devices, err := k.store.PlainDevices(ctx)
	if err != nil {
		return err
	}
	now := k.Now()
	for _, e := range eyes {
		before := now.Add(-time.Duration(e.Eye.Keep.All))
		at, err := k.store.FrameTimes(ctx, e.Device, before)
		if err != nil {
			return err
		}
		name := ""
		for i := range devices {
			if devices[i].ID == e.Device {
				name = devices[i].Name
			}
		}
		moments, err := k.store.AlarmMoments(ctx, name, now)
		if err != nil {
			return err
		}
		for part := range slices.Chunk(e.Eye.Thin(at, moments, now, here.Location()), dropAtOnce) {
			if err := k.store.DropFrames(ctx, e.Device, part); err != nil {
				return err
			}
		}
	}
	return nil
}
