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

// MovesOn tells whether the entry, which came without a time, is put behind its signal's newest: see
// take.
func (e *Reading) MovesOn() bool {
	return e.Untimed && max(e.Signal.State.At, e.Signal.State.SteppedAt) <= e.At.Add(AheadIsFault)
}

// AheadIsFault is how far ahead of the service's clock a time must lie for the sender's clock to be wrong (docs/semantics.md 3).
const AheadIsFault = 2 * time.Minute
