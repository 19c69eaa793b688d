package api

import (
	"jauntylark/core/roster"
)

// Operations on drills.
var (
	StartDrill = define[StartDrillIn, roster.Drill](keeper, "start-drill",
		"POST /guards/{guard}/drills",
		"Drill a guard: a marked reading goes the whole way to a person", created)
	ListDrills = define[Page, []roster.Drill](viewer, "list-drills",
		"GET /drills", "Drills, newest first")
	GetDrill = define[DrillPath, roster.Drill](viewer, "get-drill",
		"GET /drills/{id}", "One drill, with each step and its time")
	StopDrill = define[DrillPath, None](keeper, "stop-drill",
		"DELETE /drills/{id}", "Stop a drill that nobody has taken")
)

// StartDrillIn is the input of StartDrill.
type StartDrillIn struct {
	GuardPath
	Outputs bool `query:"outputs" doc:"drive interlocks too; otherwise the drill passes outputs by"`
}

// DrillPath is the place of one drill.
type DrillPath struct {
	ID int64 `path:"id" minimum:"1"`
}
