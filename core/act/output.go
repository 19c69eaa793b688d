package act

import "jauntylark/core/measure"

// HandOrder is what a person sets an output to.
type HandOrder struct {
	To   string           `json:"to" doc:"the state: on, off, a level, a colour, a text" example:"on"`
	For  measure.Duration `json:"for,omitzero" required:"false" doc:"for how long, 1s to 7d; as the output says when left out" example:"1800"`
	Why  string           `json:"why,omitempty" required:"false" maxLength:"200"`
	Sure bool             `json:"sure,omitempty" required:"false" doc:"needed for outputs that are dangerous"`
}
