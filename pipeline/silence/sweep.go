package silence

import (
	"jauntylark/pipeline/commit"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// DueDevices gives the devices whose silence is to be looked at.
func (t *Turn) DueDevices() ([]int64, error) {
	return config.DueDevices(t.Ctx, t.Tx, t.Now, commit.AtOnce)
}

// SweepDevices looks whether devices, or their signals, have fallen silent.
func (t *Turn) SweepDevices(ids []int64) error {
	upSince, err := events.UpSince(t.Ctx, t.Tx)
	if err != nil {
		return err
	}
	for _, id := range ids {
		if err := t.judge(t.Site.Devices[id], upSince); err != nil {
			return err
		}
	}
	return nil
}
