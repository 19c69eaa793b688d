package server

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"jauntylark/api"
	"jauntylark/core/act"
	"jauntylark/core/measure"
	"jauntylark/core/run"
	"jauntylark/core/site"
	"jauntylark/pipeline/evidence"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/record"
)

func (v *Server) listRuns(ctx context.Context, in *api.ListRunsIn) ([]run.Run, error) {
	if in.Asset != "" {
		all, err := v.store.Assets(ctx)
		if err != nil {
			return nil, err
		}
		if _, err := v.assetNamed(all, in.Asset); err != nil {
			return nil, err
		}
	}
	return v.store.Runs(ctx, in.Asset, in.Limit)
}

func (v *Server) startRun(ctx context.Context, in *api.Body[act.RunStart]) (api.RunPage, error) {
	r, err := record.StartRun(ctx, v.pipeline, in.Body, who(ctx))
	if err != nil {
		return api.RunPage{}, err
	}
	return v.runPage(ctx, r)
}

func (v *Server) getRun(ctx context.Context, in *api.RunPath) (api.RunPage, error) {
	r, err := v.run(ctx, in.ID)
	if err != nil {
		return api.RunPage{}, err
	}
	return v.runPage(ctx, r)
}

func (v *Server) run(ctx context.Context, id int64) (run.Run, error) {
	r, err := v.store.Run(ctx, id)
	if err != nil {
		err = fmt.Errorf("there is no run %d: %w", id, err)
	}
	return r, err
}

func (v *Server) runPage(ctx context.Context, r run.Run) (p api.RunPage, err error) {
	if p.Summary, err = evidence.Summary(ctx, v.pipeline, r); err != nil {
		return p, err
	}
	here, err := v.store.Site(ctx)
	if err != nil {
		return p, err
	}
	now := v.pipeline.Now()
	p.Words, p.Hows = p.Says(here.Location(), now), []string{}
	for i := range p.Results {
		p.Hows = append(p.Hows, p.Results[i].How(here.Location(), now))
	}
	assets, err := v.store.Assets(ctx)
	if err != nil {
		return p, err
	}
	a, err := v.assetNamed(assets, r.Asset)
	if err != nil {
		return p, err
	}
	p.Called = a.Called()
	p.Notes, err = v.store.NotesOn(ctx, memory.AssetSubject(r.Asset), r.StartedAt, p.Until)
	return p, err
}

func (v *Server) changeRun(ctx context.Context, in *api.ChangeRunIn) (api.RunPage, error) {
	r, err := record.ChangeRun(ctx, v.pipeline, in.ID, in.Body, who(ctx))
	if err != nil {
		return api.RunPage{}, err
	}
	return v.runPage(ctx, r)
}

func (v *Server) stopRun(ctx context.Context, in *api.StopRunIn) (api.RunPage, error) {
	var at *measure.Instant
	if in.Body != nil {
		at = in.Body.At
	}
	r, err := record.StopRun(ctx, v.pipeline, in.ID, at, who(ctx))
	if err != nil {
		return api.RunPage{}, err
	}
	return v.runPage(ctx, r)
}

func (v *Server) markPhase(ctx context.Context, in *api.MarkPhaseIn) (api.RunPage, error) {
	phase := run.Phase{Name: in.Body.Name}
	if in.Body.At != nil {
		phase.At = *in.Body.At
	}
	r, err := record.MarkPhase(ctx, v.pipeline, in.ID, phase, who(ctx))
	if err != nil {
		return api.RunPage{}, err
	}
	return v.runPage(ctx, r)
}

func (v *Server) removeRun(ctx context.Context, in *api.RunPath) error {
	return record.RemoveRun(ctx, v.pipeline, in.ID, who(ctx))
}

const (
	mostCompared = 8
	runColumns   = 400
)

func (v *Server) compareRuns(ctx context.Context, in *api.CompareRunsIn) (api.RunComparison, error) {
	texts := strings.Split(in.Runs, ",")
	if len(texts) < 2 || len(texts) > mostCompared {
		return api.RunComparison{}, wrong("runs", fmt.Sprintf("%d came; 2 to %d can be compared", len(texts), mostCompared))
	}
	out := api.RunComparison{Shared: []string{}}
	for _, text := range texts {
		id, err := strconv.ParseInt(strings.TrimSpace(text), 10, 64)
		if err != nil {
			return api.RunComparison{}, wrong("runs", fmt.Sprintf("%q is no number of a run", text))
		}
		r, err := v.run(ctx, id)
		if err != nil {
			return api.RunComparison{}, err
		}
		s, err := evidence.Summary(ctx, v.pipeline, r)
		if err != nil {
			return api.RunComparison{}, err
		}
		out.Runs = append(out.Runs, api.RunCourse{Summary: s, Line: []run.Moment{}})
	}
	findShared(&out)
	if in.Signal != "" {
		out.Signal = in.Signal
	}
	return out, v.layOver(ctx, &out)
}

// share finds the signals that all runs have; those of goals come first.
func findShared(c *api.RunComparison) {
	in := map[string]int{}
	for i := range c.Runs {
		for _, course := range c.Runs[i].Courses {
			if course.Readings > 0 {
				in[course.Signal]++
			}
		}
	}
	for _, course := range c.Runs[0].Courses {
		if in[course.Signal] == len(c.Runs) {
			c.Shared = append(c.Shared, course.Signal)
		}
	}
	if len(c.Shared) > 0 {
		c.Signal = c.Shared[0]
	}
	for _, g := range c.Runs[0].Goals {
		if in[g.Signal] == len(c.Runs) {
			c.Signal = g.Signal
			return
		}
	}
}

// layOver fills in the lines.
func (v *Server) layOver(ctx context.Context, c *api.RunComparison) error {
	if c.Signal == "" {
		return nil
	}
	device, name, err := site.SplitPath(c.Signal)
	if err != nil {
		return wrong("signal", err.Error())
	}
	s, err := v.signal(ctx, api.SignalPath{Device: device, Signal: name})
	if err != nil {
		return err
	}
	c.Called, c.Unit = s.DeviceTitle+" "+s.Title, string(s.Unit)
	for i := range c.Runs {
		r := &c.Runs[i]
		line, _, err := v.store.Line(ctx, s.ID, r.StartedAt, r.Until, runColumns)
		if err != nil {
			return err
		}
		for _, reading := range line {
			if reading.Quality.Usable() {
				r.Line = append(r.Line, run.Moment{At: reading.At.Sub(r.StartedAt).Seconds(), Value: reading.Value})
			}
		}
	}
	return nil
}

func (v *Server) listPlans(ctx context.Context, _ *api.None) ([]run.Plan, error) {
	return v.store.Plans(ctx)
}

func (v *Server) putPlan(ctx context.Context, in *api.PutPlanIn) (run.Plan, error) {
	in.Body.Name = in.Plan
	if in.Body.Goals == nil {
		in.Body.Goals = run.Goals{}
	}
	err := record.SavePlan(ctx, v.pipeline, &in.Body, who(ctx))
	return in.Body, err
}

func (v *Server) removePlan(ctx context.Context, in *api.PlanPath) error {
	return record.RemovePlan(ctx, v.pipeline, in.Plan, who(ctx))
}
