package configure

import (
	"context"
	"fmt"
	"strings"
	"time"

	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/credential"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/reading"
	"jauntylark/store"
	"jauntylark/store/config"
)

// Secret is a key as it is kept: its hash and, where DTLS is offered, the key itself, sealed.
type Secret struct {
	Hash   [32]byte
	Sealed []byte
}

// AddDevice stores a new device with its first key, made from its kit when it names one.
func AddDevice(ctx context.Context, p *pipeline.Pipeline, d *site.Device, key Secret, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		if err := noArrival(t, d.Name); err != nil {
			return err
		}
		entry, err := addDevice(t, d, who)
		if err != nil {
			return err
		}
		if _, _, err := config.AddKey(t.Ctx, t.Tx, entry.ID, key.Hash[:], key.Sealed, t.Now); err != nil {
			return err
		}
		*d = entry.Device
		return nil
	})
}

// addDevice stores a new device without a key and takes it in.
func addDevice(t *reading.Turn, d *site.Device, who pipeline.Actor) (*memory.Device, error) {
	d.CreatedAt, d.SilenceAlarm = t.Now, true
	kit := d.Kit
	d.Kit = ""
	if err := config.AddDevice(t.Ctx, t.Tx, d, t.CommitNo); err != nil {
		return nil, err
	}
	t.ConfigChanged(store.Change{Scope: store.OfDevice, ID: d.ID})
	entry := &memory.Device{Device: *d, Signals: map[string]*memory.Signal{}, Outputs: map[string]*memory.Output{},
		State: config.DeviceState{Device: d.ID}}
	t.Site.Devices[d.ID], t.Site.Named[d.Name] = entry, entry
	t.Site.ByID[d.ID], t.Site.ByName[d.Name] = &entry.Device, &entry.Device
	if err := standBehind(t, entry, d.Behind); err != nil {
		return nil, err
	}
	if err := config.SaveDevice(t.Ctx, t.Tx, &entry.Device); err != nil {
		return nil, err
	}
	if err := t.Enter("device added", d.Name, who.Called, "Device "+d.Name+" was added"); err != nil {
		return nil, err
	}
	if kit == "" {
		return entry, nil
	}
	k, err := kitNamed(t, kit)
	if err != nil {
		return nil, err
	}
	return entry, applyKit(t, k, entry, who)
}

// standBehind puts a device behind a gateway; the empty name puts it in front.
func standBehind(t *reading.Turn, d *memory.Device, gateway string) error {
	d.Behind = gateway
	if gateway == "" {
		d.Gateway = nil
		return nil
	}
	g := t.Site.Named[gateway]
	fault := func(format string, args ...any) error {
		return &measure.Fault{Field: "behind", Reason: fmt.Sprintf(format, args...)}
	}
	switch {
	case g == nil:
		return fault("%s", site.Unknown("device", gateway, t.Site.DeviceNames()))
	case g == d:
		return fault("a device cannot stand behind itself")
	case g.Behind != "":
		return fault("%s stands behind %s itself; a gateway stands in front", gateway, g.Behind)
	case len(d.Members) > 0:
		return fault("a gateway cannot stand behind another, and %s is one: %s behind it", d.Name,
			prose.Count(len(d.Members), "device stands", "devices stand"))
	}
	d.Gateway = g
	return nil
}

// SetDevice changes what is said of a device.
func SetDevice(ctx context.Context, p *pipeline.Pipeline, name string, c act.DeviceChange, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		d, err := t.Site.FindDevice(name)
		if err != nil {
			return err
		}
		t.ConfigChanged(d.Change())
		var said []string
		say := func(format string, args ...any) { said = append(said, fmt.Sprintf(format, args...)) }
		if c.Title != nil {
			d.Title = strings.TrimSpace(*c.Title)
			say("called %q", d.Title)
		}
		if c.Behind != nil {
			if err := standBehind(t, d, *c.Behind); err != nil {
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
			if s := d.Signals[*c.Uptime]; *c.Uptime != "" && (s == nil || s.Kind != site.KindNumber ||
				s.Derived != nil) {
				return &measure.Fault{Field: "uptime", Reason: fmt.Sprintf("%s has no measured number signal %q", name,
					*c.Uptime)}
			}
			d.Uptime = *c.Uptime
			say("uptime told by %q", d.Uptime)
		}
		if faults := d.Faults; c.FaultsChange.Onto(&faults) {
			if err := checkFaults(t, faults); err != nil {
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
			if err := judgeAnew(t, d, "what is expected of the device was changed"); err != nil {
				return err
			}
		}
		if err := config.SaveDevice(t.Ctx, t.Tx, &d.Device); err != nil {
			return err
		}
		if err := t.Enter("device set", name, who.Called, "Device "+name+": "+strings.Join(said, ", ")); err != nil {
			return err
		}
		return nil
	})
}

