package record

import (
	"cmp"
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/readings"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/site"
)

func removedCommand() *cobra.Command {
	return terminal.Group("removed",
		"What was removed in the last 30 days; 'jaunty KIND bring-back NAME' brings it back", removedListCommand(),
		bringBackCommand("", "bring-back KIND NAME", "jaunty removed bring-back picture 3"))
}

func removedListCommand() *cobra.Command {
	c := &cobra.Command{Use: "list", Short: "What was removed and can be brought back, newest first",
		Args: terminal.Exactly(), Example: "  jaunty removed list\n  jaunty removed list --kind guard"}
	kind := c.Flags().String("kind", "", "of this kind alone: guard, device, contact, readings …")
	c.RunE = func(c *cobra.Command, _ []string) error {
		var all []site.Removal
		if *kind == "" || *kind == readings.ReadingsKind {
			readings, err := readings.RemovedReadings(c)
			if err != nil {
				return err
			}
			all = readings
		}
		if *kind != readings.ReadingsKind {
			if site.Nearest(*kind, []string{readings.ReadingsKind}) != "" {
				return terminal.Misused("--kind: %s", site.Unknown("kind", *kind, []string{readings.ReadingsKind}))
			}
			others, err := terminal.Ask(c, api.ListRemoved, api.ListRemovedIn{Kind: *kind})
			if err != nil {
				return err
			}
			all = append(all, others...)
		}
		slices.SortStableFunc(all, func(a, b site.Removal) int { return cmp.Compare(b.At, a.At) })
		return terminal.Show(c, all, func(w io.Writer) {
			rows := [][]string{}
			for _, r := range all {
				rows = append(rows, []string{r.Kind, r.Name, r.Title, terminal.Clock(&r.At), r.By,
					terminal.Clock(&r.Until)})
			}
			terminal.Table(w, "Nothing was removed in the last 30 days.", []string{"KIND", "NAME", "TITLE", "REMOVED",
				"BY", "UNTIL"}, rows)
		})
	}
	return c
}

// AddBringBack gives each noun whose things can be brought back the command for it.
func AddBringBack(root *cobra.Command) {
	for _, b := range terminal.ComesBack {
		noun, _, err := root.Find(strings.Fields(b.Noun))
		if err != nil {
			panic(err) // a noun of the table that is none is a mistake of ours
		}
		noun.AddCommand(bringBackCommand(b.Kind, "bring-back "+b.Argument, "jaunty "+b.Noun+" bring-back "+b.Example))
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
		Use: use, Short: "Bring back " + terminal.Article(thing) +
			" that was removed in the last 30 days, with all that went with it", Args: terminal.Exactly(arguments...),
		Example: "  " + example,
		ValidArgsFunction: func(c *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
			return terminal.Names(c, api.ListRemoved.At().Asking("kind", kind),
				func(r site.Removal) string { return r.Name })
		},
		RunE: func(c *cobra.Command, args []string) error {
			what := api.BringBackOrder{Kind: kind, Name: args[len(args)-1]}
			if kind == "" {
				what.Kind = args[0]
			}
			s, err := terminal.SignedIn()
			if err != nil {
				return err
			}
			if _, err := client.Do(c.Context(), s, api.BringBack, api.With(what)); err != nil {
				return err
			}
			return terminal.Show(c, map[string]string{"brought_back": what.Name, "kind": what.Kind}, func(w io.Writer) {
				fmt.Fprintf(w, "%s %s is back.\n", strings.ToUpper(what.Kind[:1])+what.Kind[1:], what.Name)
			})
		},
	}
}
