package derive

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"jauntylark/core/calibrate"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/site"
)

// Recipe says how a signal is computed. Which settings a kind takes stands in Kinds.
type Recipe struct {
	Kind     string           `json:"kind" example:"dew-point"`
	Of       []Input          `json:"of" nullable:"false" doc:"the signals that it is computed from"`
	When     string           `json:"when,omitempty" required:"false" doc:"of on-off: when it is on, as a guard's test; of readings-over: what is counted" example:"above 11"`
	Deadband float64          `json:"deadband,omitempty" required:"false" minimum:"0" doc:"of on-off: how far back past the limit; of charging: the change an hour that counts as none"`
	Limit    *float64         `json:"limit,omitempty" required:"false" doc:"of forecast: the value that is waited for"`
	Window   measure.Duration `json:"window,omitzero" required:"false" doc:"how far back it looks" example:"3600"`
	Over     string           `json:"over,omitempty" required:"false" enum:"water,ice,either" doc:"of dew points: over water, over ice (frost point), or ice below 0 °C; water when left out"`
	Curve    string           `json:"curve,omitempty" required:"false" doc:"of charge: li-ion, lead-acid, lifepo4, or own with points"`
	Points   calibrate.Pairs  `json:"points,omitempty" required:"false" nullable:"false" doc:"of charge: volts of one cell and percent"`
	Cells    int              `json:"cells,omitempty" required:"false" minimum:"0" doc:"of charge: cells in a row; 1 when left out"`
	Divider  float64          `json:"divider,omitempty" required:"false" minimum:"0" doc:"of charge: how many times the measured voltage the battery has; 1 when left out"`
	Edge     string           `json:"edge,omitempty" required:"false" enum:"middle,low,high" doc:"of hours-left: the likely value, or the ends of the stretch in which it lies in 95 of 100 cases"`
	Count    string           `json:"count,omitempty" required:"false" enum:"cycles,on-time" doc:"of times-usual: what is counted"`
	Last     int              `json:"last,omitempty" required:"false" minimum:"0" doc:"of readings-over: how many readings are counted over"`
	Formula  string           `json:"formula,omitempty" required:"false" maxLength:"1000" doc:"in CEL, over the names of the inputs"`
	Unit     measure.Unit     `json:"unit,omitempty" required:"false" doc:"of formula: the result's, where it cannot be told"`
	Decimals *int             `json:"decimals,omitempty" required:"false" minimum:"0" maximum:"9" doc:"to how many it is rounded; the kind's own when left out"`
}

// Input is one signal that a recipe looks at.
type Input struct {
	As     string `json:"as" doc:"its role in the kind, or its name in the formula" example:"air"`
	Signal string `json:"signal" doc:"DEVICE/SIGNAL" example:"fern-house/air"`
}

// Source is what is known of an input signal.
type Source struct {
	Path string
	Kind string
	Unit measure.Unit
	Hold measure.Instant // for how long its value holds, in milliseconds
	Step float64         // of its figures; 0: not known
}

// Output is what a derived signal is.
type Output struct {
	Kind     string
	Unit     measure.Unit
	Quantity string
	Step     float64 // of its figures, as of what it is computed from; 0: not known
}

// Hold is for how long an input's value holds, in milliseconds: its silence limit, or a day where no
// interval is stated.
func Hold(interval measure.Duration) measure.Instant {
	if interval <= 0 {
		return 24 * 3600 * 1000
	}
	return site.SilentAfter * measure.Instant(interval/1e6)
}

// maxInputs bounds the inputs of one recipe.
const maxInputs = 32

// Build makes the machine of a recipe; sources are its inputs' signals, in order of Of. An error is a
// *measure.Fault.
func (r *Recipe) Build(sources []Source) (*Machine, error) {
	k := find(r.Kind)
	if k == nil {
		return nil, fault("kind", "%s", site.Unknown("kind of derived signal", r.Kind, KindNames()))
	}
	if err := k.checkSettings(r); err != nil {
		return nil, err
	}
	m := &Machine{inputs: make([]input, len(sources)), values: make([]float64, len(sources)), decimals: k.decimals}
	for i, s := range sources {
		if s.Kind != site.KindNumber && s.Kind != site.KindSwitch {
			return nil, fault("of", "%s holds %s; numbers, or on and off, can be computed with", s.Path, s.Kind)
		}
		m.inputs[i].hold = s.Hold
	}
	if r.Decimals != nil {
		m.decimals = *r.Decimals
	}
	order, err := k.match(r, sources)
	if err != nil {
		return nil, err
	}
	m.order = order
	inOrder := make([]Source, len(order))
	for i, place := range order {
		inOrder[i] = sources[place]
	}
	if err := k.build(r, inOrder, m); err != nil {
		return m, err
	}
	m.Step = r.StepIn(m.Unit, sources)
	return m, nil
}

// StepIn is the step of what is computed in a unit: that of its decimals where these were said, else the finest of
// those of the sources that are of its dimension. A difference of temperatures is of theirs. It is 0 where none is
// known.
func (r *Recipe) StepIn(unit measure.Unit, sources []Source) (step float64) {
	switch {
	case r.Decimals != nil:
		return math.Pow10(-*r.Decimals)
	case unit == "": // figures without a unit may be of anything
		return 0
	}
	for _, s := range sources {
		own := measure.StepIn(s.Step, s.Unit, unit)
		if own > 0 && (step == 0 || own < step) {
			step = own
		}
	}
	return step
}

