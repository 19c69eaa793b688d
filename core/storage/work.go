package storage

import "jauntylark/core/measure"

// Work is what is still to be computed anew of a signal and of all that is derived from it.
type Work struct {
	Left measure.Millis `json:"left" db:"left_ms" doc:"seconds of readings that are still to be done; 0: all is"`
	Of   measure.Millis `json:"of" db:"of_ms" doc:"of so many that were noted"`
}
