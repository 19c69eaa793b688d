package cli

import (
	"cmp"
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/site"
)

func removedCommand() *cobra.Command {
	return group("removed", "What was removed in the last 30 days; 'jaunty KIND bring-back NAME' brings it back", removedListCommand(),
		bringBackCommand("", "bring-back KIND NAME", "jaunty removed bring-back picture 3"))
}

func removedListCommand() *cobra.Command {
	c := &cobra.Command{Use: "list", Short: "What was removed and can be brought back, newest first", Args: exactly(), Example: "  jaunty removed list\n  jaunty removed list --kind guard"}
	kind := c.Flags().String("kind", "", "of this kind alone: guard, device, contact, readings …")
	c.RunE = func(c *cobra.Command, _ []string) error {
		var all []site.Removal
		if *kind == "" || *kind == readingsKind {
			readings, err := removedReadings(c)
			if err != nil {
				return err
			}
			all = readings
		}
		if *kind != readingsKind {
			if site.Nearest(*kind, []string{readingsKind}) != "" {
				return misused("--kind: %s", site.Unknown("kind", *kind, []string{readingsKind}))
			}
			others, err := ask(c, api.ListRemoved, api.ListRemovedIn{Kind: *kind})
			if err != nil {
				return err
			}
			all = append(all, others...)
		}
		slices.SortStableFunc(all, func(a, b site.Removal) int { return cmp.Compare(b.At, a.At) })
		return show(c, all, func(w io.Writer) {
			rows := [][]string{}
			for _, r := range all {
				rows = append(rows, []string{r.Kind, r.Name, r.Title, clock(&r.At), r.By, clock(&r.Until)})
			}
			table(w, "Nothing was removed in the last 30 days.", []string{"KIND", "NAME", "TITLE", "REMOVED", "BY", "UNTIL"}, rows)
		})
	}
	return c
}

// comesBack are the nouns whose things can be brought back: the kind that they have among what was removed, and an example.
var comesBack = []struct{ noun, kind, argument, example string }{
	{"asset", "asset", "NAME", "old-pump"}, {"asset file", "attachment", "FILE", "3"}, {"board", "board", "NAME", "my-water"}, {"contact", "contact", "NAME", "orla"}, {"device", "device", "NAME", "old-pump"},
	{"guard", "guard", "GUARD", "fern-house-hot"}, {"interlock", "interlock", "NAME", "shed-extractor"}, {"kit", "kit", "NAME", "pond-probe"},
	{"output", "output", "DEVICE/OUTPUT", "boiler-room/fan"}, {"person", "person", "EMAIL", "tadhg@hollowbrook.example"}, {"picture", "picture", "PICTURE", "3"},
	{"run plan", "plan", "NAME", "night"}, {"roster", "roster", "NAME", "glasshouse"}, {"run", "run", "RUN", "7"}, {"signal", "signal", "DEVICE/SIGNAL", "pond/dew-point"},
	{"statement", "statement", "NAME", "electricity"}, {"tariff", "tariff", "TARIFF", "day-night"}, {"total", "total", "TOTAL", "fog-pump-cycles"}, {"trial", "trial", "ID", "3"},
}

// nounOf is the noun of the command line whose things are of a kind.
func nounOf(kind string) string {
	for _, b := range comesBack {
		if b.kind == kind {
			return b.noun
		}
	}
	return kind
}

func article(noun string) string {
	if strings.ContainsAny(noun[:1], "aeiou") {
		return "an " + noun
	}
	return "a " + noun
}

// addBringBack gives each noun whose things can be brought back the command for it.
func addBringBack(root *cobra.Command) {
	for _, b := range comesBack {
		noun, _, err := root.Find(strings.Fields(b.noun))
		if err != nil {
			panic(err) // a noun of the table that is none is a mistake of ours
		}
		noun.AddCommand(bringBackCommand(b.kind, "bring-back "+b.argument, "jaunty "+b.noun+" bring-back "+b.example))
	}
}

// bringBackCommand brings back what was removed of a kind; without one, of that which its first argument says.
func bringBackCommand(kind, use, example string) *cobra.Command {
	arguments := strings.Fields(use)[1:]
	thing := kind
	if kind == "" {
		thing = "thing"
	}
	return &cobra.Command{
		Use: use, Short: "Bring back " + article(thing) + " that was removed in the last 30 days, with all that went with it", Args: exactly(arguments...), Example: "  " + example,
		ValidArgsFunction: func(c *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
			return names(c, api.ListRemoved.At().Asking("kind", kind), func(r site.Removal) string { return r.Name })
		},
		RunE: func(c *cobra.Command, args []string) error {
			what := api.BringBackOrder{Kind: kind, Name: args[len(args)-1]}
			if kind == "" {
				what.Kind = args[0]
			}
			s, err := signedIn()
			if err != nil {
				return err
			}
			if _, err := client.Do(c.Context(), s, api.BringBack, api.With(what)); err != nil {
				return err
			}
			return show(c, map[string]string{"brought_back": what.Name, "kind": what.Kind}, func(w io.Writer) {
				fmt.Fprintf(w, "%s %s is back.\n", strings.ToUpper(what.Kind[:1])+what.Kind[1:], what.Name)
			})
		},
	}
}
