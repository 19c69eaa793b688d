package memory

import (
	"fmt"
	"strconv"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
)

// AssetSubject is how the journal names an asset: a device may have the same name.
func AssetSubject(name string) string { return "asset " + name }

// Suits says what tests suit a signal of a kind.
var Suits = map[string]string{
	site.KindNumber: "holds numbers; write 'above X', 'below X', 'outside A..B' and the like",
	site.KindSwitch: "is on or off; write 'is on' or 'is off'",
	site.KindText:   "holds text; write 'is \"WORD\"' or 'is not \"WORD\"'",
	site.KindData:   "holds data; 'silent for 10m' is what can be asked of it",
}

// StateWord gives the word that a switch has for the state which a test looks for; empty: none.
func (s *Signal) StateWord(test alarm.Test) string {
	switch {
	case s.Kind != site.KindSwitch:
	case test.Kind == alarm.IsOn:
		return s.Bands.Name(1)
	case test.Kind == alarm.IsOff:
		return s.Bands.Name(0)
	}
	return ""
}

// Understood gives the test that is meant by 'is "WORD"' where a signal has the word for a state: of a switch on or
// off, of a number the stretch of its band. Other tests are as they are.
func (s *Signal) Understood(test alarm.Test) (alarm.Test, error) {
	worded := test.Kind == alarm.IsWord || test.Kind == alarm.IsNotWord
	if !worded || s.Kind != site.KindSwitch && s.Kind != site.KindNumber {
		return test, nil
	}
	band, known := s.Bands.Word(test.Word)
	if !known && s.Kind == site.KindSwitch && (strings.EqualFold(test.Word, "on") ||
		strings.EqualFold(test.Word, "off")) {
		known = true
		if one := 1.0; strings.EqualFold(test.Word, "on") {
			band.From = &one
		} else {
			band.To = &one
		}
	}
	if !known {
		return test, &measure.Fault{Field: "when", Reason: fmt.Sprintf("'%s' does not suit %s, which %s", test,
			s.Path(), s.statesSay(test.Word))}
	}
	not := test.Kind == alarm.IsNotWord
	if s.Kind == site.KindSwitch {
		on := band.From != nil && *band.From > 0
		return alarm.Test{Kind: map[bool]alarm.Kind{true: alarm.IsOn, false: alarm.IsOff}[on != not]}, nil
	}
	switch { // a band is from its lower end on, up to but without its upper one
	case band.From == nil && band.To == nil:
		return test, &measure.Fault{Field: "when", Reason: fmt.Sprintf("every value of %s is %q", s.Path(), band.Name)}
	case band.From == nil && !not:
		return alarm.Test{Kind: alarm.Below, A: *band.To}, nil
	case band.From == nil:
		return alarm.Test{Kind: alarm.AtLeast, A: *band.To}, nil
	case band.To == nil && !not:
		return alarm.Test{Kind: alarm.AtLeast, A: *band.From}, nil
	case band.To == nil:
		return alarm.Test{Kind: alarm.Below, A: *band.From}, nil
	case not:
		return alarm.Test{Kind: alarm.Outside, A: *band.From, B: *band.To}, nil
	}
	return alarm.Test{Kind: alarm.Inside, A: *band.From, B: *band.To}, nil
}

// statesSay says what can be asked of a signal that has not the word for a state.
func (s *Signal) statesSay(word string) string {
	if len(s.Bands) == 0 {
		return Suits[s.Kind]
	}
	names := s.Bands.Names()
	near := ""
	if said := site.Unknown("state", word, names); strings.Contains(said, "did you mean") {
		near = "; " + said[strings.Index(said, "did you mean"):]
	}
	for i := range names {
		names[i] = strconv.Quote(names[i])
	}
	return fmt.Sprintf("has the states %s%s", strings.Join(names, ", "), near)
}

// DeviceTitle is what people call the signal's device.
func (s *Signal) DeviceTitle() string { return site.Title(s.Home.Title, s.Home.Name) }

// Thing is what people call the signal, with its device: "Boiler room carbon monoxide".
func (s *Signal) Thing() string {
	return roster.Thing(s.DeviceTitle(), site.Title(s.Title, s.Name))
}

// Holds says what a signal of a kind holds.
var Holds = map[string]string{site.KindNumber: "numbers", site.KindSwitch: "on or off", site.KindText: "text",
	site.KindData: "data"}
