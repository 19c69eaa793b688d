package memory

import (
	"fmt"
	"slices"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/store"
	"jauntylark/store/config"
)

// Device is a device with all that belongs to it.
type Device struct {
	site.Device
	Signals map[string]*Signal
	Outputs map[string]*Output
	State   config.DeviceState
	Heard   measure.Instant // arrival of its newest reading; of a gateway, also of those behind it
	Members []*Device
	Gateway *Device
	Sent    site.Sent // its newest pack; zero where it was taken anew
	going   []*Signal // those that were removed and not taken off all that stays yet
}

// Change is a change of the device or of anything that hangs on it.
func (d *Device) Change() store.Change { return store.Change{Scope: store.OfDevice, ID: d.ID} }

// Hear notes that something arrived from the device, and through its gateway.
func (d *Device) Hear(at measure.Instant) {
	d.Heard = max(d.Heard, at)
	if d.Gateway != nil {
		d.Gateway.Heard = max(d.Gateway.Heard, at)
	}
}

// Made is a device as it stands, as far as a kit can change it.
func (d *Device) Made() site.Made {
	m := site.Made{Device: d.Device}
	for _, s := range d.Signals {
		v := s.Signal
		if s.State.At != 0 {
			v.At = &s.State.At
		}
		m.Signals = append(m.Signals, v)
		for _, g := range s.Guards {
			m.Guards = append(m.Guards, g.Guard)
		}
	}
	for _, o := range d.Outputs {
		m.Outputs = append(m.Outputs, o.Output)
	}
	slices.SortFunc(m.Outputs, func(a, b drive.Output) int { return strings.Compare(a.Name, b.Name) })
	slices.SortFunc(m.Signals, func(a, b site.Signal) int { return int(a.ID - b.ID) })
	slices.SortFunc(m.Guards, func(a, b alarm.Guard) int { return strings.Compare(a.Name, b.Name) })
	return m
}

// FindDevice gives a device; the error names the nearest one, and is store.ErrNotFound.
func (l *Site) FindDevice(name string) (*Device, error) {
	if d := l.Named[name]; d != nil {
		return d, nil
	}
	return nil, fmt.Errorf("%s: %w", site.Unknown("device", name, l.DeviceNames()), store.ErrNotFound)
}

// DeviceNames are the names of all devices, in no order.
func (l *Site) DeviceNames() []string {
	names := make([]string, 0, len(l.Named))
	for name := range l.Named {
		names = append(names, name)
	}
	return names
}
