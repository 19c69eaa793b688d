package place

import (
	"context"
	"encoding/json"
	"strings"

	"jauntylark/api"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/configure"
	"jauntylark/server/web"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// arrivalsOperations has the operations of this file answered.
func arrivalsOperations(v *web.Server) {
	web.Answer(v, api.ListArrivals, listArrivals)
	web.Answer(v, api.LetIn, letDeviceIn)
	web.Carry(v, api.TurnAway, turnAway)
	web.Answer(v, api.GetEnrolment, getEnrolment)
	web.Answer(v, api.NewEnrolment, newEnrolment)
	web.Carry(v, api.EndEnrolment, endEnrolment)
}

// shownPacks are the newest packs that tell what an arrival sends.
const shownPacks = 5

func listArrivals(ctx context.Context, v *web.Server, _ *api.None) ([]site.Arrival, error) {
	arrivals, err := events.Arrivals(ctx, v.Store)
	for i := range arrivals {
		if err == nil {
			arrivals[i].Signals, err = arrivalSignals(ctx, v, arrivals[i])
		}
	}
	return arrivals, err
}

// arrivalSignals tells what an arrival sends, by its newest packs.
func arrivalSignals(ctx context.Context, v *web.Server, a site.Arrival) ([]site.ArrivalSignal, error) {
	packs, err := events.NewestArrivalPacks(ctx, v.Store, a.ID, shownPacks)
	if err != nil {
		return nil, err
	}
	signals, seen := []site.ArrivalSignal{}, map[string]bool{}
	for _, p := range packs {
		var samples []measure.Sample
		if err := json.Unmarshal(p.Samples, &samples); err != nil {
			return nil, err
		}
		for i := len(samples) - 1; i >= 0; i-- {
			s := samples[i]
			name := strings.TrimPrefix(s.Name, a.Name+"/")
			if !seen[name] && len(signals) < 50 {
				seen[name] = true
				signals = append(signals, site.ArrivalSignal{Name: name, Unit: s.Unit, Value: s.Value, Text: s.Text})
			}
		}
	}
	return signals, nil
}

func letDeviceIn(ctx context.Context, v *web.Server, in *api.LetInIn) (site.Device, error) {
	d, err := configure.LetIn(ctx, v.Pipeline, in.Name,
		site.Device{Kit: in.Body.Kit, Title: strings.TrimSpace(in.Body.Title), Behind: in.Body.Behind}, web.Who(ctx))
	if err != nil {
		return site.Device{}, err
	}
	return FindDevice(ctx, v, d.Name)
}

func turnAway(ctx context.Context, v *web.Server, in *api.ArrivalPath) error {
	return configure.TurnAway(ctx, v.Pipeline, in.Name, web.Who(ctx))
}

func getEnrolment(ctx context.Context, v *web.Server, _ *api.None) (api.Enrolment, error) {
	e, err := config.ReadEnrolment(ctx, v.Store)
	return api.Enrolment{On: e.Hash != nil}, err
}

func newEnrolment(ctx context.Context, v *web.Server, _ *api.None) (api.Enrolment, error) {
	key, kept := newKey(v)
	err := configure.SetEnrolment(ctx, v.Pipeline, &kept, web.Who(ctx))
	LearnDevice(ctx, v)
	return api.Enrolment{On: true, Key: key}, err
}

func endEnrolment(ctx context.Context, v *web.Server, _ *api.None) error {
	return configure.SetEnrolment(ctx, v.Pipeline, nil, web.Who(ctx))
}
