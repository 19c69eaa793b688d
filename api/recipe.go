package api

import (
	"jauntylark/core/derive"
	"jauntylark/core/site"
)

// Operations on derived signals.
var (
	ListRecipeKinds = define[None, []derive.Kind](viewer, "list-recipe-kinds",
		"GET /recipe-kinds", "What can be derived, from what")
	GetRecipe = define[SignalPath, Derivation](viewer, "get-recipe",
		"GET /signals/{device}/{signal}/recipe",
		"What a signal is computed from, and what is computed from it")
	PutRecipe = define[PutRecipeIn, site.Signal](keeper, "put-recipe",
		"PUT /signals/{device}/{signal}/recipe", "Declare a derived signal, or change how it is computed")
)

// PutRecipeIn is the input of PutRecipe.
type PutRecipeIn struct {
	SignalPath
	Body RecipeOrder
}

// Derivation is how a signal is computed, with what its inputs read now.
type Derivation struct {
	Recipe derive.Recipe `json:"recipe"`
	Inputs []site.Signal `json:"inputs" nullable:"false" doc:"in the order of the recipe"`
	Into   []site.Signal `json:"into" nullable:"false" doc:"what is derived from it in turn"`
}

// RecipeOrder declares a derived signal.
type RecipeOrder struct {
	Title  string        `json:"title,omitempty" required:"false" maxLength:"80" doc:"what people call it"`
	Recipe derive.Recipe `json:"recipe"`
	Try    bool          `json:"try,omitempty" required:"false" doc:"check it, and change nothing"`
}
