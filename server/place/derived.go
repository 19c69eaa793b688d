package place

import (
	"context"

	"jauntylark/api"
	"jauntylark/core/derive"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/reading"
	"jauntylark/server/web"
	"jauntylark/store/config"
)

// derivedOperations has the operations of this file answered.
func derivedOperations(v *web.Server) {
	web.Answer(v, api.ListRecipeKinds, listRecipeKinds)
	web.Answer(v, api.GetRecipe, getRecipe)
	web.Answer(v, api.PutRecipe, putRecipe)
	web.Carry(v, api.RemoveSignal, removeSignal)
	web.Carry(v, api.PowerOn, powerOn)
	web.Answer(v, api.ListUnits, listUnits)
	web.Answer(v, api.SetOwnUnits, setUnits)
}

func listRecipeKinds(_ context.Context, v *web.Server, _ *api.None) ([]derive.Kind, error) {
	return derive.Kinds(), nil
}

func getRecipe(ctx context.Context, v *web.Server, in *api.SignalPath) (api.Derivation, error) {
	s, err := FindSignal(ctx, v, *in)
	if err != nil {
		return api.Derivation{}, err
	}
	out := api.Derivation{Inputs: []site.Signal{}, Into: []site.Signal{}}
	recipe, into, err := config.Recipe(ctx, v.Store, s.ID)
	if err != nil {
		return api.Derivation{}, err
	}
	all, err := config.Signals(ctx, v.Store)
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

func putRecipe(ctx context.Context, v *web.Server, in *api.PutRecipeIn) (site.Signal, error) {
	path := in.Device + "/" + in.Signal
	if in.Body.Try {
		return configure.TryRecipe(ctx, v.Pipeline, path, in.Body.Recipe)
	}
	if err := configure.Derive(ctx, v.Pipeline, path, in.Body.Title, in.Body.Recipe, web.Who(ctx)); err != nil {
		return site.Signal{}, err
	}
	v.Upkeep.Soon()
	return FindSignal(ctx, v, in.SignalPath)
}

func removeSignal(ctx context.Context, v *web.Server, in *api.SignalPath) error {
	s, err := FindSignal(ctx, v, *in)
	if err != nil {
		return err
	}
	return configure.RemoveDerived(ctx, v.Pipeline, s.Path(), web.Who(ctx))
}

func powerOn(ctx context.Context, v *web.Server, in *api.PowerOnIn) error {
	at := v.Pipeline.Now()
	if in.Body.At != nil {
		at = *in.Body.At
	}
	return configure.PowerOn(ctx, v.Pipeline, in.Device, at, web.Who(ctx))
}

func listUnits(_ context.Context, v *web.Server, _ *api.None) ([]measure.UnitFacts, error) {
	return measure.Units(), nil
}

func setUnits(ctx context.Context, v *web.Server, in *api.Body[api.UnitsOrder]) (site.Person, error) {
	if err := in.Body.Units.Check(); err != nil {
		return site.Person{}, err
	}
	person := web.PersonOf(ctx)
	err := v.Pipeline.Do(ctx, func(t *reading.Turn) error {
		return config.SetPersonUnits(ctx, t.Tx, person.ID, in.Body.Units)
	})
	person.Units = in.Body.Units
	return person, err
}
