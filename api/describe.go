package api

import (
	"cmp"
	"maps"
	"net/http"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"
)

// Names of the ways in which somebody says who they are.
const (
	ByToken   = "token"   // a person's, as bearer
	BySession = "session" // a person's, as cookie
	ByKey     = "key"     // a device's, as bearer
)

// Describe says in OpenAPI what an operation is. Schemas that it names are kept in the registry. Of one that is no
// file, huma adds input and answer where it is registered.
func (op *Operation) Describe(schemas huma.Registry) huma.Operation {
	d := huma.Operation{OperationID: op.Name, Method: op.Method, Path: Root + op.Path, Summary: op.Summary,
		Description:   op.says(),
		DefaultStatus: op.Status, MaxBodyBytes: op.Most, Metadata: map[string]any{"operation": op},
		Security: op.security(), Responses: map[string]*huma.Response{}}
	for _, code := range op.mayFail() {
		d.Responses[strconv.Itoa(code)] = &huma.Response{Ref: "#/components/responses/" + faults[code].name}
	}
	if op.Tagged && op.Method != http.MethodGet {
		d.Parameters = append(d.Parameters, &huma.Param{Name: "If-Match", In: "header",
			Schema:      &huma.Schema{Type: huma.TypeString},
			Description: "the ETag of the state that is meant; where it is another by now, the answer is 412"})
	}
	if op.IsFile() || op.Saves != nil {
		d.Parameters = append(d.Parameters, parameters(op.In, schemas)...)
		if op.brings != nil {
			d.RequestBody = &huma.RequestBody{Required: true, Content: content(op.brings, schemas)}
		}
	}
	if op.gives != nil || op.IsFile() {
		op.describeAnswers(&d, schemas)
	}
	return d
}

// says is what is said beyond the summary.
func (op *Operation) says() string {
	if op.Role == nobody || op.Keyed {
		return op.Detail
	}
	return strings.TrimSpace("Takes the role " + string(op.Role) + ". " + op.Detail)
}

func (op *Operation) security() (by []map[string][]string) {
	if op.Keyed {
		by = append(by, map[string][]string{ByKey: {}})
	}
	if op.Role != nobody {
		by = append(by, map[string][]string{ByToken: {}})
		if !op.Keyed {
			by = append(by, map[string][]string{BySession: {}})
		}
	}
	if by == nil {
		by = []map[string][]string{{}} // nobody is asked who they are
	}
	return by
}

// faults are the problems that operations answer with (RFC 9457): their names in the description, and when.
var faults = map[int]struct{ name, when string }{
	http.StatusBadRequest: {"Unreadable", "The request cannot be read."},
	http.StatusUnauthorized: {"NotSignedIn",
		"Nobody knows who asks: sign in first, or send a token that holds."},
	http.StatusForbidden: {"NotAllowed", "Who asks may not do it."},
	http.StatusNotFound: {"NotThere",
		"What is asked for is not there; the detail names the nearest that is."},
	http.StatusConflict: {"NotNow", "It cannot be done as things stand; the detail says why."},
	http.StatusPreconditionFailed: {"Changed",
		"It is not as it was under the tag that If-Match names; ask for it again."},
	http.StatusRequestEntityTooLarge: {"TooLong", "The body is longer than is read."},
	http.StatusUnsupportedMediaType:  {"WrongType", "The content type is none that is read."},
	http.StatusUnprocessableEntity:   {"Refused", "Something is wrong with what was sent; errors names each field."},
	http.StatusTooManyRequests: {"TooMuch",
		"Too much at once of the same person; Retry-After says when to ask again."},
	http.StatusServiceUnavailable: {"Away",
		"The database is away or all turns are taken; Retry-After says when to ask again."},
}

// Faults gives the problems that operations answer with, as they are named in the description.
func Faults(schemas huma.Registry) map[string]*huma.Response {
	content := content([]kind{jsonOf[huma.ErrorModel]("application/problem+json")}, schemas)
	all := map[string]*huma.Response{}
	for _, f := range faults {
		all[f.name] = &huma.Response{Description: f.when, Content: content}
	}
	return all
}

// mayFail gives the codes of the faults that an operation may answer with.
func (op *Operation) mayFail() []int {
	codes := []int{http.StatusServiceUnavailable}
	if op.Role != nobody || op.Keyed {
		codes = append(codes, http.StatusUnauthorized, http.StatusForbidden)
	}
	if strings.Contains(op.Path, "{") {
		codes = append(codes, http.StatusNotFound)
	}
	if op.In != reflect.TypeFor[None]() {
		codes = append(codes, http.StatusUnprocessableEntity)
	}
	if op.Tagged {
		codes = append(codes, http.StatusPreconditionFailed)
	}
	if op.hasBody() {
		codes = append(codes, http.StatusBadRequest, http.StatusRequestEntityTooLarge, http.StatusUnsupportedMediaType)
	}
	if op.Method != http.MethodGet {
		codes = append(codes, http.StatusConflict)
	}
	if op.Takes != TakesLittle {
		codes = append(codes, http.StatusTooManyRequests)
	}
	slices.Sort(codes)
	return codes
}

