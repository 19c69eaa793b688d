package cli

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
)

func guardCommand() *cobra.Command {
	return group("guard", "Rules over signals that raise alarms", guardAddCommand(), guardSetCommand(), guardListCommand(), guardRemoveCommand())
}

// guardFlags are the flags that describe a guard.
func guardFlags(f *pflag.FlagSet) {
	f.String("when", "", "'above X', 'at least X', 'below X', 'at most X', 'outside A..B', 'inside A..B', 'is on', 'is off'")
	f.String("unit", "", "unit of limits and deadband, if it is not the one in which the signal is stored")
	f.Float64("deadband", 0, "how far back past the limit the value must come before the alarm clears")
	f.String("on-delay", "0s", "how long the test must hold before the alarm is raised, like 10s, 5m, 2h, 1d")
	f.String("off-delay", "0s", "how long the clear test must hold before the alarm is over")
	f.String("severity", "warning", "advisory, warning or critical")
	f.StringSlice("tell", nil, "e-mail address of someone to tell; may be repeated")
	f.String("advice", "", "what to do; every notice shows it")
	f.String("name", "", "name of the guard; made from the signal and the test when left out")
}

// readGuard takes what the flags say into g.
func readGuard(f *pflag.FlagSet, g *alarm.Guard) (err error) {
	text := func(name string) string { v, _ := f.GetString(name); return v }
	f.Visit(func(flag *pflag.Flag) {
		var bad error
		switch flag.Name {
		case "when":
			g.When, bad = alarm.ParseTest(text("when"))
		case "unit":
			g.Unit = measure.Unit(text("unit"))
		case "deadband":
			g.Deadband, bad = f.GetFloat64("deadband")
		case "on-delay":
			g.OnDelay, bad = measure.ParseDuration(text("on-delay"))
		case "off-delay":
			g.OffDelay, bad = measure.ParseDuration(text("off-delay"))
		case "severity":
			g.Severity = alarm.Severity(text("severity"))
		case "tell":
			g.Tell, bad = f.GetStringSlice("tell")
		case "advice":
			g.Advice = text("advice")
		case "name":
			if g.Name = text("name"); site.CheckName(g.Name) != nil {
				bad = site.CheckName(g.Name)
			}
		}
		if bad != nil {
			err = errors.Join(err, fmt.Errorf("--%s: %w", flag.Name, bad))
		}
	})
	if g.ID != 0 && f.Changed("unit") && (!f.Changed("when") || g.Deadband != 0 && !f.Changed("deadband")) {
		err = errors.New("--unit is of --when and --deadband; say both again")
	}
	if err == nil {
		var fault *measure.Fault
		if errors.As(g.Check(), &fault) {
			err = fmt.Errorf("--%s %s", strings.ReplaceAll(fault.Field, "_", "-"), fault.Reason)
		}
	}
	if err != nil {
		return wrongUse{err}
	}
	return nil
}

func guardAddCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "add DEVICE/SIGNAL", Short: "Add a guard to a signal", Args: exactly("DEVICE/SIGNAL"),
		Example: `  jaunty guard add greenhouse-door/temp --when 'above 30' --deadband 1 --on-delay 10s --off-delay 10s \
      --severity warning --tell orla@hollowbrook.example --advice 'Open the roof vents.'
  jaunty guard add pond/oxygen --when 'below 55' --deadband 5 --on-delay 1m --severity critical
  jaunty guard add boiler-room/flame --when 'is on'`,
	}
	guardFlags(c.Flags())
	_ = c.MarkFlagRequired("when")
	c.RunE = func(c *cobra.Command, args []string) error {
		if _, _, err := site.SplitPath(args[0]); err != nil {
			return wrongUse{err}
		}
		g := alarm.Guard{Signal: args[0], Severity: alarm.Warning, Tell: []string{}}
		if err := readGuard(c.Flags(), &g); err != nil {
			return err
		}
		return saveGuard(c, http.MethodPost, "/api/v1/guards", g)
	}
	return c
}

func saveGuard(c *cobra.Command, method, path string, g alarm.Guard) error {
	s, err := service()
	if err != nil {
		return err
	}
	var out alarm.Guard
	if err := s.Do(c.Context(), method, path, guardBody(g), &out); err != nil {
		return err
	}
	seen, err := seenSignals(c, s)
	if err != nil {
		return err
	}
	return show(c, out, func(w io.Writer) { fmt.Fprintln(w, seen.describe(out)) })
}

