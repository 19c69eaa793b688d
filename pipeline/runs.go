package pipeline

import (
	"context"
	"fmt"
	"slices"

	"jauntylark/core/act"
	"jauntylark/core/asset"
	"jauntylark/core/measure"
	"jauntylark/core/run"
)

// StartRun starts a run of an asset, or adds one that is over. One run that was started by hand is on at a time.
func (p *Pipeline) StartRun(ctx context.Context, s act.RunStart, who Actor) (r run.Run, err error) {
	err = p.Do(ctx, func(t *Turn) error {
		a, err := t.assetNamed(s.Asset)
		if err != nil {
			return err
		}
		r = run.Run{Asset: a.Name, Title: s.Title, How: run.ByHand, StartedAt: t.Now, EndedAt: s.EndedAt, StartedBy: who.Called, Goals: s.Goals, Note: s.Note}
		if s.StartedAt != nil {
			r.StartedAt = *s.StartedAt
		}
		if r.EndedAt != nil {
			r.How, r.EndedBy = run.Afterwards, who.Called
		}
		if r.Title == "" {
			r.Title = a.Called() + ", " + r.StartedAt.Time().In(t.live.site.Location()).Format("2 January 2006 15:04")
		}
		if err := t.checkRun(&r); err != nil {
			return err
		}
		if r.EndedAt == nil {
			if err := t.noneOn(a.Name); err != nil {
				return err
			}
		}
		if err := t.Tx.SaveRun(t.ctx, a.ID, &r); err != nil {
			return err
		}
		text := r.Title + " has started"
		if r.EndedAt != nil {
			text = "The run " + r.Title + " was added afterwards"
		}
		return t.enterRun("run started", &r, r.StartedAt, who.Called, text)
	})
	return r, err
}

// noneOn tells when a run that was started by hand is on.
func (t *Turn) noneOn(of string) error {
	open, err := t.Tx.OpenRuns(t.ctx)
	if err != nil {
		return err
	}
	for i := range open {
		if open[i].Asset == of && open[i].Plan == "" {
			return fmt.Errorf("%s is on; end it first (jaunty run stop %d): %w", open[i].Title, open[i].ID, ErrNotNow)
		}
	}
	return nil
}

// checkRun tells what is wrong with a run, and settles its goals.
func (t *Turn) checkRun(r *run.Run) error {
	switch {
	case r.StartedAt > t.Now:
		return &measure.Fault{Field: "started_at", Reason: fmt.Sprintf("%s has not come yet", r.StartedAt)}
	case r.EndedAt != nil && *r.EndedAt <= r.StartedAt:
		return &measure.Fault{Field: "ended_at", Reason: fmt.Sprintf("%s is not after its start, %s", *r.EndedAt, r.StartedAt)}
	case r.EndedAt != nil && *r.EndedAt > t.Now:
		return &measure.Fault{Field: "ended_at", Reason: fmt.Sprintf("%s has not come yet", *r.EndedAt)}
	}
	for i, phase := range r.Phases {
		switch {
		case phase.Name == "":
			return &measure.Fault{Field: fmt.Sprintf("phases[%d].name", i), Reason: "is empty"}
		case phase.At < r.StartedAt || phase.At > r.Until(t.Now):
			return &measure.Fault{Field: fmt.Sprintf("phases[%d].at", i), Reason: fmt.Sprintf("%s is not within the run", phase.At)}
		}
	}
	slices.SortStableFunc(r.Phases, func(a, b run.Phase) int { return int(a.At - b.At) })
	return t.checkGoals(r.Goals)
}

func (t *Turn) checkGoals(goals run.Goals) error {
	for i := range goals {
		at := func(field string) string { return fmt.Sprintf("goals[%d].%s", i, field) }
		if err := goals[i].Check(); err != nil {
			f := err.(*measure.Fault)
			return &measure.Fault{Field: at(f.Field), Reason: f.Reason}
		}
		s, err := t.live.find(goals[i].Signal)
		if err != nil {
			return &measure.Fault{Field: at("signal"), Reason: err.(*measure.Fault).Reason}
		}
		if s.Kind != "number" {
			return &measure.Fault{Field: at("signal"), Reason: fmt.Sprintf("%s holds %s; a goal is of numbers", s.Path(), s.Kind)}
		}
	}
	return nil
}

