package readings

import (
	"context"
	"time"

	"jauntylark/api"
	"jauntylark/core/measure"
	"jauntylark/core/total"
	"jauntylark/pipeline/record"
	"jauntylark/server/web"
	"jauntylark/store/timeseries"
)

// totalsOperations has the operations of this file answered.
func totalsOperations(v *web.Server) {
	web.Answer(v, api.ListTotals, listTotals)
	web.Answer(v, api.AddTotal, addTotal)
	web.Answer(v, api.GetTotal, getTotal)
	web.Carry(v, api.RemoveTotal, removeTotal)
	web.Answer(v, api.ResetTotal, resetTotal)
	web.Answer(v, api.UndoReset, undoReset)
	web.Answer(v, api.ListTariffs, listTariffs)
	web.Keep(v, api.GetTariff, getTariff, api.PutTariff, putTariff, api.PatchTariff)
	web.Carry(v, api.RemoveTariff, removeTariff)
}

// findTotal finds a total; the error names the nearest one.
func findTotal(ctx context.Context, v *web.Server, name string) (total.Total, error) {
	all, err := timeseries.Totals(ctx, v.Store)
	t, err := web.Named(all, err, "total", name, func(t total.Total) string { return t.Name })
	if err != nil {
		return t, err
	}
	err = fillUnit(ctx, v, &t, &t)
	return t, err
}

// fillUnit says in which unit a total's values are.
func fillUnit(ctx context.Context, v *web.Server, from, into *total.Total) error {
	unit, currency, err := timeseries.UnitOf(ctx, v.Store, from.Signal)
	into.Unit = from.OutUnit(unit, currency)
	return err
}

// comesTo gives what a total comes to over stretches that are told by their edges.
func comesTo(ctx context.Context, v *web.Server, t total.Total,
	edges func(*time.Location) []measure.Instant) ([]total.Result, error) {
	return timeseries.Results(ctx, v.Store, timeseries.Asked{Total: t, Edges: edges})
}

func totalNow(ctx context.Context, v *web.Server, t total.Total) (out api.TotalNow, err error) {
	out.Total = t
	now := v.Pipeline.Now()
	for _, by := range []struct {
		period string
		into   *total.Result
	}{{total.ByDay, &out.Today}, {total.ByMonth, &out.Month}} {
		all, err := comesTo(ctx, v, t, func(zone *time.Location) []measure.Instant {
			return total.Edges(by.period, now, now, zone)
		})
		if err != nil {
			return out, err
		}
		*by.into = all[0]
	}
	if t.ResetAt != nil {
		all, err := comesTo(ctx, v, t, func(*time.Location) []measure.Instant {
			return []measure.Instant{*t.ResetAt, max(now, *t.ResetAt) + 1}
		})
		if err != nil {
			return out, err
		}
		out.SinceReset = &all[0]
	}
	return out, nil
}

