package api

import (
	"jauntylark/core/act"
	"jauntylark/core/derive"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// Operations on signals.
var (
	ListSignals = define[ListSignalsIn, []site.Signal](viewer, "list-signals",
		"GET /signals", "Signals with their newest readings",
		listed(func(v site.Signal) string { return v.Device + "/" + v.Name }))
	ListSparks = define[ListSparksIn, []site.Spark](viewer, "list-sparks",
		"GET /sparks", "The last day of every signal in few columns", long,
		listed(func(v site.Spark) string { return v.Signal }))
	GetSignal = define[SignalPath, site.Signal](viewer, "get-signal",
		"GET /signals/{device}/{signal}", "One signal", tagged)
	SetSignal = define[SetSignalIn, site.Signal](keeper, "set-signal",
		"PATCH /signals/{device}/{signal}",
		"Say what a signal is called, its unit, span, step, bands and interval", tagged)
	MakeSwitch = define[SignalPath, site.Signal](keeper, "make-switch",
		"POST /signals/{device}/{signal}/switch",
		"Make a signal of numbers that are only ever 0 and 1 a switch, its readings with it")
	RemoveSignal = define[SignalPath, None](keeper, "remove-signal",
		"DELETE /signals/{device}/{signal}", "Remove a derived signal")
	ListUnits = define[None, []measure.UnitFacts](viewer, "list-units",
		"GET /units", "All units, with what it takes to convert and show them",
		listed(func(v measure.UnitFacts) string { return string(v.Code) }))
)

// ListSignalsIn is the input of ListSignals.
type ListSignalsIn struct {
	Device  []string `query:"device,explode" maxItems:"200" doc:"only those of this device; once for each of several"`
	Signals []string `query:"signal,explode" maxItems:"200" doc:"only this DEVICE/SIGNAL; once for each of several"`
}

// SetSignalIn is the input of SetSignal.
type SetSignalIn struct {
	SignalPath
	Body act.SignalChange
}

// ListSparksIn is the input of ListSparks.
type ListSparksIn struct {
	Columns int `query:"columns" default:"60" minimum:"1" maximum:"400"`
}

// SignalPath is the place of one signal.
type SignalPath struct {
	Device string `path:"device"`
	Signal string `path:"signal"`
}

// Operations on derived signals.
var (
	ListRecipeKinds = define[None, []derive.Kind](viewer, "list-recipe-kinds",
		"GET /recipe-kinds", "What can be derived, from what", listed(func(v derive.Kind) string { return v.Name }))
	GetRecipe = define[SignalPath, Derivation](viewer, "get-recipe",
		"GET /signals/{device}/{signal}/recipe",
		"What a signal is computed from, and what is computed from it")
	PutRecipe = define[PutRecipeIn, site.Signal](keeper, "put-recipe",
		"PUT /signals/{device}/{signal}/recipe", "Declare a derived signal, or change how it is computed")
)

// PutRecipeIn is the input of PutRecipe.
type PutRecipeIn struct {
	SignalPath
	Body RecipeOrder
}

// Derivation is how a signal is computed, with what its inputs read now.
type Derivation struct {
	Recipe derive.Recipe `json:"recipe"`
	Inputs []site.Signal `json:"inputs" nullable:"false" doc:"in the order of the recipe"`
	Into   []site.Signal `json:"into" nullable:"false" doc:"what is derived from it in turn"`
}

// RecipeOrder declares a derived signal.
type RecipeOrder struct {
	Title  string        `json:"title,omitempty" required:"false" maxLength:"80" doc:"what people call it"`
	Recipe derive.Recipe `json:"recipe"`
	Try    bool          `json:"try,omitempty" required:"false" doc:"check it, and change nothing"`
}
