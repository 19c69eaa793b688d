package evidence

import (
	"context"
	"fmt"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/calibrate"
	"jauntylark/core/measure"
	"jauntylark/core/quality"
	"jauntylark/core/series"
	"jauntylark/pipeline"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/event"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/reading"
	"jauntylark/store"
	"jauntylark/store/events"
	"jauntylark/store/timeseries"
)

// ReplayOrder says what is to be replayed: a guard, saved or not, over a stretch.
type ReplayOrder struct {
	Guard      alarm.Guard
	From       measure.Instant
	Until      measure.Instant // 0: as far as the service has come
	WithEvents bool            // of a saved guard: through all that happened to it, as it was then
}

// Replayed is what a replay found.
type Replayed struct {
	Alarms   []alarm.Occurrence
	From     measure.Instant // the first reading, or the order's from
	Until    measure.Instant
	Readings int
	State    alarm.State // of the guard in the end
}

// Subject is the signal that a replay goes over.
type Subject struct {
	ID          int64
	rules       quality.Rules
	timeline    calibrate.Timeline
	SilentAfter time.Duration   // how long nothing may come; 0: any time
	Reached     measure.Instant // how far its guards have been stepped, by the signal's own time
}

// SubjectOf gives the signal as replays go over it.
func SubjectOf(s *memory.Signal, now measure.Instant) Subject {
	return Subject{s.ID, s.Rules, s.Timeline, memory.SilenceLimit(s.EffectiveInterval()),
		max(s.State.SteppedAt, now.Add(-event.SweepAfter)-s.State.Lag())}
}

// beyond tells on which side of the span a reading, given as the true value, lies.
func (s *Subject) beyond(r measure.Reading) alarm.Beyond {
	return memory.BeyondSpan(&s.rules, s.timeline, s.timeline.At(r.At).Raw(r.Value), r.At)
}

// Replay steps a guard, checked by FitGuard, or saved, over what is stored: the alarms that it would have raised.
// progress, if not nil, is told now and then how far it is, and ends it when it fails.
func Replay(ctx context.Context, p *pipeline.Pipeline, o ReplayOrder,
	progress func(at measure.Instant, soFar []alarm.Occurrence) error) (Replayed, error) {
	g, over, err := compile(ctx, p, o.Guard)
	if err != nil {
		return Replayed{}, err
	}
	tx, err := p.Store.Look(ctx)
	if err != nil {
		return Replayed{}, err
	}
	defer tx.Rollback()
	if o.WithEvents {
		return replayEvents(ctx, p, tx, g, over, o)
	}
	g.Latch = false // nobody is there to reset it: as if somebody did so at once
	if o.Until == 0 {
		o.Until = over.Reached
	}
	out := Replayed{From: o.From, Until: o.Until}
	run, err := over.run(ctx, tx, g, o.From)
	if err != nil {
		return out, err
	}
	began := run.State.HeldAt != 0
	walk, err := timeseries.NewWalk(ctx, tx, over.ID, o.From, o.Until)
	if err != nil {
		return out, err
	}
	told := time.Now()
	room := make([]measure.Reading, 0, series.BlockReadings)
	for {
		some, err := walk.Next(ctx, room)
		if err != nil || len(some) == 0 {
			out.Alarms = run.Finish(o.Until)
			out.State = run.State
			return out, err
		}
		if out.Readings == 0 && !began {
			out.From = some[0].At
		}
		out.Readings += len(some)
		run.Take(some, over.beyond)
		if progress != nil && time.Since(told) > progressEvery {
			told = time.Now()
			if err := progress(some[len(some)-1].At, run.Alarms); err != nil {
				return out, err
			}
		}
	}
}

// HeldAt gives the value that holds at an instant, however old, and when the signal was last heard before; none where
// the signal was silent by then.
func (s *Subject) HeldAt(ctx context.Context, tx *store.Tx,
	at measure.Instant) (held measure.Reading, heard measure.Instant, err error) {
	// ever longer stretches: what is near is found soon
	for begin, back := at, measure.Instant(600_000); begin > 0 && held.At == 0; back *= 8 {
		end := begin - 1
		begin = max(0, at-back)
		err = timeseries.EachReading(ctx, tx, s.ID, begin, end, func(some []measure.Reading) error {
			heard = max(heard, some[len(some)-1].At)
			for i := len(some) - 1; i >= 0; i-- {
				if some[i].Quality.Usable() {
					held = some[i]
					return nil
				}
			}
			return nil
		})
		known := heard != 0 || begin < at.Add(-s.SilentAfter)
		if err != nil || s.SilentAfter != 0 && known && at.Sub(heard) > s.SilentAfter {
			return measure.Reading{}, 0, err
		}
	}
	return held, heard, nil
}

