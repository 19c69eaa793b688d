package history

import (
	"context"
	"slices"
	"time"

	"jauntylark/store/config"
	"jauntylark/store/events"
)

const dropAtOnce = 1000

// thin lets thermal frames go that are too old for all to be kept.
func (k *Upkeep) thin(ctx context.Context) error {
	eyes, err := config.Eyes(ctx, k.store)
	if err != nil {
		return err
	}
	here, err := config.Site(ctx, k.store)
	if err != nil {
		return err
	}
	devices, err := config.PlainDevices(ctx, k.store)
	if err != nil {
		return err
	}
	now := k.Now()
	for _, e := range eyes {
		before := now.Add(-time.Duration(e.Eye.Keep.All))
		at, err := events.FrameTimes(ctx, k.store, e.Device, before)
		if err != nil {
			return err
		}
		name := ""
		for i := range devices {
			if devices[i].ID == e.Device {
				name = devices[i].Name
			}
		}
		moments, err := events.AlarmMoments(ctx, k.store, name, now)
		if err != nil {
			return err
		}
		for part := range slices.Chunk(e.Eye.Thin(at, moments, now, here.Location()), dropAtOnce) {
			if err := events.DropFrames(ctx, k.store, e.Device, part); err != nil {
				return err
			}
		}
	}
	return nil
}
