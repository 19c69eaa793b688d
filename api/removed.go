package api

import (
	"jauntylark/core/site"
)

// Operations on what was removed.
var (
	ListRemoved = define[ListRemovedIn, []site.Removal](viewer, "list-removed",
		"GET /removed", "What was removed in the last 30 days and can be brought back, newest first")
	BringBack = define[Body[BringBackOrder], None](keeper, "bring-back",
		"POST /removed/bring-back", "Bring back what was removed, as it was, with all that went with it")
)

// ListRemovedIn is the input of ListRemoved.
type ListRemovedIn struct {
	Kind string `query:"kind" doc:"of this kind alone: guard, device, contact …"`
}

// BringBackOrder says what is to be brought back.
type BringBackOrder struct {
	Kind string `json:"kind" doc:"what it was" example:"guard"`
	Name string `json:"name" doc:"as it was called; the newest of that name" example:"fern-house-hot"`
}
