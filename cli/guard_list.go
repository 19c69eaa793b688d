package cli

import (
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/core/alarm"
)

func guardListCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "All guards", Args: exactly(), Example: "  jaunty guard list",
		RunE: func(c *cobra.Command, _ []string) error {
			all, err := ask(c, api.ListGuards, api.None{})
			if err != nil {
				return err
			}
			_, seen, err := serviceSeen(c)
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
		Use: "remove GUARD", Short: "Remove a guard; its standing alarm is over", Args: exactly("GUARD"), ValidArgsFunction: guardNames,
		Example: "  jaunty guard remove greenhouse-door-temp-above-30",
		RunE: func(c *cobra.Command, args []string) error {
			return remove(c, "guard", args[0], api.RemoveGuard.At(args[0]))
		},
	}
}

func guardShowCommand() *cobra.Command {
	return &cobra.Command{
		Use: "show GUARD", Short: "One guard, with what people made of its alarms in the last month", Args: exactly("GUARD"), ValidArgsFunction: guardNames,
		Example: "  jaunty guard show fog-pump-busy",
		RunE: func(c *cobra.Command, args []string) error {
			g, err := guardNamed(c, args[0])
			if err != nil {
				return err
			}
			record, err := ask(c, api.GetRecord, api.GetRecordIn{GuardPath: api.GuardPath{Guard: args[0]}})
			if err != nil {
				return err
			}
			_, seen, err := serviceSeen(c)
			if err != nil {
				return err
			}
			out := struct {
				alarm.Guard
				Record alarm.Record `json:"record"`
			}{g, record}
			return show(c, out, func(w io.Writer) {
				fmt.Fprintln(w, seen.describe(g))
				if g.Advice != "" {
					fmt.Fprintln(w, "What to do:", g.Advice)
				}
				fmt.Fprintf(w, "In the last month: %s.\n", record.Words)
			})
		},
	}
}