func (op *Operation) hasBody() bool {
	if op.brings != nil {
		return true
	}
	if op.In.Kind() != reflect.Struct {
		return false
	}
	_, body := op.In.FieldByName("Body")
	_, raw := op.In.FieldByName("RawBody")
	return body || raw
}

// kind is a media type, what it is, and the type of its values where they are of one.
type kind struct {
	name, says string
	of         reflect.Type // nil: bytes
	parts      bool         // any of its parts, all of which may be left out
	example    any
}

func bytesOf(name string) kind { return kind{name: name} }
func textOf(name, says string) kind {
	return kind{name: name, says: says, of: reflect.TypeFor[string]()}
}
func jsonOf[T any](name string) kind   { return kind{name: name, of: reflect.TypeFor[T]()} }
func (k kind) like(example any) kind   { k.example = example; return k }
func (k kind) saying(text string) kind { k.says = text; return k }

// gives says in which forms an operation answers; brings, in which a body comes.
func gives(kinds ...kind) func(*Operation)  { return func(op *Operation) { op.gives = kinds } }
func brings(kinds ...kind) func(*Operation) { return func(op *Operation) { op.brings = kinds } }

// answers says what else an operation answers, or when it answers so.
func answers(code int, when string) func(*Operation) {
	return func(op *Operation) {
		if op.answers == nil {
			op.answers = map[int]string{}
		}
		op.answers[code] = when
	}
}

func (k kind) schema(schemas huma.Registry) *huma.Schema {
	if k.of == nil {
		return &huma.Schema{Type: "string", Format: "binary", Description: k.says}
	}
	s := schemas.Schema(k.of, true, k.of.Name())
	if k.parts {
		return partsOf(schemas, s)
	}
	if s.Ref == "" {
		s.Description = k.says
	}
	return s
}

// partsOf describes any parts of what a schema describes, without those that the service alone sets.
func partsOf(schemas huma.Registry, whole *huma.Schema) *huma.Schema {
	const at = "#/components/schemas/"
	name := strings.TrimPrefix(whole.Ref, at) + "Patch"
	parts := *schemas.SchemaFromRef(whole.Ref)
	parts.Required, parts.Properties = nil, map[string]*huma.Schema{}
	for property, is := range schemas.SchemaFromRef(whole.Ref).Properties {
		if !is.ReadOnly {
			parts.Properties[property] = is
		}
	}
	schemas.Map()[name] = &parts
	return &huma.Schema{Ref: at + name}
}

func content(kinds []kind, schemas huma.Registry) map[string]*huma.MediaType {
	if len(kinds) == 0 {
		return nil
	}
	all := map[string]*huma.MediaType{}
	for _, k := range kinds {
		all[k.name] = &huma.MediaType{Schema: k.schema(schemas), Example: k.example}
	}
	return all
}

// describeAnswers says what is answered that huma cannot find out.
func (op *Operation) describeAnswers(d *huma.Operation, schemas huma.Registry) {
	said := maps.Clone(op.answers)
	if said == nil {
		said = map[int]string{}
	}
	if said[op.Status] == "" {
		said[op.Status] = http.StatusText(op.Status)
	}
	for code, when := range said {
		r := &huma.Response{Description: when}
		if code >= http.StatusBadRequest {
			r.Content = content([]kind{jsonOf[huma.ErrorModel]("application/problem+json")}, schemas)
		}
		if code == http.StatusOK || code == http.StatusCreated {
			r.Content = content(op.gives, schemas)
		}
		d.Responses[strconv.Itoa(code)] = r
	}
}

// parameters are those of an input's fields that name a place: in the path, the query or a header.
func parameters(in reflect.Type, schemas huma.Registry) (all []*huma.Param) {
	for _, f := range reflect.VisibleFields(in) {
		for _, place := range []string{"path", "query", "header"} {
			tag, ok := f.Tag.Lookup(place)
			if !ok {
				continue
			}
			name, more, _ := strings.Cut(tag, ",")
			schema := huma.SchemaFromField(schemas, f, "")
			p := &huma.Param{Name: name, In: place, Schema: schema, Description: schema.Description,
				Required: place == "path" || f.Tag.Get("required") == "true"}
			if explode := true; more == "explode" {
				p.Explode = &explode
			}
			all = append(all, p)
		}
	}
	slices.SortStableFunc(all, func(a, b *huma.Param) int { return cmp.Compare(place(a), place(b)) })
	return all
}

// place puts what stands in the path before what may be left out.
func place(p *huma.Param) int { return slices.Index([]string{"path", "query", "header"}, p.In) }
