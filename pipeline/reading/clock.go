package reading

import (
	"jauntylark/core/measure"
	"jauntylark/pipeline/memory"
	"jauntylark/store/config"
	"jauntylark/store/timeseries"
)

// onTime is how old a reading is on arrival, in milliseconds, at most, that was sent when it was measured.
const onTime measure.Instant = 5000

// isLive tells whether a reading that is so old on arrival was sent when it was measured, by a clock that is right, or
// as far behind as it was before it went ahead.
func isLive(st *config.SignalState, lag measure.Instant) bool {
	return lag >= -config.ClockSlack && (lag <= onTime || distance(lag, st.LagBefore) <= onTime)
}

func distance(a, b measure.Instant) measure.Instant { return max(a-b, b-a) }

// followClocks moves the own time of the signals of a pack whose clock moved against ours, or ours against it, before
// its readings are stepped: what was counted stays as long, and a reading that is new is not taken for a late one
// (docs/semantics.md, "Time that leaps").
func (t *Turn) followClocks(entries []memory.Reading, arrived measure.Instant) error {
	t.packs++
	for i := len(entries) - 1; i >= 0; i-- { // the newest of each signal is its last
		e := &entries[i]
		if this := (memory.PackNo{Commit: t.CommitNo, Place: t.packs}); e.Signal.State.At == 0 ||
			e.Signal.NewestPack == this {
			continue
		} else {
			e.Signal.NewestPack = this
		}
		if err := t.followClock(e, arrived); err != nil {
			return err
		}
	}
	return nil
}

// followClock does so for one signal, by the newest reading of a pack.
func (t *Turn) followClock(e *memory.Reading, arrived measure.Instant) error {
	s, at, lag := e.Signal, e.At, arrived-e.At
	st := &s.State
	if leapt := -st.Ahead; leapt > 0 { // our clock was set forward since the reading before: has the sender's been too?
		st.Ahead = 0
		t.Changed(s)
		if distance(lag, st.Lag()-leapt) < distance(lag, st.Lag()) {
			if err := t.MoveTime(s, leapt); err != nil {
				return err
			}
		}
	}
	newest := max(st.At, st.SteppedAt)
	switch {
	case st.Ahead > 0 && at <= newest && newest > arrived+config.ClockSlack && isLive(st, lag):
		if _, again := t.storedAt(s.ID, at); again && !e.Untimed {
			return nil
		}
		back := min(st.Lag()-lag, at-1-st.SteppedAt)
		st.Ahead = 0
		return t.MoveTime(s, back)
	case -lag > st.Ahead+config.ClockSlack:
		if st.Ahead == 0 {
			st.LagBefore = max(0, st.Lag())
		}
		st.Ahead = -lag
		t.Changed(s)
	}
	return nil
}

// findRoom finds the next instant at which nothing is stored for a reading without a time.
func (t *Turn) findRoom(e *memory.Reading) error {
	const looked = 16
	for {
		rows := make([]timeseries.Row, looked)
		for i := range rows {
			rows[i] = timeseries.Row{Signal: e.Signal.ID, At: e.At + measure.Instant(i)}
		}
		found, err := timeseries.FindReadings(t.Ctx, t.Tx, rows)
		if err != nil {
			return err
		}
		taken := map[measure.Instant]bool{}
		for _, r := range found {
			taken[r.At] = true
		}
		for _, r := range rows {
			if _, now := t.storedAt(r.Signal, r.At); !now && !taken[r.At] {
				e.At = r.At
				return nil
			}
		}
		e.At += looked
	}
}
