package api

import (
	"jauntylark/core/drive"
)

// Operations on interlocks.
var (
	ListInterlocks = define[None, []drive.Interlock](viewer, "list-interlocks",
		"GET /interlocks", "All interlocks, with what each asks for")
	GetInterlock = define[InterlockPath, drive.Interlock](viewer, "get-interlock",
		"GET /interlocks/{interlock}", "One interlock")
	PutInterlock = define[PutInterlockIn, drive.Interlock](keeper, "put-interlock",
		"PUT /interlocks/{interlock}", "Save an interlock; it looks at once")
	RemoveInterlock = define[InterlockPath, None](keeper, "remove-interlock",
		"DELETE /interlocks/{interlock}", "Remove an interlock")
	ResetInterlock = define[InterlockPath, drive.Interlock](keeper, "reset-interlock",
		"POST /interlocks/{interlock}/reset", "Reset a latched interlock whose cause is gone")
	TryInterlock = define[Body[TryInterlockOrder], drive.Tried](viewer, "try-interlock",
		"POST /interlock-trials",
		"What an interlock, saved or not, would have done over stored readings", long)
)

// EmergencyOrder puts all outputs into their safe states.
type EmergencyOrder struct {
	Why  string `json:"why,omitempty" required:"false" maxLength:"200"`
	Sure bool   `json:"sure" doc:"say that you are sure: everything stops, or whatever the safe state is"`
}

// PutInterlockIn is the input of PutInterlock.
type PutInterlockIn struct {
	InterlockPath
	Body drive.Interlock
}

// InterlockPath is the place of one interlock.
type InterlockPath struct {
	Interlock string `path:"interlock"`
}
