package pipeline

import (
	"context"
	"fmt"
	"strings"
	"time"

	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/store"
)

// Actor is the person behind an act.
type Actor struct {
	Called string // in sentences
	Email  string
}

// Secret is a key as it is kept: its hash and, where DTLS is offered, the key itself, sealed.
type Secret struct {
	Hash   [32]byte
	Sealed []byte
}

// AddDevice stores a new device with its first key, made from its kit when it names one.
func (p *Pipeline) AddDevice(ctx context.Context, d *site.Device, key Secret, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		if err := t.noArrival(d.Name); err != nil {
			return err
		}
		entry, err := t.addDevice(d, who)
		if err != nil {
			return err
		}
		if _, _, err := t.Tx.AddKey(t.ctx, entry.ID, key.Hash[:], key.Sealed, t.Now); err != nil {
			return err
		}
		*d = entry.Device
		return t.ConfigChanged()
	})
}

// addDevice stores a new device without a key and takes it in.
func (t *Turn) addDevice(d *site.Device, who Actor) (*deviceLive, error) {
	d.CreatedAt, d.SilenceAlarm = t.Now, true
	kit := d.Kit
	d.Kit = ""
	if err := t.Tx.AddDevice(t.ctx, d, t.CommitNo); err != nil {
		return nil, err
	}
	t.touched = true
	entry := &deviceLive{Device: *d, signals: map[string]*signalLive{}, outputs: map[string]*outputLive{}, state: store.DeviceState{Device: d.ID}}
	t.live.devices[d.ID], t.live.byName[d.Name] = entry, entry
	t.live.ByID[d.ID], t.live.ByName[d.Name] = &entry.Device, &entry.Device
	if err := t.standBehind(entry, d.Behind); err != nil {
		return nil, err
	}
	if err := t.Tx.SaveDevice(t.ctx, &entry.Device); err != nil {
		return nil, err
	}
	if err := t.Enter("device added", d.Name, who.Called, "Device "+d.Name+" was added"); err != nil {
		return nil, err
	}
	if kit == "" {
		return entry, nil
	}
	k, err := t.kitNamed(kit)
	if err != nil {
		return nil, err
	}
	return entry, t.applyKit(k, entry, who)
}

// standBehind puts a device behind a gateway; the empty name puts it in front.
func (t *Turn) standBehind(d *deviceLive, gateway string) error {
	d.Behind = gateway
	if gateway == "" {
		d.gateway = nil
		return nil
	}
	g := t.live.byName[gateway]
	fault := func(format string, args ...any) error {
		return &measure.Fault{Field: "behind", Reason: fmt.Sprintf(format, args...)}
	}
	switch {
	case g == nil:
		return fault("%s", site.Unknown("device", gateway, t.deviceNames()))
	case g == d:
		return fault("a device cannot stand behind itself")
	case g.Behind != "":
		return fault("%s stands behind %s itself; a gateway stands in front", gateway, g.Behind)
	case len(d.behind) > 0:
		return fault("a gateway cannot stand behind another, and %s is one: %s behind it", d.Name, measure.Count(len(d.behind), "device stands", "devices stand"))
	}
	d.gateway = g
	return nil
}