// guardBody is what the API takes: a guard without its ID, and without a name that is to be made.
func guardBody(g alarm.Guard) map[string]any {
	body := map[string]any{"signal": g.Signal, "when": g.When, "deadband": g.Deadband, "on_delay": g.OnDelay, "off_delay": g.OffDelay,
		"severity": g.Severity, "tell": g.Tell, "advice": g.Advice}
	if g.Unit != "" {
		body["unit"] = g.Unit
	}
	if g.Name != "" {
		body["name"] = g.Name
	}
	return body
}

// describe says in words what a guard does, in the unit in which the person sees its signal.
func (see seen) describe(g alarm.Guard) string {
	stored := see.stored[g.Signal]
	test, unit := roster.Shown(g.When, stored, see.units)
	text := fmt.Sprintf("Guard %s: %s when %s %s", g.Name, g.Severity, g.Signal, test.Words(unit))
	if test.Switched() {
		text = fmt.Sprintf("Guard %s: %s when %s is %s", g.Name, g.Severity, g.Signal, test.Words(unit))
	}
	if g.OnDelay > 0 {
		text += fmt.Sprintf(" for %s", g.OnDelay)
	}
	if g.Deadband > 0 {
		width, _ := see.units.Show(g.Deadband, stored)
		zero, _ := see.units.Show(0, stored)
		text += fmt.Sprintf(", deadband %s", measure.Figure(width-zero, ""))
	}
	if g.OffDelay > 0 {
		text += fmt.Sprintf(", over after %s", g.OffDelay)
	}
	if len(g.Tell) > 0 {
		return text + ", tells " + strings.Join(g.Tell, " and ") + "."
	}
	return text + ", tells nobody."
}

func guardSetCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "set GUARD", Short: "Change a guard; what is not said stays", Args: exactly("GUARD"),
		Example: `  jaunty guard set greenhouse-door-temp-above-30 --when 'above 31' --on-delay 1m`,
	}
	guardFlags(c.Flags())
	c.RunE = func(c *cobra.Command, args []string) error {
		all, err := fetch[[]alarm.Guard](c, "/api/v1/guards")
		if err != nil {
			return err
		}
		names := []string{}
		for _, g := range all {
			if names = append(names, g.Name); g.Name == args[0] {
				if err := readGuard(c.Flags(), &g); err != nil {
					return err
				}
				return saveGuard(c, http.MethodPut, "/api/v1/guards/"+url.PathEscape(args[0]), g)
			}
		}
		return fmt.Errorf("there is no guard %s%s", args[0], didYouMean(args[0], names))
	}
	return c
}

func guardListCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "All guards", Args: exactly(), Example: "  jaunty guard list",
		RunE: func(c *cobra.Command, _ []string) error {
			all, err := fetch[[]alarm.Guard](c, "/api/v1/guards")
			if err != nil {
				return err
			}
			s, err := service()
			if err != nil {
				return err
			}
			seen, err := seenSignals(c, s)
			if err != nil {
				return err
			}
			return show(c, all, func(w io.Writer) {
				if len(all) == 0 {
					fmt.Fprintln(w, "No guards yet; add one with 'jaunty guard add DEVICE/SIGNAL --when …'.")
				}
				for _, g := range all {
					fmt.Fprintln(w, seen.describe(g))
				}
			})
		},
	}
}

func guardRemoveCommand() *cobra.Command {
	return &cobra.Command{
		Use: "remove GUARD", Short: "Remove a guard; its standing alarm is over", Args: exactly("GUARD"),
		Example: "  jaunty guard remove greenhouse-door-temp-above-30",
		RunE: func(c *cobra.Command, args []string) error {
			s, err := service()
			if err != nil {
				return err
			}
			if err := s.Do(c.Context(), http.MethodDelete, "/api/v1/guards/"+url.PathEscape(args[0]), nil, nil); err != nil {
				return err
			}
			return show(c, map[string]string{"removed": args[0]}, func(w io.Writer) { fmt.Fprintf(w, "Guard %s is removed.\n", args[0]) })
		},
	}
}
