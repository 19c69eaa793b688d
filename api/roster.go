package api

import (
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
)

// Operations on rosters.
var (
	ListRosters = define[None, []roster.Roster](viewer, "list-rosters",
		"GET /rosters", "All rosters")
	GetRoster = define[RosterPath, roster.Roster](viewer, "get-roster",
		"GET /rosters/{roster}", "One roster")
	PutRoster = define[PutRosterIn, roster.Roster](keeper, "put-roster",
		"PUT /rosters/{roster}", "Save a roster")
	RemoveRoster = define[RosterPath, None](keeper, "remove-roster",
		"DELETE /rosters/{roster}", "Remove a roster that nothing names")
	ShowRosterAt = define[ShowRosterAtIn, RosterPlan](viewer, "show-roster-at",
		"GET /rosters/{roster}/plan", "In words: who would be told of an alarm, and when")
	PlanRoster = define[Body[PlanOrder], RosterPlan](viewer, "plan-roster",
		"POST /roster-plans", "In words: who would be told by a roster that is not saved yet")
)

// PutRosterIn is the input of PutRoster.
type PutRosterIn struct {
	RosterPath
	Body roster.Roster
}

// ShowRosterAtIn is the input of ShowRosterAt.
type ShowRosterAtIn struct {
	RosterPath
	At       time.Time      `query:"at" doc:"when the alarm is raised; now when left out"`
	Severity alarm.Severity `query:"severity" enum:"advisory,warning,critical" default:"critical"`
	Kind     string         `query:"kind" enum:"limit,silence,fault,reminder" default:"limit"`
}

// RosterPath is the place of one roster.
type RosterPath struct {
	Roster string `path:"roster"`
}

// PlanOrder asks whom a roster would tell.
type PlanOrder struct {
	Roster   roster.Roster    `json:"roster" doc:"saved or not"`
	At       *measure.Instant `json:"at,omitempty" required:"false" format:"date-time" doc:"when the alarm is raised; now when left out"`
	Severity alarm.Severity   `json:"severity,omitempty" required:"false" enum:"advisory,warning,critical" doc:"critical when left out"`
	Kind     string           `json:"kind,omitempty" required:"false" enum:"limit,silence,fault,reminder" doc:"limit when left out"`
}

// RosterPlan is whom a roster would tell.
type RosterPlan struct {
	At       measure.Instant `json:"at" format:"date-time"`
	Severity alarm.Severity  `json:"severity"`
	Kind     string          `json:"kind"`
	Calls    []roster.Told   `json:"calls" nullable:"false" doc:"in order; empty: nobody is told"`
}
