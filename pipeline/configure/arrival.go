package configure

import (
	"context"
	"errors"
	"fmt"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/reading"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// LetIn makes an arrival a device, from a kit when one is named, and takes in what was kept of it.
func LetIn(ctx context.Context, p *pipeline.Pipeline, name string, d site.Device,
	who pipeline.Actor) (site.Device, error) {
	err := p.Do(ctx, func(t *reading.Turn) error {
		a, err := events.Arrival(t.Ctx, t.Tx, name)
		if errors.Is(err, store.ErrNotFound) {
			return fmt.Errorf("no device %s has arrived: %w", name, err)
		} else if err != nil {
			return err
		}
		d.Name, d.Enrolled = a.Name, !a.Former
		entry, err := addDevice(t, &d, who)
		if err != nil {
			return err
		}
		if a.Former {
			if _, err := config.TakeFormerKeys(t.Ctx, t.Tx, a.Name, entry.ID, t.Now); err != nil {
				return err
			}
		}
		if err := t.TakeKept(a, entry); err != nil {
			return err
		}
		d = entry.Device
		t.ConfigChanged(entry.Change(), store.Change{Scope: store.OfKeys})
		return nil
	})
	return d, err
}

// TurnAway forgets what was kept of an arrival and refuses what it sends from now on. It can still be
// let in later.
func TurnAway(ctx context.Context, p *pipeline.Pipeline, name string, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		a, err := events.Arrival(t.Ctx, t.Tx, name)
		if errors.Is(err, store.ErrNotFound) {
			return fmt.Errorf("no device %s has arrived: %w", name, err)
		} else if err != nil {
			return err
		}
		a.State, a.Readings = site.ArrivalTurnedAway, 0
		if err := events.ForgetArrivalPacks(t.Ctx, t.Tx, a.ID); err != nil {
			return err
		}
		if err := events.SaveArrival(t.Ctx, t.Tx, &a); err != nil {
			return err
		}
		if err := t.Enter("device turned away", name, who.Called, "Device "+name+" was turned away"); err != nil {
			return err
		}
		t.ConfigChanged(store.Change{Scope: store.OfKeys})
		return nil
	})
}

// noArrival makes room for a device of a name: one that was turned away is forgotten, one that waits is
// to be let in instead, so that what it has sent is not lost.
func noArrival(t *reading.Turn, name string) error {
	a, err := events.Arrival(t.Ctx, t.Tx, name)
	switch {
	case errors.Is(err, store.ErrNotFound):
		return nil
	case err != nil:
		return err
	case a.State == site.ArrivalWaiting:
		return &measure.Fault{Field: "name",
			Reason: fmt.Sprintf("%s waits as an arrival; let it in (jaunty arrival let-in %s), or turn it away first",
				name, name)}
	}
	return events.RemoveArrival(t.Ctx, t.Tx, a.ID)
}