// match gives for each role of the kind which input plays it.
func (k *kind) match(r *Recipe, sources []Source) ([]int, error) {
	if len(r.Of) != len(sources) {
		return nil, fault("of", "there are %d signals, and %d are known", len(r.Of), len(sources))
	}
	if len(r.Of) > maxInputs {
		return nil, fault("of", "there are %d signals; %d at most", len(r.Of), maxInputs)
	}
	names := map[string]bool{}
	for _, in := range r.Of {
		if names[in.As] && !k.many {
			return nil, fault("of", "%q is there twice", in.As)
		}
		names[in.As] = true
	}
	if k.many {
		if len(r.Of) < k.least {
			return nil, fault("of", "%s takes %d signals or more", k.name, k.least)
		}
		order := make([]int, len(r.Of))
		for i := range order {
			order[i] = i
		}
		return order, nil
	}
	var order []int
	var roles []string
	for _, role := range k.roles {
		roles = append(roles, role.name)
	}
	for _, in := range r.Of {
		if !slices.Contains(roles, in.As) {
			return nil, fault("of", "%s", site.Unknown("role of "+k.name, in.As, roles))
		}
	}
	for _, role := range k.roles {
		place := slices.IndexFunc(r.Of, func(in Input) bool { return in.As == role.name })
		if place < 0 {
			if role.optional {
				continue
			}
			return nil, fault("of", "%s needs %s: write %s=DEVICE/SIGNAL", k.name, role.about, role.name)
		}
		s := sources[place]
		if role.unit != "" && s.Unit != role.unit && s.Unit.Dimension() != role.unit.Dimension() {
			return nil, fault("of", "%s is to be %s in %s or the like, but %s is in %q", role.name, role.about,
				role.unit, s.Path, s.Unit)
		}
		if role.kind != "" && s.Kind != role.kind {
			return nil, fault("of", "%s is to be %s, but %s holds %ss; make an on/off signal of it first (kind on-off)",
				role.name, role.about, s.Path, s.Kind)
		}
		order = append(order, place)
	}
	return order, nil
}

// settings gives those that are set, by their names.
func (r *Recipe) settings() map[string]bool {
	return map[string]bool{"when": r.When != "", "deadband": r.Deadband != 0, "limit": r.Limit != nil,
		"window": r.Window != 0, "over": r.Over != "",
		"curve": r.Curve != "", "points": len(r.Points) > 0, "cells": r.Cells != 0, "divider": r.Divider != 0,
		"edge": r.Edge != "", "count": r.Count != "",
		"formula": r.Formula != "", "last": r.Last != 0, "unit": r.Unit != ""}
}

func (k *kind) checkSettings(r *Recipe) error {
	for name, is := range r.settings() {
		if is && !slices.Contains(k.needs, name) && !slices.Contains(k.may, name) {
			takes := "it takes none"
			if all := slices.Concat(k.needs, k.may); len(all) > 0 {
				takes = "it takes " + strings.Join(all, ", ")
			}
			return fault(name, "has no meaning for %s; %s", k.name, takes)
		}
	}
	set := r.settings()
	for _, name := range k.needs {
		if !set[name] {
			return fault(name, "is missing; %s needs it", k.name)
		}
	}
	if r.Window != 0 && (r.Window < minWindow || r.Window > maxWindow) {
		return fault("window", "%v is not between %v and %v", r.Window, minWindow, maxWindow)
	}
	if r.Unit != "" && !r.Unit.Known() {
		return fault("unit", "%s", site.UnknownUnit(r.Unit))
	}
	return nil
}

// The bounds of a window.
const (
	minWindow = measure.Duration(1e9)
	maxWindow = measure.Duration(7 * 24 * 3600 * 1e9)
)

// Words tells what a recipe is made of: "dew point of fern-house/air and fern-house/humidity".
func (r *Recipe) Words() string {
	paths := make([]string, len(r.Of))
	for i, in := range r.Of {
		paths[i] = in.Signal
	}
	of := prose.List(paths)
	text := strings.ReplaceAll(r.Kind, "-", " ")
	switch {
	case r.Formula != "":
		return r.Formula + ", with " + r.names()
	case r.Last != 0:
		return fmt.Sprintf("how many of the last %d readings of %s were %s", r.Last, of, r.When)
	case r.When != "":
		text = "on when " + of + " is " + r.When
		if r.Deadband > 0 {
			text += fmt.Sprintf(", deadband %v", r.Deadband)
		}
		return text
	}
	text += " of " + of
	if r.Window != 0 {
		text += " over " + r.Window.String()
	}
	if r.Limit != nil {
		text += ", until it meets " + measure.Figure(*r.Limit, "")
	}
	for _, said := range []struct {
		is   bool
		text string
	}{
		{r.Curve != "", "curve " + r.Curve},
		{r.Cells > 1, fmt.Sprintf("%d cells", r.Cells)},
		{r.Divider != 0, "divider " + measure.Figure(r.Divider, "")},
		{r.Over != "", "over " + r.Over},
		{r.Edge == "low" || r.Edge == "high", "the " + r.Edge + " end"},
		{r.Count != "", "by " + r.Count},
	} {
		if said.is {
			text += ", " + said.text
		}
	}
	return text
}

func (r *Recipe) names() string {
	parts := make([]string, len(r.Of))
	for i, in := range r.Of {
		parts[i] = in.As + " = " + in.Signal
	}
	return strings.Join(parts, ", ")
}

func fault(field, format string, args ...any) error {
	return &measure.Fault{Field: field, Reason: fmt.Sprintf(format, args...)}
}
