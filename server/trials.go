package server

import (
	"context"

	"jauntylark/core/alarm"
	"jauntylark/core/limit"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline"
)

func (v *Server) listTrials(ctx context.Context, _ *none) (*body[[]site.Trial], error) {
	return answer(v.store.Trials(ctx))
}

// TrialOrder begins a trial.
type TrialOrder struct {
	Signal string `json:"signal" doc:"DEVICE/SIGNAL, of numbers"`
	Note   string `json:"note,omitempty" required:"false" maxLength:"500"`
}

func (v *Server) startTrial(ctx context.Context, in *body[TrialOrder]) (*body[site.Trial], error) {
	return answer(v.pipeline.StartTrial(ctx, in.Body.Signal, in.Body.Note, actor(ctx)))
}

// TrialPath is the place of one trial.
type TrialPath struct {
	ID int64 `path:"id" minimum:"1"`
}

func (v *Server) getTrial(ctx context.Context, in *TrialPath) (*body[site.Trial], error) {
	trial, err := v.store.Trial(ctx, in.ID)
	return answer(trial, missing(err, "trial", "", nil))
}

// MarkOrder marks a stretch of a trial.
type MarkOrder struct {
	Label string           `json:"label" enum:",normal,event" doc:"empty: end the stretch that goes on"`
	From  *measure.Instant `json:"from,omitempty" required:"false" format:"date-time" doc:"now when left out"`
	Until *measure.Instant `json:"until,omitempty" required:"false" format:"date-time" doc:"until the next mark when left out"`
}

func (v *Server) markTrial(ctx context.Context, in *struct {
	TrialPath
	Body MarkOrder
}) (*body[site.Trial], error) {
	if err := v.pipeline.MarkTrial(ctx, in.ID, pipeline.Mark{Label: in.Body.Label, From: in.Body.From, Until: in.Body.Until}, actor(ctx)); err != nil {
		return nil, err
	}
	return v.getTrial(ctx, &in.TrialPath)
}

func (v *Server) unmarkTrial(ctx context.Context, in *struct {
	TrialPath
	Stretch int64 `path:"stretch" minimum:"1"`
}) (*none, error) {
	return nil, v.pipeline.UnmarkTrial(ctx, in.ID, in.Stretch, actor(ctx))
}

func (v *Server) removeTrial(ctx context.Context, in *TrialPath) (*none, error) {
	return nil, v.pipeline.RemoveTrial(ctx, in.ID, actor(ctx))
}

func (v *Server) suggest(ctx context.Context, in *TrialPath) (*body[limit.Suggestion], error) {
	return answer(v.pipeline.SuggestFrom(ctx, in.ID))
}

// AcceptOrder says what is to be different from what a trial suggests.
type AcceptOrder struct {
	Name     string           `json:"name,omitempty" required:"false" pattern:"^[a-z0-9][a-z0-9-]{0,62}$" doc:"of the guard; made from the signal and the limit when left out"`
	Severity alarm.Severity   `json:"severity,omitempty" required:"false" enum:"advisory,warning,critical" doc:"warning when left out"`
	Tell     []string         `json:"tell,omitempty" required:"false" nullable:"false" doc:"e-mail addresses of those who are told"`
	Advice   string           `json:"advice,omitempty" required:"false" maxLength:"2000"`
	Latch    bool             `json:"latch,omitempty" required:"false"`
	LeastGap measure.Duration `json:"least_gap,omitzero" required:"false" doc:"how long after a message about one alarm the next is held back" example:"10m"`
}

func (v *Server) acceptTrial(ctx context.Context, in *struct {
	TrialPath
	Body AcceptOrder
}) (*body[alarm.Guard], error) {
	return answer(v.pipeline.AcceptTrial(ctx, in.ID, func(g *alarm.Guard) error {
		o := in.Body
		g.Name, g.Advice, g.Latch, g.LeastGap = o.Name, o.Advice, o.Latch, o.LeastGap
		if o.Severity != "" {
			g.Severity = o.Severity
		}
		if o.Tell != nil {
			g.Tell = o.Tell
		}
		return tidy(g)
	}, actor(ctx)))
}
