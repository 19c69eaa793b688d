package api

import (
	"jauntylark/core/alarm"
	"jauntylark/core/derive"
	"jauntylark/core/limit"
	"jauntylark/core/measure"
)

// Operations on guards.
var (
	ListGuards = define[ListGuardsIn, []alarm.Guard](viewer, "list-guards", "GET /guards", "Guards",
		listed(func(v alarm.Guard) string { return v.Name }))
	AddGuard = define[Body[GuardOrder], alarm.Guard](keeper, "add-guard",
		"POST /guards", "Add a guard",
		makes(func(_ *Body[GuardOrder], g alarm.Guard) Place { return GetGuard.At(g.Name) }))
	GetGuard    = define[GuardPath, alarm.Guard](viewer, "get-guard", "GET /guards/{guard}", "One guard", tagged)
	PutGuard    = define[PutGuardIn, alarm.Guard](keeper, "put-guard", "PUT /guards/{guard}", "Save a guard, new or not", tagged)
	PatchGuard  = inParts(PutGuard, "Change parts of a guard")
	RemoveGuard = define[GuardPath, None](keeper, "remove-guard",
		"DELETE /guards/{guard}", "Remove a guard; its standing alarm is over")
	ShelveGuard = define[ShelveGuardIn, alarm.Guard](keeper, "shelve-guard",
		"PUT /guards/{guard}/shelf",
		"Keep a guard's alarms from being told for a while; what is worse is told")
	UnshelveGuard = define[GuardPath, alarm.Guard](keeper, "unshelve-guard",
		"DELETE /guards/{guard}/shelf", "End a guard's shelving; what stands is told")
	GuardOutOfService = define[GuardOutOfServiceIn, alarm.Guard](keeper, "guard-out-of-service",
		"PUT /guards/{guard}/out-of-service", "Take a guard out of service: it does not look")
	GuardInService = define[GuardPath, alarm.Guard](keeper, "guard-in-service",
		"DELETE /guards/{guard}/out-of-service", "Put a guard back into service")
	SayMissed = define[SayMissedIn, None](keeper, "say-missed",
		"POST /guards/{guard}/missed", "Say that a guard raised no alarm where it should have")
	GetRecord = define[GetRecordIn, alarm.Record](viewer, "get-record",
		"GET /guards/{guard}/record", "What people made of a guard's alarms", long)
	Replay = define[Body[ReplayOrder], ReplayLine](viewer, "replay",
		"POST /replays",
		"The alarms that a guard, saved or not, would have raised: one JSON object a line", lines)
	GetLimits = define[GetLimitsIn, limit.Shape](viewer, "get-limits",
		"GET /signals/{device}/{signal}/limits",
		"How a signal's values are spread, and what limits at their ends would have raised", long)
)

// ListGuardsIn is the input of ListGuards.
type ListGuardsIn struct {
	Device []string `query:"device,explode" maxItems:"200" doc:"only those that look at a signal of this device; once for each of several"`
	Signal []string `query:"signal,explode" maxItems:"200" doc:"only those that look at this DEVICE/SIGNAL; once for each of several"`
}

// PutGuardIn is the input of PutGuard.
type PutGuardIn struct {
	GuardPath
	Body alarm.Guard
}

// ShelveOrder says how long a guard is shelved, and why.
type ShelveOrder struct {
	Until measure.Instant `json:"until" format:"date-time" doc:"a minute to 30 days from now"`
	Why   string          `json:"why" minLength:"1" maxLength:"500"`
}

// ShelveGuardIn is the input of ShelveGuard.
type ShelveGuardIn struct {
	GuardPath
	Body ShelveOrder
}

// OutOfServiceOrder says why a guard is taken out of service.
type OutOfServiceOrder struct {
	Why string `json:"why" minLength:"1" maxLength:"500"`
}

// GuardOutOfServiceIn is the input of GuardOutOfService.
type GuardOutOfServiceIn struct {
	GuardPath
	Body OutOfServiceOrder
}

// SayMissedIn is the input of SayMissed.
type SayMissedIn struct {
	GuardPath
	Body Missed
}

// GetRecordIn is the input of GetRecord.
type GetRecordIn struct {
	GuardPath
	Within
}

// GetLimitsIn is the input of GetLimits.
type GetLimitsIn struct {
	SignalPath
	Within
}

// GuardOrder is a new guard: of a signal, or of something that is computed from it.
type GuardOrder struct {
	alarm.Guard
	Watch *derive.Recipe `json:"watch,omitempty" required:"false" doc:"look at what this computes from the signal instead; its first input is the signal"`
}

// GuardPath is the place of one guard.
type GuardPath struct {
	Guard string `path:"guard"`
}

// Missed says that a guard raised no alarm where it should have.
type Missed struct {
	At   *measure.Instant `json:"at,omitempty" required:"false" format:"date-time" doc:"when something was wrong; now when left out"`
	Note string           `json:"note,omitempty" required:"false" maxLength:"500"`
}

// ReplayOrder says what is to be replayed.
type ReplayOrder struct {
	Guard      alarm.Guard      `json:"guard" doc:"a guard, saved or not"`
	Since      *measure.Instant `json:"since,omitempty" required:"false" format:"date-time" doc:"30 days ago when left out"`
	Until      *measure.Instant `json:"until,omitempty" required:"false" format:"date-time" doc:"now when left out; with events, as far as the guard has come, which lies past now where a device's clock is ahead"`
	WithEvents bool             `json:"with_events,omitempty" required:"false" doc:"of a saved guard, by its name: go through all that happened to it since it was made, as it was then, but for readings that came late; this gives exactly the alarms that were raised"`
}

// ReplayLine is one line of a replay: one of its fields is there.
type ReplayLine struct {
	Alarm   *alarm.Occurrence `json:"alarm,omitempty" doc:"an alarm that it would have raised"`
	At      *measure.Instant  `json:"at,omitempty" format:"date-time" doc:"how far it is"`
	Summary *alarm.Summary    `json:"summary,omitempty" doc:"the last line"`
	Words   string            `json:"words,omitempty" doc:"with the summary: it in words"`
	Marked  *alarm.Marked     `json:"marked,omitempty" doc:"with the summary: how the alarms meet those that people have marked"`
	Problem string            `json:"problem,omitempty" doc:"it could not go on"`
}
