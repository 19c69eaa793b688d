package place

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/api"
	"jauntylark/server/web"
)

// standinsOperations has the operations of this file answered.
func standinsOperations(v *web.Server) {
	web.Answer(v, api.GetStandInInbox, standinInbox)
	web.Answer(v, api.GetStandInMessage, standinMessage)
	web.Carry(v, api.ReplyToStandIn, standinReply)
	web.Answer(v, api.GetStandInFaults, standinFaults)
	web.Answer(v, api.SetStandInFault, standinFail)
}

// errNoStandins says that there are none.
func errNoStandins() error {
	return huma.Error404NotFound("This service has no stand-ins; 'jaunty demo' has.")
}

func standinInbox(_ context.Context, v *web.Server, _ *api.None) ([]api.Message, error) {
	if v.Inbox == nil {
		return nil, errNoStandins()
	}
	messages := v.Inbox.Messages()
	for i := range messages {
		messages[i].HTML, messages[i].Picture = "", nil
	}
	return messages, nil
}

func standinMessage(_ context.Context, v *web.Server, in *api.StandinPath) (api.Message, error) {
	if v.Inbox == nil {
		return api.Message{}, errNoStandins()
	}
	m, found := v.Inbox.Message(in.ID)
	if !found {
		return api.Message{}, huma.Error404NotFound("There is no such message.")
	}
	return m, nil
}

func standinReply(ctx context.Context, v *web.Server, in *api.ReplyToStandInIn) error {
	if v.Inbox == nil {
		return errNoStandins()
	}
	return v.Inbox.Reply(ctx, in.ID, in.Body.Answer)
}

func standinFaults(_ context.Context, v *web.Server, _ *api.None) (map[string]string, error) {
	if v.Inbox == nil {
		return nil, errNoStandins()
	}
	return v.Inbox.Failing(), nil
}

func standinFail(_ context.Context, v *web.Server, in *api.SetStandInFaultIn) (map[string]string, error) {
	if v.Inbox == nil {
		return nil, errNoStandins()
	}
	if err := v.Inbox.Fail(in.Carrier, in.Body.How); err != nil {
		return nil, err
	}
	return v.Inbox.Failing(), nil
}
