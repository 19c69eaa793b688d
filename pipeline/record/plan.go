package record

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/run"
	"jauntylark/pipeline"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/reading"
	"jauntylark/store"
	"jauntylark/store/config"
)

// DuePlans gives the plans whose hours have begun or ended.
func DuePlans(t *reading.Turn) (ids []int64, err error) {
	for _, p := range t.Site.Plans {
		if p.Calendar != nil && p.DueAt != 0 && p.DueAt <= t.Now {
			ids = append(ids, p.ID)
		}
	}
	return ids, nil
}

// SweepPlans starts and ends runs by schedule, those of an outage too.
func SweepPlans(t *reading.Turn, ids []int64) error {
	for _, name := range slices.Sorted(maps.Keys(t.Site.Plans)) {
		p := t.Site.Plans[name]
		if !slices.Contains(ids, p.ID) {
			continue
		}
		at := p.DueAt
		for n := 0; at != 0 && at <= t.Now && n < 1000; n++ {
			var err error
			switch on := p.Calendar.At(at); {
			case on && p.Open == nil:
				err = t.StartByPlan(p, at, run.BySchedule)
			case !on && p.Open != nil && at > p.Open.StartedAt:
				err = t.EndByPlan(p, at)
			}
			if err != nil {
				return err
			}
			at = p.Calendar.Next(at)
		}
		t.ConfigTaken(store.Change{Scope: store.OfPlans})
		p.DueAt = at
		if err := config.PlanDue(t.Ctx, t.Tx, p.ID, at); err != nil {
			return err
		}
	}
	return nil
}

// SavePlan stores a plan of runs, new or in place of the one of its name.
func SavePlan(ctx context.Context, p *pipeline.Pipeline, plan *run.Plan, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		a, err := t.FindAsset(plan.Asset)
		if err != nil {
			return &measure.Fault{Field: "asset", Reason: errorText(err)}
		}
		if err := plan.Check(); err != nil {
			return err
		}
		if err := checkGoals(t, plan.Goals); err != nil {
			return err
		}
		if plan.Signal != "" {
			s, err := t.Site.FindSignal(plan.Signal)
			if err != nil {
				return err
			}
			for _, test := range []*alarm.Test{&plan.Start, &plan.End} {
				if *test, err = s.Understood(*test); err != nil {
					return err
				}
			}
			if !plan.Start.Suits(s.Kind) || plan.End.Kind != 0 && !plan.End.Suits(s.Kind) {
				return &measure.Fault{Field: "start", Reason: fmt.Sprintf("does not suit %s, which %s", plan.Signal,
					memory.Suits[s.Kind])}
			}
		}
		plan.MadeAt, plan.DueAt = t.Now, 0
		if plan.Hours != "" {
			plan.DueAt = t.Now // within the hours a run starts at once
		}
		if err := config.SavePlan(t.Ctx, t.Tx, a.ID, plan); err != nil {
			return err
		}
		if err := t.Enter("plan saved", memory.AssetSubject(a.Name), who.Called, "The plan "+plan.Name+
			" starts and ends runs of "+a.Called()+" by itself"); err != nil {
			return err
		}
		t.ConfigChanged(store.Change{Scope: store.OfPlans})
		return nil
	})
}

// RemovePlan removes a plan; its runs stay, and one that is on is ended by hand.
func RemovePlan(ctx context.Context, p *pipeline.Pipeline, name string, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		plan := t.Site.Plans[name]
		if plan == nil {
			return fmt.Errorf("there is no plan %s: %w", name, store.ErrNotFound)
		}
		if err := configure.KeepRemoved(t, "plan", name, plan.Title, who.Called, "run_plan", "name", name); err != nil {
			return err
		}
		if err := config.RemovePlan(t.Ctx, t.Tx, name); err != nil {
			return err
		}
		if err := t.Enter("plan removed", memory.AssetSubject(plan.Asset), who.Called, "The plan "+name+
			" was removed"); err != nil {
			return err
		}
		t.ConfigChanged(store.Change{Scope: store.OfPlans})
		return nil
	})
}
