package site

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"jauntylark/core/measure"
)

// Band is a named stretch of a signal's values: from From on, up to but without To.
type Band struct {
	Name string   `json:"name" minLength:"1" maxLength:"40" example:"dry"`
	From *float64 `json:"from,omitempty" required:"false" doc:"lowest value of the band; left out: from the lowest on"`
	To   *float64 `json:"to,omitempty" required:"false" doc:"the band ends before this value; left out: up to the highest"`

	Colour string `json:"colour,omitempty" required:"false" enum:"blue,green,yellow,orange,red,grey" doc:"how charts tint it; left out: not at all"`
}

// Colours lists the colours of bands.
var Colours = []string{"blue", "green", "yellow", "orange", "red", "grey"}

// Bands are the bands of one signal. Where they overlap the first counts.
type Bands []Band

// Check tells which band is wrong: nil or a *measure.Fault.
func (b Bands) Check() error {
	for i, band := range b {
		from, to := math.Inf(-1), math.Inf(1)
		if band.From != nil {
			from = *band.From
		}
		if band.To != nil {
			to = *band.To
		}
		switch {
		case strings.TrimSpace(band.Name) == "":
			return &measure.Fault{Field: "bands", Reason: fmt.Sprintf("band %d has no name", i+1)}
		case math.IsNaN(from) || math.IsNaN(to) || from >= to:
			return &measure.Fault{Field: "bands",
				Reason: fmt.Sprintf("band %q goes from %v to %v; the lower value comes first", band.Name, from, to)}
		case band.Colour != "" && !slices.Contains(Colours, band.Colour):
			return &measure.Fault{Field: "bands", Reason: fmt.Sprintf("band %q: %s", band.Name,
				Unknown("colour", band.Colour, Colours))}
		}
	}
	return nil
}

// Name gives the name of the first band that a value lies in; empty when it lies in none.
func (b Bands) Name(value float64) string {
	for _, band := range b {
		if (band.From == nil || value >= *band.From) && (band.To == nil || value < *band.To) {
			return band.Name
		}
	}
	return ""
}

// bandForms is what an error says when a band cannot be read.
const bandForms = "write it like 'dry ..1150', 'fine 1150..2900 green' or, of what is on or off, 'flame off'"

// ParseBand reads "dry ..1150", "fine 1150..2900 green" or "wet 2900.."; "flame off" names what is on or off.
func ParseBand(text string) (Band, error) {
	rest := strings.TrimSpace(text)
	colour := ""
	if before, last, found := cutLast(rest, " "); found && slices.Contains(Colours, last) {
		rest, colour = strings.TrimSpace(before), last
	}
	name, stretch, found := cutLast(rest, " ")
	if before, _, _ := cutLast(rest, " "); colour == "" && strings.Contains(before, "..") {
		return Band{}, fmt.Errorf("band %q: %s", text, Unknown("colour", stretch, Colours))
	}
	switch stretch {
	case "off":
		stretch = "..1"
	case "on":
		stretch = "1.."
	}
	low, high, dotted := strings.Cut(stretch, "..")
	if !found || !dotted {
		return Band{}, fmt.Errorf("%q is not a band; %s", text, bandForms)
	}
	b := Band{Name: strings.TrimSpace(name), Colour: colour}
	for _, end := range []struct {
		text string
		into **float64
	}{{low, &b.From}, {high, &b.To}} {
		if end.text == "" {
			continue
		}
		v, err := strconv.ParseFloat(end.text, 64)
		if err != nil {
			return Band{}, fmt.Errorf("%q in band %q is not a number", end.text, text)
		}
		*end.into = &v
	}
	return b, nil
}

func cutLast(s, sep string) (before, after string, found bool) {
	if i := strings.LastIndex(s, sep); i >= 0 {
		return s[:i], s[i+len(sep):], true
	}
	return s, "", false
}

// Says writes a value of the signal for people, in the units that they see: no finer than its step, with the word of
// the band that it lies in. What is on or off is its word alone.
func (s *Signal) Says(value float64, units Units) string {
	word := s.Bands.Name(value)
	if s.Kind == KindSwitch {
		switch {
		case word != "":
			return word
		case value == 0:
			return "off"
		}
		return "on"
	}
	text := s.Figure(value, units)
	if word != "" {
		text += " (" + word + ")"
	}
	return text
}

// Figure writes a value of the signal in the units that people see: no finer than its step.
func (s *Signal) Figure(value float64, units Units) string {
	shown, unit := units.Show(value, s.Unit)
	return measure.Say(shown, unit, measure.StepIn(s.Step, s.Unit, unit))
}

// Word gives the first band of a name, in capitals or not; false: there is none.
func (b Bands) Word(word string) (Band, bool) {
	for _, band := range b {
		if strings.EqualFold(band.Name, word) {
			return band, true
		}
	}
	return Band{}, false
}

// Names lists the names of the bands.
func (b Bands) Names() (names []string) {
	for _, band := range b {
		names = append(names, band.Name)
	}
	return names
}
