package commit

import (
	"context"
	"time"

	"jauntylark/store/events"
)

// Moment is what the service's clock shows, and the sum of the leaps of all processes that it has taken.
func (e *Engine[T, In, Out]) Moment() events.Moment {
	now, leapt := e.Clock.Show()
	before := e.before.Load()
	if before == nil {
		return events.Moment{At: now}
	}
	sum := *before + leapt.Milliseconds()
	return events.Moment{At: now, Leapt: &sum}
}

// mayHaveBeenAway tells whether this process cannot know by itself that the service was up until now: it has just
// begun, has lost the database, or has stood still.
func (e *Engine[T, In, Out]) mayHaveBeenAway() bool {
	seen := e.seen.Load()
	return e.unsure.Load() || seen != 0 && e.Clock.Elapsed().Milliseconds()-seen > stoodStill.Milliseconds()
}

// isUp notes that the process was at work at a moment.
func (e *Engine[T, In, Out]) isUp(at events.Moment) {
	e.upAt.Store(&at)
	e.seen.Store(e.Clock.Elapsed().Milliseconds())
}

// beatEvery notes that the ways in are up.
func (e *Engine[T, In, Out]) beatEvery(ctx context.Context) {
	nothing := func(T) error { return nil }
	tick := time.NewTicker(beatInterval)
	defer tick.Stop()
	for {
		if ctx.Err() != nil {
			return
		}
		e.beat(ctx, nothing)
		select {
		case <-ctx.Done():
		case <-tick.C:
		}
	}
}

func (e *Engine[T, In, Out]) beat(ctx context.Context, nothing func(T) error) {
	if e.mayHaveBeenAway() && e.Do(ctx, nothing) != nil { // what was away is found out first
		return
	}
	now, from := e.Moment(), e.Clock.Elapsed()
	shown, err := events.Beat(ctx, e.Store, now, DownAfter.Milliseconds())
	if err != nil {
		return
	}
	e.isUp(now)
	if e.Clock.Compare(shown, from, e.Clock.Elapsed()) != 0 {
		_ = e.Do(ctx, nothing) // each commit takes what the clock leapt by
	}
}
