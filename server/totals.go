package server

import (
	"context"
	"time"

	"jauntylark/api"
	"jauntylark/core/measure"
	"jauntylark/core/total"
	"jauntylark/pipeline/record"
	"jauntylark/store"
)

// totalNamed finds a total; the error names the nearest one.
func (v *Server) totalNamed(ctx context.Context, name string) (total.Total, error) {
	all, err := v.store.Totals(ctx)
	if err != nil {
		return total.Total{}, err
	}
	names := make([]string, len(all))
	for i, t := range all {
		if t.Name == name {
			return t, v.fillUnit(ctx, &all[i], &t)
		}
		names[i] = t.Name
	}
	return total.Total{}, missing(store.ErrNotFound, "total", name, names)
}

// fillUnit says in which unit a total's values are.
func (v *Server) fillUnit(ctx context.Context, from, into *total.Total) error {
	unit, currency, err := v.store.UnitOf(ctx, from.Signal)
	into.Unit = from.OutUnit(unit, currency)
	return err
}

// comesTo gives what a total comes to over stretches that are told by their edges.
func (v *Server) comesTo(ctx context.Context, t total.Total, edges func(*time.Location) []measure.Instant) ([]total.Result, error) {
	return v.store.Results(ctx, store.Asked{Total: t, Edges: edges})
}

func (v *Server) now(ctx context.Context, t total.Total) (out api.TotalNow, err error) {
	out.Total = t
	now := v.pipeline.Now()
	for _, by := range []struct {
		period string
		into   *total.Result
	}{{total.ByDay, &out.Today}, {total.ByMonth, &out.Month}} {
		all, err := v.comesTo(ctx, t, func(zone *time.Location) []measure.Instant { return total.Edges(by.period, now, now, zone) })
		if err != nil {
			return out, err
		}
		*by.into = all[0]
	}
	if t.ResetAt != nil {
		all, err := v.comesTo(ctx, t, func(*time.Location) []measure.Instant { return []measure.Instant{*t.ResetAt, max(now, *t.ResetAt) + 1} })
		if err != nil {
			return out, err
		}
		out.SinceReset = &all[0]
	}
	return out, nil
}

func (v *Server) listTotals(ctx context.Context, _ *api.None) ([]api.TotalNow, error) {
	all, err := v.store.Totals(ctx)
	if err != nil {
		return nil, err
	}
	out := make([]api.TotalNow, len(all))
	for i := range all {
		if err := v.fillUnit(ctx, &all[i], &all[i]); err != nil {
			return nil, err
		}
		if out[i], err = v.now(ctx, all[i]); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func (v *Server) addTotal(ctx context.Context, in *api.Body[total.Total]) (api.TotalNow, error) {
	t := in.Body
	if err := record.AddTotal(ctx, v.pipeline, &t, who(ctx)); err != nil {
		return api.TotalNow{}, err
	}
	v.keeper.Soon()
	t, err := v.totalNamed(ctx, t.Name)
	if err != nil {
		return api.TotalNow{}, err
	}
	return v.now(ctx, t)
}

// periodsAtMost bounds the periods of one answer.
const periodsAtMost = 1100

func (v *Server) getTotal(ctx context.Context, in *api.GetTotalIn) (api.TotalStory, error) {
	t, err := v.totalNamed(ctx, in.Total)
	if err != nil {
		return api.TotalStory{}, err
	}
	out := api.TotalStory{By: in.By, Between: []total.Result{}}
	if out.TotalNow, err = v.now(ctx, t); err != nil {
		return api.TotalStory{}, err
	}
	since, until, now := measure.InstantOf(in.Since), measure.InstantOf(in.Until), v.pipeline.Now()
	if in.Until.IsZero() {
		until = now
	}
	if in.Since.IsZero() {
		since = until.Add(-24 * time.Hour * map[string]time.Duration{total.ByDay: 13, total.ByWeek: 77, total.ByMonth: 335}[in.By])
	}
	if until < since {
		return api.TotalStory{}, wrong("until", until.String()+" is before since, "+since.String())
	}
	if until.Sub(since) > periodsAtMost*24*time.Hour && in.By == total.ByDay {
		return api.TotalStory{}, wrong("since", "that makes more than 1100 days; ask for weeks or months")
	}
	out.Periods, err = v.comesTo(ctx, t, func(zone *time.Location) []measure.Instant { return total.Edges(in.By, since, until, zone) })
	if err != nil {
		return api.TotalStory{}, err
	}
	if out.Resets, err = v.store.Resets(ctx, t.ID); err != nil {
		return api.TotalStory{}, err
	}
	end := max(now, until) + 1
	for _, r := range out.Resets {
		if r.Undone != nil || r.At >= end {
			continue
		}
		all, err := v.comesTo(ctx, t, func(*time.Location) []measure.Instant { return []measure.Instant{r.At, end} })
		if err != nil {
			return api.TotalStory{}, err
		}
		out.Between = append(out.Between, all[0])
		end = r.At
	}
	return out, nil
}

func (v *Server) removeTotal(ctx context.Context, in *api.TotalPath) error {
	if _, err := v.totalNamed(ctx, in.Total); err != nil {
		return err
	}
	return record.RemoveTotal(ctx, v.pipeline, in.Total, who(ctx))
}

func (v *Server) resetTotal(ctx context.Context, in *api.ResetTotalIn) (total.Reset, error) {
	if _, err := v.totalNamed(ctx, in.Total); err != nil {
		return total.Reset{}, err
	}
	return record.ResetTotal(ctx, v.pipeline, in.Total, in.Body.Note, who(ctx))
}

func (v *Server) undoReset(ctx context.Context, in *api.TotalPath) (total.Reset, error) {
	if _, err := v.totalNamed(ctx, in.Total); err != nil {
		return total.Reset{}, err
	}
	return record.UnresetTotal(ctx, v.pipeline, in.Total, who(ctx))
}

func (v *Server) listTariffs(ctx context.Context, _ *api.None) ([]total.Tariff, error) {
	return v.store.Tariffs(ctx)
}

func (v *Server) putTariff(ctx context.Context, in *api.PutTariffIn) (total.Tariff, error) {
	if in.Body.Name != in.Tariff {
		return total.Tariff{}, wrong("name", "is "+in.Body.Name+", but the address says "+in.Tariff)
	}
	err := record.SaveTariff(ctx, v.pipeline, &in.Body, who(ctx))
	v.keeper.Soon()
	return in.Body, err
}

func (v *Server) removeTariff(ctx context.Context, in *api.RemoveTariffIn) error {
	return record.RemoveTariff(ctx, v.pipeline, in.Tariff, who(ctx))
}
