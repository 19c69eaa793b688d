package guards

import (
	"fmt"
	"io"
	"time"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
)

// guardAct is a command that does something to one guard and describes it then.
func guardAct(c *cobra.Command, op *api.Operation, body func(c *cobra.Command) (any, error)) *cobra.Command {
	c.Args, c.ValidArgsFunction = terminal.Exactly("GUARD"), guardNames
	c.RunE = func(c *cobra.Command, args []string) error {
		order, err := body(c)
		if err != nil {
			return err
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		var g alarm.Guard
		if err := s.Call(c.Context(), op.At(args[0]), order, &g); err != nil {
			return err
		}
		see, err := terminal.SeenSignals(c, s)
		if err != nil {
			return err
		}
		return terminal.Show(c, g, func(w io.Writer) { fmt.Fprintln(w, describe(see, g)) })
	}
	return c
}

func why(c *cobra.Command) (string, error) {
	text, _ := c.Flags().GetString("why")
	if text == "" {
		return "", terminal.Misused("say why, with --why, for who finds it so")
	}
	return text, nil
}

func guardShelveCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "shelve GUARD", Short: "Keep a guard's alarms from being told for a while; what is more severe is told",
		Example: "  jaunty guard shelve fog-pump-busy --for 2h --why 'The plumber is at the valve'",
	}
	c.Flags().String("for", "", "how long, like 2h or 1d; a minute to 30 days")
	c.Flags().String("why", "", "why")
	return guardAct(c, api.ShelveGuard.Operation, func(c *cobra.Command) (any, error) {
		text, _ := c.Flags().GetString("for")
		length, err := measure.ParseDuration(text)
		if err != nil || text == "" {
			return nil, terminal.Misused("say for how long, with --for, like 2h or 1d")
		}
		text, err = why(c)
		return api.ShelveOrder{Until: measure.InstantOf(time.Now().Add(time.Duration(length))), Why: text}, err
	})
}

func guardUnshelveCommand() *cobra.Command {
	return guardAct(&cobra.Command{Use: "unshelve GUARD", Short: "End the shelving of a guard; what stands is told",
		Example: "  jaunty guard unshelve fog-pump-busy"}, api.UnshelveGuard.Operation, terminal.Nothing)
}

func guardDisableCommand() *cobra.Command {
	c := &cobra.Command{Use: "disable GUARD", Short: "Take a guard out of service: it does not look",
		Example: "  jaunty guard disable pond-oxygen-low --why 'The probe is away for repair'"}
	c.Flags().String("why", "", "why")
	return guardAct(c, api.GuardOutOfService.Operation, func(c *cobra.Command) (any, error) {
		text, err := why(c)
		return api.OutOfServiceOrder{Why: text}, err
	})
}

func guardEnableCommand() *cobra.Command {
	return guardAct(&cobra.Command{Use: "enable GUARD", Short: "Put a guard back into service",
		Example: "  jaunty guard enable pond-oxygen-low"}, api.GuardInService.Operation, terminal.Nothing)
}

func guardMissedCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "missed GUARD", Short: "Say that a guard raised no alarm where it should have",
		Args: terminal.Exactly("GUARD"), ValidArgsFunction: guardNames,
		Example: "  jaunty guard missed fog-pump-busy --at 3h --note 'The valve had stuck'",
	}
	c.Flags().String("at", "", "when something was wrong: "+terminal.TimeHelp+"; now when left out")
	c.Flags().String("note", "", "what was wrong")
	c.RunE = func(c *cobra.Command, args []string) error {
		at, err := terminal.MomentFlag(c.Flags(), "at")
		if err != nil {
			return err
		}
		body := api.Missed{At: at}
		body.Note, _ = c.Flags().GetString("note")
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		if err := s.Call(c.Context(), api.SayMissed.At(args[0]), body, nil); err != nil {
			return err
		}
		return terminal.Show(c, map[string]string{"missed": args[0]},
			func(w io.Writer) { fmt.Fprintf(w, "It is noted that guard %s missed something.\n", args[0]) })
	}
	return c
}
