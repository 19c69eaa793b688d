package act

import (
	"jauntylark/core/measure"
	"jauntylark/core/run"
)

// RunStart starts a run, or, with its end, adds one afterwards.
type RunStart struct {
	Asset     string           `json:"asset" doc:"name of the asset"`
	Title     string           `json:"title,omitempty" required:"false" maxLength:"80" doc:"what it is called; made from the asset and the date when left out"`
	StartedAt *measure.Instant `json:"started_at,omitempty" required:"false" format:"date-time" doc:"now when left out"`
	EndedAt   *measure.Instant `json:"ended_at,omitempty" required:"false" format:"date-time" doc:"of one that is over; it is on when left out"`
	Goals     run.Goals        `json:"goals,omitempty" required:"false" nullable:"false" maxItems:"20"`
	Note      string           `json:"note,omitempty" required:"false" maxLength:"20000" doc:"Markdown"`
}

// RunChange says what to change of a run; what is left out stays.
type RunChange struct {
	Title     *string          `json:"title,omitempty" required:"false" maxLength:"80"`
	StartedAt *measure.Instant `json:"started_at,omitempty" taken:"never" required:"false" format:"date-time"`
	EndedAt   *measure.Instant `json:"ended_at,omitempty" taken:"never" required:"false" format:"date-time" doc:"ends one that is on"`
	Goals     *run.Goals       `json:"goals,omitempty" required:"false" maxItems:"20"`
	Phases    *run.Phases      `json:"phases,omitempty" required:"false" maxItems:"100"`
	Note      *string          `json:"note,omitempty" required:"false" maxLength:"20000"`
}
