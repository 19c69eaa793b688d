package configure

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/limit"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/reading"
	"jauntylark/store"
	"jauntylark/store/events"
	"jauntylark/store/timeseries"
)

// StartTrial begins a trial of a signal that holds numbers.
func StartTrial(ctx context.Context, p *pipeline.Pipeline, path, note, who string) (out site.Trial, err error) {
	err = p.Do(ctx, func(t *reading.Turn) error {
		s, err := t.Site.FindSignal(path)
		if err != nil {
			return err
		}
		if s.Kind != site.KindNumber {
			return &measure.Fault{Field: "signal", Reason: fmt.Sprintf("%s holds %s; a trial finds a limit of numbers",
				path, memory.Holds[s.Kind])}
		}
		out = site.Trial{SignalID: s.ID, Signal: path, Note: strings.TrimSpace(note), By: who, StartedAt: t.Now,
			Stretches: []site.TrialStretch{}}
		if err := events.AddTrial(t.Ctx, t.Tx, &out); err != nil {
			return err
		}
		return t.Enter("trial started", path, who, fmt.Sprintf("Trial %d of %s was started", out.ID, path))
	})
	return out, err
}

// Mark is an order to mark a stretch of a trial: from now on when From is nil; until the next mark when Until is nil.
// An empty label ends the stretch that goes on.
type Mark struct {
	Label string
	From  *measure.Instant
	Until *measure.Instant
}

// longestStretch bounds a stretch of a trial.
const longestStretch = 31 * 24 * time.Hour

// MarkTrial marks a stretch of a trial.
func MarkTrial(ctx context.Context, p *pipeline.Pipeline, id int64, m Mark, who string) error {
	return onTrial(ctx, p, id, func(t *reading.Turn, v *site.Trial) error {
		from := t.Now
		if m.From != nil {
			from = *m.From
		}
		until := t.Now
		if m.Until != nil {
			until = *m.Until
		}
		switch {
		case m.From != nil && from > t.Now || m.Until != nil && until > t.Now:
			return &measure.Fault{Field: "from",
				Reason: "a stretch lies in the past; leave from and until out to mark from now on"}
		case m.Until != nil && (m.From == nil || until <= from):
			return &measure.Fault{Field: "until", Reason: fmt.Sprintf("%s is not after from", until)}
		case until.Sub(from) > longestStretch:
			return &measure.Fault{Field: "until", Reason: fmt.Sprintf("the stretch is longer than %v",
				measure.Duration(longestStretch))}
		case m.Label != "" && m.Label != limit.Normal && m.Label != limit.Event:
			return &measure.Fault{Field: "label", Reason: site.Unknown("label", m.Label,
				[]string{limit.Normal, limit.Event})}
		}
		if m.Until == nil {
			if err := events.EndStretch(t.Ctx, t.Tx, id, from); err != nil || m.Label == "" {
				return err
			}
		}
		if taken, err := events.Overlaps(t.Ctx, t.Tx, id, from, until); err != nil {
			return err
		} else if taken {
			return &measure.Fault{Field: "from",
				Reason: "it overlaps with a stretch that is marked already; remove that first"}
		}
		stretch := site.TrialStretch{Trial: id, Label: m.Label, From: from, Until: m.Until}
		if err := events.AddStretch(t.Ctx, t.Tx, &stretch); err != nil {
			return err
		}
		return t.Enter("trial marked", v.Signal, who, fmt.Sprintf("Trial %d: %s from %s on", id, m.Label, from))
	})
}

// UnmarkTrial takes a stretch out of a trial.
func UnmarkTrial(ctx context.Context, p *pipeline.Pipeline, id, stretch int64, who string) error {
	return onTrial(ctx, p, id, func(t *reading.Turn, _ *site.Trial) error {
		if err := KeepRemoved(t, "stretch", fmt.Sprint(stretch), "", who, "trial_stretch", "id", stretch); err != nil {
			return err
		}
		if err := events.RemoveStretch(t.Ctx, t.Tx, id, stretch); err != nil {
			return fmt.Errorf("there is no stretch %d in trial %d: %w", stretch, id, err)
		}
		return nil
	})
}

