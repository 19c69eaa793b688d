package record

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
	"jauntylark/server/place"
	"jauntylark/server/web"
	"jauntylark/store/config"
	"jauntylark/store/events"
	"jauntylark/store/timeseries"
)

// runsOperations has the operations of this file answered.
func runsOperations(v *web.Server) {
	web.Answer(v, api.ListRuns, listRuns)
	web.Answer(v, api.StartRun, startRun)
	web.Change(v, api.GetRun, getRun, api.ChangeRun, changeRun)
	web.Answer(v, api.StopRun, stopRun)
	web.Answer(v, api.MarkPhase, markPhase)
	web.Carry(v, api.RemoveRun, removeRun)
	web.Answer(v, api.CompareRuns, compareRuns)
	web.Answer(v, api.ListPlans, listPlans)
	web.Keep(v, api.GetPlan, getPlan, api.PutPlan, putPlan, api.PatchPlan)
	web.Carry(v, api.RemovePlan, removePlan)
}

func listRuns(ctx context.Context, v *web.Server, in *api.ListRunsIn) ([]run.Run, error) {
	if in.Asset != "" {
		all, err := config.Assets(ctx, v.Store)
		if err != nil {
			return nil, err
		}
		if _, err := findAsset(v, all, in.Asset); err != nil {
			return nil, err
		}
	}
	started, id, err := in.After()
	if err != nil {
		return nil, err
	}
	return events.Runs(ctx, v.Store, events.RunQuery{Asset: in.Asset, Started: started, AfterID: id, Limit: in.More()})
}

func startRun(ctx context.Context, v *web.Server, in *api.Body[act.RunStart]) (api.RunPage, error) {
	r, err := record.StartRun(ctx, v.Pipeline, in.Body, web.Who(ctx))
	if err != nil {
		return api.RunPage{}, err
	}
	return runPage(ctx, v, r)
}

func getRun(ctx context.Context, v *web.Server, in *api.RunPath) (api.RunPage, error) {
	r, err := findRun(ctx, v, in.ID)
	if err != nil {
		return api.RunPage{}, err
	}
	return runPage(ctx, v, r)
}

func findRun(ctx context.Context, v *web.Server, id int64) (run.Run, error) {
	r, err := events.Run(ctx, v.Store, id)
	if err != nil {
		err = fmt.Errorf("there is no run %d: %w", id, err)
	}
	return r, err
}

func runPage(ctx context.Context, v *web.Server, r run.Run) (p api.RunPage, err error) {
	if p.Summary, err = evidence.Summary(ctx, v.Pipeline, r); err != nil {
		return p, err
	}
	here, err := config.Site(ctx, v.Store)
	if err != nil {
		return p, err
	}
	now := v.Pipeline.Now()
	p.Words, p.Hows = p.Says(here.Location(), now), []string{}
	for i := range p.Results {
		p.Hows = append(p.Hows, p.Results[i].How(here.Location(), now))
	}
	assets, err := config.Assets(ctx, v.Store)
	if err != nil {
		return p, err
	}
	a, err := findAsset(v, assets, r.Asset)
	if err != nil {
		return p, err
	}
	p.Called = a.Called()
	p.Notes, err = events.NotesOn(ctx, v.Store, memory.AssetSubject(r.Asset), r.StartedAt, p.Until)
	return p, err
}

func changeRun(ctx context.Context, v *web.Server, in *api.ChangeRunIn) (api.RunPage, error) {
	r, err := record.ChangeRun(ctx, v.Pipeline, in.ID, in.Body, web.Who(ctx))
	if err != nil {
		return api.RunPage{}, err
	}
	return runPage(ctx, v, r)
}

func stopRun(ctx context.Context, v *web.Server, in *api.StopRunIn) (api.RunPage, error) {
	var at *measure.Instant
	if in.Body != nil {
		at = in.Body.At
	}
	r, err := record.StopRun(ctx, v.Pipeline, in.ID, at, web.Who(ctx))
	if err != nil {
		return api.RunPage{}, err
	}
	return runPage(ctx, v, r)
}

func markPhase(ctx context.Context, v *web.Server, in *api.MarkPhaseIn) (api.RunPage, error) {
	phase := run.Phase{Name: in.Body.Name}
	if in.Body.At != nil {
		phase.At = *in.Body.At
	}
	r, err := record.MarkPhase(ctx, v.Pipeline, in.ID, phase, web.Who(ctx))
	if err != nil {
		return api.RunPage{}, err
	}
	return runPage(ctx, v, r)
}

func removeRun(ctx context.Context, v *web.Server, in *api.RunPath) error {
	return record.RemoveRun(ctx, v.Pipeline, in.ID, web.Who(ctx))
}

const (
	mostCompared = 8
	runColumns   = 400
)

func compareRuns(ctx context.Context, v *web.Server, in *api.CompareRunsIn) (api.RunComparison, error) {
	texts := strings.Split(in.Runs, ",")
	if len(texts) < 2 || len(texts) > mostCompared {
		return api.RunComparison{}, web.Wrong("runs", fmt.Sprintf("%d came; 2 to %d can be compared", len(texts),
			mostCompared))
	}
	out := api.RunComparison{Shared: []string{}}
	for _, text := range texts {
		id, err := strconv.ParseInt(strings.TrimSpace(text), 10, 64)
		if err != nil {
			return api.RunComparison{}, web.Wrong("runs", fmt.Sprintf("%q is no number of a run", text))
		}
		r, err := findRun(ctx, v, id)
		if err != nil {
			return api.RunComparison{}, err
		}
		s, err := evidence.Summary(ctx, v.Pipeline, r)
		if err != nil {
			return api.RunComparison{}, err
		}
		out.Runs = append(out.Runs, api.RunCourse{Summary: s, Line: []run.Moment{}})
	}
	findShared(&out)
	if in.Signal != "" {
		out.Signal = in.Signal
	}
	return out, layOver(ctx, v, &out)
}

// findShared finds the signals that all runs have; those of goals come first.
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
func layOver(ctx context.Context, v *web.Server, c *api.RunComparison) error {
	if c.Signal == "" {
		return nil
	}
	device, name, err := site.SplitPath(c.Signal)
	if err != nil {
		return web.Wrong("signal", err.Error())
	}
	s, err := place.FindSignal(ctx, v, api.SignalPath{Device: device, Signal: name})
	if err != nil {
		return err
	}
	c.Called, c.Unit = s.DeviceTitle+" "+s.Title, string(s.Unit)
	for i := range c.Runs {
		r := &c.Runs[i]
		line, _, err := timeseries.Line(ctx, v.Store, s.ID, r.StartedAt, r.Until, runColumns)
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

func listPlans(ctx context.Context, v *web.Server, _ *api.None) ([]run.Plan, error) {
	return config.Plans(ctx, v.Store)
}

func getPlan(ctx context.Context, v *web.Server, in *api.PlanPath) (run.Plan, error) {
	plans, err := config.Plans(ctx, v.Store)
	return web.Named(plans, err, "plan", in.Plan, func(p run.Plan) string { return p.Name })
}

func putPlan(ctx context.Context, v *web.Server, in *api.PutPlanIn) (run.Plan, error) {
	in.Body.Name = in.Plan
	if in.Body.Goals == nil {
		in.Body.Goals = run.Goals{}
	}
	err := record.SavePlan(ctx, v.Pipeline, &in.Body, web.Who(ctx))
	return in.Body, err
}

func removePlan(ctx context.Context, v *web.Server, in *api.PlanPath) error {
	return record.RemovePlan(ctx, v.Pipeline, in.Plan, web.Who(ctx))
}
