package api

import (
	"maps"
	"net/http"
	"reflect"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/api/glossary"
	"jauntylark/core/measure"
)

// MergePatch is the form of a change of parts (RFC 7396): what it does not say stays, null takes away.
const MergePatch = "application/merge-patch+json"

// inParts declares the operation by which parts of a thing are changed that another one saves as a whole.
func inParts[In, Out any](save Op[In, Out], summary string) Op[In, Out] {
	noun := strings.TrimPrefix(save.Name, "put-")
	patch := define[In, Out](save.Role, "patch-"+noun, http.MethodPatch+" "+save.Path, summary, tagged,
		brings(kind{name: MergePatch, of: save.Body(), parts: true}), gives(jsonOf[Out]("application/json")),
		detail("What is not said stays; null takes away what it names (RFC 7396)."))
	patch.Saves = save.Operation
	return patch
}

// Query gives the names that an operation understands in a query, in alphabetical order.
func (op *Operation) Query() []string { return op.query }

func queryOf(in reflect.Type) (names []string) {
	if in.Kind() != reflect.Struct {
		return nil
	}
	for _, f := range reflect.VisibleFields(in) {
		if tag, has := f.Tag.Lookup("query"); has {
			name, _, _ := strings.Cut(tag, ",")
			names = append(names, name)
		}
	}
	slices.Sort(names)
	return names
}

// Body gives the type of the body of an operation; nil: it takes none.
func (op *Operation) Body() reflect.Type {
	if op.In.Kind() != reflect.Struct {
		return nil
	}
	if f, has := op.In.FieldByName("Body"); has {
		return f.Type
	}
	return nil
}

// TellInputs describes by schemas of their own, NameInput, the bodies that have parts which the service alone sets: there
// these are left out or passed over, while an answer always has them. It is called last of all.
func TellInputs(doc *huma.OpenAPI) {
	in := inputs{doc.Components.Schemas.Map(), map[string]*huma.Schema{}}
	for _, path := range doc.Paths {
		for _, op := range []*huma.Operation{path.Put, path.Post, path.Patch, path.Delete} {
			if op == nil || op.RequestBody == nil {
				continue
			}
			for _, form := range op.RequestBody.Content {
				form.Schema.Ref = in.ref(form.Schema.Ref)
			}
		}
	}
	for name, is := range in.all {
		if !strings.HasSuffix(name, "Patch") {
			in.all[name] = told(is)
		}
	}
	maps.Copy(in.all, in.made)
	sayMeanings(in.all)
	showBodies(doc, in.all)
	dropUnused(doc, in.all)
	for _, tag := range glossary.Tags {
		doc.Tags = append(doc.Tags, &huma.Tag{Name: tag.Name, Description: tag.About})
	}
}

// dropUnused takes away the schemas that nothing leads to any more, now that bodies have their own.
func dropUnused(doc *huma.OpenAPI, schemas map[string]*huma.Schema) {
	used := map[string]bool{}
	var use func(s *huma.Schema)
	use = func(s *huma.Schema) {
		for _, ref := range refsOf(s) {
			if name := strings.TrimPrefix(ref, schemaPath); !used[name] {
				used[name] = true
				use(schemas[name])
				for _, part := range schemas[name].Properties {
					use(part)
				}
			}
		}
	}
	for _, path := range doc.Paths {
		for _, op := range []*huma.Operation{path.Get, path.Put, path.Post, path.Patch, path.Delete} {
			if op == nil {
				continue
			}
			if op.RequestBody != nil {
				useIn(op.RequestBody.Content, use)
			}
			for _, p := range op.Parameters {
				use(p.Schema)
			}
			for _, r := range op.Responses {
				useIn(r.Content, use)
			}
		}
	}
	for _, r := range doc.Components.Responses {
		useIn(r.Content, use)
	}
	maps.DeleteFunc(schemas, func(name string, _ *huma.Schema) bool { return !used[name] })
}

func useIn(content map[string]*huma.MediaType, use func(*huma.Schema)) {
	for _, form := range content {
		if form.Schema != nil {
			use(form.Schema)
		}
	}
}

// showBodies gives each body in JSON an example.
func showBodies(doc *huma.OpenAPI, schemas map[string]*huma.Schema) {
	for _, path := range doc.Paths {
		for _, op := range []*huma.Operation{path.Put, path.Post, path.Patch, path.Delete} {
			if op == nil || op.RequestBody == nil {
				continue
			}
			for kind, form := range op.RequestBody.Content {
				if form.Example == nil && strings.HasSuffix(kind, "json") {
					form.Example = glossary.Example(schemas, form.Schema)
				}
			}
		}
	}
}

// sayMeanings says what parts mean of which their types do not say it.
func sayMeanings(schemas map[string]*huma.Schema) {
	for name, of := range schemas {
		for part, is := range of.Properties {
			if means := glossary.Of(name, part); is.Description == "" && means != "" {
				said := *is
				said.Description = means
				of.Properties[part] = &said
			}
		}
	}
}

// inputs are the schemas that there are, and those that describe bodies alone.
type inputs struct {
	all, made map[string]*huma.Schema
}

