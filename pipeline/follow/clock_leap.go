package follow

import (
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/pipeline/memory"
	"jauntylark/store/events"
)

// MoveTime moves the own time of a signal: all that is counted by it, and when its standing alarms were raised.
func (t *Turn) MoveTime(s *memory.Signal, by measure.Instant) error {
	if by == 0 {
		return nil
	}
	st := &s.State
	st.HighestAt = st.Newest()
	for _, at := range []*measure.Instant{&st.At, &st.HeldAt, &st.SteppedAt, &st.BeyondAt, &st.State.At, &st.SameSince,
		&st.WarmFrom, &st.FaultSince} {
		if *at != 0 {
			*at += by
		}
	}
	t.Changed(s)
	e := alarm.Event{Kind: alarm.Moved, At: st.SteppedAt, Value: float64(by)}
	var standing []int64
	for _, g := range s.Guards {
		if g.BegunAt != 0 {
			g.BegunAt += by
		}
		g.Newest = memory.NewestStep{}
		standing = append(standing, g.Alarms[alarm.High], g.Alarms[alarm.Low])
		t.Step(g, e, "")
		t.GuardChanged(g)
	}
	for _, i := range s.Interlocks {
		if i.BegunAt != 0 {
			i.BegunAt += by
		}
		t.StepInterlock(i, e)
		t.MayLook(i)
	}
	if st.FaultAlarm != nil {
		standing = append(standing, *st.FaultAlarm)
	}
	if err := events.MoveStanding(t.Ctx, t.Tx, s.ID, standing, time.Duration(by)*time.Millisecond); err != nil {
		return err
	}
	for _, f := range s.Feeds {
		if err := t.moveDerived(f.Derived, st.At, by); err != nil {
			return err
		}
	}
	return nil
}

// moveDerived moves the time of what is derived from a signal whose time was moved to at, unless another input has
// moved it.
func (t *Turn) moveDerived(d *memory.Derived, at, by measure.Instant) error {
	d.Machine = nil
	newest := d.Into.State.At
	if newest == 0 || by > 0 && newest >= at-by/2 || by < 0 && newest <= at-by/2 {
		return nil
	}
	return t.MoveTime(d.Into, by)
}
