package terminal

import (
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/core/prose"
)

// RemoveCommand removes a noun by its name.
func RemoveCommand(noun string, op *api.Operation,
	complete func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective)) *cobra.Command {
	return &cobra.Command{
		Use: "remove NAME", Short: "Remove " + Article(noun) + "; it can be brought back for 30 days",
		Args: Exactly("NAME"), Example: "  jaunty " + noun + " remove NAME", ValidArgsFunction: complete,
		RunE: func(c *cobra.Command, args []string) error {
			return Remove(c, noun, args[0], op.At(args[0]))
		},
	}
}

// Remove asks at a place for a thing to be removed, and says so.
func Remove(c *cobra.Command, noun, name string, at api.Place) error {
	s, err := SignedIn()
	if err != nil {
		return err
	}
	if err := s.Call(c.Context(), at, nil, nil); err != nil {
		return err
	}
	return Show(c, map[string]string{"removed": name}, func(w io.Writer) {
		fmt.Fprintf(w, "%s %s is removed; 'jaunty %s bring-back %s' brings it back for 30 days.\n", prose.Capital(noun),
			name, nounOf(noun), name)
	})
}

// ComesBack are the nouns whose things can be brought back: the kind that they have among what was removed, and an
// example.
var ComesBack = []struct{ Noun, Kind, Argument, Example string }{
	{"asset", "asset", "NAME", "old-pump"}, {"asset file", "attachment", "FILE", "3"},
	{"board", "board", "NAME", "my-water"}, {"contact", "contact", "NAME", "orla"},
	{"device", "device", "NAME", "old-pump"},
	{"guard", "guard", "GUARD", "fern-house-hot"}, {"interlock", "interlock", "NAME", "shed-extractor"},
	{"kit", "kit", "NAME", "pond-probe"},
	{"output", "output", "DEVICE/OUTPUT", "boiler-room/fan"},
	{"person", "person", "EMAIL", "tadhg@hollowbrook.example"}, {"picture", "picture", "PICTURE", "3"},
	{"run plan", "plan", "NAME", "night"}, {"roster", "roster", "NAME", "glasshouse"}, {"run", "run", "RUN", "7"},
	{"signal", "signal", "DEVICE/SIGNAL", "pond/dew-point"},
	{"statement", "statement", "NAME", "electricity"}, {"tariff", "tariff", "TARIFF", "day-night"},
	{"total", "total", "TOTAL", "fog-pump-cycles"}, {"trial", "trial", "ID", "3"},
}

// nounOf is the noun of the command line whose things are of a kind.
func nounOf(kind string) string {
	for _, b := range ComesBack {
		if b.Kind == kind {
			return b.Noun
		}
	}
	return kind
}

// Article is a noun with its article.
func Article(noun string) string {
	if strings.ContainsAny(noun[:1], "aeiou") {
		return "an " + noun
	}
	return "a " + noun
}
