package api

import (
	"jauntylark/core/act"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// Operations on signals.
var (
	ListSignals = define[None, []site.Signal](viewer, "list-signals",
		"GET /signals", "All signals with their newest readings")
	ListSparks = define[ListSparksIn, []site.Spark](viewer, "list-sparks",
		"GET /sparks", "The last day of every signal in few columns", long)
	GetSignal = define[SignalPath, site.Signal](viewer, "get-signal",
		"GET /signals/{device}/{signal}", "One signal")
	SetSignal = define[SetSignalIn, site.Signal](keeper, "set-signal",
		"PATCH /signals/{device}/{signal}",
		"Say what a signal is called, its unit, span, step, bands and interval")
	MakeSwitch = define[SignalPath, site.Signal](keeper, "make-switch",
		"POST /signals/{device}/{signal}/switch",
		"Make a signal of numbers that are only ever 0 and 1 a switch, its readings with it")
	RemoveSignal = define[SignalPath, None](keeper, "remove-signal",
		"DELETE /signals/{device}/{signal}", "Remove a derived signal")
	ListUnits = define[None, []measure.UnitFacts](viewer, "list-units",
		"GET /units", "All units, with what it takes to convert and show them")
)

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
