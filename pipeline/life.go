package pipeline

import (
	"fmt"
	"slices"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
)

// silenceLimit is how long nothing may come before a thing of the interval is silent.
func silenceLimit(interval measure.Duration) time.Duration {
	return site.SilentAfter * time.Duration(interval)
}

func (t *Turn) lifeChanged(d *deviceLive) {
	t.touched = true
	if t.lives == nil {
		t.lives = map[int64]*deviceLive{}
	}
	t.lives[d.ID] = d
}

// hear notes a reading that arrived from a device: its silence is over, and its gateway's.
func (t *Turn) hear(d *deviceLive, at measure.Instant) error {
	d.hear(at)
	if d.state.SilentSince != 0 {
		if err := t.endSilence(d, at, alarm.EndBack, ""); err != nil {
			return err
		}
	}
	if d.gateway != nil && d.gateway.state.SilentSince != 0 {
		return t.endSilence(d.gateway, at, alarm.EndBack, "")
	}
	return nil
}

// endSilence lets a device count as heard again. Those behind it that are still silent get as long
// again to make themselves heard, since they could not while it was away.
func (t *Turn) endSilence(d *deviceLive, at measure.Instant, why alarm.Ending, cause string) error {
	d.state.SilentSince = 0
	t.wakeAt(d, at)
	t.seeAgain(d, at)
	for _, b := range d.behind {
		if b.state.SilentSince != 0 && b.state.AlarmID == nil {
			b.state.SilentSince, b.state.CountedFrom = 0, at
			t.wakeAt(b, at)
		}
	}
	return t.endDeviceAlarm(d, &d.state.AlarmID, at, why, cause)
}

// shortestLimit is the shortest silence that the device, its signals or their guards look for; 0: none does.
func (d *deviceLive) shortestLimit() (shortest time.Duration) {
	consider := func(limit time.Duration) {
		if limit != 0 && (shortest == 0 || limit < shortest) {
			shortest = limit
		}
	}
	consider(silenceLimit(d.Interval))
	for _, s := range d.signals {
		consider(silenceLimit(s.Interval))
		for _, g := range s.guards {
			if g.When.Kind == alarm.Silent {
				consider(time.Duration(g.When.Length()))
			}
		}
	}
	return shortest
}

// wakeAt has the device looked at when the shortest of its silence limits has passed after at.
func (t *Turn) wakeAt(d *deviceLive, at measure.Instant) {
	d.state.DueAt = nil
	if shortest := d.shortestLimit(); shortest != 0 {
		due := at.Add(shortest)
		d.state.DueAt = &due
	}
	if until := d.state.AbsentUntil; until != 0 {
		due := until.Add(d.patience())
		if d.state.DueAt == nil || due < *d.state.DueAt {
			d.state.DueAt = &due
		}
	}
	t.lifeChanged(d)
}

// lookAt sees whether a device or one of its signals has fallen silent, and when to look again.
// Silence is counted in arrival time while the ways in were up (docs/semantics.md 11).
func (t *Turn) lookAt(d *deviceLive, upSince measure.Instant) error {
	from := max(upSince, d.state.CountedFrom)
	var next *measure.Instant
	// silentAt gives the instant at which a thing fell silent; 0: it has not.
	silentAt := func(heard measure.Instant, limit time.Duration) measure.Instant {
		if limit == 0 || heard == 0 {
			return 0
		}
		at := max(heard, from).Add(limit)
		if at <= t.Now {
			return at
		}
		if next == nil || at < *next {
			next = &at
		}
		return 0
	}
	for _, s := range d.signals {
		limit := silenceLimit(s.interval())
		switch {
		case s.derived != nil && s.Interval == 0: // it falls silent with what it is made of
		case s.state.SilentAt != 0 && limit == 0: // nothing is expected of it any more
			s.state.SilentAt = 0
			t.changed(s)
			t.reconsider(s.suppresses, t.Now)
		case s.state.SilentAt == 0:
			if at := silentAt(s.state.ReceivedAt, limit); at != 0 {
				t.silence(s, at)
			}
		}
	}
	if d.state.SilentSince == 0 {
		if at := silentAt(d.heard, silenceLimit(d.Interval)); at != 0 {
			if err := t.goSilent(d, at); err != nil {
				return err
			}
		}
	}
	for _, s := range d.signals {
		for _, g := range s.guards {
			if g.When.Kind != alarm.Silent || g.state.SilentSince != 0 {
				continue
			}
			if at := silentAt(s.state.ReceivedAt, time.Duration(g.When.Length())); at != 0 {
				t.step(g, alarm.Event{Kind: alarm.Silence, At: at - s.state.Lag()}, "")
			}
		}
	}
	if until := d.state.AbsentUntil; until != 0 {
		if at := until.Add(d.patience()); at <= t.Now {
			t.resume(d, at)
			d.state.AbsentUntil = 0
		} else if next == nil || at < *next {
			next = &at
		}
	}
	d.state.DueAt = next
	t.lifeChanged(d)
	return nil
}

