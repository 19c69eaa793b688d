package follow

import (
	"jauntylark/core/measure"
	"jauntylark/core/run"
	"jauntylark/core/site"
	"jauntylark/pipeline/memory"
	"jauntylark/store"
	"jauntylark/store/events"
)

// StepPlans starts and ends runs by a usable reading.
func (t *Turn) StepPlans(s *memory.Signal, at measure.Instant, value float64) error {
	for _, p := range s.Plans {
		var err error
		switch {
		case p.Open == nil && p.Starts(value):
			err = t.StartByPlan(p, at, run.ByCondition)
		case p.Open != nil && at > p.Open.StartedAt && p.Ends(value):
			err = t.EndByPlan(p, at)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// StartByPlan starts a run as its plan says.
func (t *Turn) StartByPlan(p *memory.Plan, at measure.Instant, how string) error {
	a, err := t.FindAsset(p.Asset)
	if err != nil {
		return err
	}
	r := &run.Run{Asset: a.Name, Title: p.TitleAt(at, t.Site.Settings.Location()), Plan: p.Name, How: how,
		StartedAt: at, Goals: p.Goals}
	t.ConfigTaken(store.Change{Scope: store.OfPlans})
	if err := events.SaveRun(t.Ctx, t.Tx, a.ID, r); err != nil {
		return err
	}
	p.Open = r
	if err := t.EnterRun("run started", r, at, "", r.Title+" has started"); err != nil {
		return err
	}
	return nil
}

// EndByPlan ends the run of a plan.
func (t *Turn) EndByPlan(p *memory.Plan, at measure.Instant) error {
	r := p.Open
	a, err := t.FindAsset(p.Asset)
	if err != nil {
		return err
	}
	t.ConfigTaken(store.Change{Scope: store.OfPlans})
	p.Open, r.EndedAt = nil, &at
	if err := events.SaveRun(t.Ctx, t.Tx, a.ID, r); err != nil {
		return err
	}
	if err := t.EnterRun("run ended", r, at, "", r.Title+" is over"); err != nil {
		return err
	}
	return nil
}

// EnterRun writes what became of a run into the journal.
func (t *Turn) EnterRun(kind string, r *run.Run, at measure.Instant, who, text string) error {
	return events.AddEntry(t.Ctx, t.Tx, site.Entry{At: at, LearnedAt: t.Now, Kind: kind,
		Subject: memory.AssetSubject(r.Asset), Who: who, Text: text}, t.CommitNo)
}
