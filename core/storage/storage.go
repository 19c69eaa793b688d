package storage

import "jauntylark/core/measure"

// FramesKept is what the frames of one device take up.
type FramesKept struct {
	Device string          `json:"device" db:"device"`
	ID     int64           `json:"-" db:"device_id"`
	Count  int             `json:"count" db:"count"`
	Bytes  int64           `json:"bytes" db:"bytes"`
	First  measure.Instant `json:"first" db:"first" format:"date-time"`
	Last   measure.Instant `json:"last" db:"last" format:"date-time"`
	PerDay float64         `json:"per_day" db:"per_day" doc:"at the rate of the last week"`
}

// Footprint is what one signal takes up.
type Footprint struct {
	Signal   string  `json:"signal" db:"signal" doc:"DEVICE/SIGNAL"`
	Readings int64   `json:"readings" db:"readings"`
	Bytes    int64   `json:"bytes" db:"bytes" doc:"its share of the disk, rows and indexes included"`
	PerDay   float64 `json:"per_day" db:"per_day" doc:"readings a day, by the last week"`
}

// Records is what the records of one kind take up.
type Records struct {
	What  string `json:"what" db:"what" doc:"the kind of records"`
	Rows  int64  `json:"rows" db:"rows" doc:"how many there are, about"`
	Bytes int64  `json:"bytes" db:"bytes" doc:"bytes, indexes included"`
}

// Backlog is what waits to be sealed or computed anew.
type Backlog struct {
	Rows   int              `json:"rows" db:"rows" doc:"readings in plain rows"`
	Oldest *measure.Instant `json:"oldest" db:"oldest" format:"date-time" doc:"of these"`
	Stale  int              `json:"stale" db:"stale" doc:"stretches whose figures are to be computed anew"`
}

// Stale is a stretch whose figures are being computed anew.
type Stale struct {
	Signal string          `json:"signal" db:"signal" doc:"DEVICE/SIGNAL"`
	From   measure.Instant `json:"from" db:"begun_at" format:"date-time"`
	Until  measure.Instant `json:"until" db:"until_at" format:"date-time"`
	Done   float64         `json:"done" db:"done" doc:"0 to 1"`
}
