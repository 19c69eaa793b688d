package server

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/core/site"
)

// nobody is the role of an operation that asks for no sign-in.
const nobody site.Role = ""

// operation declares one operation of the API: the role it takes, its name, its place, and what it
// does.
func operation[In, Out any](v *Server, role site.Role, id, method, path, summary string, do func(context.Context, *In) (*Out, error), adjust ...func(*huma.Operation)) {
	op := huma.Operation{OperationID: id, Method: method, Path: path, Summary: summary, MaxBodyBytes: 1 << 20}
	if role != nobody {
		op.Metadata = map[string]any{"role": role}
		op.Security = []map[string][]string{{"token": {}}, {"session": {}}}
		op.Description = "Takes the role " + string(role) + "."
	}
	for _, a := range adjust {
		a(&op)
	}
	huma.Register(v.api, op, func(ctx context.Context, in *In) (*Out, error) {
		out, err := do(ctx, in)
		if err != nil {
			return nil, v.problem(err)
		}
		return out, nil
	})
}

func status(code int) func(*huma.Operation) {
	return func(op *huma.Operation) { op.DefaultStatus = code }
}

// body is an answer with a body.
type body[T any] struct{ Body T }

func answer[T any](v T, err error) (*body[T], error) {
	if err != nil {
		return nil, err
	}
	return &body[T]{v}, nil
}

// none is an operation's input or answer without anything in it.
type none struct{}

// routes declares all operations. Each line says who may do what.
func (v *Server) routes() {
	const viewer, keeper, owner = site.Viewer, site.Keeper, site.Owner

	operation(v, nobody, "sign-in", http.MethodPost, "/api/v1/session", "Sign in to the console", v.signIn)
	operation(v, viewer, "get-session", http.MethodGet, "/api/v1/session", "Who is signed in", v.session)
	operation(v, viewer, "sign-out", http.MethodDelete, "/api/v1/session", "Sign out, or give a token back", v.signOut, status(http.StatusNoContent))
	operation(v, nobody, "create-token", http.MethodPost, "/api/v1/tokens", "Get a bearer token for the command line or a program", v.createToken, status(http.StatusCreated))

	operation(v, viewer, "get-site", http.MethodGet, "/api/v1/site", "The site", v.getSite)
	operation(v, owner, "put-site", http.MethodPut, "/api/v1/site", "Change the site", v.putSite)

	operation(v, owner, "list-people", http.MethodGet, "/api/v1/people", "Who can sign in", v.listPeople)
	operation(v, owner, "add-person", http.MethodPost, "/api/v1/people", "Let a person sign in", v.addPerson, status(http.StatusCreated))
	operation(v, owner, "set-role", http.MethodPut, "/api/v1/people/{email}/role", "Change a person's role", v.setRole)
	operation(v, owner, "remove-person", http.MethodDelete, "/api/v1/people/{email}", "Remove a person with all sessions and tokens", v.removePerson, status(http.StatusNoContent))

	operation(v, viewer, "list-devices", http.MethodGet, "/api/v1/devices", "All devices", v.listDevices)
	operation(v, owner, "add-device", http.MethodPost, "/api/v1/devices", "Add a device; its key is told once", v.addDevice, status(http.StatusCreated))

	operation(v, viewer, "list-signals", http.MethodGet, "/api/v1/signals", "All signals with their newest readings", v.listSignals)
	operation(v, viewer, "list-sparks", http.MethodGet, "/api/v1/sparks", "The last day of every signal in few columns", v.listSparks)
	operation(v, viewer, "get-signal", http.MethodGet, "/api/v1/signals/{device}/{signal}", "One signal", v.getSignal)
	operation(v, keeper, "set-signal", http.MethodPatch, "/api/v1/signals/{device}/{signal}", "Say what a signal is called and its unit", v.setSignal)
	operation(v, viewer, "list-readings", http.MethodGet, "/api/v1/signals/{device}/{signal}/readings", "Readings of a stretch, in order of time", v.listReadings)
	operation(v, viewer, "get-line", http.MethodGet, "/api/v1/signals/{device}/{signal}/line", "A stretch reduced to what a chart of so many columns can show", v.getLine)

	operation(v, viewer, "list-guards", http.MethodGet, "/api/v1/guards", "All guards", v.listGuards)
	operation(v, keeper, "add-guard", http.MethodPost, "/api/v1/guards", "Add a guard", v.addGuard, status(http.StatusCreated))
	operation(v, keeper, "put-guard", http.MethodPut, "/api/v1/guards/{guard}", "Change a guard", v.putGuard)
	operation(v, keeper, "remove-guard", http.MethodDelete, "/api/v1/guards/{guard}", "Remove a guard; its standing alarm is over", v.removeGuard, status(http.StatusNoContent))

	operation(v, viewer, "list-alarms", http.MethodGet, "/api/v1/alarms", "Alarms, newest first", v.listAlarms)
	operation(v, viewer, "get-alarm", http.MethodGet, "/api/v1/alarms/{id}", "One alarm with its notices and journal", v.getAlarm)
	operation(v, keeper, "acknowledge-alarm", http.MethodPost, "/api/v1/alarms/{id}/acknowledge", "Say that you have it", v.acknowledge)
	operation(v, viewer, "list-journal", http.MethodGet, "/api/v1/journal", "What happened, newest first", v.listJournal)
	operation(v, viewer, "list-notices", http.MethodGet, "/api/v1/notices", "Notices with each attempt to deliver them, newest first", v.listNotices)

	operation(v, viewer, "get-stand-in-inbox", http.MethodGet, "/api/v1/standin/inbox", "What the stand-ins received, oldest first", v.standinInbox)
	v.describeByHand()
}

