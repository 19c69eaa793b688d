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

	"jauntylark/api/glossary"
	"jauntylark/core/measure"
)

func init() { huma.DefaultArrayNullable = false } // a list that has nothing is empty

// Names of the ways in which somebody says who they are.
const (
	ByToken   = "token"   // a person's, as bearer
	BySession = "session" // a person's, as cookie
	ByKey     = "key"     // a device's, as bearer
)

// Describe says in OpenAPI what an operation is. Schemas that it names are kept in the registry. Of one that is no
// file, huma adds input and answer where it is registered.
func (op *Operation) Describe(schemas huma.Registry) huma.Operation {
	d := huma.Operation{OperationID: op.Name, Tags: []string{glossary.TagOf(op.Path)}, Method: op.Method,
		Path: Root + op.Path, Summary: op.Summary,
		Description:   op.says(),
		DefaultStatus: op.Status, MaxBodyBytes: op.Most, Metadata: map[string]any{"operation": op},
		Security: op.security(), Responses: map[string]*huma.Response{}}
	for _, code := range op.mayFail() {
		d.Responses[strconv.Itoa(code)] = &huma.Response{Ref: "#/components/responses/" + FaultOf(code).response()}
	}
	if op.Tagged && op.Method != http.MethodGet {
		d.Parameters = append(d.Parameters, &huma.Param{Name: "If-Match", In: "header",
			Schema:      &huma.Schema{Type: huma.TypeString},
			Description: "the ETag of the state that is meant; where it is another by now, the answer is 412"})
	}
	if op.Tagged && op.Method == http.MethodPut {
		d.Parameters = append(d.Parameters, &huma.Param{Name: "If-None-Match", In: "header",
			Schema:      &huma.Schema{Type: huma.TypeString, Enum: []any{"*"}},
			Description: "* saves it only where nothing has its name yet; else the answer is 412"})
	}
	if op.Makes() {
		d.Parameters = append(d.Parameters, &huma.Param{Name: "Idempotency-Key", In: "header",
			Schema: &huma.Schema{Type: huma.TypeString, MaxLength: &longestOnce},
			Description: "the same for the same request that is sent again: it is answered as the first was, within a " +
				"day, and nothing is made twice"})
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
	if op.list != nil {
		op.describeList(&d)
	}
	if op.MayMake() {
		d.Responses[strconv.Itoa(http.StatusCreated)] = &huma.Response{
			Description: "Created: it was not there before; Location says where it is",
			Content:     content([]kind{{name: "application/json", of: op.Out}}, schemas)}
	}
	return d
}

// LongestOnce is how long an Idempotency-Key may be, in bytes.
const LongestOnce = 200

var longestOnce = LongestOnce

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

// DescribeFaults gives the problems that operations answer with, by their names in the description: one for each code.
func DescribeFaults(schemas huma.Registry) map[string]*huma.Response {
	all := map[string]*huma.Response{}
	for _, f := range Faults {
		said := FaultOf(f.Status)
		r := all[said.response()]
		if r == nil {
			r = &huma.Response{Description: said.When + " Type " + said.Type() + "."}
			r.Content = content([]kind{jsonOf[Problem](ProblemType)}, schemas)
			all[said.response()] = r
		} else {
			r.Description += " Or: " + f.When + " Type " + f.Type() + "."
		}
	}
	all[FaultOf(http.StatusUnauthorized).response()].Headers = map[string]*huma.Param{"WWW-Authenticate": {
		Schema: &huma.Schema{Type: huma.TypeString}, Description: "how to say who asks (RFC 6750)"}}
	for _, code := range []int{http.StatusTooManyRequests, http.StatusServiceUnavailable,
		http.StatusInsufficientStorage} {
		all[FaultOf(code).response()].Headers = map[string]*huma.Param{"Retry-After": {
			Schema: &huma.Schema{Type: huma.TypeInteger}, Description: "seconds to wait before the same is sent again"}}
	}
	return all
}

// response is what a kind of problem is called in the description.
func (f Fault) response() string {
	var name strings.Builder
	for word := range strings.SplitSeq(f.Name, "-") {
		name.WriteString(strings.ToUpper(word[:1]) + word[1:])
	}
	return name.String() + "Problem" // a name that no schema has
}

// mayFail gives the codes of the faults that an operation may answer with.
func (op *Operation) mayFail() []int {
	codes := []int{http.StatusServiceUnavailable}
	if op.Role != nobody || op.Keyed {
		codes = append(codes, http.StatusUnauthorized, http.StatusForbidden)
	}
	named := op.Role != nobody && !op.Keyed && op.In != reflect.TypeFor[None]() // in what is asked
	if strings.Contains(op.Path, "{") || named {
		codes = append(codes, http.StatusNotFound)
	}
	if op.In != reflect.TypeFor[None]() || op.Role != nobody && !op.Keyed { // a query that is not understood is refused
		codes = append(codes, http.StatusUnprocessableEntity)
	}
	if op.Tagged {
		codes = append(codes, http.StatusPreconditionFailed)
	}
	if op.HasBody() {
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

// MayMake tells whether saving a thing makes it where it is not there.
func (op *Operation) MayMake() bool {
	return op.Tagged && op.Method == http.MethodPut && strings.Contains(op.Path, "{")
}

// HasBody tells whether the operation is asked with a body.
func (op *Operation) HasBody() bool {
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

// ranged says that parts of a file can be asked for (RFC 9110 section 14).
func ranged(op *Operation) {
	answers(http.StatusPartialContent, "the ranges that the header Range asks for")(op)
	answers(http.StatusRequestedRangeNotSatisfiable, "the header Range asks for no part of the file")(op)
}

// answersWith is answers in a form of its own.
func answersWith(code int, when string, form kind) func(*Operation) {
	say := answers(code, when)
	return func(op *Operation) {
		say(op)
		if op.forms == nil {
			op.forms = map[int]kind{}
		}
		op.forms[code] = form
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
			part := *is
			part.Default = nil // what is not said stays
			parts.Properties[property] = &part
		}
	}
	parts.PrecomputeMessages()
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
			r.Content = content([]kind{jsonOf[Problem](ProblemType)}, schemas)
		}
		if code == http.StatusOK || code == http.StatusCreated || code == http.StatusPartialContent {
			r.Content = content(op.gives, schemas)
		}
		if form, own := op.forms[code]; own {
			r.Content = content([]kind{form}, schemas)
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

// SayNulls completes the description of what operations take and give: an object that may be null says so, and so does a
// number that is written as text. It is called once all operations are described.
func SayNulls(schemas huma.Registry) {
	for name, schema := range schemas.Map() {
		of := schemas.TypeFromRef("#/components/schemas/" + name)
		if of == nil || of.Kind() != reflect.Struct {
			continue
		}
		for _, field := range reflect.VisibleFields(of) {
			property, how, _ := strings.Cut(field.Tag.Get("json"), ",")
			is := schema.Properties[property]
			switch {
			case is == nil:
			case strings.Contains(how, "string"):
				is.Type, is.Format = huma.TypeString, ""
				is.PrecomputeMessages()
			case mayBeNull(field, how) && is.Ref != "":
				schema.Properties[property] = orNull(is)
			case mayBeNull(field, how) && (field.Type.Elem() == reflect.TypeFor[measure.Millis]() ||
				field.Type.Elem() == reflect.TypeFor[measure.Duration]()):
				is.Nullable = true
			}
		}
	}
}

// mayBeNull tells whether a field is written as null where there is nothing.
func mayBeNull(field reflect.StructField, how string) bool {
	return field.Type.Kind() == reflect.Pointer && !strings.Contains(how, "omitempty") &&
		field.Tag.Get("nullable") != "false"
}

func orNull(is *huma.Schema) *huma.Schema {
	nothing := &huma.Schema{Type: "null", Enum: []any{nil}}
	nothing.PrecomputeMessages()
	either := &huma.Schema{Description: is.Description, AnyOf: []*huma.Schema{{Ref: is.Ref}, nothing}}
	either.PrecomputeMessages()
	return either
}
