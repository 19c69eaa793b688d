package server

import (
	"context"

	"jauntylark/api"
	"jauntylark/core/derive"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/reading"
)

func (v *Server) listRecipeKinds(_ context.Context, _ *api.None) ([]derive.Kind, error) {
	return derive.Kinds(), nil
}

func (v *Server) getRecipe(ctx context.Context, in *api.SignalPath) (api.Derivation, error) {
	s, err := v.signal(ctx, *in)
	if err != nil {
		return api.Derivation{}, err
	}
	out := api.Derivation{Inputs: []site.Signal{}, Into: []site.Signal{}}
	recipe, into, err := v.store.Recipe(ctx, s.ID)
	if err != nil {
		return api.Derivation{}, err
	}
	all, err := v.store.Signals(ctx)
	if err != nil {
		return api.Derivation{}, err
	}
	byPath, byID := map[string]site.Signal{}, map[int64]site.Signal{}
	for _, other := range all {
		byPath[other.Path()], byID[other.ID] = other, other
	}
	if recipe != nil {
		out.Recipe = *recipe
		for _, input := range recipe.Of {
			out.Inputs = append(out.Inputs, byPath[input.Signal])
		}
	}
	for _, id := range into {
		out.Into = append(out.Into, byID[id])
	}
	return out, nil
}

func (v *Server) putRecipe(ctx context.Context, in *api.PutRecipeIn) (site.Signal, error) {
	path := in.Device + "/" + in.Signal
	if in.Body.Try {
		return configure.TryRecipe(ctx, v.pipeline, path, in.Body.Recipe)
	}
	if err := configure.Derive(ctx, v.pipeline, path, in.Body.Title, in.Body.Recipe, who(ctx)); err != nil {
		return site.Signal{}, err
	}
	v.keeper.Soon()
	return v.signal(ctx, in.SignalPath)
}

func (v *Server) removeSignal(ctx context.Context, in *api.SignalPath) error {
	s, err := v.signal(ctx, *in)
	if err != nil {
		return err
	}
	return configure.RemoveDerived(ctx, v.pipeline, s.Path(), who(ctx))
}

func (v *Server) powerOn(ctx context.Context, in *api.PowerOnIn) error {
	at := v.pipeline.Now()
	if in.Body.At != nil {
		at = *in.Body.At
	}
	return configure.PowerOn(ctx, v.pipeline, in.Device, at, who(ctx))
}

func (v *Server) listUnits(_ context.Context, _ *api.None) ([]measure.UnitFacts, error) {
	return measure.Units(), nil
}

func (v *Server) setUnits(ctx context.Context, in *api.Body[api.UnitsOrder]) (site.Person, error) {
	if err := in.Body.Units.Check(); err != nil {
		return site.Person{}, err
	}
	person := personOf(ctx)
	err := v.pipeline.Do(ctx, func(t *reading.Turn) error { return t.Tx.SetPersonUnits(ctx, person.ID, in.Body.Units) })
	person.Units = in.Body.Units
	return person, err
}
