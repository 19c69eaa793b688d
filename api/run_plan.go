package api

import (
	"jauntylark/core/run"
)

// Operations on plans of runs.
var (
	ListPlans = define[None, []run.Plan](viewer, "list-plans",
		"GET /run-plans", "Plans that start and end runs by themselves")
	PutPlan = define[PutPlanIn, run.Plan](keeper, "put-plan",
		"PUT /run-plans/{plan}", "Save a plan")
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
