package server

import (
	"context"

	"jauntylark/api"
	"jauntylark/core/alarm"
	"jauntylark/core/limit"
	"jauntylark/core/site"
	"jauntylark/pipeline/configure"
)

func (v *Server) listTrials(ctx context.Context, _ *api.None) ([]site.Trial, error) {
	return v.store.Trials(ctx)
}

func (v *Server) startTrial(ctx context.Context, in *api.Body[api.TrialOrder]) (site.Trial, error) {
	return configure.StartTrial(ctx, v.pipeline, in.Body.Signal, in.Body.Note, actor(ctx))
}

func (v *Server) getTrial(ctx context.Context, in *api.TrialPath) (site.Trial, error) {
	trial, err := v.store.Trial(ctx, in.ID)
	return trial, missing(err, "trial", "", nil)
}

func (v *Server) markTrial(ctx context.Context, in *api.MarkTrialIn) (site.Trial, error) {
	if err := configure.MarkTrial(ctx, v.pipeline, in.ID, configure.Mark{Label: in.Body.Label, From: in.Body.From, Until: in.Body.Until}, actor(ctx)); err != nil {
		return site.Trial{}, err
	}
	return v.getTrial(ctx, &in.TrialPath)
}

func (v *Server) unmarkTrial(ctx context.Context, in *api.UnmarkTrialIn) error {
	return configure.UnmarkTrial(ctx, v.pipeline, in.ID, in.Stretch, actor(ctx))
}

func (v *Server) removeTrial(ctx context.Context, in *api.TrialPath) error {
	return configure.RemoveTrial(ctx, v.pipeline, in.ID, actor(ctx))
}

func (v *Server) suggest(ctx context.Context, in *api.TrialPath) (limit.Suggestion, error) {
	return configure.SuggestFrom(ctx, v.pipeline, in.ID)
}

func (v *Server) acceptTrial(ctx context.Context, in *api.AcceptTrialIn) (alarm.Guard, error) {
	return configure.AcceptTrial(ctx, v.pipeline, in.ID, func(g *alarm.Guard) error {
		o := in.Body
		g.Name, g.Advice, g.Latch, g.LeastGap = o.Name, o.Advice, o.Latch, o.LeastGap
		if o.Severity != "" {
			g.Severity = o.Severity
		}
		if o.Tell != nil {
			g.Tell = o.Tell
		}
		return tidy(g)
	}, actor(ctx))
}
