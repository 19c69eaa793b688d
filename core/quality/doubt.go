package quality

import "jauntylark/core/measure"

// Doubt is a stretch of a signal whose readings carry some marks, as those that are of no use.
type Doubt struct {
	From    measure.Instant `json:"from" db:"from_at" format:"date-time"`
	Until   measure.Instant `json:"until" db:"until_at" format:"date-time" doc:"its last such reading, or the first without such marks after it"`
	Quality measure.Quality `json:"quality" nullable:"false" doc:"all marks in it"`
}
