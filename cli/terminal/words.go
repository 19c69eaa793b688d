package terminal

import (
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
)

// ReadWords takes own words from the flag into templates.
func ReadWords(c *cobra.Command, into *alarm.Templates) error {
	all, _ := c.Flags().GetStringArray("words")
	for _, text := range all {
		kind, words, found := strings.Cut(text, "=")
		if !found {
			return Misused("--words %q is not KIND=TEXT; kinds are %s", text, strings.Join(roster.TemplateKinds, ", "))
		}
		*into = slices.DeleteFunc(*into, func(t alarm.Template) bool { return t.On == kind })
		if words != "" {
			*into = append(*into, alarm.Template{On: kind, Short: words})
		}
	}
	if err := roster.CheckTemplates(*into); err != nil {
		return Misused("--words: %v", err)
	}
	return nil
}

// Standing says where an alarm stands.
func Standing(a alarm.Alarm) string {
	text := a.State
	if a.State == alarm.StateOver {
		text = a.Ending.Words()
	}
	if a.AcknowledgedAt != nil {
		text += ", " + a.AcknowledgedBy + " has it"
	}
	for _, said := range []struct {
		is   bool
		text string
	}{{a.Latched, "waits to be reset"}, {a.Shelved, "shelved"}, {a.LearnedLate, "learned late"},
		{a.HandedTo != "", "for " + a.HandedTo}, {a.Mark != "", "marked " + a.Mark}} {
		if said.is {
			text += ", " + said.text
		}
	}
	return text
}

// Nothing is what a command asks the service with that sends no body.
func Nothing(*cobra.Command) (any, error) { return nil, nil }

// Times says how often something is.
func Times(n int) string {
	if n == 1 {
		return "once"
	}
	return fmt.Sprintf("%d times", n)
}

// ForLong says for how long something is kept.
func ForLong(d measure.Duration) string {
	if d == 0 {
		return "for ever"
	}
	return "for " + d.String()
}

// Clip shortens a text to a length in characters.
func Clip(text string, length int) string {
	if runes := []rune(text); len(runes) > length {
		return string(runes[:length-1]) + "…"
	}
	return text
}
