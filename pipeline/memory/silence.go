package memory

import (
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// SilenceLimit is how long nothing may come before a thing of the interval is silent.
func SilenceLimit(interval measure.Duration) time.Duration {
	return site.SilentAfter * time.Duration(interval)
}

// holdBack is how long the notices of a device that catches up are held back at most.
const holdBack = time.Minute

// unheardAfter is how long, after an absence of ours, a device without an interval may say nothing before its delays go
// on.
const unheardAfter = time.Minute

// ShortestLimit is the shortest silence that the device, its signals or their guards look for; 0: none does.
func (d *Device) ShortestLimit() (shortest time.Duration) {
	consider := func(limit time.Duration) {
		if limit != 0 && (shortest == 0 || limit < shortest) {
			shortest = limit
		}
	}
	consider(SilenceLimit(d.Interval))
	for _, s := range d.Signals {
		consider(SilenceLimit(s.Interval))
		for _, g := range s.Guards {
			if g.When.Kind == alarm.Silent {
				consider(time.Duration(g.When.Length()))
			}
		}
	}
	return shortest
}

// HeldUntil tells until when notices about a device are held back: 0, not at all.
func (d *Device) HeldUntil(now measure.Instant) measure.Instant {
	if d == nil || d.State.CatchingSince == 0 {
		return 0
	}
	if until := d.State.CatchingSince.Add(holdBack); until > now {
		return until
	}
	return 0
}

// unheard tells whether a signal is silent: by itself or, since text and data are said only when they change, with its
// device.
func (s *Signal) unheard() bool {
	return s.State.SilentAt != 0 || s.Worded() && s.Home.State.SilentSince != 0
}

// Patience is how long, after an absence of ours, nothing may be heard of a device before its delays go on.
func (d *Device) Patience() time.Duration {
	longest := d.Interval
	for _, s := range d.Signals {
		longest = max(longest, s.EffectiveInterval())
	}
	if longest == 0 {
		return unheardAfter
	}
	return SilenceLimit(longest)
}

// Provisional tells whether an alarm that is raised now may be disproved by readings that are still to come: its device
// is catching up, or was not heard since the service was away.
func (d *Device) Provisional() bool { return d.State.CatchingSince != 0 || d.State.AbsentFrom != 0 }

// SilenceTold gives the standing alarm that tells already that the device, or the gateway that it stands behind, is
// silent.
func (d *Device) SilenceTold() *int64 {
	if d.State.AlarmID == nil && d.Gateway != nil {
		return d.Gateway.State.AlarmID
	}
	return d.State.AlarmID
}

// GatewayQuiet tells whether nothing that should have come through a gateway did: all that have a stated
// interval are overdue, and there is more than one of them.
func (t *Turn) GatewayQuiet(gateway *Device) bool {
	stated := 0
	for _, d := range append([]*Device{gateway}, gateway.Members...) {
		if d.Interval == 0 || d.Heard == 0 {
			continue
		}
		heard := d.Heard
		if d == gateway && len(gateway.Signals) == 0 {
			continue
		}
		stated++
		if t.Now.Sub(heard) <= time.Duration(d.Interval) {
			return false
		}
	}
	return stated > 1
}

// WakeAt has the device looked at when the shortest of its silence limits has passed after at.
func (t *Turn) WakeAt(d *Device, at measure.Instant) {
	d.State.DueAt = nil
	if shortest := d.ShortestLimit(); shortest != 0 {
		due := at.Add(shortest)
		d.State.DueAt = &due
	}
	if until := d.State.AbsentUntil; until != 0 {
		due := until.Add(d.Patience())
		if d.State.DueAt == nil || due < *d.State.DueAt {
			d.State.DueAt = &due
		}
	}
	t.DeviceChanged(d)
}
