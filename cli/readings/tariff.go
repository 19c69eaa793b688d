package readings

import (
	"fmt"
	"io"
	"os"

	"github.com/goccy/go-yaml"
	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/total"
)

func tariffCommand() *cobra.Command {
	return terminal.Group("tariff", "What energy costs, by hour, day and block, from a date on", tariffListCommand(),
		tariffShowCommand(), tariffSetCommand(), tariffRemoveCommand())
}

func tariffNames(c *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	return terminal.Names(c, api.ListTariffs.At(), func(t total.Tariff) string { return t.Name })
}

func tariffListCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "All tariffs", Args: terminal.Exactly(), Example: "  jaunty tariff list",
		RunE: func(c *cobra.Command, _ []string) error {
			all, err := terminal.Ask(c, api.ListTariffs, api.None{})
			if err != nil {
				return err
			}
			return terminal.Show(c, all, func(w io.Writer) {
				rows := [][]string{}
				for _, t := range all {
					for _, v := range t.Versions {
						rows = append(rows, []string{t.Name, v.From, v.Standing.String(), fmt.Sprint(len(v.Rates))})
					}
				}
				terminal.Table(w, "No tariffs yet; 'jaunty tariff set --help' shows one.",
					[]string{"TARIFF", "FROM", "STANDING A DAY", "RATES"}, rows)
			})
		},
	}
}

func tariffShowCommand() *cobra.Command {
	return &cobra.Command{
		Use: "show TARIFF", Short: "A tariff as YAML, as 'jaunty tariff set' takes it",
		Args: terminal.Exactly("TARIFF"), Example: "  jaunty tariff show day-night > day-night.yaml",
		ValidArgsFunction: tariffNames,
		RunE: func(c *cobra.Command, args []string) error {
			all, err := terminal.Ask(c, api.ListTariffs, api.None{})
			if err != nil {
				return err
			}
			names := []string{}
			for _, t := range all {
				if names = append(names, t.Name); t.Name != args[0] {
					continue
				}
				text, err := yaml.MarshalWithOptions(t, yaml.UseJSONMarshaler())
				if err != nil {
					return err
				}
				return terminal.Show(c, t, func(w io.Writer) { fmt.Fprint(w, string(text)) })
			}
			return fmt.Errorf("there is no tariff %s%s", args[0], terminal.DidYouMean(args[0], names))
		},
	}
}

func tariffSetCommand() *cobra.Command {
	return &cobra.Command{
		Use: "set FILE", Short: "Save a tariff from a YAML file; - is standard input", Args: terminal.Exactly("FILE"),
		Long: `Save a tariff from a YAML file. Costs are added up anew by it. Prices are for a kilowatt-hour, in the site's
currency; times are those of the clock on the wall. The first rate that fits holds. Blocks count what was used
of their rate in the calendar month.

  name: day-night
  versions:
    - from: 2026-10-01
      standing: 0.6112                # a day
      rates:
        - name: night
          since: "23:00"
          until: "08:00"
          blocks: [{price: 0.1743}]
        - name: weekend
          days: [sat, sun]
          blocks: [{price: 0.2911}]
        - name: day
          blocks: [{up_to: 200, price: 0.3421}, {price: 0.3688}]`,
		Example: "  jaunty tariff set day-night.yaml",
		RunE: func(c *cobra.Command, args []string) error {
			t, err := readTariff(c, args[0])
			if err != nil {
				return err
			}
			s, err := terminal.SignedIn()
			if err != nil {
				return err
			}
			if err := terminal.See(c, api.GetTariff.At(t.Name)); err != nil {
				return err
			}
			out, err := client.Do(c.Context(), s, api.PutTariff,
				api.PutTariffIn{TariffPath: api.TariffPath{Tariff: t.Name}, Body: t})
			if err != nil {
				return err
			}
			return terminal.Show(c, out, func(w io.Writer) {
				fmt.Fprintf(w, "Tariff %s is saved; costs follow.\n", out.Name)
			})
		},
	}
}

func readTariff(c *cobra.Command, file string) (t total.Tariff, err error) {
	var text []byte
	if file == "-" {
		text, err = io.ReadAll(c.InOrStdin())
	} else {
		text, err = os.ReadFile(file)
	}
	if err != nil {
		return t, err
	}
	if err := yaml.UnmarshalWithOptions(text, &t, yaml.Strict()); err != nil {
		return t, terminal.Misused("%s: %v", file, err)
	}
	if err := t.Check(); err != nil {
		return t, terminal.Misused("%s: %v", file, err)
	}
	return t, nil
}

func tariffRemoveCommand() *cobra.Command {
	return &cobra.Command{
		Use: "remove TARIFF", Short: "Remove a tariff that no total uses", Args: terminal.Exactly("TARIFF"),
		Example: "  jaunty tariff remove day-night", ValidArgsFunction: tariffNames,
		RunE: func(c *cobra.Command, args []string) error {
			return terminal.Remove(c, "tariff", args[0], api.RemoveTariff.At(args[0]))
		},
	}
}
