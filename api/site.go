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
