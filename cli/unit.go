package cli

import (
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// shownUnits says in which units the person who is signed in sees values.
func shownUnits(c *cobra.Command, s *client.Client) (site.Units, error) {
	var person site.Person
	var here site.Site
	if err := s.Call(c.Context(), api.GetSession.At(), nil, &person); err != nil {
		return nil, err
	}
	err := s.Call(c.Context(), api.GetSite.At(), nil, &here)
	return person.Units.Or(here.Units), err
}

// seen is how a person sees signals, by their paths.
type seen struct {
	signals map[string]site.Signal
	units   site.Units
}

// serviceSeen gives the service, and how the person who is signed in sees its signals.
func serviceSeen(c *cobra.Command) (s *client.Client, see seen, err error) {
	if s, err = signedIn(); err == nil {
		see, err = seenSignals(c, s)
	}
	return s, see, err
}

func seenSignals(c *cobra.Command, s *client.Client) (see seen, err error) {
	signals, err := client.Do(c.Context(), s, api.ListSignals, api.None{})
	if err != nil {
		return see, err
	}
	see.signals = make(map[string]site.Signal, len(signals))
	for _, v := range signals {
		see.signals[v.Path()] = v
	}
	see.units, err = shownUnits(c, s)
	return see, err
}

// stored is the unit in which a signal is stored.
func (see seen) stored(path string) measure.Unit { return see.signals[path].Unit }

// say writes a value of a signal as it is seen, no finer than its step.
func (see seen) say(path string, value float64) string {
	v := see.signals[path]
	return v.Figure(value, see.units)
}

// sum writes the sum of so many values of a signal as it is seen, each of them converted.
func (see seen) sum(path string, sum float64, count int) string {
	v := see.signals[path]
	mean, unit := see.units.Show(sum/float64(count), v.Unit)
	return measure.Say(mean*float64(count), unit, measure.StepIn(v.Step, v.Unit, unit))
}

// tellUnit says in which unit the values of a table are, where they are stored in another.
func (see seen) tellUnit(w io.Writer, path string) {
	if stored := see.stored(path); see.units.Of(stored) != stored {
		fmt.Fprintf(w, "In %s; it is stored in %s.\n", see.units.Of(stored).Shown(), stored.Shown())
	}
}

func unitCommand() *cobra.Command {
	return group("unit", "In which units values are told, stored and shown", unitListCommand(), unitSetCommand())
}

func unitListCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list [DIMENSION]", Short: "All units by what they measure, and which are shown", Args: between(0, 1), Example: "  jaunty unit list\n  jaunty unit list temperature",
		RunE: func(c *cobra.Command, args []string) error {
			s, err := signedIn()
			if err != nil {
				return err
			}
			units, err := shownUnits(c, s)
			if err != nil {
				return err
			}
			all := measure.Units()
			if len(args) > 0 {
				all = slices.DeleteFunc(all, func(f measure.UnitFacts) bool { return f.Dimension != args[0] })
			}
			slices.SortStableFunc(all, func(a, b measure.UnitFacts) int { return strings.Compare(a.Dimension, b.Dimension) })
			return show(c, all, func(w io.Writer) {
				rows := [][]string{}
				for _, f := range all {
					chosen := ""
					if units[f.Dimension] == f.Code {
						chosen = "shown"
					}
					rows = append(rows, []string{f.Dimension, string(f.Code), f.Shown, chosen})
				}
				table(w, "No unit measures that.", []string{"MEASURES", "CODE", "WRITTEN", ""}, rows)
			})
		},
	}
}

func unitSetCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "set [CODE...]", Args: between(0, 0), Short: "Say in which units you, or with --everybody all, see values",
		Long:    "Say in which units you see values: one code for each thing that is measured. What is stored stays as it is; limits, bands and charts are shown alike.\nWithout a code, values are shown as they are stored.",
		Example: "  jaunty unit set '[degF]'\n  jaunty unit set Cel kWh --everybody\n  jaunty unit set",
	}
	c.Flags().Bool("everybody", false, "for all who have not said otherwise, and for messages")
	c.ValidArgs = measure.UnitCodes()
	c.RunE = func(c *cobra.Command, args []string) error {
		units := site.Units{}
		for _, text := range args {
			unit := measure.Unit(text)
			if !unit.Known() {
				return misused("%s", site.UnknownUnit(unit))
			}
			units[unit.Dimension()] = unit
		}
		s, err := signedIn()
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
			err = s.Call(c.Context(), api.SetOwnUnits.At(), map[string]any{"units": units}, nil)
		}
		if err != nil {
			return err
		}
		return show(c, units, func(w io.Writer) {
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
