package record

import (
	"context"
	"fmt"
	"slices"

	"jauntylark/core/act"
	"jauntylark/core/asset"
	"jauntylark/core/measure"
	"jauntylark/core/run"
	"jauntylark/pipeline"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/reading"
	"jauntylark/store"
	"jauntylark/store/events"
)

// StartRun starts a run of an asset, or adds one that is over. One run that was started by hand is on at a time.
func StartRun(ctx context.Context, p *pipeline.Pipeline, s act.RunStart, who pipeline.Actor) (r run.Run, err error) {
	err = p.Do(ctx, func(t *reading.Turn) error {
		a, err := t.FindAsset(s.Asset)
		if err != nil {
			return err
		}
		r = run.Run{Asset: a.Name, Title: s.Title, How: run.ByHand, StartedAt: t.Now, EndedAt: s.EndedAt,
			StartedBy: who.Called, Goals: s.Goals, Note: s.Note}
		if s.StartedAt != nil {
			r.StartedAt = *s.StartedAt
		}
		if r.EndedAt != nil {
			r.How, r.EndedBy = run.Afterwards, who.Called
		}
		if r.Title == "" {
			r.Title = a.Called() + ", " + r.StartedAt.Time().In(t.Site.Settings.Location()).Format(
				"2 January 2006 15:04")
		}
		if err := checkRun(t, &r); err != nil {
			return err
		}
		if r.EndedAt == nil {
			if err := noneOn(t, a.Name); err != nil {
				return err
			}
		}
		if err := events.SaveRun(t.Ctx, t.Tx, a.ID, &r); err != nil {
			return err
		}
		text := r.Title + " has started"
		if r.EndedAt != nil {
			text = "The run " + r.Title + " was added afterwards"
		}
		return t.EnterRun("run started", &r, r.StartedAt, who.Called, text)
	})
	return r, err
}

// noneOn tells when a run that was started by hand is on.
func noneOn(t *reading.Turn, of string) error {
	open, err := events.OpenRuns(t.Ctx, t.Tx)
	if err != nil {
		return err
	}
	for i := range open {
		if open[i].Asset == of && open[i].Plan == "" {
			return fmt.Errorf("%s is on; end it first (jaunty run stop %d): %w", open[i].Title, open[i].ID,
				commit.ErrNotNow)
		}
	}
	return nil
}

// checkRun tells what is wrong with a run, and settles its goals.
func checkRun(t *reading.Turn, r *run.Run) error {
	switch {
	case r.StartedAt > t.Now:
		return &measure.Fault{Field: "started_at", Reason: fmt.Sprintf("%s has not come yet", r.StartedAt)}
	case r.EndedAt != nil && *r.EndedAt <= r.StartedAt:
		return &measure.Fault{Field: "ended_at", Reason: fmt.Sprintf("%s is not after its start, %s", *r.EndedAt,
			r.StartedAt)}
	case r.EndedAt != nil && *r.EndedAt > t.Now:
		return &measure.Fault{Field: "ended_at", Reason: fmt.Sprintf("%s has not come yet", *r.EndedAt)}
	}
	for i, phase := range r.Phases {
		switch {
		case phase.Name == "":
			return &measure.Fault{Field: fmt.Sprintf("phases[%d].name", i), Reason: "is empty"}
		case phase.At < r.StartedAt || phase.At > r.Until(t.Now):
			return &measure.Fault{Field: fmt.Sprintf("phases[%d].at", i),
				Reason: fmt.Sprintf("%s is not within the run", phase.At)}
		}
	}
	slices.SortStableFunc(r.Phases, func(a, b run.Phase) int { return int(a.At - b.At) })
	return checkGoals(t, r.Goals)
}