// SetDevice changes what is said of a device.
func (p *Pipeline) SetDevice(ctx context.Context, name string, c act.DeviceChange, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		d, err := t.deviceNamed(name)
		if err != nil {
			return err
		}
		t.touched = true
		var said []string
		say := func(format string, args ...any) { said = append(said, fmt.Sprintf(format, args...)) }
		if c.Title != nil {
			d.Title = strings.TrimSpace(*c.Title)
			say("called %q", d.Title)
		}
		if c.Behind != nil {
			if err := t.standBehind(d, *c.Behind); err != nil {
				return err
			}
			say("behind %q", d.Behind)
		}
		if c.Closed != nil {
			d.Closed = *c.Closed
			say("closed %v", d.Closed)
		}
		if c.ClockOffset != nil {
			d.ClockOffset = *c.ClockOffset
			say("clock offset %v s", d.ClockOffset)
		}
		if c.Interval != nil {
			if err := site.CheckInterval("interval", *c.Interval); err != nil {
				return err
			}
			d.Interval = *c.Interval
			say("interval %v", d.Interval)
		}
		if c.Uptime != nil {
			if s := d.signals[*c.Uptime]; *c.Uptime != "" && (s == nil || s.Kind != site.KindNumber || s.derived != nil) {
				return &measure.Fault{Field: "uptime", Reason: fmt.Sprintf("%s has no measured number signal %q", name, *c.Uptime)}
			}
			d.Uptime = *c.Uptime
			say("uptime told by %q", d.Uptime)
		}
		if faults := d.Faults; c.FaultsChange.Onto(&faults) {
			if err := t.checkFaults(faults); err != nil {
				return err
			}
			d.Faults = faults
			say("faults %s", d.Faults.Words())
		}
		if c.SilenceAlarm != nil {
			d.SilenceAlarm = *c.SilenceAlarm
			say("alarm of silence %v", d.SilenceAlarm)
		}
		if c.Interval != nil || c.SilenceAlarm != nil {
			if err := t.lookAnew(d, "what is expected of the device was changed"); err != nil {
				return err
			}
		}
		if err := t.Tx.SaveDevice(t.ctx, &d.Device); err != nil {
			return err
		}
		if err := t.Enter("device set", name, who.Called, "Device "+name+": "+strings.Join(said, ", ")); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

// lookAnew lets a device whose interval was changed be judged by the new one, from now on.
func (t *Turn) lookAnew(d *deviceLive, cause string) error {
	t.touched = true
	d.state.CountedFrom = t.Now
	if d.state.SilentSince != 0 {
		if err := t.endSilence(d, t.Now, alarm.EndChanged, cause); err != nil {
			return err
		}
	}
	if d.shortestLimit() != 0 {
		due := t.Now
		d.state.DueAt = &due
	} else {
		d.state.DueAt = nil
	}
	t.lifeChanged(d)
	return nil
}

// RemoveDevice deletes a device with its signals, readings and guards. Standing alarms are over with
// that as their cause; the keys are remembered, so that what it sends later is an arrival.
func (p *Pipeline) RemoveDevice(ctx context.Context, name string, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		d, err := t.deviceNamed(name)
		if err != nil {
			return err
		}
		for _, s := range d.signals {
			if err := s.needed(d); err != nil {
				return err
			}
			if err := t.endAlarmsOf(s, "the device was removed"); err != nil {
				return err
			}
			for _, g := range s.guards {
				if i := t.live.drivenByGuard(g.Name, d); i != nil {
					return &measure.Fault{Field: "device", Reason: fmt.Sprintf("its guard %s drives %s by interlock %s; remove that first", g.Name, i.Output, i.Name)}
				}
				t.endGuard(g, who.Called, "the device was removed")
			}
		}
		if err := t.tellAll(); err != nil {
			return err
		}
		if err := t.endOutputsOf(d); err != nil {
			return err
		}
		for _, standing := range []**int64{&d.state.AlarmID, &d.state.ClockAlarmID} {
			if err := t.endDeviceAlarm(d, standing, t.Now, alarm.EndUnwatched, "the device was removed"); err != nil {
				return err
			}
		}
		t.alarmsMoved = true // interlocks may have looked at any alarm of it
		delete(t.live.devices, d.ID)
		delete(t.live.byName, d.Name)
		t.reconsiderAll()
		if err := t.KeepRemoved("device", name, d.Title, who.Called, "device", "id", d.ID); err != nil {
			return err
		}
		if err := t.Tx.RemoveDevice(t.ctx, &d.Device, t.Now); err != nil {
			return err
		}
		if err := t.Enter("device removed", name, who.Called, "Device "+name+" was removed with its readings; it can be brought back for 30 days"); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

func (t *Turn) deviceNamed(name string) (*deviceLive, error) {
	if d := t.live.byName[name]; d != nil {
		return d, nil
	}
	return nil, fmt.Errorf("%s: %w", site.Unknown("device", name, t.deviceNames()), store.ErrNotFound)
}

// Order gives a device new settings; it gets them when it is next there.
func (p *Pipeline) Order(ctx context.Context, name string, s site.Settings, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		d, err := t.deviceNamed(name)
		if err != nil {
			return err
		}
		if err := t.order(d, s, who.Called); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

func (t *Turn) order(d *deviceLive, s site.Settings, who string) error {
	t.touched = true
	at := t.Now
	d.Settings, d.Version, d.SettingsAt = s, d.Version+1, &at
	if err := t.Tx.SaveDevice(t.ctx, &d.Device); err != nil {
		return err
	}
	return t.Enter("settings ordered", d.Name, who, fmt.Sprintf("Device %s is ordered: %s (version %d)", d.Name, s.Words(), d.Version))
}

// Confirm takes what a device says that it runs. A device whose interval is stated, or ordered, is
// expected as often as it says from then on.
func (p *Pipeline) Confirm(ctx context.Context, from Sender, device string, r site.Report) error {
	return p.DoWithOthers(ctx, func(t *Turn) error {
		who, err := t.live.Identify(from, t.Now)
		if err != nil {
			return err
		}
		if who.Device == nil {
			return ErrKeyUnknown
		}
		if device == "" {
			device = who.Device.Name
		}
		if !t.live.MaySpeakFor(who.Device, device) {
			return &measure.Fault{Field: "device", Reason: fmt.Sprintf("%s cannot speak for %q", who.Device.Name, device)}
		}
		return t.confirm(t.live.byName[device], r)
	})
}

func (t *Turn) confirm(d *deviceLive, r site.Report) error {
	if r.Version > d.Version || r.Version < 0 {
		return &measure.Fault{Field: "version", Reason: fmt.Sprintf("is %d, but the newest that was ordered is %d", r.Version, d.Version)}
	}
	runs := site.Settings{Interval: measure.Duration(r.Interval * float64(time.Second))}
	if err := site.CheckInterval("interval", runs.Interval); err != nil {
		return err
	}
	if r.Version == d.Version && d.Version > 0 {
		said := runs.Interval
		runs = d.Settings
		if said != 0 {
			runs.Interval = said
		}
	}
	if d.RunningNo == r.Version && d.Running.Equal(runs) {
		return nil
	}
	t.touched = true
	at := t.Now
	d.Running, d.RunningNo, d.RunningAt = runs, r.Version, &at
	if runs.Interval != 0 && runs.Interval != d.Interval && (d.Interval != 0 || d.Settings.Interval != 0) {
		d.Interval = runs.Interval
		if err := t.lookAnew(d, "it runs at another interval"); err != nil {
			return err
		}
	}
	if err := t.Tx.SaveDevice(t.ctx, &d.Device); err != nil {
		return err
	}
	if err := t.Enter("settings confirmed", d.Name, "", fmt.Sprintf("Device %s runs version %d: %s", d.Name, r.Version, runs.Words())); err != nil {
		return err
	}
	return t.ConfigChanged()
}
