package site

import (
	"time"

	"jauntylark/core/measure"
)

// BringBackFor is how long what was removed can be brought back.
const BringBackFor = 30 * 24 * time.Hour

// Removal is something that was removed and can be brought back.
type Removal struct {
	Kind  string          `json:"kind" db:"kind" doc:"what it was: guard, device, signal, contact …" example:"guard"`
	Name  string          `json:"name" db:"name" doc:"as it was called; of what has no name, its number" example:"fern-house-hot"`
	Title string          `json:"title" db:"title" doc:"as people called it; empty: as its name"`
	At    measure.Instant `json:"removed_at" db:"removed_at" format:"date-time"`
	By    string          `json:"removed_by" db:"removed_by"`
	Until measure.Instant `json:"until" db:"-" format:"date-time" doc:"until when it can be brought back"`
}