// silence lets the delays of a signal's guards stand still, and of all that is derived from it.
func (t *Turn) silence(s *signalLive, at measure.Instant) {
	s.state.SilentAt = at
	t.changed(s)
	for _, f := range s.feeds {
		if into := f.derived.signal; into.state.SilentAt == 0 && into.state.At != 0 {
			t.silence(into, at)
		}
	}
	for _, g := range s.guards {
		if g.When.Kind != alarm.Silent { // it has a limit of its own
			t.step(g, alarm.Event{Kind: alarm.Silence, At: at - s.state.Lag()}, "")
		}
	}
	t.stepLocks(s, alarm.Event{Kind: alarm.Silence, At: at - s.state.Lag()})
	t.reconsider(s.suppresses, at-s.state.Lag())
}

// goSilent makes a device silent. One behind a gateway that is silent too is told with the gateway.
func (t *Turn) goSilent(d *deviceLive, at measure.Instant) error {
	d.state.SilentSince = at
	t.lifeChanged(d)
	t.seeAgain(d, at)
	gateway := d.gateway
	if gateway != nil && gateway.SilenceAlarm {
		if gateway.state.AlarmID == nil && t.quiet(gateway) {
			gateway.state.SilentSince = at
			if err := t.raiseSilence(gateway, at); err != nil {
				return err
			}
		}
		if gateway.state.AlarmID != nil {
			return t.enterDevice("device silent", d, "Device "+d.Name+" is silent behind "+gateway.Name)
		}
	}
	if !d.SilenceAlarm {
		return t.enterDevice("device silent", d, "Device "+d.Name+" is silent")
	}
	return t.raiseSilence(d, at)
}

// seeAgain has what goes by the text and data of a device look again: they are silent only as long as the device is.
func (t *Turn) seeAgain(d *deviceLive, at measure.Instant) {
	for _, s := range d.signals {
		if s.Worded() && s.state.SilentAt == 0 {
			t.reconsider(s.suppresses, at)
			if d.state.SilentSince != 0 {
				t.stepLocks(s, alarm.Event{Kind: alarm.Silence, At: at - s.state.Lag()})
			}
		}
	}
}

// quiet tells whether nothing that should have come through a gateway did: all that have a stated
// interval are overdue, and there is more than one of them.
func (t *Turn) quiet(gateway *deviceLive) bool {
	stated := 0
	for _, d := range append([]*deviceLive{gateway}, gateway.behind...) {
		if d.Interval == 0 || d.heard == 0 {
			continue
		}
		heard := d.heard
		if d == gateway && len(gateway.signals) == 0 {
			continue
		}
		stated++
		if t.Now.Sub(heard) <= time.Duration(d.Interval) {
			return false
		}
	}
	return stated > 1
}

func (t *Turn) raiseSilence(d *deviceLive, at measure.Instant) error {
	title := site.Title(d.Title, d.Name)
	sentence := title + " is silent"
	if n := len(d.behind); n == 1 {
		sentence += " with the device behind it"
	} else if n > 1 {
		sentence += fmt.Sprintf(" with the %d devices behind it", n)
	}
	a := alarm.Alarm{Kind: alarm.BySilence, Value: at.Sub(d.heard).Seconds(), Unit: "s", Sentence: sentence, When: "silent",
		Advice: "Look whether it has power and network."}
	if d.Interval != 0 {
		a.When = "silent for " + measure.Duration(silenceLimit(d.Interval)).String()
	}
	return t.raiseDeviceAlarm(d, &d.state.AlarmID, a, at)
}

// raiseDeviceAlarm raises an alarm that no guard stands behind. It tells whom the guards of the
// device tell, as severely as the most severe of them; without guards, the owners.
func (t *Turn) raiseDeviceAlarm(d *deviceLive, into **int64, a alarm.Alarm, at measure.Instant) error {
	severity, tell := t.rosterOf(d)
	if severity, tell = said(d.Faults, severity, tell); len(tell) == 0 {
		var err error
		if tell, err = t.ownTell(); err != nil {
			return err
		}
	}
	a.Signal, a.Severity, a.State, a.RaisedAt, a.LearnedAt, a.Extreme = d.Name, severity, alarm.StateRaised, at, t.Now, a.Value
	if err := t.Tx.AddAlarm(t.ctx, &a, t.CommitNo); err != nil {
		return err
	}
	*into = &a.ID
	t.lifeChanged(d)
	if err := t.enter(a, "alarm raised", happening{Transition: alarm.Transition{At: at, Value: a.Value}}, a.Sentence); err != nil {
		return err
	}
	return t.tellAnew(story{Alarm: a, kind: roster.Raise}, tell)
}

// said gives how bad a fault is and whom it is told to, where somebody said so.
func said(f site.Faults, severity alarm.Severity, tell []string) (alarm.Severity, []string) {
	if f.Severity != "" {
		severity = f.Severity
	}
	if len(f.Tell) > 0 {
		tell = f.Tell
	}
	return severity, tell
}

