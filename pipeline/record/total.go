package record

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/site"
	"jauntylark/core/total"
	"jauntylark/pipeline"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/reading"
	"jauntylark/store/timeseries"
)

// AddTotal stores a new total. It is added up from the signal's first reading on, in the background.
func AddTotal(ctx context.Context, p *pipeline.Pipeline, v *total.Total, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		if err := site.CheckName(v.Name); err != nil {
			return &measure.Fault{Field: "name", Reason: err.Error()}
		}
		s, err := t.Site.FindSignal(v.Signal)
		if err != nil {
			return err
		}
		if err := v.Fit(&s.Signal); err != nil {
			return err
		}
		if v.Tariff != "" {
			if err := tariffNamed(t, v.Tariff); err != nil {
				return err
			}
		}
		v.CreatedAt, v.Title = t.Now, strings.TrimSpace(v.Title)
		if err := timeseries.AddTotal(t.Ctx, t.Tx, v, s.ID); err != nil {
			return err
		}
		if err := timeseries.NoteAllStale(t.Ctx, t.Tx, s.ID, t.Now); err != nil {
			return err
		}
		return t.Enter("total added", v.Name, who.Called, fmt.Sprintf("Total %s: %s of %s", v.Name, v.Kind, v.Signal))
	})
}

func tariffNamed(t *reading.Turn, name string) error {
	tariffs, err := timeseries.Tariffs(t.Ctx, t.Store)
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

func totalNamed(t *reading.Turn, name string) (total.Total, error) {
	v, err := timeseries.Total(t.Ctx, t.Tx, name)
	if err != nil {
		return v, fmt.Errorf("total %s %w", name, err)
	}
	return v, nil
}

// RemoveTotal removes a total; the readings stay.
func RemoveTotal(ctx context.Context, p *pipeline.Pipeline, name string, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		v, err := totalNamed(t, name)
		if err != nil {
			return err
		}
		if err := configure.KeepRemoved(t, "total", name, v.Title, who.Called, "total", "id", v.ID); err != nil {
			return err
		}
		if err := timeseries.RemoveTotal(t.Ctx, t.Tx, v.ID); err != nil {
			return err
		}
		return t.Enter("total removed", name, who.Called, "Total "+name+" was removed")
	})
}

// ResetTotal lets a total count anew from now on. What it came to before is kept, by periods and up to this reset.
func ResetTotal(ctx context.Context, p *pipeline.Pipeline, name, note string,
	who pipeline.Actor) (r total.Reset, err error) {
	err = p.Do(ctx, func(t *reading.Turn) error {
		v, err := totalNamed(t, name)
		if err != nil {
			return err
		}
		r = total.Reset{At: t.Now, Who: who.Called, Note: strings.TrimSpace(note)}
		if err := timeseries.AddReset(t.Ctx, t.Tx, v.ID, &r); err != nil {
			return err
		}
		return t.Enter("total reset", name, who.Called,
			strings.TrimSuffix(fmt.Sprintf("Total %s was reset: %s", name, r.Note), ": "))
	})
	return r, err
}

// UnresetTotal takes the newest reset of a total back.
func UnresetTotal(ctx context.Context, p *pipeline.Pipeline, name string,
	who pipeline.Actor) (r total.Reset, err error) {
	err = p.Do(ctx, func(t *reading.Turn) error {
		v, err := totalNamed(t, name)
		if err != nil {
			return err
		}
		if r, err = timeseries.UndoReset(t.Ctx, t.Tx, v.ID, t.Now); err != nil {
			return fmt.Errorf("a reset of total %s that could be undone %w", name, err)
		}
		return t.Enter("total reset undone", name, who.Called, fmt.Sprintf("The reset of total %s at %s was undone",
			name, r.At))
	})
	return r, err
}

// SaveTariff stores a tariff, new or not. What was added up by it is added up anew.
func SaveTariff(ctx context.Context, p *pipeline.Pipeline, v *total.Tariff, who pipeline.Actor) error {
	if err := v.Check(); err != nil {
		return err
	}
	return p.Do(ctx, func(t *reading.Turn) error {
		if err := timeseries.SaveTariff(t.Ctx, t.Tx, v, t.Now); err != nil {
			return err
		}
		return t.Enter("tariff saved", v.Name, who.Called,
			fmt.Sprintf("Tariff %s has %s", v.Name, prose.Count(len(v.Versions), "version", "versions")))
	})
}

// RemoveTariff removes a tariff that no total uses.
func RemoveTariff(ctx context.Context, p *pipeline.Pipeline, name string, who pipeline.Actor) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		if err := configure.KeepRemoved(t, "tariff", name, "", who.Called, "tariff", "name", name); err != nil {
			return err
		}
		if err := timeseries.RemoveTariff(t.Ctx, t.Tx, name); err != nil {
			return fmt.Errorf("tariff %s: %w", name, err)
		}
		return t.Enter("tariff removed", name, who.Called, "Tariff "+name+" was removed")
	})
}
