package web

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"net/http"
	"reflect"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/api"
	"jauntylark/core/prose"
	"jauntylark/pipeline/commit"
	"jauntylark/store"
)

// Tagged is an answer that shows a thing, under the tag of its state.
type Tagged[T any] struct {
	Status int
	ETag   string `header:"ETag" doc:"of the state that is shown; If-Match takes it"`
	Body   T
}

// triesAnew bounds how often a thing is saved anew because something else of the configuration changed meanwhile.
const triesAnew = 20

// thing is what is shown at one place, and saved there as a whole.
type thing[At, Shown, In, Out any] struct {
	v     *Server
	show  Does[At, Shown]
	save  Does[In, Out]
	body  *huma.Schema // of what is saved
	keeps bool         // saving keeps what is left out
	// saving makes what is not there
	mayMake bool
}

// Keep has a thing shown, saved as a whole and changed in parts, each under the tag of its state. Who names another than
// the one that stands is refused. Who names none takes nothing away that they leave out (docs/semantics.md, Saving).
func Keep[At, Shown, In, Out any](v *Server, get api.Op[At, Shown], show Does[At, Shown], put api.Op[In, Out],
	save Does[In, Out], patch api.Op[In, Out]) {
	t := whole(v, get, show, put, save)
	v.inParts(get.Operation, put.Operation, patch.Operation, t.body, t.keeps)
}

// KeepOrChange has a thing shown, saved as a whole, and parts of it changed, each under the tag of its state.
func KeepOrChange[At, Shown, In, Out, Parts any](v *Server, get api.Op[At, Shown], show Does[At, Shown],
	put api.Op[In, Out], save Does[In, Out], change api.Op[Parts, Out], saveParts Does[Parts, Out]) {
	t := whole(v, get, show, put, save)
	some := &thing[At, Shown, Parts, Out]{v: v, show: show, save: saveParts, keeps: true, body: t.body}
	AnswerAs(v, change, some.put)
}

// whole has a thing shown and saved as a whole.
func whole[At, Shown, In, Out any](v *Server, get api.Op[At, Shown], show Does[At, Shown], put api.Op[In, Out],
	save Does[In, Out]) *thing[At, Shown, In, Out] {
	schemas := v.api.OpenAPI().Components.Schemas
	t := &thing[At, Shown, In, Out]{v: v, show: show, save: save, mayMake: put.MayMake(),
		body: schemas.SchemaFromRef(schemas.Schema(put.Body(), true, put.Body().Name()).Ref)}
	_, t.keeps = reflect.New(put.Body()).Interface().(interface{ KeepsRest() })
	AnswerAs(v, get, t.get)
	AnswerAs(v, put, t.put)
	return t
}

// Change has a thing shown, and parts of it changed, under the tag of its state.
func Change[At, Shown, In, Out any](v *Server, get api.Op[At, Shown], show Does[At, Shown], change api.Op[In, Out],
	save Does[In, Out]) {
	schemas := v.api.OpenAPI().Components.Schemas
	t := &thing[At, Shown, In, Out]{v: v, show: show, save: save, keeps: true,
		body: schemas.SchemaFromRef(schemas.Schema(change.Body(), true, change.Body().Name()).Ref)}
	AnswerAs(v, get, t.get)
	AnswerAs(v, change, t.put)
}

func (t *thing[At, Shown, In, Out]) get(ctx context.Context, v *Server, at *At) (*Tagged[Shown], error) {
	shown, err := t.show(ctx, v, at)
	if err != nil {
		return nil, err
	}
	tag, err := tagOf(shown, t.body) // no tag of what it does meanwhile: If-None-Match is not answered by it
	return &Tagged[Shown]{Status: http.StatusOK, ETag: tag, Body: shown}, err
}

// put saves a thing as it is meant: where something changes between looking and saving, it looks anew.
func (t *thing[At, Shown, In, Out]) put(ctx context.Context, v *Server, in *In) (*Tagged[Out], error) {
	for range triesAnew {
		no, err := store.ConfigNo(ctx, v.Store)
		if err != nil {
			return nil, err
		}
		meant, status := ctx, http.StatusOK
		if !t.keeps || conditional(ctx) {
			there, err := t.check(ctx, in)
			if err != nil {
				return nil, err
			}
			if !there && t.mayMake {
				status = http.StatusCreated
			}
			meant = commit.MeantFor(ctx, no)
		}
		out, err := t.save(meant, v, in)
		if errors.Is(err, commit.ErrMoved) {
			continue
		}
		if err != nil {
			return nil, err
		}
		if status == http.StatusCreated {
			requestOf(ctx).located(requestOf(ctx).path)
		}
		return &Tagged[Out]{Status: status, ETag: t.tagAfter(ctx, in, no), Body: out}, nil
	}
	return nil, huma.Error503ServiceUnavailable("Too much is changed at once. Try again in a moment.")
}

// conditional tells whether a request says under which state of the thing it is meant.
func conditional(ctx context.Context) bool {
	has := requestOf(ctx).header
	return has.Get("If-Match") != "" || has.Get("If-None-Match") != ""
}

