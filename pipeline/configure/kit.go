package configure

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/reading"
	"jauntylark/store"
	"jauntylark/store/config"
)

// SaveKit stores a kit, in place of one of the same name, and tells what it would change of the
// devices that were made from it.
func SaveKit(ctx context.Context, p *pipeline.Pipeline, k *site.Kit,
	who pipeline.Actor) (offers []site.KitChange, err error) {
	err = p.Do(ctx, func(t *reading.Turn) error {
		if err := config.SaveKit(t.Ctx, t.Tx, k, t.Now); err != nil {
			return err
		}
		offers = offersOf(t, k)
		if err := t.Enter("kit saved", k.Name, who.Called, "Kit "+k.Name+" was saved"); err != nil {
			return err
		}
		t.ConfigTaken(store.Change{Scope: store.OfPages})
		return nil
	})
	return offers, err
}

// offersOf tells what a kit would change of the devices that were made from it.
func offersOf(t *reading.Turn, k *site.Kit) []site.KitChange {
	offers := []site.KitChange{}
	for _, d := range madeFrom(t, k.Name) {
		offers = append(offers, k.Apply(d.Made()).Changes...)
	}
	return offers
}

func madeFrom(t *reading.Turn, kit string) (devices []*memory.Device) {
	for _, d := range t.Site.Devices {
		if d.Kit == kit {
			devices = append(devices, d)
		}
	}
	slices.SortFunc(devices, func(a, b *memory.Device) int { return strings.Compare(a.Name, b.Name) })
	return devices
}

// Offers tells what a kit would change of devices: those named, or all that were made from it.
func Offers(ctx context.Context, p *pipeline.Pipeline, name string,
	devices []string) (offers []site.KitChange, err error) {
	err = p.Do(ctx, func(t *reading.Turn) error {
		k, found, err := kitAndDevices(t, name, devices)
		offers = []site.KitChange{}
		for _, d := range found {
			offers = append(offers, k.Apply(d.Made()).Changes...)
		}
		return err
	})
	return offers, err
}

func kitAndDevices(t *reading.Turn, name string, devices []string) (*site.Kit, []*memory.Device, error) {
	k, err := kitNamed(t, name)
	if err != nil {
		return nil, nil, err
	}
	if len(devices) == 0 {
		return k, madeFrom(t, name), nil
	}
	var found []*memory.Device
	for _, device := range devices {
		d, err := t.Site.FindDevice(device)
		if err != nil {
			return nil, nil, err
		}
		found = append(found, d)
	}
	return k, found, nil
}

// ApplyKit makes devices what a kit says: those named, or all that were made from it. It tells what it
// has changed.
func ApplyKit(ctx context.Context, p *pipeline.Pipeline, name string, devices []string,
	who pipeline.Actor) (changes []site.KitChange, err error) {
	err = p.Do(ctx, func(t *reading.Turn) error {
		k, found, err := kitAndDevices(t, name, devices)
		changes = []site.KitChange{}
		if err != nil {
			return err
		}
		for _, d := range found {
			changes = append(changes, k.Apply(d.Made()).Changes...)
			if err := applyKit(t, k, d, who); err != nil {
				return err
			}
		}
		return nil
	})
	return changes, err
}

func applyKit(t *reading.Turn, k *site.Kit, d *memory.Device, who pipeline.Actor) error {
	before := d.Device
	applied := k.Apply(d.Made())
	if len(applied.Changes) == 0 {
		return nil
	}
	d.Device = applied.Device
	t.ConfigChanged(d.Change())
	if err := saveKitSignals(t, d, applied.Signals); err != nil {
		return err
	}
	for _, g := range applied.Guards {
		if old := t.Site.Guards[g.ID]; old != nil && old.Guard.Same(g) {
			continue
		}
		if g.ID == 0 && who.Email != "" {
			g.Tell = []string{who.Email}
		}
		if err := StoreGuard(t, &g, who.Called); err != nil {
			return fmt.Errorf("guard %s of kit %s: %w", g.Name, k.Name, err)
		}
	}
	for _, o := range applied.Outputs {
		if old := d.Outputs[o.Name]; old != nil && old.Spec == o.Spec {
			continue
		}
		if err := saveOutput(t, d, o.Name, o.Spec, who); err != nil {
			return fmt.Errorf("output %s of kit %s: %w", o.Name, k.Name, err)
		}
	}
	if err := checkFaults(t, d.Faults); err != nil {
		return err
	}
	if !d.Settings.Equal(before.Settings) {
		if err := GiveSettings(t, d, d.Settings, who.Called); err != nil {
			return err
		}
	}
	if err := judgeAnew(t, d, "what is expected of the device was changed"); err != nil {
		return err
	}
	if err := config.SaveDevice(t.Ctx, t.Tx, &d.Device); err != nil {
		return err
	}
	return t.Enter("kit applied", d.Name, who.Called, fmt.Sprintf("Kit %s changed %s of device %s", k.Name,
		prose.Count(len(applied.Changes), "thing", "things"), d.Name))
}

func saveKitSignals(t *reading.Turn, d *memory.Device, signals []site.Signal) error {
	for i := range signals {
		v := &signals[i]
		if v.ID == 0 {
			if err := config.AddSignal(t.Ctx, t.Tx, d.ID, v, t.CommitNo, t.Now); err != nil {
				return err
			}
			t.Site.AddSignal(*v, d)
		}
		if err := config.SaveSignal(t.Ctx, t.Tx, v); err != nil {
			return err
		}
		s := d.Signals[v.Name]
		step := s.Step
		s.Signal = *v
		if err := t.StepFollows(s, step); err != nil {
			return err
		}
	}
	return nil
}

func kitNamed(t *reading.Turn, name string) (*site.Kit, error) {
	k, err := config.Kit(t.Ctx, t.Tx, name)
	if errors.Is(err, store.ErrNotFound) {
		return nil, &measure.Fault{Field: "kit", Reason: "there is no kit " + name}
	}
	return &k, err
}

// KitFrom describes a device as a kit of the name.
func KitFrom(ctx context.Context, p *pipeline.Pipeline, name, device string) (k site.Kit, err error) {
	err = p.Do(ctx, func(t *reading.Turn) error {
		d, err := t.Site.FindDevice(device)
		if err == nil {
			k = site.KitFrom(name, d.Made())
		}
		return err
	})
	return k, err
}

// RemoveKit removes a kit; devices that were made from it stay as they are.
func RemoveKit(ctx context.Context, p *pipeline.Pipeline, name string, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		if _, err := config.Kit(t.Ctx, t.Tx, name); err != nil {
			return fmt.Errorf("there is no kit %s: %w", name, err)
		}
		if err := KeepRemoved(t, "kit", name, "", who.Called, "kit", "name", name); err != nil {
			return err
		}
		if err := config.RemoveKit(t.Ctx, t.Tx, name); err != nil {
			return err
		}
		if err := t.Enter("kit removed", name, who.Called, "Kit "+name+" was removed"); err != nil {
			return err
		}
		t.ConfigTaken(store.Change{Scope: store.OfPages})
		return nil
	})
}
