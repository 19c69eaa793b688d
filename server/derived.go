package server

import (
	"context"

	"jauntylark/core/derive"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline"
)

func (v *Server) listRecipeKinds(_ context.Context, _ *none) (*body[[]derive.Kind], error) {
	return answer(derive.Kinds(), nil)
}

// Derivation is how a signal is computed, with what its inputs read now.
type Derivation struct {
	Recipe derive.Recipe `json:"recipe"`
	Inputs []site.Signal `json:"inputs" nullable:"false" doc:"in the order of the recipe"`
	Into   []site.Signal `json:"into" nullable:"false" doc:"what is derived from it in turn"`
}

func (v *Server) getRecipe(ctx context.Context, in *SignalPath) (*body[Derivation], error) {
	s, err := v.signal(ctx, *in)
	if err != nil {
		return nil, err
	}
	out := Derivation{Inputs: []site.Signal{}, Into: []site.Signal{}}
	recipe, into, err := v.store.Recipe(ctx, s.ID)
	if err != nil {
		return nil, err
	}
	all, err := v.store.Signals(ctx)
	if err != nil {
		return nil, err
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
	return answer(out, nil)
}

// RecipeOrder declares a derived signal.
type RecipeOrder struct {
	Title  string        `json:"title,omitempty" required:"false" maxLength:"80" doc:"what people call it"`
	Recipe derive.Recipe `json:"recipe"`
	Try    bool          `json:"try,omitempty" required:"false" doc:"check it, and change nothing"`
}

func (v *Server) putRecipe(ctx context.Context, in *struct {
	SignalPath
	Body RecipeOrder
}) (*body[site.Signal], error) {
	path := in.Device + "/" + in.Signal
	if in.Body.Try {
		return answer(v.pipeline.TryRecipe(ctx, path, in.Body.Recipe))
	}
	if err := v.pipeline.Derive(ctx, path, in.Body.Title, in.Body.Recipe, who(ctx)); err != nil {
		return nil, err
	}
	v.keeper.Soon()
	return answer(v.signal(ctx, in.SignalPath))
}

func (v *Server) removeSignal(ctx context.Context, in *SignalPath) (*none, error) {
	s, err := v.signal(ctx, *in)
	if err != nil {
		return nil, err
	}
	return nil, v.pipeline.RemoveDerived(ctx, s.Path(), who(ctx))
}

// PowerOn says when a device got power.
type PowerOn struct {
	At *measure.Instant `json:"at,omitempty" required:"false" format:"date-time" doc:"now when left out"`
}

func (v *Server) powerOn(ctx context.Context, in *struct {
	Device string `path:"device"`
	Body   PowerOn
}) (*none, error) {
	at := v.pipeline.Now()
	if in.Body.At != nil {
		at = *in.Body.At
	}
	return nil, v.pipeline.PowerOn(ctx, in.Device, at, who(ctx))
}

func (v *Server) listUnits(_ context.Context, _ *none) (*body[[]measure.UnitFacts], error) {
	return answer(measure.Units(), nil)
}

// UnitsOrder says in which units the person who is signed in sees values.
type UnitsOrder struct {
	Units site.Units `json:"units" doc:"by what they measure; what is not said is as the site says" example:"{\"temperature\":\"[degF]\"}"`
}

func (v *Server) setUnits(ctx context.Context, in *body[UnitsOrder]) (*body[site.Person], error) {
	if err := in.Body.Units.Check(); err != nil {
		return nil, err
	}
	person := personOf(ctx)
	err := v.pipeline.Do(ctx, func(t *pipeline.Turn) error { return t.Tx.SetPersonUnits(ctx, person.ID, in.Body.Units) })
	person.Units = in.Body.Units
	return answer(person, err)
}