// check tells whether a thing is there, and refuses to save it where it is another than the one that is meant, or without
// what it has.
func (t *thing[At, Shown, In, Out]) check(ctx context.Context, in *In) (there bool, err error) {
	asked := requestOf(ctx)
	shown, err := t.show(ctx, t.v, placeOf[At](in))
	want := asked.header.Get("If-Match")
	var status huma.StatusError
	if errors.As(err, &status) && status.GetStatus() == http.StatusNotFound || errors.Is(err, store.ErrNotFound) {
		if want != "" {
			return false, huma.Error412PreconditionFailed("It is not there any more.")
		}
		return false, nil
	}
	if err != nil {
		return true, err
	}
	has, err := parts(shown, t.body)
	if err != nil {
		return true, err
	}
	tag := tagOfParts(has)
	if matches(asked.header.Get("If-None-Match"), tag) {
		return true, api.ThereAlready.Problem("There is one of this name. Nothing was changed.")
	}
	if want == "" {
		return true, t.leftOut(asked.body.Bytes(), in, has)
	}
	if !matches(want, tag) {
		return true, changedMeanwhile(tag)
	}
	return true, nil
}

// leftOut refuses what would take away a part without naming it.
func (t *thing[At, Shown, In, Out]) leftOut(said []byte, in *In, has map[string]json.RawMessage) error {
	var named map[string]json.RawMessage
	if err := json.Unmarshal(said, &named); err != nil {
		return err
	}
	becomes, err := parts(settled(in), t.body)
	if err != nil {
		return err
	}
	var missing []string
	for part, is := range has {
		if _, is := named[part]; is || part == "name" {
			continue
		}
		if next, told := becomes[part]; told && !bytes.Equal(next, is) && !empty(is) || !told && !empty(is) {
			missing = append(missing, part)
		}
	}
	if len(missing) == 0 {
		return nil
	}
	slices.Sort(missing)
	details := make([]api.WrongPart, len(missing))
	for i, part := range missing {
		details[i] = api.WrongPart{Location: "body." + part, Message: "is left out"}
	}
	verb := " is"
	if len(missing) > 1 {
		verb = " are"
	}
	return api.LeftOut.Problem(prose.List(missing)+verb+" left out and would be taken away. PUT saves the whole: "+
		"name all parts, or change some with PATCH, or name the state that you replace with If-Match.", details...)
}

// settled gives the body of an input with what is made of what was left out.
func settled[In any](in *In) any {
	body := reflect.New(reflect.TypeFor[In]()).Elem()
	body.Set(reflect.ValueOf(in).Elem())
	whole := body.FieldByName("Body").Addr().Interface()
	if s, is := whole.(interface{ Settle() }); is {
		s.Settle()
	}
	return whole
}

// empty tells whether a value says nothing.
func empty(value json.RawMessage) bool {
	return slices.Contains([]string{`null`, `""`, `[]`, `{}`}, string(value))
}

// tagAfter gives the tag of what was saved; empty where others have changed something since.
func (t *thing[At, Shown, In, Out]) tagAfter(ctx context.Context, in *In, no int64) string {
	shown, err := t.show(ctx, t.v, placeOf[At](in))
	if err != nil {
		return ""
	}
	tag, err := tagOf(shown, t.body)
	if now, wrong := store.ConfigNo(ctx, t.v.Store); err != nil || wrong != nil || now > no+1 {
		return ""
	}
	return tag
}

// placeOf gives the place that an input names.
func placeOf[At, In any](in *In) *At {
	if field := reflect.ValueOf(in).Elem().FieldByName(reflect.TypeFor[At]().Name()); field.IsValid() {
		place := field.Interface().(At)
		return &place
	}
	return new(At)
}

// parts gives those parts of a thing that can be saved.
func parts(shown any, body *huma.Schema) (map[string]json.RawMessage, error) {
	if page, is := shown.(interface{ Thing() any }); is {
		shown = page.Thing()
	}
	text, err := json.Marshal(shown)
	if err != nil {
		return nil, err
	}
	var all map[string]json.RawMessage
	if err := json.Unmarshal(text, &all); err != nil {
		return nil, err
	}
	for name := range all {
		if of := body.Properties[name]; of == nil || of.ReadOnly {
			delete(all, name)
		}
	}
	return all, nil
}

func tagOf(shown any, body *huma.Schema) (string, error) {
	has, err := parts(shown, body)
	return tagOfParts(has), err
}

// tagOfParts gives the tag of a state: the same for the same parts.
func tagOfParts(has map[string]json.RawMessage) string {
	text, _ := json.Marshal(has)
	return tagOfBytes(text)
}

func tagOfBytes(body []byte) string {
	sum := sha256.Sum256(body)
	return `"` + hex.EncodeToString(sum[:10]) + `"`
}

// matches tells whether a tag is among those that a header names (RFC 9110 section 13.1).
func matches(header, tag string) bool {
	for one := range strings.SplitSeq(header, ",") {
		if one = strings.TrimSpace(one); one == "*" || strings.TrimPrefix(one, "W/") == tag {
			return true
		}
	}
	return false
}
