package pipeline

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/store"
)

// made is a device as it stands, as far as a kit can change it.
func (d *deviceLive) made() site.Made {
	m := site.Made{Device: d.Device}
	for _, s := range d.signals {
		v := s.Signal
		if s.state.At != 0 {
			v.At = &s.state.At
		}
		m.Signals = append(m.Signals, v)
		for _, g := range s.guards {
			m.Guards = append(m.Guards, g.Guard)
		}
	}
	for _, o := range d.outputs {
		m.Outputs = append(m.Outputs, o.Output)
	}
	slices.SortFunc(m.Outputs, func(a, b drive.Output) int { return strings.Compare(a.Name, b.Name) })
	slices.SortFunc(m.Signals, func(a, b site.Signal) int { return int(a.ID - b.ID) })
	slices.SortFunc(m.Guards, func(a, b alarm.Guard) int { return strings.Compare(a.Name, b.Name) })
	return m
}

// SaveKit stores a kit, in place of one of the same name, and tells what it would change of the
// devices that were made from it.
func (p *Pipeline) SaveKit(ctx context.Context, k *site.Kit, who Actor) (offers []site.KitChange, err error) {
	err = p.Do(ctx, func(t *Turn) error {
		if err := t.Tx.SaveKit(t.ctx, k, t.Now); err != nil {
			return err
		}
		offers = t.offers(k)
		if err := t.Enter("kit saved", k.Name, who.Called, "Kit "+k.Name+" was saved"); err != nil {
			return err
		}
		return t.signalsChanged()
	})
	return offers, err
}

// offers tells what a kit would change of the devices that were made from it.
func (t *Turn) offers(k *site.Kit) []site.KitChange {
	offers := []site.KitChange{}
	for _, d := range t.madeFrom(k.Name) {
		offers = append(offers, k.Apply(d.made()).Changes...)
	}
	return offers
}

func (t *Turn) madeFrom(kit string) (devices []*deviceLive) {
	for _, d := range t.live.devices {
		if d.Kit == kit {
			devices = append(devices, d)
		}
	}
	slices.SortFunc(devices, func(a, b *deviceLive) int { return strings.Compare(a.Name, b.Name) })
	return devices
}

// Offers tells what a kit would change of devices: those named, or all that were made from it.
func (p *Pipeline) Offers(ctx context.Context, name string, devices []string) (offers []site.KitChange, err error) {
	err = p.Do(ctx, func(t *Turn) error {
		k, found, err := t.kitAndDevices(name, devices)
		offers = []site.KitChange{}
		for _, d := range found {
			offers = append(offers, k.Apply(d.made()).Changes...)
		}
		return err
	})
	return offers, err
}

func (t *Turn) kitAndDevices(name string, devices []string) (*site.Kit, []*deviceLive, error) {
	k, err := t.kitNamed(name)
	if err != nil {
		return nil, nil, err
	}
	if len(devices) == 0 {
		return k, t.madeFrom(name), nil
	}
	var found []*deviceLive
	for _, device := range devices {
		d, err := t.deviceNamed(device)
		if err != nil {
			return nil, nil, err
		}
		found = append(found, d)
	}
	return k, found, nil
}

// ApplyKit makes devices what a kit says: those named, or all that were made from it. It tells what it
// has changed.
func (p *Pipeline) ApplyKit(ctx context.Context, name string, devices []string, who Actor) (changes []site.KitChange, err error) {
	err = p.Do(ctx, func(t *Turn) error {
		k, found, err := t.kitAndDevices(name, devices)
		changes = []site.KitChange{}
		if err != nil {
			return err
		}
		for _, d := range found {
			changes = append(changes, k.Apply(d.made()).Changes...)
			if err := t.applyKit(k, d, who); err != nil {
				return err
			}
		}
		return t.ConfigChanged()
	})
	return changes, err
}

func (t *Turn) applyKit(k *site.Kit, d *deviceLive, who Actor) error {
	t.touched = true
	before := d.Device
	applied := k.Apply(d.made())
	if len(applied.Changes) == 0 {
		return nil
	}
	d.Device = applied.Device
	if err := t.saveKitSignals(d, applied.Signals); err != nil {
		return err
	}
	for _, g := range applied.Guards {
		if old := t.live.guards[g.ID]; old != nil && old.Guard.Same(g) {
			continue
		}
		if g.ID == 0 && who.Email != "" {
			g.Tell = []string{who.Email}
		}
		if err := t.saveGuard(&g, who.Called); err != nil {
			return fmt.Errorf("guard %s of kit %s: %w", g.Name, k.Name, err)
		}
	}
	for _, o := range applied.Outputs {
		if old := d.outputs[o.Name]; old != nil && old.Spec == o.Spec {
			continue
		}
		if err := t.saveOutput(d, o.Name, o.Spec, who); err != nil {
			return fmt.Errorf("output %s of kit %s: %w", o.Name, k.Name, err)
		}
	}
	if err := t.checkFaults(d.Faults); err != nil {
		return err
	}
	if !d.Settings.Equal(before.Settings) {
		if err := t.order(d, d.Settings, who.Called); err != nil {
			return err
		}
	}
	if err := t.lookAnew(d, "what is expected of the device was changed"); err != nil {
		return err
	}
	if err := t.Tx.SaveDevice(t.ctx, &d.Device); err != nil {
		return err
	}
	return t.Enter("kit applied", d.Name, who.Called, fmt.Sprintf("Kit %s changed %s of device %s", k.Name, measure.Count(len(applied.Changes), "thing", "things"), d.Name))
}

func (t *Turn) saveKitSignals(d *deviceLive, signals []site.Signal) error {
	for i := range signals {
		v := &signals[i]
		if v.ID == 0 {
			if err := t.Tx.AddSignal(t.ctx, d.ID, v, t.CommitNo, t.Now); err != nil {
				return err
			}
			t.live.add(*v, d)
		}
		if err := t.Tx.SaveSignal(t.ctx, v); err != nil {
			return err
		}
		s := d.signals[v.Name]
		step := s.Step
		s.Signal = *v
		if err := t.stepFollows(s, step); err != nil {
			return err
		}
	}
	return nil
}

func (t *Turn) kitNamed(name string) (*site.Kit, error) {
	k, err := t.Tx.Kit(t.ctx, name)
	if errors.Is(err, store.ErrNotFound) {
		return nil, &measure.Fault{Field: "kit", Reason: "there is no kit " + name}
	}
	return &k, err
}

// KitFrom describes a device as a kit of the name.
func (p *Pipeline) KitFrom(ctx context.Context, name, device string) (k site.Kit, err error) {
	err = p.Do(ctx, func(t *Turn) error {
		d, err := t.deviceNamed(device)
		if err == nil {
			k = site.KitFrom(name, d.made())
		}
		return err
	})
	return k, err
}

// RemoveKit removes a kit; devices that were made from it stay as they are.
func (p *Pipeline) RemoveKit(ctx context.Context, name string, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		if _, err := t.Tx.Kit(t.ctx, name); err != nil {
			return fmt.Errorf("there is no kit %s: %w", name, err)
		}
		if err := t.KeepRemoved("kit", name, "", who.Called, "kit", "name", name); err != nil {
			return err
		}
		if err := t.Tx.RemoveKit(t.ctx, name); err != nil {
			return err
		}
		if err := t.Enter("kit removed", name, who.Called, "Kit "+name+" was removed"); err != nil {
			return err
		}
		return t.signalsChanged()
	})
}
