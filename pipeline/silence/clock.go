package silence

import (
	"fmt"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/memory"
)

// Taken counts what was new of one device in a pack.
type Taken struct {
	InTime, Late int
	Newest       measure.Instant
}

// JudgeClock raises a clock fault when a device has sent nothing but late readings for three of its
// intervals (docs/semantics.md 3), and ends it at the first that is in time.
//
// A backlog says nothing of a clock: what is not sent when it is measured does not count.
func (t *Turn) JudgeClock(d *memory.Device, arrived measure.Instant, n *Taken) error {
	sent := site.Sent{Arrived: arrived, Measured: n.Newest}
	backlog := d.Sent.Arrived != 0 && !sent.Live(d.Sent)
	d.Sent = sent
	switch {
	case n.InTime > 0 && (d.State.LateSince != 0 || d.State.ClockAlarmID != nil):
		d.State.LateSince = 0
		t.DeviceChanged(d)
		return t.EndDeviceAlarm(d, &d.State.ClockAlarmID, arrived, alarm.EndBack, "")
	case n.InTime > 0 || n.Late == 0 || d.Interval == 0:
		return nil
	case d.State.LateSince == 0 || backlog && d.State.ClockAlarmID == nil:
		d.State.LateSince = arrived
		t.DeviceChanged(d)
	case d.State.ClockAlarmID == nil && arrived.Sub(d.State.LateSince) >= memory.SilenceLimit(d.Interval):
		return t.RaiseDeviceAlarm(d, &d.State.ClockAlarmID, alarm.Alarm{Kind: alarm.ByClock, When: "late for " +
			measure.Duration(memory.SilenceLimit(d.Interval)).String(), Unit: "s",
			Value: arrived.Sub(d.State.LateSince).Seconds(), Sentence: site.Title(d.Title, d.Name) +
				" is sending old readings alone; its clock is perhaps wrong",
			Advice: fmt.Sprintf(
				"Set the device's clock, or correct it here: jaunty device set %s --clock-offset SECONDS", d.Name)},
			arrived)
	}
	return nil
}

// JudgeCatchingUp notes since when a device's newest readings are older than three of its intervals on
// arrival.
func (t *Turn) JudgeCatchingUp(d *memory.Device, arrived, newest measure.Instant) {
	if d.Interval == 0 {
		return
	}
	behind := arrived.Sub(newest) > memory.SilenceLimit(d.Interval)
	switch {
	case behind && d.State.CatchingSince == 0:
		d.State.CatchingSince = arrived
		t.DeviceChanged(d)
	case !behind && d.State.CatchingSince != 0:
		d.State.CatchingSince = 0
		t.DeviceChanged(d)
	}
}