// judgeAnew lets a device whose interval was changed be judged by the new one, from now on.
func judgeAnew(t *reading.Turn, d *memory.Device, cause string) error {
	t.DeviceChanged(d)
	d.State.CountedFrom = t.Now
	if d.State.SilentSince != 0 {
		if err := t.EndSilence(d, t.Now, alarm.EndChanged, cause); err != nil {
			return err
		}
	}
	if d.ShortestLimit() != 0 {
		due := t.Now
		d.State.DueAt = &due
	} else {
		d.State.DueAt = nil
	}
	return nil
}

// RemoveDevice deletes a device with its signals, readings and guards. Standing alarms are over with
// that as their cause; the keys are remembered, so that what it sends later is an arrival.
func RemoveDevice(ctx context.Context, p *pipeline.Pipeline, name string, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		d, err := t.Site.FindDevice(name)
		if err != nil {
			return err
		}
		for _, s := range d.Signals {
			if err := s.Needed(d); err != nil {
				return err
			}
			if err := t.EndAlarmsOf(s, "the device was removed"); err != nil {
				return err
			}
			for _, g := range s.Guards {
				if i := t.Site.DrivenByGuard(g.Name, d); i != nil {
					return &measure.Fault{Field: "device",
						Reason: fmt.Sprintf("its guard %s drives %s by interlock %s; remove that first", g.Name,
							i.Output, i.Name)}
				}
				endGuard(t, g, who.Called, "the device was removed")
			}
		}
		if err := t.TellAll(); err != nil {
			return err
		}
		if err := endOutputsOf(t, d); err != nil {
			return err
		}
		for _, standing := range []**int64{&d.State.AlarmID, &d.State.ClockAlarmID} {
			if err := t.EndDeviceAlarm(d, standing, t.Now, alarm.EndUnwatched, "the device was removed"); err != nil {
				return err
			}
		}
		t.AlarmsMoved = true // interlocks may have looked at any alarm of it
		t.RemoveDevice(d)
		t.ReconsiderAll()
		if err := KeepRemoved(t, "device", name, d.Title, who.Called, "device", "id", d.ID); err != nil {
			return err
		}
		if err := config.RemoveDevice(t.Ctx, t.Tx, &d.Device, t.Now); err != nil {
			return err
		}
		if err := t.Enter("device removed", name, who.Called, "Device "+name+
			" was removed with its readings; it can be brought back for 30 days"); err != nil {
			return err
		}
		t.ConfigChanged(d.Change(), store.Change{Scope: store.OfKeys})
		for _, member := range d.Members {
			t.ConfigChanged(member.Change())
		}
		return nil
	})
}

// Order gives a device new settings; it gets them when it is next there.
func Order(ctx context.Context, p *pipeline.Pipeline, name string, s site.Settings, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		d, err := t.Site.FindDevice(name)
		if err != nil {
			return err
		}
		return GiveSettings(t, d, s, who.Called)
	})
}

// GiveSettings keeps new settings for a device, which gets them when it is next there.
func GiveSettings(t *reading.Turn, d *memory.Device, s site.Settings, who string) error {
	t.ConfigChanged(d.Change())
	at := t.Now
	d.Settings, d.Version, d.SettingsAt = s, d.Version+1, &at
	if err := config.SaveDevice(t.Ctx, t.Tx, &d.Device); err != nil {
		return err
	}
	return t.Enter("settings ordered", d.Name, who, fmt.Sprintf("Device %s is ordered: %s (version %d)", d.Name,
		s.Words(), d.Version))
}

// Confirm takes what a device says that it runs. A device whose interval is stated, or ordered, is
// expected as often as it says from then on.
func Confirm(ctx context.Context, p *pipeline.Pipeline, from credential.Sender, device string, r site.Report) error {
	return p.DoWithOthers(ctx, func(t *reading.Turn) error {
		who, err := t.Site.Identify(from, t.Now)
		if err != nil {
			return err
		}
		if who.Device == nil {
			return credential.ErrKeyUnknown
		}
		if device == "" {
			device = who.Device.Name
		}
		if !t.Site.MaySpeakFor(who.Device, device) {
			return &measure.Fault{Field: "device", Reason: fmt.Sprintf("%s cannot speak for %q", who.Device.Name,
				device)}
		}
		return confirm(t, t.Site.Named[device], r)
	})
}

func confirm(t *reading.Turn, d *memory.Device, r site.Report) error {
	if r.Version > d.Version || r.Version < 0 {
		return &measure.Fault{Field: "version", Reason: fmt.Sprintf("is %d, but the newest that was ordered is %d",
			r.Version, d.Version)}
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
	t.ConfigChanged(d.Change())
	at := t.Now
	d.Running, d.RunningNo, d.RunningAt = runs, r.Version, &at
	if runs.Interval != 0 && runs.Interval != d.Interval && (d.Interval != 0 || d.Settings.Interval != 0) {
		d.Interval = runs.Interval
		if err := judgeAnew(t, d, "it runs at another interval"); err != nil {
			return err
		}
	}
	if err := config.SaveDevice(t.Ctx, t.Tx, &d.Device); err != nil {
		return err
	}
	if err := t.Enter("settings confirmed", d.Name, "", fmt.Sprintf("Device %s runs version %d: %s", d.Name, r.Version,
		runs.Words())); err != nil {
		return err
	}
	return nil
}
