package storage

// Work is what is still to be computed anew of a signal and of all that is derived from it.
type Work struct {
	Left int64 `json:"left" db:"left_ms" doc:"milliseconds of readings that are still to be done; 0: all is"`
	Of   int64 `json:"of" db:"of_ms" doc:"of so many that were noted"`
}
