package alarm

import "strings"

// Was puts a sentence into the past, without what explains it behind a colon: "Fern house air temperature was above
// 30 °C".
func Was(sentence string) string {
	thing, state, found := strings.Cut(sentence, " is ")
	if !found {
		return sentence
	}
	state, _, _ = strings.Cut(state, ": ")
	return thing + " was " + state
}
