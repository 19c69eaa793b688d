package place

import (
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

func unitCommand() *cobra.Command {
	return terminal.Group("unit", "In which units values are told, stored and shown", unitListCommand(),
		unitSetCommand())
}

func unitListCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list [DIMENSION]", Short: "All units by what they measure, and which are shown",
		Args: terminal.Between(0, 1), Example: "  jaunty unit list\n  jaunty unit list temperature",
		RunE: func(c *cobra.Command, args []string) error {
			s, err := terminal.SignedIn()
			if err != nil {
				return err
			}
			units, err := terminal.ShownUnits(c, s)
			if err != nil {
				return err
			}
			all := measure.Units()
			if len(args) > 0 {
				all = slices.DeleteFunc(all, func(f measure.UnitFacts) bool { return f.Dimension != args[0] })
			}
			slices.SortStableFunc(all, func(a, b measure.UnitFacts) int {
				return strings.Compare(a.Dimension, b.Dimension)
			})
			return terminal.Show(c, all, func(w io.Writer) {
				rows := [][]string{}
				for _, f := range all {
					chosen := ""
					if units[f.Dimension] == f.Code {
						chosen = "shown"
					}
					rows = append(rows, []string{f.Dimension, string(f.Code), f.Shown, chosen})
				}
				terminal.Table(w, "No unit measures that.", []string{"MEASURES", "CODE", "WRITTEN", ""}, rows)
			})
		},
	}
}

func unitSetCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "set [CODE...]", Args: terminal.Between(0, 0),
		Short: "Say in which units you, or with --everybody all, see values",
		Long: "Say in which units you see values: one code for each thing that is measured. What is stored stays " +
			"as it is; limits, bands and charts are shown alike.\nWithout a code, values are shown as they are " +
			"stored.",
		Example: "  jaunty unit set '[degF]'\n  jaunty unit set Cel kWh --everybody\n  jaunty unit set",
	}
	c.Flags().Bool("everybody", false, "for all who have not said otherwise, and for messages")
	c.ValidArgs = measure.UnitCodes()
	c.RunE = func(c *cobra.Command, args []string) error {
		units := site.Units{}
		for _, text := range args {
			unit := measure.Unit(text)
			if !unit.Known() {
				return terminal.Misused("%s", site.UnknownUnit(unit))
			}
			units[unit.Dimension()] = unit
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		whose := "You see"
		if all, _ := c.Flags().GetBool("everybody"); all {
			whose = "Everybody who has not said otherwise sees"
			var here site.Site
			if here, err = client.Do(c.Context(), s, api.GetSite, api.None{}); err == nil {
				here.Units = units
				err = s.Call(c.Context(), api.PutSite.At(), here, nil)
			}
		} else {
			err = s.Call(c.Context(), api.SetOwnUnits.At(), api.UnitsOrder{Units: units}, nil)
		}
		if err != nil {
			return err
		}
		return terminal.Show(c, units, func(w io.Writer) {
			if len(units) == 0 {
				fmt.Fprintln(w, whose, "values as they are stored.")
				return
			}
			parts := []string{}
			for _, dimension := range slices.Sorted(maps.Keys(units)) {
				parts = append(parts, dimension+" in "+units[dimension].Shown())
			}
			fmt.Fprintln(w, whose, strings.Join(parts, ", ")+".")
		})
	}
	return c
}