// checkFaults sees that what is said of faults can be done.
func (t *Turn) checkFaults(f site.Faults) error {
	if err := f.Check(); err != nil {
		return err
	}
	return t.checkTell("faults.tell", f.Tell)
}

// rosterOf gives the highest severity and all addresses of the guards of a device and those behind it.
func (t *Turn) rosterOf(d *deviceLive) (alarm.Severity, []string) {
	var guards []*guardLive
	for _, device := range append([]*deviceLive{d}, d.behind...) {
		for _, s := range device.signals {
			guards = append(guards, s.guards...)
		}
	}
	return rosterOfGuards(guards)
}

func rosterOfGuards(guards []*guardLive) (alarm.Severity, []string) {
	severity, tell := alarm.Warning, []string{}
	for i, g := range guards {
		if worst := g.Severest(); i == 0 || worst.Above(severity) {
			severity = worst
		}
		tell = append(tell, g.Tell...)
	}
	slices.Sort(tell)
	return severity, slices.Compact(tell)
}

// endDeviceAlarm lets a standing alarm of a device be over.
func (t *Turn) endDeviceAlarm(d *deviceLive, standing **int64, at measure.Instant, why alarm.Ending, cause string) error {
	if *standing == nil {
		return nil
	}
	a, err := t.Tx.Alarm(t.ctx, **standing)
	if err != nil {
		return err
	}
	*standing = nil
	t.lifeChanged(d)
	at = a.End(at, why, cause)
	if a.Kind == alarm.BySilence {
		a.Extreme += at.Sub(a.RaisedAt).Seconds()
	}
	return t.over(a, happening{Transition: alarm.Transition{At: at, Value: a.Value}}, alarm.Test{})
}

func (t *Turn) enterDevice(kind string, d *deviceLive, text string) error {
	return t.Enter(kind, d.Name, "", text)
}

// judgeClock raises a clock fault when a device has sent nothing but late readings for three of its
// intervals (docs/semantics.md 3), and ends it at the first that is in time.
//
// A backlog says nothing of a clock: what is not sent when it is measured does not count.
func (t *Turn) judgeClock(d *deviceLive, arrived measure.Instant, n *taken) error {
	sent := site.Sent{Arrived: arrived, Measured: n.newest}
	backlog := d.sent.Arrived != 0 && !sent.Live(d.sent)
	d.sent = sent
	switch {
	case n.inTime > 0 && (d.state.LateSince != 0 || d.state.ClockAlarmID != nil):
		d.state.LateSince = 0
		t.lifeChanged(d)
		return t.endDeviceAlarm(d, &d.state.ClockAlarmID, arrived, alarm.EndBack, "")
	case n.inTime > 0 || n.late == 0 || d.Interval == 0:
		return nil
	case d.state.LateSince == 0 || backlog && d.state.ClockAlarmID == nil:
		d.state.LateSince = arrived
		t.lifeChanged(d)
	case d.state.ClockAlarmID == nil && arrived.Sub(d.state.LateSince) >= silenceLimit(d.Interval):
		return t.raiseDeviceAlarm(d, &d.state.ClockAlarmID, alarm.Alarm{Kind: alarm.ByClock, When: "late for " + measure.Duration(silenceLimit(d.Interval)).String(), Unit: "s",
			Value: arrived.Sub(d.state.LateSince).Seconds(), Sentence: site.Title(d.Title, d.Name) + " is sending old readings alone; its clock is perhaps wrong",
			Advice: fmt.Sprintf("Set the device's clock, or correct it here: jaunty device set %s --clock-offset SECONDS", d.Name)}, arrived)
	}
	return nil
}

// judgeCatchingUp notes since when a device's newest readings are older than three of its intervals on
// arrival.
func (t *Turn) judgeCatchingUp(d *deviceLive, arrived, newest measure.Instant) {
	if d.Interval == 0 {
		return
	}
	behind := arrived.Sub(newest) > silenceLimit(d.Interval)
	switch {
	case behind && d.state.CatchingSince == 0:
		d.state.CatchingSince = arrived
		t.lifeChanged(d)
	case !behind && d.state.CatchingSince != 0:
		d.state.CatchingSince = 0
		t.lifeChanged(d)
	}
}

// holdBack is how long the notices of a device that catches up are held back at most.
const holdBack = time.Minute

// heldUntil tells until when notices about a device are held back: 0, not at all.
func (d *deviceLive) heldUntil(now measure.Instant) measure.Instant {
	if d == nil || d.state.CatchingSince == 0 {
		return 0
	}
	if until := d.state.CatchingSince.Add(holdBack); until > now {
		return until
	}
	return 0
}

// unheard tells whether a signal is silent: by itself or, since text and data are said only when they change, with its device.
func (s *signalLive) unheard() bool {
	return s.state.SilentAt != 0 || s.Worded() && s.device.state.SilentSince != 0
}
