package site

import "jauntylark/core/measure"

// Trial is labelled stretches of a signal, recorded to find a limit: people make the thing happen on purpose.
type Trial struct {
	ID        int64            `json:"id" db:"id"`
	SignalID  int64            `json:"-" db:"signal_id"`
	Signal    string           `json:"signal" db:"signal" doc:"DEVICE/SIGNAL"`
	Note      string           `json:"note" db:"note"`
	By        string           `json:"started_by" db:"started_by"`
	StartedAt measure.Instant  `json:"started_at" db:"started_at" format:"date-time"`
	EndedAt   *measure.Instant `json:"ended_at" db:"ended_at" format:"date-time"`
	Guard     string           `json:"guard" db:"guard" doc:"that was made of it; empty: none yet"`
	Stretches []TrialStretch   `json:"stretches" db:"-" nullable:"false" doc:"in order of time"`
}

// TrialStretch is one labelled stretch.
type TrialStretch struct {
	ID    int64            `json:"id" db:"id"`
	Trial int64            `json:"-" db:"trial_id"`
	Label string           `json:"label" db:"label" enum:"normal,event"`
	From  measure.Instant  `json:"from" db:"from_at" format:"date-time"`
	Until *measure.Instant `json:"until" db:"until_at" format:"date-time" doc:"null: it goes on"`
}
