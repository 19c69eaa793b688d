package api

import (
	"encoding/json"
	"net/http"
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

// DoBatch has many things done by one request.
var DoBatch = define[Body[Batch], BatchAnswers](viewer, "do-batch",
	"POST /batch", "Do many things in one request, each by itself, with the answer to each", streamed,
	gives(jsonOf[BatchAnswers]("application/json")), func(op *Operation) { op.Most = mostInBatch },
	detail("Each request is done as if it came alone, one after the other, by the same person: what fails keeps no "+
		"other from being done. Answers come in the order of the requests, each as soon as it is there. What shows "+
		"something, takes a file, stays open or signs in is not done in a batch."))

const mostInBatch = 8 << 20

// Batch is many requests in one.
type Batch struct {
	Requests []BatchRequest `json:"requests" nullable:"false" minItems:"1" maxItems:"1000"`
}

// BatchRequest is one request of a batch.
type BatchRequest struct {
	Method  string            `json:"method" enum:"POST,PUT,PATCH,DELETE"`
	Path    string            `json:"path" doc:"as if it came alone, with its query" example:"/api/v1/signals/pond/oxygen"`
	Headers map[string]string `json:"headers,omitempty" required:"false" nullable:"false" doc:"Content-Type, Idempotency-Key, If-Match, If-None-Match" example:"{\"If-Match\": \"*\"}"`
	Body    Any               `json:"body,omitzero" required:"false" doc:"a text where the Content-Type is no JSON"`
}

// BatchAnswers are the answers to a batch, in the order of its requests.
type BatchAnswers struct {
	Answers []BatchAnswer `json:"answers" nullable:"false"`
}

// BatchAnswer is the answer to one request of a batch.
type BatchAnswer struct {
	Status  int               `json:"status" doc:"as if it had come alone" example:"200"`
	Headers map[string]string `json:"headers" nullable:"false" doc:"ETag, Location and Retry-After, where it has them"`
	Body    Any               `json:"body,omitzero" required:"false" doc:"what was answered, or the problem document; left out where there is nothing"`
}

// InBatch tells whether the operation can be asked for in a batch: it changes something, and its body and its answer are
// small.
func (op *Operation) InBatch() bool {
	file := op.IsFile() && op.Saves == nil && op.Name != SendReadings.Name
	short := op.Takes == TakesLittle || op.Takes == TakesLong
	return op.Method != http.MethodGet && op.Role != nobody && op.Most <= mostAtOnce && short && !file
}

// Any is any JSON value.
type Any struct{ json.RawMessage }

// IsZero tells whether nothing is there.
func (a Any) IsZero() bool { return len(a.RawMessage) == 0 }

// Schema allows any value.
func (Any) Schema(huma.Registry) *huma.Schema { return &huma.Schema{} }

// Operations on what was removed.
var (
	ListRemoved = define[ListRemovedIn, []site.Removal](viewer, "list-removed",
		"GET /removed", "What was removed in the last 30 days and can be brought back, newest first",
		listed(func(v site.Removal) string { return v.At.String() + " " + v.Kind + " " + v.Name }))
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
