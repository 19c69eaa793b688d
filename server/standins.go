package server

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/api"
)

// errNoStandins says that there are none.
func errNoStandins() error {
	return huma.Error404NotFound("This service has no stand-ins; 'jaunty demo' has.")
}

func (v *Server) standinInbox(context.Context, *api.None) ([]api.Message, error) {
	if v.Inbox == nil {
		return nil, errNoStandins()
	}
	messages := v.Inbox.Messages()
	for i := range messages {
		messages[i].HTML, messages[i].Picture = "", nil
	}
	return messages, nil
}

func (v *Server) standinMessage(_ context.Context, in *api.StandinPath) (api.Message, error) {
	if v.Inbox == nil {
		return api.Message{}, errNoStandins()
	}
	m, found := v.Inbox.Message(in.ID)
	if !found {
		return api.Message{}, huma.Error404NotFound("There is no such message.")
	}
	return m, nil
}

func (v *Server) standinReply(ctx context.Context, in *api.ReplyToStandInIn) error {
	if v.Inbox == nil {
		return errNoStandins()
	}
	return v.Inbox.Reply(ctx, in.ID, in.Body.Answer)
}

func (v *Server) standinFaults(context.Context, *api.None) (map[string]string, error) {
	if v.Inbox == nil {
		return nil, errNoStandins()
	}
	return v.Inbox.Failing(), nil
}

func (v *Server) standinFail(_ context.Context, in *api.SetStandInFaultIn) (map[string]string, error) {
	if v.Inbox == nil {
		return nil, errNoStandins()
	}
	if err := v.Inbox.Fail(in.Carrier, in.Body.How); err != nil {
		return nil, err
	}
	return v.Inbox.Failing(), nil
}
