package guards

import (
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/core/alarm"
)

func guardListCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "All guards", Args: terminal.Exactly(), Example: "  jaunty guard list",
		RunE: func(c *cobra.Command, _ []string) error {
			all, err := terminal.Ask(c, api.ListGuards, api.None{})
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
		Use: "remove GUARD", Short: "Remove a guard; its standing alarm is over", Args: terminal.Exactly("GUARD"), ValidArgsFunction: guardNames,
		Example: "  jaunty guard remove greenhouse-door-temp-above-30",
		RunE: func(c *cobra.Command, args []string) error {
			return terminal.Remove(c, "guard", args[0], api.RemoveGuard.At(args[0]))
		},
	}
}

func guardShowCommand() *cobra.Command {
	return &cobra.Command{
		Use: "show GUARD", Short: "One guard, with what people made of its alarms in the last month", Args: terminal.Exactly("GUARD"), ValidArgsFunction: guardNames,
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