func listTotals(ctx context.Context, v *web.Server, _ *api.None) ([]api.TotalNow, error) {
	all, err := timeseries.Totals(ctx, v.Store)
	if err != nil {
		return nil, err
	}
	out := make([]api.TotalNow, len(all))
	for i := range all {
		if err := fillUnit(ctx, v, &all[i], &all[i]); err != nil {
			return nil, err
		}
		if out[i], err = totalNow(ctx, v, all[i]); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func addTotal(ctx context.Context, v *web.Server, in *api.Body[total.Total]) (api.TotalNow, error) {
	t := in.Body
	if err := record.AddTotal(ctx, v.Pipeline, &t, web.Who(ctx)); err != nil {
		return api.TotalNow{}, err
	}
	v.Upkeep.Soon()
	t, err := findTotal(ctx, v, t.Name)
	if err != nil {
		return api.TotalNow{}, err
	}
	return totalNow(ctx, v, t)
}

// periodsAtMost bounds the periods of one answer.
const periodsAtMost = 1100

func getTotal(ctx context.Context, v *web.Server, in *api.GetTotalIn) (api.TotalStory, error) {
	t, err := findTotal(ctx, v, in.Total)
	if err != nil {
		return api.TotalStory{}, err
	}
	out := api.TotalStory{By: in.By, Between: []total.Result{}}
	if out.TotalNow, err = totalNow(ctx, v, t); err != nil {
		return api.TotalStory{}, err
	}
	since, until, now := measure.InstantOf(in.Since), measure.InstantOf(in.Until), v.Pipeline.Now()
	if in.Until.IsZero() {
		until = now
	}
	if in.Since.IsZero() {
		since = until.Add(-24 * time.Hour * map[string]time.Duration{total.ByDay: 13, total.ByWeek: 77,
			total.ByMonth: 335}[in.By])
	}
	if until < since {
		return api.TotalStory{}, web.Wrong("until", until.String()+" is before since, "+since.String())
	}
	if until.Sub(since) > periodsAtMost*24*time.Hour && in.By == total.ByDay {
		return api.TotalStory{}, web.Wrong("since", "that makes more than 1100 days; ask for weeks or months")
	}
	last := until
	if !in.Until.IsZero() {
		last = max(since, until-1)
	}
	out.Periods, err = comesTo(ctx, v, t, func(zone *time.Location) []measure.Instant {
		return total.Edges(in.By, since, last, zone)
	})
	if err != nil {
		return api.TotalStory{}, err
	}
	if out.Resets, err = timeseries.Resets(ctx, v.Store, t.ID); err != nil {
		return api.TotalStory{}, err
	}
	end := max(now, until) + 1
	for _, r := range out.Resets {
		if r.Undone != nil || r.At >= end {
			continue
		}
		all, err := comesTo(ctx, v, t, func(*time.Location) []measure.Instant { return []measure.Instant{r.At, end} })
		if err != nil {
			return api.TotalStory{}, err
		}
		out.Between = append(out.Between, all[0])
		end = r.At
	}
	return out, nil
}

func removeTotal(ctx context.Context, v *web.Server, in *api.TotalPath) error {
	if _, err := findTotal(ctx, v, in.Total); err != nil {
		return err
	}
	return record.RemoveTotal(ctx, v.Pipeline, in.Total, web.Who(ctx))
}

func resetTotal(ctx context.Context, v *web.Server, in *api.ResetTotalIn) (total.Reset, error) {
	if _, err := findTotal(ctx, v, in.Total); err != nil {
		return total.Reset{}, err
	}
	return record.ResetTotal(ctx, v.Pipeline, in.Total, in.Body.Note, web.Who(ctx))
}

func undoReset(ctx context.Context, v *web.Server, in *api.TotalPath) (total.Reset, error) {
	if _, err := findTotal(ctx, v, in.Total); err != nil {
		return total.Reset{}, err
	}
	return record.UnresetTotal(ctx, v.Pipeline, in.Total, web.Who(ctx))
}

func listTariffs(ctx context.Context, v *web.Server, _ *api.None) ([]total.Tariff, error) {
	return timeseries.Tariffs(ctx, v.Store)
}

func getTariff(ctx context.Context, v *web.Server, in *api.TariffPath) (total.Tariff, error) {
	tariffs, err := timeseries.Tariffs(ctx, v.Store)
	return web.Named(tariffs, err, "tariff", in.Tariff, func(t total.Tariff) string { return t.Name })
}

func putTariff(ctx context.Context, v *web.Server, in *api.PutTariffIn) (total.Tariff, error) {
	if in.Body.Name != in.Tariff {
		return total.Tariff{}, web.Wrong("name", "is "+in.Body.Name+", but the address says "+in.Tariff)
	}
	err := record.SaveTariff(ctx, v.Pipeline, &in.Body, web.Who(ctx))
	v.Upkeep.Soon()
	return in.Body, err
}

func removeTariff(ctx context.Context, v *web.Server, in *api.TariffPath) error {
	return record.RemoveTariff(ctx, v.Pipeline, in.Tariff, web.Who(ctx))
}
