package api

import (
	"net/http"
	"reflect"
	"slices"
	"strings"
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