// ChangeRun changes a run.
func (p *Pipeline) ChangeRun(ctx context.Context, id int64, c act.RunChange, who Actor) (r run.Run, err error) {
	err = p.onRun(ctx, id, func(t *Turn, found *run.Run, a *asset.Asset) error {
		ends := c.EndedAt != nil && found.EndedAt == nil
		if c.Title != nil && *c.Title != "" {
			found.Title = *c.Title
		}
		if c.StartedAt != nil {
			found.StartedAt = *c.StartedAt
		}
		if c.EndedAt != nil {
			found.EndedAt = c.EndedAt
		}
		if c.Goals != nil {
			found.Goals = *c.Goals
		}
		if c.Phases != nil {
			found.Phases = *c.Phases
		}
		if c.Note != nil {
			found.Note = *c.Note
		}
		if ends {
			found.EndedBy = who.Called
		}
		if err := t.checkRun(found); err != nil {
			return err
		}
		if err := t.Tx.SaveRun(t.ctx, a.ID, found); err != nil {
			return err
		}
		kind, text, at := "run changed", "The run "+found.Title+" was changed", t.Now
		if ends {
			kind, text, at = "run ended", found.Title+" is over", *found.EndedAt
		}
		if err := t.enterRun(kind, found, at, who.Called, text); err != nil {
			return err
		}
		r = *found
		return t.ConfigChanged()
	})
	return r, err
}

// StopRun ends a run that is on, at an instant or now.
func (p *Pipeline) StopRun(ctx context.Context, id int64, at *measure.Instant, who Actor) (run.Run, error) {
	if at == nil {
		now := p.Now()
		at = &now
	}
	found, err := p.store.Run(ctx, id)
	if err == nil && found.EndedAt != nil {
		return found, fmt.Errorf("%s is over since %s: %w", found.Title, found.EndedAt, ErrNotNow)
	}
	return p.ChangeRun(ctx, id, act.RunChange{EndedAt: at}, who)
}

// MarkPhase begins a phase of a run now, or at an instant.
func (p *Pipeline) MarkPhase(ctx context.Context, id int64, phase run.Phase, who Actor) (r run.Run, err error) {
	err = p.onRun(ctx, id, func(t *Turn, found *run.Run, a *asset.Asset) error {
		if phase.At == 0 {
			phase.At = t.Now
		}
		found.Phases = append(found.Phases, phase)
		if err := t.checkRun(found); err != nil {
			return err
		}
		if err := t.Tx.SaveRun(t.ctx, a.ID, found); err != nil {
			return err
		}
		r = *found
		return t.enterRun("run phase", found, phase.At, who.Called, fmt.Sprintf("%s: %s", found.Title, phase.Name))
	})
	return r, err
}

// RemoveRun removes a run; the readings stay.
func (p *Pipeline) RemoveRun(ctx context.Context, id int64, who Actor) error {
	return p.onRun(ctx, id, func(t *Turn, r *run.Run, _ *asset.Asset) error {
		if err := t.KeepRemoved("run", fmt.Sprint(id), "", who.Called, "run", "id", id); err != nil {
			return err
		}
		if err := t.Tx.RemoveRun(t.ctx, id); err != nil {
			return err
		}
		if err := t.enterRun("run removed", r, t.Now, who.Called, "The run "+r.Title+" was removed"); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

func (p *Pipeline) onRun(ctx context.Context, id int64, act func(*Turn, *run.Run, *asset.Asset) error) error {
	return p.Do(ctx, func(t *Turn) error {
		r, err := t.Tx.Run(t.ctx, id)
		if err != nil {
			return fmt.Errorf("there is no run %d: %w", id, err)
		}
		a, err := t.assetNamed(r.Asset)
		if err != nil {
			return err
		}
		return act(t, &r, a)
	})
}