// RemoveTrial removes a trial; the readings and a guard that was made of it stay.
func RemoveTrial(ctx context.Context, p *pipeline.Pipeline, id int64, who string) error {
	return onTrial(ctx, p, id, func(t *reading.Turn, v *site.Trial) error {
		if err := KeepRemoved(t, "trial", fmt.Sprint(id), "", who, "trial", "id", id); err != nil {
			return err
		}
		if err := events.RemoveTrial(t.Ctx, t.Tx, id); err != nil {
			return err
		}
		return t.Enter("trial removed", v.Signal, who, fmt.Sprintf("Trial %d of %s was removed", id, v.Signal))
	})
}

func onTrial(ctx context.Context, p *pipeline.Pipeline, id int64, act func(*reading.Turn, *site.Trial) error) error {
	v, err := events.Trial(ctx, p.Store, id)
	if errors.Is(err, store.ErrNotFound) {
		return fmt.Errorf("there is no trial %d: %w", id, err)
	}
	if err != nil {
		return err
	}
	return p.Do(ctx, func(t *reading.Turn) error { return act(t, &v) })
}

// SuggestFrom tells what limit a trial speaks for.
func SuggestFrom(ctx context.Context, p *pipeline.Pipeline, id int64) (limit.Suggestion, error) {
	v, err := events.Trial(ctx, p.Store, id)
	if errors.Is(err, store.ErrNotFound) {
		err = fmt.Errorf("there is no trial %d: %w", id, err)
	}
	if err != nil {
		return limit.Suggestion{}, err
	}
	tx, err := p.Store.Look(ctx)
	if err != nil {
		return limit.Suggestion{}, err
	}
	defer tx.Rollback()
	var unit measure.Unit
	err = p.Do(ctx, func(t *reading.Turn) error {
		if s := t.Site.Signals[v.SignalID]; s != nil {
			unit = s.Unit
		}
		return nil
	})
	if err != nil {
		return limit.Suggestion{}, err
	}
	var stretches []limit.Part
	for _, s := range v.Stretches {
		until := p.Now()
		if s.Until != nil {
			until = *s.Until
		}
		stretch := limit.Part{Label: s.Label, Until: until}
		err := timeseries.EachReading(ctx, tx, v.SignalID, s.From, until, func(some []measure.Reading) error {
			for _, r := range some {
				if r.Quality.Usable() {
					stretch.Readings = append(stretch.Readings, r)
				}
			}
			return nil
		})
		if err != nil {
			return limit.Suggestion{}, err
		}
		stretches = append(stretches, stretch)
	}
	return limit.Suggest(stretches, unit), nil
}

// AcceptTrial makes a guard of a trial's suggestion, changed by what the caller says, and ends the trial.
func AcceptTrial(ctx context.Context, p *pipeline.Pipeline, id int64, change func(*alarm.Guard) error,
	who string) (alarm.Guard, error) {
	var g alarm.Guard
	s, err := SuggestFrom(ctx, p, id)
	if err != nil {
		return g, err
	}
	if !s.Apart {
		return g, fmt.Errorf("nothing can be suggested: %s: %w", s.Reason, commit.ErrNotNow)
	}
	g = s.Guard()
	err = onTrial(ctx, p, id, func(t *reading.Turn, v *site.Trial) error {
		g.Signal = v.Signal
		if err := change(&g); err != nil {
			return err
		}
		if err := StoreGuard(t, &g, who); err != nil {
			return err
		}
		if err := events.EndStretch(t.Ctx, t.Tx, id, t.Now); err != nil {
			return err
		}
		v.EndedAt, v.Guard = &t.Now, g.Name
		if err := events.SaveTrial(t.Ctx, t.Tx, v); err != nil {
			return err
		}
		if err := t.Enter("trial accepted", v.Signal, who, fmt.Sprintf("Guard %s was made of trial %d", g.Name,
			id)); err != nil {
			return err
		}
		return nil
	})
	return g, err
}
