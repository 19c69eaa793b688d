package api

import (
	"net/http"
	"reflect"
	"strings"

	"jauntylark/core/site"
)

// Root is where the API begins.
const Root = "/api/v1"

// Roles, short for the declarations.
const (
	viewer = site.Viewer
	keeper = site.Keeper
	owner  = site.Owner
	nobody = site.Role("")
)

// Takes says what answering an operation takes, so that nobody can take it all.
type Takes int

// What answering takes.
const (
	TakesLittle  Takes = iota
	TakesLong          // it takes long to compute
	TakesStream        // it is written as it is computed
	TakesPicture       // a picture is brought, which takes much room while it is read
	TakesOpen          // it stays open, bounded by who answers it
)

// Operation is what is known of an operation whatever it takes and gives.
type Operation struct {
	Name    string // in words with hyphens, like list-devices
	Method  string
	Path    string    // from Root on, with its parts in braces: /devices/{device}
	Role    site.Role // who may do it; none: whoever asks
	Keyed   bool      // devices do it with their key
	Reader  bool      // a reader's key is enough
	Summary string
	Detail  string // what the summary does not say
	Status  int    // of an answer without fault
	Takes   Takes
	Most    int64 // how many bytes of a body are read
	In, Out reflect.Type
	Tagged  bool       // it shows or changes a thing under the tag of its state (ETag, If-Match)
	Saves   *Operation // of one that changes parts: the one that saves the whole; nil: it does not

	brings, gives []kind         // what a body may be, and an answer, where it is no JSON
	answers       map[int]string // what else is answered, and when
	forms         map[int]kind   // of these, the forms that are others than usual
	query         []string       // the names that are understood in a query
	made          func(in, out any) Place
	list          *listing // of one that gives a list; nil: it gives none
}

// IsFile tells whether the operation is answered in a form of its own.
func (op *Operation) IsFile() bool { return op.Out == reflect.TypeFor[File]() }

// Op is an operation: what it is asked with, and what it answers.
type Op[In, Out any] struct{ *Operation }

// None is an input or an answer without anything in it.
type None struct{}

// Body is an input that is a body alone.
type Body[T any] struct{ Body T }

// With gives the input that is a body alone.
func With[T any](body T) Body[T] { return Body[T]{Body: body} }

// File is an answer in a form of its own: a file, a stream, or what a device is told.
type File struct{}

var all []*Operation

// All gives every operation, in the order of their declarations.
func All() []*Operation { return all }

// define declares an operation: who may do it, its name, its place ("GET /devices/{device}"), and what it does.
func define[In, Out any](role site.Role, name, place, summary string, more ...func(*Operation)) Op[In, Out] {
	method, path, _ := strings.Cut(place, " ")
	op := &Operation{Name: name, Method: method, Path: path, Role: role, Summary: summary, Status: http.StatusOK,
		Most: mostAtOnce, In: reflect.TypeFor[In](), Out: reflect.TypeFor[Out]()}
	op.query = queryOf(op.In)
	if op.Out == reflect.TypeFor[None]() {
		op.Status = http.StatusNoContent
	}
	for _, say := range more {
		say(op)
	}
	all = append(all, op)
	return Op[In, Out]{op}
}

func created(op *Operation) { op.Status = http.StatusCreated }

// makes says that an operation makes something, and where that is then.
func makes[In, Out any](place func(in *In, out Out) Place) func(*Operation) {
	return func(op *Operation) {
		op.Status = http.StatusCreated
		op.made = func(in, out any) Place { return place(in.(*In), out.(Out)) }
	}
}

// mostAtOnce is how long a body may be that is kept in memory while it is read.
const mostAtOnce = 1 << 20

// Makes tells whether the operation makes something, and can be asked again with an Idempotency-Key: all that do but
// those that bring a file.
func (op *Operation) Makes() bool {
	return op.Status == http.StatusCreated && op.Role != nobody && !op.IsFile() && op.Most <= mostAtOnce
}

// Made gives where that is which an operation has made; empty: it makes nothing.
func (op *Operation) Made(in, out any) string {
	if op.made == nil {
		return ""
	}
	return op.made(in, out).Path
}

func accepted(op *Operation) { op.Status = http.StatusAccepted }

// tagged says that a thing is shown or changed under the tag of its state.
func tagged(op *Operation) { op.Tagged = true }

func long(op *Operation) { op.Takes = TakesLong }

func streamed(op *Operation) { op.Takes = TakesStream }

// lines says that an operation answers with its answer again and again, a JSON object a line, as it comes.
func lines(op *Operation) {
	op.Takes = TakesStream
	op.gives = []kind{{name: "application/x-ndjson", of: op.Out}}
	op.answers = map[int]string{http.StatusOK: "lines, the last of which has the summary"}
}

func staysOpen(op *Operation) { op.Takes = TakesOpen }

func keyed(op *Operation) { op.Keyed = true }

func detail(text string) func(*Operation) { return func(op *Operation) { op.Detail = text } }

// bringing lets a body be so long.
func bringing(bytes int64) func(*Operation) { return func(op *Operation) { op.Most = bytes + 1024 } }

// picturing says that a picture is brought.
func picturing(op *Operation) { op.Takes = TakesPicture }
