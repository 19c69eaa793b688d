package server

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/standin"
)

// errNoStandins says that there are none.
func errNoStandins() error {
	return huma.Error404NotFound("This service has no stand-ins; 'jaunty demo' has.")
}

func (v *Server) standinInbox(context.Context, *none) (*body[[]standin.Message], error) {
	if v.Inbox == nil {
		return nil, errNoStandins()
	}
	messages := v.Inbox.Messages()
	for i := range messages {
		messages[i].HTML, messages[i].Picture = "", nil
	}
	return answer(messages, nil)
}

// StandinPath is the place of one message that a stand-in received.
type StandinPath struct {
	ID int `path:"id" minimum:"1"`
}

func (v *Server) standinMessage(_ context.Context, in *StandinPath) (*body[standin.Message], error) {
	if v.Inbox == nil {
		return nil, errNoStandins()
	}
	m, found := v.Inbox.Message(in.ID)
	if !found {
		return nil, huma.Error404NotFound("There is no such message.")
	}
	return answer(m, nil)
}

func (v *Server) standinReply(ctx context.Context, in *struct {
	StandinPath
	Body struct {
		Answer string `json:"answer" minLength:"1" maxLength:"160" doc:"1: I have it" example:"1"`
	}
}) (*none, error) {
	if v.Inbox == nil {
		return nil, errNoStandins()
	}
	return nil, v.Inbox.Reply(ctx, in.ID, in.Body.Answer)
}

func (v *Server) standinFaults(context.Context, *none) (*body[map[string]string], error) {
	if v.Inbox == nil {
		return nil, errNoStandins()
	}
	return answer(v.Inbox.Failing(), nil)
}

func (v *Server) standinFail(_ context.Context, in *struct {
	Carrier string `path:"carrier"`
	Body    struct {
		How string `json:"how" doc:"refuse, reject, time-out, slow, no-receipts, fail; empty: it works"`
	}
}) (*body[map[string]string], error) {
	if v.Inbox == nil {
		return nil, errNoStandins()
	}
	if err := v.Inbox.Fail(in.Carrier, in.Body.How); err != nil {
		return nil, err
	}
	return answer(v.Inbox.Failing(), nil)
}
