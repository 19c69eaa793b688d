package api

import (
	"net/http"

	"jauntylark/core/measure"
)

// ProblemsPath is where the page of each kind of problem is: its type (RFC 9457 section 3.1.1) is a reference to it.
const ProblemsPath = "/problems/"

// Problem is what is answered instead of what was asked for (RFC 9457).
type Problem struct {
	Type    string            `json:"type" format:"uri-reference" doc:"which kind of problem it is: the address of a page about it, which stays the same" example:"/problems/refused"`
	Title   string            `json:"title" doc:"the kind in words"`
	Status  int               `json:"status" doc:"the code of the answer"`
	Detail  string            `json:"detail" doc:"what is wrong this time, in a sentence"`
	Errors  []WrongPart       `json:"errors,omitempty" nullable:"false" doc:"which parts of what was sent are wrong"`
	Refused []measure.Refusal `json:"rejected,omitempty" nullable:"false" doc:"which readings were not taken, in their order"`
}

// WrongPart is a part of what was sent that is wrong.
type WrongPart struct {
	Location string `json:"location" doc:"where it stands: body.tell[0], query.since, path.device, header.If-Match"`
	Message  string `json:"message" doc:"what is wrong with it"`
}

// Error gives what is wrong.
func (p *Problem) Error() string { return p.Detail }

// GetStatus gives the code of the answer.
func (p *Problem) GetStatus() int { return p.Status }

// ContentType gives the media type of a problem.
func (p *Problem) ContentType(string) string { return ProblemType }

// ProblemType is the media type of a problem (RFC 9457 section 3).
const ProblemType = "application/problem+json"

// Fault is a kind of problem.
type Fault struct {
	Name   string // ends its type
	Status int
	Title  string
	When   string // it is answered
	Do     string // about it
}

// Type refers to the page about a kind of problem.
func (f Fault) Type() string { return ProblemsPath + f.Name }

// Problem makes a problem of a kind.
func (f Fault) Problem(detail string, wrong ...WrongPart) *Problem {
	return &Problem{Type: f.Type(), Title: f.Title, Status: f.Status, Detail: detail, Errors: wrong}
}

// Kinds of problems that have their code with others.
var (
	UnknownParameter = Fault{"unknown-parameter", http.StatusUnprocessableEntity, "Unknown parameter",
		"The query has a name that the operation does not understand. Nothing was done.",
		"Mend the name; the detail names the nearest."}
	LeftOut = Fault{"left-out", http.StatusUnprocessableEntity, "Parts are left out",
		"A PUT leaves out parts that the thing has, and would take them away. Nothing was saved.",
		"Name all parts, change some with PATCH, or name the state that is replaced with If-Match."}
	OtherRequest = Fault{"other-request", http.StatusUnprocessableEntity, "Another request had this key",
		"The Idempotency-Key came with another request before. Nothing was done.",
		"Send a new key with each new request, and the same key only with the same request again."}
	UnderWay = Fault{"under-way", http.StatusConflict, "The first is under way",
		"A request with the same Idempotency-Key is still being answered.", "Send the same again in a moment."}
	NameTaken = Fault{"name-taken", http.StatusConflict, "The name is taken",
		"Something else has the name already. Nothing was made.", "Choose another name, or change what is there."}
	ThereAlready = Fault{"there-already", http.StatusPreconditionFailed, "There already",
		"Something of the name is there, and If-None-Match: * asked that there be none. Nothing was changed.",
		"Choose another name, or ask for what is there and change it."}
	WrongPasswords = Fault{"wrong-passwords", http.StatusTooManyRequests, "Too many wrong passwords",
		"Passwords were wrong too often, from one address or for one person.", "Wait as Retry-After says."}
)

// Faults are the kinds of problems that the API answers with: first those that a code alone stands for.
var Faults = []Fault{
	{"unreadable", http.StatusBadRequest, "Unreadable", "The request cannot be read as what it says it is.",
		"Mend the program that sends it."},
	{"not-signed-in", http.StatusUnauthorized, "Not signed in", "Nobody is known by what the request brings.",
		"Sign in, or send a token or key that holds: Authorization: Bearer TOKEN."},
	{"not-allowed", http.StatusForbidden, "Not allowed", "Who asks may not do it.",
		"Ask an owner of the site for the role that the detail names."},
	{"not-there", http.StatusNotFound, "Not there", "What is asked for is not there.",
		"Mend the name; the detail names the nearest that is there."},
	{"no-such-method", http.StatusMethodNotAllowed, "No such method",
		"What is asked for is there, but cannot be done to it.", "See which methods the header Allow names."},
	{"not-now", http.StatusConflict, "Not now", "It cannot be done as things stand. Nothing was changed.",
		"Read the detail, which says what stands in the way."},
	{"gone", http.StatusGone, "Gone", "It was there, and is known no more.",
		"Begin where the detail says."},
	{"changed", http.StatusPreconditionFailed, "Changed meanwhile",
		"It is another by now than under the tag that If-Match names. Nothing was changed.",
		"Ask for it again, and change what is there now."},
	{"too-long", http.StatusRequestEntityTooLarge, "Too long", "The body is longer than is read.",
		"Send less at once."},
	{"wrong-type", http.StatusUnsupportedMediaType, "Wrong type", "The content type is none that is read.",
		"Send a content type that the description names."},
	{"range-not-there", http.StatusRequestedRangeNotSatisfiable, "No such range",
		"The range begins after the end.", "Ask for the length first, with HEAD."},
	{"refused", http.StatusUnprocessableEntity, "Refused",
		"Something is wrong with what was sent. Nothing was done.", "Mend what errors or rejected name."},
	{"too-much", http.StatusTooManyRequests, "Too much at once", "The same sender asks for too much at once.",
		"Wait as Retry-After says, and send the same again."},
	{"failed", http.StatusInternalServerError, "Failed", "Something went wrong in the service; its log says what.",
		"Send the same again later."},
	{"away", http.StatusServiceUnavailable, "Away", "The database is away, or all turns are taken. Nothing was done.",
		"Wait as Retry-After says, and send the same again."},
	{"no-room", http.StatusInsufficientStorage, "No room", "The service's disk is full. Nothing was taken.",
		"Make room; send the same again after Retry-After."},
	UnknownParameter, LeftOut, OtherRequest, UnderWay, NameTaken, WrongPasswords,
}

// FaultOf gives the kind of problem that a code alone stands for.
func FaultOf(status int) Fault {
	for _, f := range Faults {
		if f.Status == status {
			return f
		}
	}
	return Fault{"other", status, http.StatusText(status), "The request was not answered.", "Read the detail."}
}
