package total

import "jauntylark/core/measure"

// Reset is a moment from which a total counts anew.
type Reset struct {
	ID     int64            `json:"id" db:"id"`
	At     measure.Instant  `json:"at" db:"at" format:"date-time"`
	Who    string           `json:"who" db:"who"`
	Note   string           `json:"note" db:"note"`
	Undone *measure.Instant `json:"undone_at" db:"undone_at" format:"date-time"`
}
