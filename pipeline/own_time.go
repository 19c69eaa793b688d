package pipeline

import (
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/store"
)

// onTime is how old a reading is on arrival, in milliseconds, at most, that was sent when it was measured.
const onTime measure.Instant = 5000

// followClocks moves the own time of the signals of a pack whose clock moved against ours, or ours against it, before its readings are
// stepped: what was counted stays as long, and a reading that is new is not taken for a late one (docs/semantics.md, "Time that leaps").
func (t *Turn) followClocks(entries []entry, arrived measure.Instant) error {
	t.packs++
	for i := len(entries) - 1; i >= 0; i-- { // the newest of each signal is its last
		e := &entries[i]
		if this := (packNo{t.CommitNo, t.packs}); e.signal.state.At == 0 || e.signal.newest == this {
			continue
		} else {
			e.signal.newest = this
		}
		if err := t.followClock(e, arrived); err != nil {
			return err
		}
	}
	return nil
}

// packNo names a pack: its commit, and its place there.
type packNo struct {
	commit int64
	place  int
}

// followClock does so for one signal, by the newest reading of a pack.
func (t *Turn) followClock(e *entry, arrived measure.Instant) error {
	s, at, lag := e.signal, e.at, arrived-e.at
	st := &s.state
	if leapt := -st.Ahead; leapt > 0 { // our clock was set forward since the reading before: has the sender's been too?
		st.Ahead = 0
		t.changed(s)
		if distance(lag, st.Lag()-leapt) < distance(lag, st.Lag()) {
			if err := t.moveTime(s, leapt); err != nil {
				return err
			}
		}
	}
	newest := max(st.At, st.SteppedAt)
	switch {
	case st.Ahead > 0 && at <= newest && newest > arrived+store.ClockSlack && isLive(st, lag):
		if _, again := t.storedAt(s.ID, at); again && !e.untimed {
			return nil
		}
		back := min(st.Lag()-lag, at-1-st.SteppedAt)
		st.Ahead = 0
		return t.moveTime(s, back)
	case -lag > st.Ahead+store.ClockSlack:
		if st.Ahead == 0 {
			st.LagBefore = max(0, st.Lag())
		}
		st.Ahead = -lag
		t.changed(s)
	}
	return nil
}

// isLive tells whether a reading that is so old on arrival was sent when it was measured, by a clock that is right, or as far behind
// as it was before it went ahead.
func isLive(st *store.SignalState, lag measure.Instant) bool {
	return lag >= -store.ClockSlack && (lag <= onTime || distance(lag, st.LagBefore) <= onTime)
}

func distance(a, b measure.Instant) measure.Instant { return max(a-b, b-a) }

// moveTime moves the own time of a signal: all that is counted by it, and when its standing alarms were raised.
func (t *Turn) moveTime(s *signalLive, by measure.Instant) error {
	if by == 0 {
		return nil
	}
	st := &s.state
	st.HighestAt = st.Newest()
	for _, at := range []*measure.Instant{&st.At, &st.HeldAt, &st.SteppedAt, &st.BeyondAt, &st.State.At, &st.SameSince, &st.WarmFrom, &st.FaultSince} {
		if *at != 0 {
			*at += by
		}
	}
	t.touched = true
	t.changed(s)
	e := alarm.Event{Kind: alarm.Moved, At: st.SteppedAt, Value: float64(by)}
	var standing []int64
	for _, g := range s.guards {
		if g.begunAt != 0 {
			g.begunAt += by
		}
		g.newest = newestStep{}
		standing = append(standing, g.alarms[alarm.High], g.alarms[alarm.Low])
		t.step(g, e, "")
		t.keep(g)
	}
	for _, i := range s.locks {
		if i.begunAt != 0 {
			i.begunAt += by
		}
		t.stepLock(i, e)
		t.mayLook(i)
	}
	if st.FaultAlarm != nil {
		standing = append(standing, *st.FaultAlarm)
	}
	if err := t.Tx.MoveStanding(t.ctx, s.ID, standing, time.Duration(by)*time.Millisecond); err != nil {
		return err
	}
	for _, f := range s.feeds {
		if err := t.moveDerived(f.derived, st.At, by); err != nil {
			return err
		}
	}
	return nil
}

// moveDerived moves the time of what is derived from a signal whose time was moved to at, unless another input has moved it.
func (t *Turn) moveDerived(d *derivedLive, at, by measure.Instant) error {
	d.machine = nil
	newest := d.signal.state.At
	if newest == 0 || by > 0 && newest >= at-by/2 || by < 0 && newest <= at-by/2 {
		return nil
	}
	return t.moveTime(d.signal, by)
}

// findRoom finds the next instant at which nothing is stored for a reading without a time.
func (t *Turn) findRoom(e *entry) error {
	const looked = 16
	for {
		rows := make([]store.Row, looked)
		for i := range rows {
			rows[i] = store.Row{Signal: e.signal.ID, At: e.at + measure.Instant(i)}
		}
		found, err := t.Tx.FindReadings(t.ctx, rows)
		if err != nil {
			return err
		}
		taken := map[measure.Instant]bool{}
		for _, r := range found {
			taken[r.At] = true
		}
		for _, r := range rows {
			if _, now := t.storedAt(r.Signal, r.At); !now && !taken[r.At] {
				e.at = r.At
				return nil
			}
		}
		e.at += looked
	}
}
