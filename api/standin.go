package api

import (
	"jauntylark/core/measure"
)

// Operations on the stand-ins of carriers.
var (
	GetStandInInbox = define[None, []Message](viewer, "get-stand-in-inbox",
		"GET /standin/inbox", "What the stand-ins received, oldest first")
	GetStandInMessage = define[StandinPath, Message](viewer, "get-stand-in-message",
		"GET /standin/inbox/{id}", "One message that a stand-in received, with its page and picture")
	ReplyToStandIn = define[ReplyToStandInIn, None](keeper, "reply-to-stand-in",
		"POST /standin/inbox/{id}/reply", "Answer a message as its reader would")
	GetStandInFaults = define[None, map[string]string](viewer, "get-stand-in-faults",
		"GET /standin/faults", "How the stand-ins fail")
	SetStandInFault = define[SetStandInFaultIn, map[string]string](keeper, "set-stand-in-fault",
		"PUT /standin/faults/{carrier}", "Tell a stand-in to fail, or to work")
)

// Message is one message that a stand-in received.
type Message struct {
	ID         int             `json:"id" doc:"the stand-in's own number of it"`
	Carrier    string          `json:"carrier"`
	To         string          `json:"to"`
	Subject    string          `json:"subject"`
	Text       string          `json:"text"`
	HTML       string          `json:"html,omitempty" doc:"of an e-mail: its page; of the newest messages alone"`
	Picture    []byte          `json:"picture,omitempty" doc:"of an e-mail: the picture in it, PNG"`
	Files      []string        `json:"files,omitempty" nullable:"false" doc:"of an e-mail: names of what is attached"`
	Thread     string          `json:"thread,omitempty" doc:"of an e-mail: the conversation that it belongs to"`
	Ref        string          `json:"ref,omitempty" doc:"the sender's own number of it"`
	Callback   string          `json:"-"`
	ReceivedAt measure.Instant `json:"received_at" format:"date-time"`
}

// StandInReply is what the reader of a message answers.
type StandInReply struct {
	Answer string `json:"answer" minLength:"1" maxLength:"160" doc:"1: I have it" example:"1"`
}

// ReplyToStandInIn is the input of ReplyToStandIn.
type ReplyToStandInIn struct {
	StandinPath
	Body StandInReply
}

// StandInFault says how a stand-in fails.
type StandInFault struct {
	How string `json:"how" doc:"refuse, reject, time-out, slow, no-receipts, fail; empty: it works"`
}

// SetStandInFaultIn is the input of SetStandInFault.
type SetStandInFaultIn struct {
	Carrier string `path:"carrier"`
	Body    StandInFault
}

// StandinPath is the place of one message that a stand-in received.
type StandinPath struct {
	ID int `path:"id" minimum:"1"`
}
