package api

import (
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
)

// Operations on rosters.
var (
	ListRosters = define[None, []roster.Roster](viewer, "list-rosters", "GET /rosters", "All rosters",
		listed(func(v roster.Roster) string { return v.Name }))
	GetRoster = define[RosterPath, roster.Roster](viewer, "get-roster", "GET /rosters/{roster}", "One roster", tagged)
	PutRoster = define[PutRosterIn, roster.Roster](keeper, "put-roster",
		"PUT /rosters/{roster}", "Save a roster", tagged)
	PatchRoster  = inParts(PutRoster, "Change parts of a roster")
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

// Operations on drills.
var (
	StartDrill = define[StartDrillIn, roster.Drill](keeper, "start-drill",
		"POST /guards/{guard}/drills",
		"Drill a guard: a marked reading goes the whole way to a person",
		makes(func(_ *StartDrillIn, d roster.Drill) Place { return GetDrill.At(d.ID) }))
	ListDrills = define[Page, []roster.Drill](viewer, "list-drills", "GET /drills", "Drills, newest first",
		newest(func(v roster.Drill) int64 { return v.ID }))
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

// Operations on contacts.
var (
	ListContacts = define[None, []roster.Contact](viewer, "list-contacts", "GET /contacts", "All contacts",
		listed(func(v roster.Contact) string { return v.Name }))
	GetContact = define[ContactPath, roster.Contact](viewer, "get-contact",
		"GET /contacts/{contact}", "One contact", tagged)
	PutContact = define[PutContactIn, roster.Contact](keeper, "put-contact",
		"PUT /contacts/{contact}", "Save a contact; secrets of new webhooks are told once", tagged)
	PatchContact  = inParts(PutContact, "Change parts of a contact; secrets of new webhooks are told once")
	RemoveContact = define[ContactPath, None](keeper, "remove-contact",
		"DELETE /contacts/{contact}", "Remove a contact that nothing names")
	TestContact = define[TestContactIn, TestSent](keeper, "test-contact",
		"POST /contacts/{contact}/test", "Send a test to a contact now")
)

// PutContactIn is the input of PutContact.
type PutContactIn struct {
	ContactPath
	Body roster.Contact
}

// TestContactIn is the input of TestContact.
type TestContactIn struct {
	ContactPath
	Body *TestOrder
}

// ContactPath is the place of one contact.
type ContactPath struct {
	Contact string `path:"contact"`
}

// TestOrder says by which carriers a contact is tested.
type TestOrder struct {
	By []string `json:"by,omitempty" required:"false" nullable:"false" doc:"carriers; all that the contact has when left out"`
}

// TestSent tells which notices carry a test.
type TestSent struct {
	Notices []int64 `json:"notices" nullable:"false" doc:"their numbers"`
}
