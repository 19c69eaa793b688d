package api

import (
	"fmt"

	"jauntylark/core/act"
	"jauntylark/core/measure"
	"jauntylark/core/run"
	"jauntylark/core/site"
)

// Operations on runs.
var (
	ListRuns = define[ListRunsIn, []run.Run](viewer, "list-runs", "GET /runs", "Runs, newest first",
		newest(runKey))
	StartRun = define[Body[act.RunStart], RunPage](keeper, "start-run",
		"POST /runs", "Start a run of an asset, or add one that is over",
		makes(func(_ *Body[act.RunStart], r RunPage) Place { return GetRun.At(r.ID) }))
	GetRun = define[RunPath, RunPage](viewer, "get-run",
		"GET /runs/{id}", "One run: what it came to, and when it will reach its goals", long, tagged)
	ChangeRun = define[ChangeRunIn, RunPage](keeper, "change-run",
		"PATCH /runs/{id}", "Change a run: title, times, goals, phases, note", tagged)
	StopRun   = define[StopRunIn, RunPage](keeper, "stop-run", "POST /runs/{id}/stop", "End a run")
	MarkPhase = define[MarkPhaseIn, RunPage](keeper, "mark-phase",
		"POST /runs/{id}/phases", "Begin a phase of a run")
	RemoveRun = define[RunPath, None](keeper, "remove-run",
		"DELETE /runs/{id}", "Remove a run; the readings stay")
	CompareRuns = define[CompareRunsIn, RunComparison](viewer, "compare-runs",
		"GET /run-comparison", "Runs laid over each other from their starts", long)
)

// ListRunsIn is the input of ListRuns.
type ListRunsIn struct {
	Page
	Asset string `query:"asset" doc:"only those of this asset"`
}

// runKey places a run in the list: by when it started, which can be changed, and by its ID.
func runKey(r run.Run) string { return fmt.Sprintf("%d-%d", r.StartedAt, r.ID) }

// After gives where the page before has ended: when its last run started, and the ID of that; 0: it is the first page.
func (in ListRunsIn) After() (started measure.Instant, id int64, err error) {
	if in.Cursor == "" {
		return 0, 0, nil
	}
	if n, err := fmt.Sscanf(in.Cursor, "%d-%d", &started, &id); err != nil || n != 2 {
		return 0, 0, wrongCursor(in.Cursor)
	}
	return started, id, nil
}

// ChangeRunIn is the input of ChangeRun.
type ChangeRunIn struct {
	RunPath
	Body act.RunChange
}

// StopRunIn is the input of StopRun.
type StopRunIn struct {
	RunPath
	Body *RunStop
}

// MarkPhaseIn is the input of MarkPhase.
type MarkPhaseIn struct {
	RunPath
	Body PhaseMark
}

// CompareRunsIn is the input of CompareRuns.
type CompareRunsIn struct {
	Runs   string `query:"runs" required:"true" doc:"their numbers, with commas between" example:"3,7,9"`
	Signal string `query:"signal" doc:"DEVICE/SIGNAL; the first that they have in common when left out"`
}

// RunPath is the place of one run.
type RunPath struct {
	ID int64 `path:"id" minimum:"1"`
}

// RunPage is what a run's page tells.
type RunPage struct {
	run.Summary
	Called string       `json:"called" doc:"what people call the asset"`
	Words  []string     `json:"words" nullable:"false" doc:"what it came to, in sentences"`
	Hows   []string     `json:"hows" nullable:"false" doc:"of each goal, in words, what came of it"`
	Notes  []site.Entry `json:"notes" nullable:"false" doc:"what was written into the journal about the asset while it was on"`
}

// RunStop ends a run.
type RunStop struct {
	At *measure.Instant `json:"at,omitempty" required:"false" format:"date-time" doc:"now when left out"`
}

// PhaseMark begins a phase.
type PhaseMark struct {
	Name string           `json:"name" minLength:"1" maxLength:"80"`
	At   *measure.Instant `json:"at,omitempty" required:"false" format:"date-time" doc:"now when left out"`
}

// RunComparison lays runs over each other from their starts.
type RunComparison struct {
	Signal string      `json:"signal" doc:"whose lines are laid over each other; empty: they have none in common"`
	Called string      `json:"called"`
	Unit   string      `json:"unit"`
	Shared []string    `json:"shared" nullable:"false" doc:"signals that all of them have"`
	Runs   []RunCourse `json:"runs" nullable:"false"`
}

// RunCourse is one of the runs that are compared.
type RunCourse struct {
	run.Summary
	Line []run.Moment `json:"line" nullable:"false" doc:"seconds after its start, and the value then"`
}

// GetRunReport answers with the report of a run.
var GetRunReport = define[GetRunReportIn, File](viewer, "get-run-report",
	"GET /runs/{id}/report", "The report of a run", long, gives(textOf("text/html", ""), bytesOf("application/pdf"),
		textOf("text/csv", "")), ranged)

// GetRunReportIn is the input of GetRunReport.
type GetRunReportIn struct {
	RunPath
	As string `query:"as" enum:"html,pdf,csv" doc:"html when left out"`
}

// Operations on plans of runs.
var (
	ListPlans = define[None, []run.Plan](viewer, "list-plans",
		"GET /run-plans", "Plans that start and end runs by themselves",
		listed(func(v run.Plan) string { return v.Name }))
	GetPlan    = define[PlanPath, run.Plan](viewer, "get-plan", "GET /run-plans/{plan}", "One plan", tagged)
	PutPlan    = define[PutPlanIn, run.Plan](keeper, "put-plan", "PUT /run-plans/{plan}", "Save a plan", tagged)
	PatchPlan  = inParts(PutPlan, "Change parts of a plan")
	RemovePlan = define[PlanPath, None](keeper, "remove-plan",
		"DELETE /run-plans/{plan}", "Remove a plan; its runs stay")
)

// PutPlanIn is the input of PutPlan.
type PutPlanIn struct {
	PlanPath
	Body run.Plan
}

// PlanPath is the place of one plan.
type PlanPath struct {
	Plan string `path:"plan"`
}