// describeByHand adds the ways that are not plain operations to the API's description.
func (v *Server) describeByHand() {
	text := func(s string) map[string]*huma.MediaType {
		return map[string]*huma.MediaType{"application/problem+json": {Schema: &huma.Schema{Type: "object", Description: s}}}
	}
	readings := map[string]*huma.MediaType{
		"application/senml+json": {Schema: &huma.Schema{Type: "array", Items: &huma.Schema{Type: "object"}, Description: "SenML pack, RFC 8428"},
			Example: []any{map[string]any{"bn": "greenhouse-door/", "n": "temp", "u": "Cel", "v": 21.5}}},
		"application/json": {Schema: &huma.Schema{Description: "an object of signal names and values, with at for the time, or an array of such"},
			Example: map[string]any{"temp": 21.5, "door": true, "at": "2026-03-01T14:05:00Z"}},
	}
	v.api.OpenAPI().AddOperation(&huma.Operation{
		OperationID: "send-readings", Method: http.MethodPost, Path: "/api/v1/intake", Summary: "Send readings",
		Description: "A device sends with its key, a person of role keeper with a token. The answer comes after the commit.",
		Security:    []map[string][]string{{"key": {}}, {"token": {}}},
		Parameters:  []*huma.Param{{Name: "Idempotency-Key", In: "header", Description: "kept for a day: the same key again gets the same answer and stores nothing", Schema: &huma.Schema{Type: "string"}}},
		RequestBody: &huma.RequestBody{Required: true, Content: readings},
		Responses: map[string]*huma.Response{
			"204": {Description: "all taken and committed, or held before"},
			"200": {Description: "some taken", Content: map[string]*huma.MediaType{"application/json": {Schema: refusalsSchema()}}},
			"400": {Description: "the body is not what its content type says", Content: text("RFC 9457")},
			"401": {Description: "the key is not known", Content: text("RFC 9457")},
			"413": {Description: "too long", Content: text("RFC 9457")},
			"415": {Description: "a content type that is not read", Content: text("RFC 9457")},
			"422": {Description: "none taken; rejected says why", Content: text("RFC 9457 with rejected")},
			"503": {Description: "the database is away; Retry-After says when to send again", Content: text("RFC 9457")},
		},
	})
	v.api.OpenAPI().AddOperation(&huma.Operation{
		OperationID: "watch-live", Method: http.MethodGet, Path: "/api/v1/live", Summary: "Changes as server-sent events",
		Description: "Takes the role viewer. Events: change (a Change; its id is the commit's number) and beat (the time, and whether the database is away, every 5 s). Last-Event-ID resumes without a gap.",
		Security:    []map[string][]string{{"token": {}}, {"session": {}}},
		Parameters:  []*huma.Param{{Name: "Last-Event-ID", In: "header", Schema: &huma.Schema{Type: "integer"}}},
		Responses: map[string]*huma.Response{"200": {Description: "the stream", Content: map[string]*huma.MediaType{
			"text/event-stream": {Schema: v.api.OpenAPI().Components.Schemas.Schema(typeOfChange, true, "Change")}}}},
	})
}

func refusalsSchema() *huma.Schema {
	number := &huma.Schema{Type: "integer"}
	text := &huma.Schema{Type: "string"}
	return &huma.Schema{Type: "object", Properties: map[string]*huma.Schema{
		"accepted": number,
		"rejected": {Type: "array", Items: &huma.Schema{Type: "object", Properties: map[string]*huma.Schema{"index": number, "signal": text, "field": text, "reason": text}}},
	}}
}