func checkGoals(t *reading.Turn, goals run.Goals) error {
	for i := range goals {
		at := func(field string) string { return fmt.Sprintf("goals[%d].%s", i, field) }
		if err := goals[i].Check(); err != nil {
			f := err.(*measure.Fault)
			return &measure.Fault{Field: at(f.Field), Reason: f.Reason}
		}
		s, err := t.Site.FindSignal(goals[i].Signal)
		if err != nil {
			return &measure.Fault{Field: at("signal"), Reason: err.(*measure.Fault).Reason}
		}
		if s.Kind != "number" {
			return &measure.Fault{Field: at("signal"), Reason: fmt.Sprintf("%s holds %s; a goal is of numbers",
				s.Path(), s.Kind)}
		}
	}
	return nil
}

// ChangeRun changes a run.
func ChangeRun(ctx context.Context, p *pipeline.Pipeline, id int64, c act.RunChange,
	who pipeline.Actor) (r run.Run, err error) {
	err = onRun(ctx, p, id, func(t *reading.Turn, found *run.Run, a *asset.Asset) error {
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
		if err := checkRun(t, found); err != nil {
			return err
		}
		if err := events.SaveRun(t.Ctx, t.Tx, a.ID, found); err != nil {
			return err
		}
		kind, text, at := "run changed", "The run "+found.Title+" was changed", t.Now
		if ends {
			kind, text, at = "run ended", found.Title+" is over", *found.EndedAt
		}
		if err := t.EnterRun(kind, found, at, who.Called, text); err != nil {
			return err
		}
		r = *found
		t.ConfigChanged(store.Change{Scope: store.OfPlans})
		return nil
	})
	return r, err
}

// StopRun ends a run that is on, at an instant or now.
func StopRun(ctx context.Context, p *pipeline.Pipeline, id int64, at *measure.Instant,
	who pipeline.Actor) (run.Run, error) {
	if at == nil {
		now := p.Now()
		at = &now
	}
	found, err := events.Run(ctx, p.Store, id)
	if err == nil && found.EndedAt != nil {
		return found, fmt.Errorf("%s is over since %s: %w", found.Title, found.EndedAt, commit.ErrNotNow)
	}
	return ChangeRun(ctx, p, id, act.RunChange{EndedAt: at}, who)
}

// MarkPhase begins a phase of a run now, or at an instant.
func MarkPhase(ctx context.Context, p *pipeline.Pipeline, id int64, phase run.Phase,
	who pipeline.Actor) (r run.Run, err error) {
	err = onRun(ctx, p, id, func(t *reading.Turn, found *run.Run, a *asset.Asset) error {
		if phase.At == 0 {
			phase.At = t.Now
		}
		found.Phases = append(found.Phases, phase)
		if err := checkRun(t, found); err != nil {
			return err
		}
		if err := events.SaveRun(t.Ctx, t.Tx, a.ID, found); err != nil {
			return err
		}
		r = *found
		return t.EnterRun("run phase", found, phase.At, who.Called, fmt.Sprintf("%s: %s", found.Title, phase.Name))
	})
	return r, err
}

// RemoveRun removes a run; the readings stay.
func RemoveRun(ctx context.Context, p *pipeline.Pipeline, id int64, who pipeline.Actor) error {
	return onRun(ctx, p, id, func(t *reading.Turn, r *run.Run, _ *asset.Asset) error {
		if err := configure.KeepRemoved(t, "run", fmt.Sprint(id), "", who.Called, "run", "id", id); err != nil {
			return err
		}
		if err := events.RemoveRun(t.Ctx, t.Tx, id); err != nil {
			return err
		}
		if err := t.EnterRun("run removed", r, t.Now, who.Called, "The run "+r.Title+" was removed"); err != nil {
			return err
		}
		t.ConfigChanged(store.Change{Scope: store.OfPlans})
		return nil
	})
}

func onRun(ctx context.Context, p *pipeline.Pipeline, id int64,
	act func(*reading.Turn, *run.Run, *asset.Asset) error) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		r, err := events.Run(t.Ctx, t.Tx, id)
		if err != nil {
			return fmt.Errorf("there is no run %d: %w", id, err)
		}
		a, err := t.FindAsset(r.Asset)
		if err != nil {
			return err
		}
		return act(t, &r, a)
	})
}
