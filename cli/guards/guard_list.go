package guards

import (
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"strings"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
)

func guardListCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "All guards", Args: terminal.Exactly(), Example: "  jaunty guard list",
		RunE: func(c *cobra.Command, _ []string) error {
			all, err := terminal.Ask(c, api.ListGuards, api.ListGuardsIn{})
			if err != nil {
				return err
			}
			_, seen, err := terminal.ServiceSeen(c)
			if err != nil {
				return err
			}
			return terminal.Show(c, all, func(w io.Writer) {
				if len(all) == 0 {
					fmt.Fprintln(w, "No guards yet; add one with 'jaunty guard add DEVICE/SIGNAL --when …'.")
				}
				for _, g := range all {
					fmt.Fprintln(w, describe(seen, g))
				}
			})
		},
	}
}

func guardRemoveCommand() *cobra.Command {
	return &cobra.Command{
		Use: "remove GUARD", Short: "Remove a guard; its standing alarm is over", Args: terminal.Exactly("GUARD"),
		ValidArgsFunction: guardNames,
		Example:           "  jaunty guard remove greenhouse-door-temp-above-30",
		RunE: func(c *cobra.Command, args []string) error {
			return terminal.Remove(c, "guard", args[0], api.RemoveGuard.At(args[0]))
		},
	}
}

func guardShowCommand() *cobra.Command {
	return &cobra.Command{
		Use: "show GUARD", Short: "One guard, with what people made of its alarms in the last month",
		Args: terminal.Exactly("GUARD"), ValidArgsFunction: guardNames,
		Example: "  jaunty guard show fog-pump-busy",
		RunE: func(c *cobra.Command, args []string) error {
			g, err := guardNamed(c, args[0])
			if err != nil {
				return err
			}
			record, err := terminal.Ask(c, api.GetRecord, api.GetRecordIn{GuardPath: api.GuardPath{Guard: args[0]}})
			if err != nil {
				return err
			}
			_, seen, err := terminal.ServiceSeen(c)
			if err != nil {
				return err
			}
			out := struct {
				alarm.Guard
				Record alarm.Record `json:"record"`
			}{g, record}
			return terminal.Show(c, out, func(w io.Writer) {
				fmt.Fprintln(w, describe(seen, g))
				if g.Advice != "" {
					fmt.Fprintln(w, "What to do:", g.Advice)
				}
				fmt.Fprintf(w, "In the last month: %s.\n", record.Words)
			})
		},
	}
}

// describe says in words what a guard does, in the unit in which the person sees its signal.
func describe(see terminal.Seen, g alarm.Guard) string {
	text := fmt.Sprintf("Guard %s: %s", g.Name, rung(see, g, &g.Rung, g.Signal+" "))
	for i := range g.Rungs {
		text += "; " + rung(see, g, &g.Rungs[i], "")
	}
	if g.Watches != "" {
		text += "; about " + g.Watches
	}
	if g.Latch {
		text += "; stays until it is reset"
	}
	if g.Armed != "" {
		text += "; armed " + g.Armed
	}
	if g.Suppressed != "" {
		text += "; not while " + g.Suppressed
	}
	if g.LeastGap > 0 {
		text += fmt.Sprintf("; least gap %s", g.LeastGap)
	}
	if g.OutOfUse != nil {
		text += fmt.Sprintf("; OUT OF SERVICE since %s by %s: %s", terminal.Clock(&g.OutOfUse.At), g.OutOfUse.By,
			g.OutOfUse.Why)
	}
	if g.Shelved != nil {
		text += fmt.Sprintf("; SHELVED until %s by %s: %s", terminal.Clock(g.Shelved.Until), g.Shelved.By,
			g.Shelved.Why)
	}
	if len(g.Tell) > 0 {
		return text + ", tells " + strings.Join(g.Tell, " and ") + "."
	}
	return text + ", tells nobody."
}

// rung says in words what one rung of a guard looks for.
func rung(see terminal.Seen, g alarm.Guard, r *alarm.Rung, of string) string {
	stored := see.Stored(g.Signal)
	test, unit := roster.Shown(r.When, stored, see.Units)
	is := ""
	if of != "" && (test.Measured() || test.Kind == alarm.Silent) || !test.Measured() && test.Kind != alarm.Silent {
		is = "is "
	}
	text := fmt.Sprintf("%s when %s%s%s", r.Severity, of, is, test.Words(unit))
	if r.OnDelay > 0 {
		text += fmt.Sprintf(" for %s", r.OnDelay)
	}
	if r.Deadband > 0 {
		width, _ := see.Units.Show(r.Deadband, stored)
		zero, _ := see.Units.Show(0, stored)
		text += fmt.Sprintf(", deadband %s", measure.Figure(width-zero, ""))
	}
	if r.OffDelay > 0 {
		text += fmt.Sprintf(", over after %s", r.OffDelay)
	}
	return text
}
