package memory

import (
	"time"

	"jauntylark/core/measure"
)

// Reading is one sample that has found its signal.
type Reading struct {
	Signal  *Signal
	Index   int
	Named   string // as the sender named it
	At      measure.Instant
	Untimed bool // at is the arrival
	Value   float64
	Quality measure.Quality
}

// MovesOn tells whether the reading, which came without a time, may be put behind its signal's newest. One of a signal
// that is far ahead of the clock may not.
func (e *Reading) MovesOn() bool {
	return e.Untimed && max(e.Signal.State.At, e.Signal.State.SteppedAt) <= e.At.Add(AheadIsFault)
}

// AheadIsFault is how far ahead of the service's clock a time must lie for the sender's clock to be wrong
// (docs/semantics.md 3).
const AheadIsFault = 2 * time.Minute
