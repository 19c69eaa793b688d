package server

import (
	"context"
	"encoding/json"
	"strings"

	"jauntylark/api"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/configure"
)

// shownPacks are the newest packs that tell what an arrival sends.
const shownPacks = 5

func (v *Server) listArrivals(ctx context.Context, _ *api.None) ([]site.Arrival, error) {
	arrivals, err := v.store.Arrivals(ctx)
	for i := range arrivals {
		if err == nil {
			arrivals[i].Signals, err = v.arrivalSignals(ctx, arrivals[i])
		}
	}
	return arrivals, err
}

// arrivalSignals tells what an arrival sends, by its newest packs.
func (v *Server) arrivalSignals(ctx context.Context, a site.Arrival) ([]site.ArrivalSignal, error) {
	packs, err := v.store.NewestArrivalPacks(ctx, a.ID, shownPacks)
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

func (v *Server) letDeviceIn(ctx context.Context, in *api.LetInIn) (site.Device, error) {
	d, err := configure.LetIn(ctx, v.pipeline, in.Name, site.Device{Kit: in.Body.Kit, Title: strings.TrimSpace(in.Body.Title), Behind: in.Body.Behind}, who(ctx))
	if err != nil {
		return site.Device{}, err
	}
	return v.device(ctx, d.Name)
}

func (v *Server) turnAway(ctx context.Context, in *api.ArrivalPath) error {
	return configure.TurnAway(ctx, v.pipeline, in.Name, who(ctx))
}

func (v *Server) getEnrolment(ctx context.Context, _ *api.None) (api.Enrolment, error) {
	e, err := v.store.Enrolment(ctx)
	return api.Enrolment{On: e.Hash != nil}, err
}

func (v *Server) newEnrolment(ctx context.Context, _ *api.None) (api.Enrolment, error) {
	key, kept := v.newKey()
	err := configure.SetEnrolment(ctx, v.pipeline, &kept, who(ctx))
	v.learn(ctx)
	return api.Enrolment{On: true, Key: key}, err
}

func (v *Server) endEnrolment(ctx context.Context, _ *api.None) error {
	return configure.SetEnrolment(ctx, v.pipeline, nil, who(ctx))
}
