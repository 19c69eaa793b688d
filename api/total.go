package api

import (
	"time"

	"jauntylark/core/total"
)

// Operations on totals and tariffs.
var (
	ListTotals = define[None, []TotalNow](viewer, "list-totals",
		"GET /totals", "All totals, with what they come to today, this month and since the last reset", long,
		listed(func(v TotalNow) string { return v.Name }))
	AddTotal = define[Body[total.Total], TotalNow](keeper, "add-total",
		"POST /totals", "Add a total",
		makes(func(_ *Body[total.Total], t TotalNow) Place { return GetTotal.At(t.Name) }))
	GetTotal = define[GetTotalIn, TotalStory](viewer, "get-total",
		"GET /totals/{total}", "What a total comes to by day, week or month, and between its resets", long)
	RemoveTotal = define[TotalPath, None](keeper, "remove-total",
		"DELETE /totals/{total}", "Remove a total; the readings stay")
	ResetTotal = define[ResetTotalIn, total.Reset](keeper, "reset-total",
		"POST /totals/{total}/resets", "Let a total count anew; what it came to is kept",
		makes(func(in *ResetTotalIn, _ total.Reset) Place { return GetTotal.At(in.Total) }))
	UndoReset = define[TotalPath, total.Reset](keeper, "undo-reset",
		"POST /totals/{total}/resets/undo", "Undo the newest reset of a total")
	ListTariffs = define[None, []total.Tariff](viewer, "list-tariffs", "GET /tariffs", "All tariffs",
		listed(func(v total.Tariff) string { return v.Name }))
	GetTariff = define[TariffPath, total.Tariff](viewer, "get-tariff", "GET /tariffs/{tariff}", "One tariff", tagged)
	PutTariff = define[PutTariffIn, total.Tariff](keeper, "put-tariff",
		"PUT /tariffs/{tariff}", "Save a tariff; costs are added up anew", tagged)
	PatchTariff  = inParts(PutTariff, "Change parts of a tariff; costs are added up anew")
	RemoveTariff = define[TariffPath, None](keeper, "remove-tariff",
		"DELETE /tariffs/{tariff}", "Remove a tariff that no total uses")
)

// GetTotalIn is the input of GetTotal.
type GetTotalIn struct {
	TotalPath
	By    string    `query:"by" default:"day" enum:"day,week,month"`
	Since time.Time `query:"since" doc:"the period of this instant is the first, as a whole; 14 days, 12 weeks or 12 months ago when left out"`
	Until time.Time `query:"until" doc:"the period before this instant is the last, as a whole; that of now when left out"`
}

// ResetTotalIn is the input of ResetTotal.
type ResetTotalIn struct {
	TotalPath
	Body ResetOrder
}

// PutTariffIn is the input of PutTariff.
type PutTariffIn struct {
	TariffPath
	Body total.Tariff
}

// TariffPath is the place of one tariff.
type TariffPath struct {
	Tariff string `path:"tariff"`
}

// TotalNow is a total with what it comes to now.
type TotalNow struct {
	total.Total
	Today      total.Result  `json:"today"`
	Month      total.Result  `json:"month"`
	SinceReset *total.Result `json:"since_reset" doc:"null: it was never reset"`
}

// TotalPath is the place of one total.
type TotalPath struct {
	Total string `path:"total"`
}

// TotalStory is a total by periods, and between its resets.
type TotalStory struct {
	TotalNow
	By      string         `json:"by" enum:"day,week,month"`
	Periods []total.Result `json:"periods" nullable:"false" doc:"oldest first; the last is not over"`
	Resets  []total.Reset  `json:"resets" nullable:"false" doc:"newest first, with those that were undone"`
	Between []total.Result `json:"between" nullable:"false" doc:"from one reset to the next, newest first"`
}

// ResetOrder lets a total count anew.
type ResetOrder struct {
	Note string `json:"note,omitempty" required:"false" maxLength:"500"`
}
