package evidence

import (
	"context"
	"slices"

	"jauntylark/core/asset"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/run"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/store/config"
	"jauntylark/store/events"
	"jauntylark/store/timeseries"
)

// Summary tells what a run came to, up to its end or to now, from the readings themselves.
func Summary(ctx context.Context, p *pipeline.Pipeline, r run.Run) (run.Summary, error) {
	out := run.Summary{Run: r, Until: r.Until(p.Now()), Courses: []run.SignalCourse{}, Results: []run.Outcome{},
		Sums: []run.Sum{}}
	out.Lasted = out.Until.Sub(r.StartedAt).Seconds()
	signals, err := runSignals(ctx, p, r)
	if err != nil {
		return out, err
	}
	results := map[string][]run.Outcome{}
	for i := range signals {
		course, goals, err := course(ctx, p, &signals[i], &r, out.Until)
		if err != nil {
			return out, err
		}
		out.Courses = append(out.Courses, course)
		results[course.Signal] = goals
	}
	for _, g := range r.Goals { // in their order
		if found := results[g.Signal]; len(found) > 0 {
			out.Results, results[g.Signal] = append(out.Results, found[0]), found[1:]
		}
	}
	var paths []string
	for i := range signals {
		paths = append(paths, signals[i].Path())
	}
	if out.Sums, err = sumsOf(ctx, p, paths, &r, out.Until); err != nil {
		return out, err
	}
	out.Alarms, err = events.CountAlarms(ctx, p.Store, paths, r.StartedAt, out.Until)
	return out, err
}

// runSignals gives the signals of a run's asset, and those of its goals, that are numbers or on and off.
func runSignals(ctx context.Context, p *pipeline.Pipeline, r run.Run) ([]site.Signal, error) {
	assets, err := config.Assets(ctx, p.Store)
	if err != nil {
		return nil, err
	}
	a := asset.Named(assets, r.Asset)
	all, err := config.Signals(ctx, p.Store)
	return slices.DeleteFunc(all, func(s site.Signal) bool {
		wanted := a.Has(s.Path()) || slices.ContainsFunc(r.Goals, func(g run.Goal) bool { return g.Signal == s.Path() })
		return !wanted || s.Kind != site.KindNumber && s.Kind != site.KindSwitch
	}), err
}

func course(ctx context.Context, p *pipeline.Pipeline, s *site.Signal, r *run.Run,
	until measure.Instant) (run.SignalCourse, []run.Outcome, error) {
	hold, err := config.SilenceOf(ctx, p.Store, s.ID)
	if err != nil {
		return run.SignalCourse{}, nil, err
	}
	tx, err := p.Store.Look(ctx)
	if err != nil {
		return run.SignalCourse{}, nil, err
	}
	defer tx.Rollback()
	g := run.Gather(s, roster.Thing(s.DeviceTitle, s.Title), r.Goals, r.StartedAt, until, hold)
	err = timeseries.EachReading(ctx, tx, s.ID, r.StartedAt-hold, until,
		func(some []measure.Reading) error { g.Take(some); return nil })
	course, goals := g.Finish(r.EndedAt == nil)
	return course, goals, err
}

// sumsOf gives what totals of some signals came to in a run.
func sumsOf(ctx context.Context, p *pipeline.Pipeline, signals []string, r *run.Run,
	until measure.Instant) ([]run.Sum, error) {
	totals, err := timeseries.Totals(ctx, p.Store)
	if err != nil {
		return nil, err
	}
	sums := []run.Sum{}
	for _, t := range totals {
		if !slices.Contains(signals, t.Signal) || until <= r.StartedAt {
			continue
		}
		unit, currency, err := timeseries.UnitOf(ctx, p.Store, t.Signal)
		if err != nil {
			return nil, err
		}
		value, err := timeseries.SumBetween(ctx, p.Store, &t, r.StartedAt, until)
		if err != nil {
			return nil, err
		}
		sums = append(sums, run.Sum{Total: t.Name, Called: site.Title(t.Title, t.Name), Kind: t.Kind, Value: value,
			Unit: t.OutUnit(unit, currency)})
	}
	return sums, nil
}
