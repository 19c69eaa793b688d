package api

import (
	"jauntylark/core/act"
	"jauntylark/core/drive"
)

// Operations on outputs.
var (
	ListOutputs = define[None, OutputList](viewer, "list-outputs",
		"GET /outputs", "All outputs: what each is ordered, why, and what its device says")
	GetOutput = define[OutputPath, drive.Output](viewer, "get-output",
		"GET /outputs/{device}/{output}", "One output", tagged)
	PutOutput = define[PutOutputIn, drive.Output](keeper, "put-output",
		"PUT /outputs/{device}/{output}", "Save an output of a device", tagged)
	PatchOutput  = inParts(PutOutput, "Change parts of an output")
	RemoveOutput = define[OutputPath, None](keeper, "remove-output",
		"DELETE /outputs/{device}/{output}", "Remove an output with its interlocks")
	SetOutput = define[SetOutputIn, drive.Output](keeper, "set-output",
		"PUT /outputs/{device}/{output}/hand", "Set an output by hand for a while")
	ReleaseOutput = define[OutputPath, drive.Output](keeper, "release-output",
		"DELETE /outputs/{device}/{output}/hand", "End a setting by hand")
	ResetOutput = define[OutputPath, drive.Output](keeper, "reset-output",
		"POST /outputs/{device}/{output}/reset",
		"Reset all latched interlocks that hold an output, whose causes are gone")
	AllOutputsSafe = define[Body[EmergencyOrder], OutputList](keeper, "all-outputs-safe",
		"PUT /emergency", "Emergency: put all outputs into their safe states, until that is ended")
	EndAllOutputsSafe = define[None, OutputList](keeper, "end-all-outputs-safe",
		"DELETE /emergency", "End an emergency: outputs do again what is asked of them")
)

// PutOutputIn is the input of PutOutput.
type PutOutputIn struct {
	OutputPath
	Body drive.Spec
}

// SetOutputIn is the input of SetOutput.
type SetOutputIn struct {
	OutputPath
	Body act.HandOrder
}

// OutputList is all outputs of the site, and the emergency that holds.
type OutputList struct {
	Emergency *drive.AllSafe `json:"emergency" doc:"who put all outputs into their safe states; null: nobody"`
	Outputs   []drive.Output `json:"outputs" nullable:"false"`
}

// OutputPath is the place of one output.
type OutputPath struct {
	Device string `path:"device"`
	Output string `path:"output"`
}

// Whole is DEVICE/OUTPUT.
func (p *OutputPath) Whole() string { return p.Device + "/" + p.Output }

// Operations on interlocks.
var (
	ListInterlocks = define[None, []drive.Interlock](viewer, "list-interlocks",
		"GET /interlocks", "All interlocks, with what each asks for",
		listed(func(v drive.Interlock) string { return v.Name }))
	GetInterlock = define[InterlockPath, drive.Interlock](viewer, "get-interlock",
		"GET /interlocks/{interlock}", "One interlock", tagged)
	PutInterlock = define[PutInterlockIn, drive.Interlock](keeper, "put-interlock",
		"PUT /interlocks/{interlock}", "Save an interlock; it looks at once", tagged)
	PatchInterlock  = inParts(PutInterlock, "Change parts of an interlock; it looks at once")
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
