package server

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"jauntylark/core/measure"
	"jauntylark/core/run"
	"jauntylark/core/site"
	"jauntylark/pipeline"
)

// RunPath is the place of one run.
type RunPath struct {
	ID int64 `path:"id" minimum:"1"`
}

// RunPage is what a run's page tells.
type RunPage struct {
	run.Summary
	Called string       `json:"called" doc:"what people call the asset"`
	Words  []string     `json:"words" nullable:"false" doc:"what it came to, in sentences"`
	Hows   []string     `json:"hows" nullable:"false" doc:"of each goal, in words, what came of it"`
	Notes  []site.Entry `json:"notes" nullable:"false" doc:"what was written into the journal about the asset while it was on"`
}

func (v *Server) listRuns(ctx context.Context, in *struct {
	Asset string `query:"asset" doc:"only those of this asset"`
	Limit int    `query:"limit" default:"100" minimum:"1" maximum:"1000"`
}) (*body[[]run.Run], error) {
	if in.Asset != "" {
		all, err := v.store.Assets(ctx)
		if err != nil {
			return nil, err
		}
		if _, err := v.assetNamed(all, in.Asset); err != nil {
			return nil, err
		}
	}
	return answer(v.store.Runs(ctx, in.Asset, in.Limit))
}

func (v *Server) startRun(ctx context.Context, in *body[pipeline.RunStart]) (*body[RunPage], error) {
	r, err := v.pipeline.StartRun(ctx, in.Body, who(ctx))
	if err != nil {
		return nil, err
	}
	return answer(v.runPage(ctx, r))
}

func (v *Server) getRun(ctx context.Context, in *RunPath) (*body[RunPage], error) {
	r, err := v.run(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	return answer(v.runPage(ctx, r))
}

func (v *Server) run(ctx context.Context, id int64) (run.Run, error) {
	r, err := v.store.Run(ctx, id)
	if err != nil {
		err = fmt.Errorf("there is no run %d: %w", id, err)
	}
	return r, err
}

func (v *Server) runPage(ctx context.Context, r run.Run) (p RunPage, err error) {
	if p.Summary, err = v.pipeline.Summary(ctx, r); err != nil {
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
	p.Notes, err = v.store.NotesOn(ctx, pipeline.AssetSubject(r.Asset), r.StartedAt, p.Until)
	return p, err
}

func (v *Server) changeRun(ctx context.Context, in *struct {
	RunPath
	Body pipeline.RunChange
}) (*body[RunPage], error) {
	r, err := v.pipeline.ChangeRun(ctx, in.ID, in.Body, who(ctx))
	if err != nil {
		return nil, err
	}
	return answer(v.runPage(ctx, r))
}

// RunStop ends a run.
type RunStop struct {
	At *measure.Instant `json:"at,omitempty" required:"false" format:"date-time" doc:"now when left out"`
}

func (v *Server) stopRun(ctx context.Context, in *struct {
	RunPath
	Body *RunStop
}) (*body[RunPage], error) {
	var at *measure.Instant
	if in.Body != nil {
		at = in.Body.At
	}
	r, err := v.pipeline.StopRun(ctx, in.ID, at, who(ctx))
	if err != nil {
		return nil, err
	}
	return answer(v.runPage(ctx, r))
}

// PhaseMark begins a phase.
type PhaseMark struct {
	Name string           `json:"name" minLength:"1" maxLength:"80"`
	At   *measure.Instant `json:"at,omitempty" required:"false" format:"date-time" doc:"now when left out"`
}

func (v *Server) markPhase(ctx context.Context, in *struct {
	RunPath
	Body PhaseMark
}) (*body[RunPage], error) {
	phase := run.Phase{Name: in.Body.Name}
	if in.Body.At != nil {
		phase.At = *in.Body.At
	}
	r, err := v.pipeline.MarkPhase(ctx, in.ID, phase, who(ctx))
	if err != nil {
		return nil, err
	}
	return answer(v.runPage(ctx, r))
}

func (v *Server) removeRun(ctx context.Context, in *RunPath) (*none, error) {
	return nil, v.pipeline.RemoveRun(ctx, in.ID, who(ctx))
}

// RunComparison lays runs over each other from their starts.
type RunComparison struct {
	Signal string      `json:"signal" doc:"whose lines are laid over each other; empty: they have none in common"`
	Called string      `json:"called"`
	Unit   string      `json:"unit"`
	Shared []string    `json:"shared" nullable:"false" doc:"signals that all of them have"`
	Runs   []RunCourse `json:"runs" nullable:"false"`
}

// RunCourse is one of the runs that are compared.
type RunCourse struct {
	run.Summary
	Line []run.Moment `json:"line" nullable:"false" doc:"seconds after its start, and the value then"`
}

const (
	mostCompared = 8
	runColumns   = 400
)

func (v *Server) compareRuns(ctx context.Context, in *struct {
	Runs   string `query:"runs" required:"true" doc:"their numbers, with commas between" example:"3,7,9"`
	Signal string `query:"signal" doc:"DEVICE/SIGNAL; the first that they have in common when left out"`
}) (*body[RunComparison], error) {
	texts := strings.Split(in.Runs, ",")
	if len(texts) < 2 || len(texts) > mostCompared {
		return nil, wrong("runs", fmt.Sprintf("%d came; 2 to %d can be compared", len(texts), mostCompared))
	}
	out := RunComparison{Shared: []string{}}
	for _, text := range texts {
		id, err := strconv.ParseInt(strings.TrimSpace(text), 10, 64)
		if err != nil {
			return nil, wrong("runs", fmt.Sprintf("%q is no number of a run", text))
		}
		r, err := v.run(ctx, id)
		if err != nil {
			return nil, err
		}
		s, err := v.pipeline.Summary(ctx, r)
		if err != nil {
			return nil, err
		}
		out.Runs = append(out.Runs, RunCourse{Summary: s, Line: []run.Moment{}})
	}
	out.share()
	if in.Signal != "" {
		out.Signal = in.Signal
	}
	return answer(out, v.layOver(ctx, &out))
}

// share finds the signals that all runs have; those of goals come first.
func (c *RunComparison) share() {
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
func (v *Server) layOver(ctx context.Context, c *RunComparison) error {
	if c.Signal == "" {
		return nil
	}
	device, name, err := site.SplitPath(c.Signal)
	if err != nil {
		return wrong("signal", err.Error())
	}
	s, err := v.signal(ctx, SignalPath{device, name})
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

func (v *Server) listPlans(ctx context.Context, _ *none) (*body[[]run.Plan], error) {
	return answer(v.store.Plans(ctx))
}

// PlanPath is the place of one plan.
type PlanPath struct {
	Plan string `path:"plan"`
}

func (v *Server) putPlan(ctx context.Context, in *struct {
	PlanPath
	Body run.Plan
}) (*body[run.Plan], error) {
	in.Body.Name = in.Plan
	if in.Body.Goals == nil {
		in.Body.Goals = run.Goals{}
	}
	err := v.pipeline.SavePlan(ctx, &in.Body, who(ctx))
	return answer(in.Body, err)
}

func (v *Server) removePlan(ctx context.Context, in *PlanPath) (*none, error) {
	return nil, v.pipeline.RemovePlan(ctx, in.Plan, who(ctx))
}
