package act

import "jauntylark/core/measure"

// Note is what a person wrote into the journal by hand: what was done, what was seen.
type Note struct {
	Text string           `json:"text" maxLength:"500"`
	Of   string           `json:"of,omitempty" required:"false" doc:"DEVICE, DEVICE/SIGNAL or 'asset NAME' that it is about; the site when left out" example:"pond/oxygen"`
	At   *measure.Instant `json:"at,omitempty" required:"false" format:"date-time" doc:"when that was; now when left out"`
}
