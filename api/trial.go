package api

import (
	"jauntylark/core/alarm"
	"jauntylark/core/limit"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// Operations on trials.
var (
	ListTrials = define[None, []site.Trial](viewer, "list-trials", "GET /trials", "All trials, newest first",
		listed(func(v site.Trial) int64 { return v.ID }))
	StartTrial = define[Body[TrialOrder], site.Trial](keeper, "start-trial",
		"POST /trials", "Start a trial: labelled stretches of a signal, to find a limit",
		makes(func(_ *Body[TrialOrder], t site.Trial) Place { return GetTrial.At(t.ID) }))
	GetTrial = define[TrialPath, site.Trial](viewer, "get-trial",
		"GET /trials/{id}", "One trial with its stretches")
	RemoveTrial = define[TrialPath, None](keeper, "remove-trial",
		"DELETE /trials/{id}", "Remove a trial; the readings stay")
	MarkTrial = define[MarkTrialIn, site.Trial](keeper, "mark-trial",
		"POST /trials/{id}/stretches",
		"Mark a stretch as normal or event, from now on or afterwards",
		makes(func(in *MarkTrialIn, _ site.Trial) Place { return GetTrial.At(in.ID) }))
	UnmarkTrial = define[UnmarkTrialIn, None](keeper, "unmark-trial",
		"DELETE /trials/{id}/stretches/{stretch}", "Take a stretch out of a trial")
	SuggestLimit = define[TrialPath, limit.Suggestion](viewer, "suggest-limit",
		"GET /trials/{id}/suggestion", "The limit that a trial speaks for, with why and how sure", long)
	AcceptTrial = define[AcceptTrialIn, alarm.Guard](keeper, "accept-trial",
		"POST /trials/{id}/guard", "Make a guard of what a trial suggests",
		makes(func(_ *AcceptTrialIn, g alarm.Guard) Place { return GetGuard.At(g.Name) }))
)

// MarkTrialIn is the input of MarkTrial.
type MarkTrialIn struct {
	TrialPath
	Body MarkOrder
}

// UnmarkTrialIn is the input of UnmarkTrial.
type UnmarkTrialIn struct {
	TrialPath
	Stretch int64 `path:"stretch" minimum:"1"`
}

// AcceptTrialIn is the input of AcceptTrial.
type AcceptTrialIn struct {
	TrialPath
	Body AcceptOrder
}

// TrialOrder begins a trial.
type TrialOrder struct {
	Signal string `json:"signal" doc:"DEVICE/SIGNAL, of numbers"`
	Note   string `json:"note,omitempty" required:"false" maxLength:"500"`
}

// TrialPath is the place of one trial.
type TrialPath struct {
	ID int64 `path:"id" minimum:"1"`
}

// MarkOrder marks a stretch of a trial.
type MarkOrder struct {
	Label string           `json:"label" enum:",normal,event" doc:"empty: end the stretch that goes on"`
	From  *measure.Instant `json:"from,omitempty" required:"false" format:"date-time" doc:"now when left out"`
	Until *measure.Instant `json:"until,omitempty" required:"false" format:"date-time" doc:"until the next mark when left out"`
}

// AcceptOrder says what is to be different from what a trial suggests.
type AcceptOrder struct {
	Name     string           `json:"name,omitempty" required:"false" pattern:"^[a-z0-9][a-z0-9-]{0,62}$" doc:"of the guard; made from the signal and the limit when left out"`
	Severity alarm.Severity   `json:"severity,omitempty" required:"false" enum:"advisory,warning,critical" doc:"warning when left out"`
	Tell     []string         `json:"tell,omitempty" required:"false" nullable:"false" doc:"e-mail addresses of those who are told"`
	Advice   string           `json:"advice,omitempty" required:"false" maxLength:"2000"`
	Latch    bool             `json:"latch,omitempty" required:"false"`
	LeastGap measure.Duration `json:"least_gap,omitzero" required:"false" doc:"how long after a message about one alarm the next is held back" example:"600"`
}
