package pipeline

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/run"
	"jauntylark/core/wall"
	"jauntylark/store"
)

// planLive is a plan of runs at work.
type planLive struct {
	run.Plan
	open     *run.Run // the run of it that is on; nil: none
	calendar *wall.Calendar
}

// loadRuns reads the plans of runs, and which of their runs are on. A plan whose signal is gone waits for it.
func (l *live) loadRuns(ctx context.Context, tx *store.Tx) error {
	plans, err := tx.Plans(ctx)
	if err != nil {
		return err
	}
	l.plans = make(map[string]*planLive, len(plans))
	for _, p := range plans {
		entry := &planLive{Plan: p}
		if p.Hours != "" {
			if entry.calendar, err = wall.NewCalendar(p.Hours, l.site.Location(), l.site.Holidays); err != nil {
				return err
			}
		} else if s, err := l.find(p.Signal); err == nil {
			s.plans = append(s.plans, entry)
		}
		l.plans[p.Name] = entry
	}
	open, err := tx.OpenRuns(ctx)
	if err != nil {
		return err
	}
	for i := range open {
		if p := l.plans[open[i].Plan]; p != nil {
			p.open = &open[i]
		}
	}
	return nil
}

// stepPlans starts and ends runs by a usable reading.
func (t *Turn) stepPlans(s *signalLive, at measure.Instant, value float64) error {
	for _, p := range s.plans {
		var err error
		switch {
		case p.open == nil && p.Starts(value):
			err = t.startByPlan(p, at, run.ByCondition)
		case p.open != nil && at > p.open.StartedAt && p.Ends(value):
			err = t.endByPlan(p, at)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

func (t *Turn) startByPlan(p *planLive, at measure.Instant, how string) error {
	a, err := t.assetNamed(p.Asset)
	if err != nil {
		return err
	}
	r := &run.Run{Asset: a.Name, Title: p.TitleAt(at, t.live.site.Location()), Plan: p.Name, How: how, StartedAt: at, Goals: p.Goals}
	t.touched = true
	if err := t.Tx.SaveRun(t.ctx, a.ID, r); err != nil {
		return err
	}
	p.open = r
	if err := t.enterRun("run started", r, at, "", r.Title+" has started"); err != nil {
		return err
	}
	return t.signalsChanged()
}

func (t *Turn) endByPlan(p *planLive, at measure.Instant) error {
	r := p.open
	a, err := t.assetNamed(p.Asset)
	if err != nil {
		return err
	}
	t.touched = true
	p.open, r.EndedAt = nil, &at
	if err := t.Tx.SaveRun(t.ctx, a.ID, r); err != nil {
		return err
	}
	if err := t.enterRun("run ended", r, at, "", r.Title+" is over"); err != nil {
		return err
	}
	return t.signalsChanged()
}

// duePlans gives the plans whose hours have begun or ended.
func (t *Turn) duePlans() (ids []int64, err error) {
	for _, p := range t.live.plans {
		if p.calendar != nil && p.DueAt != 0 && p.DueAt <= t.Now {
			ids = append(ids, p.ID)
		}
	}
	return ids, nil
}

// sweepPlans starts and ends runs by schedule, those of an outage too.
func (t *Turn) sweepPlans(ids []int64) error {
	for _, name := range slices.Sorted(maps.Keys(t.live.plans)) {
		p := t.live.plans[name]
		if !slices.Contains(ids, p.ID) {
			continue
		}
		at := p.DueAt
		for n := 0; at != 0 && at <= t.Now && n < 1000; n++ {
			var err error
			switch on := p.calendar.At(at); {
			case on && p.open == nil:
				err = t.startByPlan(p, at, run.BySchedule)
			case !on && p.open != nil && at > p.open.StartedAt:
				err = t.endByPlan(p, at)
			}
			if err != nil {
				return err
			}
			at = p.calendar.Next(at)
		}
		t.touched = true
		p.DueAt = at
		if err := t.Tx.PlanDue(t.ctx, p.ID, at); err != nil {
			return err
		}
		if err := t.signalsChanged(); err != nil {
			return err
		}
	}
	return nil
}

// SavePlan stores a plan of runs, new or in place of the one of its name.
func (p *Pipeline) SavePlan(ctx context.Context, plan *run.Plan, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		a, err := t.assetNamed(plan.Asset)
		if err != nil {
			return &measure.Fault{Field: "asset", Reason: errorText(err)}
		}
		if err := plan.Check(); err != nil {
			return err
		}
		if err := t.checkGoals(plan.Goals); err != nil {
			return err
		}
		if plan.Signal != "" {
			s, err := t.live.find(plan.Signal)
			if err != nil {
				return err
			}
			for _, test := range []*alarm.Test{&plan.Start, &plan.End} {
				if *test, err = s.understood(*test); err != nil {
					return err
				}
			}
			if !plan.Start.Suits(s.Kind) || plan.End.Kind != 0 && !plan.End.Suits(s.Kind) {
				return &measure.Fault{Field: "start", Reason: fmt.Sprintf("does not suit %s, which %s", plan.Signal, suits[s.Kind])}
			}
		}
		plan.MadeAt, plan.DueAt = t.Now, 0
		if plan.Hours != "" {
			plan.DueAt = t.Now // within the hours a run starts at once
		}
		if err := t.Tx.SavePlan(t.ctx, a.ID, plan); err != nil {
			return err
		}
		if err := t.Enter("plan saved", AssetSubject(a.Name), who.Called, "The plan "+plan.Name+" starts and ends runs of "+a.Called()+" by itself"); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

// RemovePlan removes a plan; its runs stay, and one that is on is ended by hand.
func (p *Pipeline) RemovePlan(ctx context.Context, name string, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		plan := t.live.plans[name]
		if plan == nil {
			return fmt.Errorf("there is no plan %s: %w", name, store.ErrNotFound)
		}
		if err := t.KeepRemoved("plan", name, plan.Title, who.Called, "run_plan", "name", name); err != nil {
			return err
		}
		if err := t.Tx.RemovePlan(t.ctx, name); err != nil {
			return err
		}
		if err := t.Enter("plan removed", AssetSubject(plan.Asset), who.Called, "The plan "+name+" was removed"); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}
