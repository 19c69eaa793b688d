package place

import (
	"context"

	"jauntylark/api"
	"jauntylark/core/alarm"
	"jauntylark/core/limit"
	"jauntylark/core/site"
	"jauntylark/pipeline/configure"
	"jauntylark/server/web"
	"jauntylark/store/events"
)

// trialsOperations has the operations of this file answered.
func trialsOperations(v *web.Server) {
	web.Answer(v, api.ListTrials, listTrials)
	web.Answer(v, api.StartTrial, startTrial)
	web.Answer(v, api.GetTrial, getTrial)
	web.Carry(v, api.RemoveTrial, removeTrial)
	web.Answer(v, api.MarkTrial, markTrial)
	web.Carry(v, api.UnmarkTrial, unmarkTrial)
	web.Answer(v, api.SuggestLimit, suggestLimit)
	web.Answer(v, api.AcceptTrial, acceptTrial)
}

func listTrials(ctx context.Context, v *web.Server, _ *api.None) ([]site.Trial, error) {
	return events.Trials(ctx, v.Store)
}

func startTrial(ctx context.Context, v *web.Server, in *api.Body[api.TrialOrder]) (site.Trial, error) {
	return configure.StartTrial(ctx, v.Pipeline, in.Body.Signal, in.Body.Note, web.Actor(ctx))
}

func getTrial(ctx context.Context, v *web.Server, in *api.TrialPath) (site.Trial, error) {
	trial, err := events.Trial(ctx, v.Store, in.ID)
	return trial, web.Missing(err, "trial", "", nil)
}

func markTrial(ctx context.Context, v *web.Server, in *api.MarkTrialIn) (site.Trial, error) {
	if err := configure.MarkTrial(ctx, v.Pipeline, in.ID, configure.Mark{Label: in.Body.Label, From: in.Body.From,
		Until: in.Body.Until}, web.Actor(ctx)); err != nil {
		return site.Trial{}, err
	}
	return getTrial(ctx, v, &in.TrialPath)
}

func unmarkTrial(ctx context.Context, v *web.Server, in *api.UnmarkTrialIn) error {
	return configure.UnmarkTrial(ctx, v.Pipeline, in.ID, in.Stretch, web.Actor(ctx))
}

func removeTrial(ctx context.Context, v *web.Server, in *api.TrialPath) error {
	return configure.RemoveTrial(ctx, v.Pipeline, in.ID, web.Actor(ctx))
}

func suggestLimit(ctx context.Context, v *web.Server, in *api.TrialPath) (limit.Suggestion, error) {
	return configure.SuggestFrom(ctx, v.Pipeline, in.ID)
}

func acceptTrial(ctx context.Context, v *web.Server, in *api.AcceptTrialIn) (alarm.Guard, error) {
	return configure.AcceptTrial(ctx, v.Pipeline, in.ID, func(g *alarm.Guard) error {
		o := in.Body
		g.Name, g.Advice, g.Latch, g.LeastGap = o.Name, o.Advice, o.Latch, o.LeastGap
		if o.Severity != "" {
			g.Severity = o.Severity
		}
		if o.Tell != nil {
			g.Tell = o.Tell
		}
		return Tidy(g)
	}, web.Actor(ctx))
}
