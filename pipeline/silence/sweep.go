package silence

import (
	"jauntylark/pipeline/commit"
)

// DueDevices gives the devices whose silence is to be looked at.
func (t *Turn) DueDevices() ([]int64, error) {
	return t.Tx.DueDevices(t.Ctx, t.Now, commit.AtOnce)
}

// SweepDevices looks whether devices, or their signals, have fallen silent.
func (t *Turn) SweepDevices(ids []int64) error {
	upSince, err := t.Tx.UpSince(t.Ctx)
	if err != nil {
		return err
	}
	for _, id := range ids {
		if err := t.lookAt(t.Site.Devices[id], upSince); err != nil {
			return err
		}
	}
	return nil
}
