package api

import (
	"encoding/json"
	"reflect"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/core/site"
)

// Operations on the site.
var (
	GetSite   = define[None, site.Site](viewer, "get-site", "GET /site", "The site", tagged)
	PutSite   = define[Body[SiteChange], site.Site](owner, "put-site", "PUT /site", "Change the site", tagged)
	PatchSite = inParts(PutSite, "Change parts of what is said of the site")
)

// SiteChange is what is said of the site: what is left out stays as it is.
type SiteChange struct{ Fields json.RawMessage }

// UnmarshalJSON keeps the fields as they stand.
func (s *SiteChange) UnmarshalJSON(text []byte) error {
	s.Fields = slices.Clone(text)
	return nil
}

// KeepsRest says that saving the site keeps what is left out.
func (SiteChange) KeepsRest() {}

// Schema is that of a site.
func (SiteChange) Schema(r huma.Registry) *huma.Schema {
	return r.Schema(reflect.TypeFor[site.Site](), true, "Site")
}

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