const schemaPath = "#/components/schemas/"

// ref gives what describes in a body what ref describes in an answer.
func (in *inputs) ref(ref string) string {
	name := strings.TrimPrefix(ref, schemaPath)
	patch := strings.HasSuffix(name, "Patch")
	switch {
	case ref == "" || !patch && !in.sets(name, map[string]bool{}):
		return ref
	case !patch:
		name += "Input"
	}
	if in.made[name] == nil {
		in.made[name] = &huma.Schema{} // which may lead to itself
		*in.made[name] = *in.copied(in.all[strings.TrimPrefix(ref, schemaPath)])
	}
	return schemaPath + name
}

// length describes a length of time: a number of seconds.
type length struct{}

// isLength tells whether a schema is that of a length of time, which a body may also say in words.
func isLength(s *huma.Schema) bool { return s.Extensions["x-unit"] == "s" }

// Schema is that of a number of seconds.
func (length) Schema(huma.Registry) *huma.Schema {
	return &huma.Schema{Type: huma.TypeNumber, Format: "double", Extensions: map[string]any{"x-unit": "s"}}
}

// TellLengths describes lengths of time.
func TellLengths(schemas huma.Registry) {
	schemas.RegisterTypeAlias(reflect.TypeFor[measure.Duration](), reflect.TypeFor[length]())
	schemas.RegisterTypeAlias(reflect.TypeFor[measure.Millis](), reflect.TypeFor[float64]())
}

// WriteLengths describes the lengths of time of what people write in files: in words, or in seconds.
func WriteLengths(schemas huma.Registry) {
	for _, of := range schemas.Map() {
		for name, is := range of.Properties {
			if !isLength(is) {
				continue
			}
			written := orText(is)
			written.Examples = nil
			for _, example := range is.Examples {
				if seconds, number := example.(float64); number {
					written.Examples = append(written.Examples, measure.Duration(seconds*1e9).String())
				}
			}
			of.Properties[name] = written
		}
	}
}

// orText lets a length of time be said in words.
func orText(s *huma.Schema) *huma.Schema {
	either := &huma.Schema{Description: s.Description, Examples: s.Examples, AnyOf: []*huma.Schema{
		{Type: huma.TypeNumber, Format: "double", Description: "seconds"},
		{Type: huma.TypeString, Description: "10s, 1m30s, 2h, 3d, or as in ISO 8601: PT1M30S"}}}
	either.PrecomputeMessages()
	return either
}

// sets tells whether a schema, or one that it leads to, requires parts that the service alone sets, or has lengths of
// time.
func (in *inputs) sets(name string, seen map[string]bool) bool {
	whole := in.all[name]
	if seen[name] || whole == nil {
		return false
	}
	seen[name] = true
	for _, part := range whole.Required {
		if is := whole.Properties[part]; is != nil && is.ReadOnly {
			return true
		}
	}
	for _, is := range whole.Properties {
		if isLength(is) {
			return true
		}
		if slices.ContainsFunc(refsOf(is), func(ref string) bool { return in.sets(strings.TrimPrefix(ref, schemaPath), seen) }) {
			return true
		}
	}
	return false
}

// refsOf gives the schemas that one leads to.
func refsOf(s *huma.Schema) (refs []string) {
	if s.Ref != "" {
		refs = append(refs, s.Ref)
	}
	if s.Items != nil {
		refs = append(refs, refsOf(s.Items)...)
	}
	if values, is := s.AdditionalProperties.(*huma.Schema); is {
		refs = append(refs, refsOf(values)...)
	}
	for _, one := range s.AnyOf {
		refs = append(refs, refsOf(one)...)
	}
	return refs
}

// copied gives a schema as it describes a body.
func (in *inputs) copied(s *huma.Schema) *huma.Schema {
	if isLength(s) {
		return orText(s)
	}
	c := *s
	c.Ref = in.ref(s.Ref)
	if s.Items != nil {
		c.Items = in.copied(s.Items)
	}
	if values, is := s.AdditionalProperties.(*huma.Schema); is {
		c.AdditionalProperties = in.copied(values)
	}
	c.AnyOf = nil
	for _, one := range s.AnyOf {
		c.AnyOf = append(c.AnyOf, in.copied(one))
	}
	if s.Properties == nil {
		return &c
	}
	c.Properties = make(map[string]*huma.Schema, len(s.Properties))
	for part, is := range s.Properties {
		c.Properties[part] = in.copied(is)
	}
	c.Required = slices.DeleteFunc(slices.Clone(s.Required), func(part string) bool {
		is := s.Properties[part]
		return is != nil && is.ReadOnly
	})
	return &c
}

// told gives a schema as it describes answers alone.
func told(s *huma.Schema) *huma.Schema {
	c := *s
	c.Properties = make(map[string]*huma.Schema, len(s.Properties))
	for part, is := range s.Properties {
		if c.Properties[part] = is; is.ReadOnly {
			plain := *is
			plain.ReadOnly = false
			c.Properties[part] = &plain
		}
	}
	return &c
}
