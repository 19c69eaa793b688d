package pipeline

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/core/total"
)

// AddTotal stores a new total. It is added up from the signal's first reading on, in the background.
func (p *Pipeline) AddTotal(ctx context.Context, v *total.Total, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		if err := site.CheckName(v.Name); err != nil {
			return &measure.Fault{Field: "name", Reason: err.Error()}
		}
		s, err := t.live.find(v.Signal)
		if err != nil {
			return err
		}
		if err := v.Fit(&s.Signal); err != nil {
			return err
		}
		if v.Tariff != "" {
			if err := t.tariffNamed(v.Tariff); err != nil {
				return err
			}
		}
		v.CreatedAt, v.Title = t.Now, strings.TrimSpace(v.Title)
		if err := t.Tx.AddTotal(t.ctx, v, s.ID); err != nil {
			return err
		}
		if err := t.Tx.NoteAllStale(t.ctx, s.ID, t.Now); err != nil {
			return err
		}
		return t.Enter("total added", v.Name, who.Called, fmt.Sprintf("Total %s: %s of %s", v.Name, v.Kind, v.Signal))
	})
}

func (t *Turn) tariffNamed(name string) error {
	tariffs, err := t.p.store.Tariffs(t.ctx)
	if err != nil {
		return err
	}
	names := make([]string, len(tariffs))
	for i := range tariffs {
		names[i] = tariffs[i].Name
	}
	if !slices.Contains(names, name) {
		return &measure.Fault{Field: "tariff", Reason: site.Unknown("tariff", name, names)}
	}
	return nil
}

func (t *Turn) totalNamed(name string) (total.Total, error) {
	v, err := t.Tx.Total(t.ctx, name)
	if err != nil {
		return v, fmt.Errorf("total %s %w", name, err)
	}
	return v, nil
}

// RemoveTotal removes a total; the readings stay.
func (p *Pipeline) RemoveTotal(ctx context.Context, name string, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		v, err := t.totalNamed(name)
		if err != nil {
			return err
		}
		if err := t.KeepRemoved("total", name, v.Title, who.Called, "total", "id", v.ID); err != nil {
			return err
		}
		if err := t.Tx.RemoveTotal(t.ctx, v.ID); err != nil {
			return err
		}
		return t.Enter("total removed", name, who.Called, "Total "+name+" was removed")
	})
}

// ResetTotal lets a total count anew from now on. What it came to before is kept, by periods and up to this reset.
func (p *Pipeline) ResetTotal(ctx context.Context, name, note string, who Actor) (r total.Reset, err error) {
	err = p.Do(ctx, func(t *Turn) error {
		v, err := t.totalNamed(name)
		if err != nil {
			return err
		}
		r = total.Reset{At: t.Now, Who: who.Called, Note: strings.TrimSpace(note)}
		if err := t.Tx.AddReset(t.ctx, v.ID, &r); err != nil {
			return err
		}
		return t.Enter("total reset", name, who.Called, strings.TrimSuffix(fmt.Sprintf("Total %s was reset: %s", name, r.Note), ": "))
	})
	return r, err
}

// UnresetTotal takes the newest reset of a total back.
func (p *Pipeline) UnresetTotal(ctx context.Context, name string, who Actor) (r total.Reset, err error) {
	err = p.Do(ctx, func(t *Turn) error {
		v, err := t.totalNamed(name)
		if err != nil {
			return err
		}
		if r, err = t.Tx.UndoReset(t.ctx, v.ID, t.Now); err != nil {
			return fmt.Errorf("a reset of total %s that could be undone %w", name, err)
		}
		return t.Enter("total reset undone", name, who.Called, fmt.Sprintf("The reset of total %s at %s was undone", name, r.At))
	})
	return r, err
}

// SaveTariff stores a tariff, new or not. What was added up by it is added up anew.
func (p *Pipeline) SaveTariff(ctx context.Context, v *total.Tariff, who Actor) error {
	if err := v.Check(); err != nil {
		return err
	}
	return p.Do(ctx, func(t *Turn) error {
		if err := t.Tx.SaveTariff(t.ctx, v, t.Now); err != nil {
			return err
		}
		return t.Enter("tariff saved", v.Name, who.Called, fmt.Sprintf("Tariff %s has %s", v.Name, measure.Count(len(v.Versions), "version", "versions")))
	})
}

// RemoveTariff removes a tariff that no total uses.
func (p *Pipeline) RemoveTariff(ctx context.Context, name string, who Actor) error {
	return p.Do(ctx, func(t *Turn) error {
		if err := t.KeepRemoved("tariff", name, "", who.Called, "tariff", "name", name); err != nil {
			return err
		}
		if err := t.Tx.RemoveTariff(t.ctx, name); err != nil {
			return fmt.Errorf("tariff %s: %w", name, err)
		}
		return t.Enter("tariff removed", name, who.Called, "Tariff "+name+" was removed")
	})
}