// run begins a replay over readings alone.
func (s *Subject) run(ctx context.Context, tx *store.Tx, g *alarm.Guard, from measure.Instant) (*alarm.Run, error) {
	held, heard, err := s.HeldAt(ctx, tx, from)
	run := alarm.NewRun(g, from, held)
	run.SilentAfter, run.Heard = s.SilentAfter, heard
	return run, err
}

const progressEvery = 100 * time.Millisecond

// replayEvents goes through all that happened to a guard, in the order in which it happened: its readings but for those
// that came late, acts of people, silences, its versions. It gives the alarms that were raised.
func replayEvents(ctx context.Context, p *pipeline.Pipeline, tx *store.Tx, g *alarm.Guard, over Subject,
	o ReplayOrder) (Replayed, error) {
	if o.Until == 0 { // of a device whose clock is ahead that lies past now
		o.Until = max(p.Now(), over.Reached)
	}
	out := Replayed{From: o.From, Until: o.Until}
	events, err := events.GuardEvents(ctx, tx, o.Guard.ID)
	if err == nil && len(events) == 0 {
		err = fmt.Errorf("what happened to guard %s is not kept: it was made before that was: %w", o.Guard.Name,
			commit.ErrNotNow)
	}
	if err != nil {
		return out, err
	}
	out.From = events[0].Event.At
	first := events[0].SignalStepped
	over.SilentAfter = 0 // silences are among the events
	held, _, err := over.HeldAt(ctx, tx, first+1)
	if err != nil {
		return out, err
	}
	run := alarm.NewRun(g, 0, measure.Reading{})
	run.State.Held, run.State.HeldAt = held.Value, held.At
	walk, err := timeseries.NewWalk(ctx, tx, over.ID, first+1, o.Until)
	if err != nil {
		return out, err
	}
	current := g
	happen := func(before measure.Instant) error {
		for len(events) > 0 && events[0].SignalStepped < before && events[0].Event.At <= o.Until {
			if v := events[0].Version; v != nil {
				if current, over, err = compile(ctx, p, *v); err != nil {
					return err
				}
			}
			run.Event(current, events[0].Event)
			events = events[1:]
		}
		return nil
	}
	var some []measure.Reading
	room := make([]measure.Reading, 0, series.BlockReadings)
	for {
		if some, err = walk.Next(ctx, room); err != nil || len(some) == 0 {
			break
		}
		out.Readings += len(some)
		for i := range some {
			if some[i].Quality&measure.Late != 0 {
				continue
			}
			if err := happen(some[i].At); err != nil {
				return out, err
			}
			run.Take(some[i:i+1], over.beyond)
		}
	}
	if err == nil {
		err = happen(1 << 61)
	}
	out.Alarms = run.Finish(o.Until)
	return out, err
}

// FitGuard checks a guard that is not saved as if it were to be, and gives it with its limits in the signal's unit.
func FitGuard(ctx context.Context, p *pipeline.Pipeline, g alarm.Guard) (alarm.Guard, error) {
	err := p.Do(ctx, func(t *reading.Turn) error {
		s, err := t.Site.FindSignal(g.Signal)
		if err != nil {
			return err
		}
		return configure.FitGuardIn(t, &g, s)
	})
	return g, err
}

// compile makes a guard, as it is or was saved, ready to be stepped.
func compile(ctx context.Context, p *pipeline.Pipeline, g alarm.Guard) (*alarm.Guard, Subject, error) {
	var over Subject
	entry := &memory.Guard{Guard: g}
	err := p.Do(ctx, func(t *reading.Turn) error {
		s, err := t.Site.FindSignal(g.Signal)
		if err != nil {
			return err
		}
		over = SubjectOf(s, t.Now)
		return t.Site.Prepare(t.Ctx, t.Tx, entry)
	})
	return &entry.Guard, over, err
}
