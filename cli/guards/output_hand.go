package guards

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/core/act"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
)

func outputDriveCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "drive DEVICE/OUTPUT STATE", Short: "Set an output by hand for a while",
		Args: terminal.Exactly("DEVICE/OUTPUT", "STATE"), ValidArgsFunction: outputPaths,
		Long: `Set an output by hand. The setting holds for a while, and then the output does again what is asked of it. It wins over interlocks and
schedules, but not over safety interlocks and an emergency, and least times are kept.`,
		Example: `  jaunty output drive boiler-room/fan on --for 30m --why 'airing' --yes
  jaunty output drive fern-house/vent 40
  jaunty output drive compost/lamp violet --for 1m`,
	}
	f := c.Flags()
	f.String("for", "", "for how long; as the output says when left out")
	f.String("why", "", "why, for the journal")
	f.Bool("yes", false, "you are sure: asked for where an output is dangerous")
	c.RunE = func(c *cobra.Command, args []string) error {
		path, o, err := outputAt(c, args[0])
		if err != nil {
			return err
		}
		h := act.HandOrder{To: args[1]}
		h.Why, _ = f.GetString("why")
		h.Sure, _ = f.GetBool("yes")
		if text, _ := f.GetString("for"); text != "" {
			if h.For, err = measure.ParseDuration(text); err != nil {
				return terminal.Misused("--for: %w", err)
			}
		}
		if o.Dangerous && !h.Sure {
			if h.Sure, err = sure(c, fmt.Sprintf("%s is dangerous. Set it to %s?", o.Path(), args[1])); err != nil {
				return err
			}
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		if err := s.Call(c.Context(), api.SetOutput.At(path), h, &o); err != nil {
			return err
		}
		return terminal.Show(c, o, func(w io.Writer) { fmt.Fprintln(w, outputSays(&o)) })
	}
	return c
}

// sure asks whether somebody is sure; where nobody can be asked, --yes says so.
func sure(c *cobra.Command, question string) (bool, error) {
	if !terminal.IsTerminal(os.Stdin) {
		return false, terminal.Misused("%s Say --yes.", question)
	}
	fmt.Fprintf(c.ErrOrStderr(), "%s Write yes: ", question)
	answer, _ := bufio.NewReader(c.InOrStdin()).ReadString('\n')
	if strings.TrimSpace(answer) != "yes" {
		return false, errors.New("nothing was done")
	}
	return true, nil
}

func outputReleaseCommand() *cobra.Command {
	return outputAct("release", "End a setting by hand", api.ReleaseOutput.Operation)
}

func outputResetCommand() *cobra.Command {
	return outputAct("reset", "Reset all latched interlocks that hold an output, whose causes are gone",
		api.ResetOutput.Operation)
}

// outputAct is a command that does something to one output, and says how it stands then.
func outputAct(verb, short string, op *api.Operation) *cobra.Command {
	c := &cobra.Command{Use: verb + " DEVICE/OUTPUT", Short: short, Args: terminal.Exactly("DEVICE/OUTPUT"),
		ValidArgsFunction: outputPaths, Example: "  jaunty output " + verb + " boiler-room/fan"}
	c.RunE = func(c *cobra.Command, args []string) error {
		path, err := outputParts(args[0])
		if err != nil {
			return err
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		var o drive.Output
		if err := s.Call(c.Context(), op.At(path), nil, &o); err != nil {
			return err
		}
		return terminal.Show(c, o, func(w io.Writer) { fmt.Fprintln(w, outputSays(&o)) })
	}
	return c
}

func allSafeCommand() *cobra.Command {
	c := &cobra.Command{Use: "all-safe", Short: "Emergency: put all outputs of the site into their safe states",
		Args: terminal.Exactly(),
		Long: "Put all outputs into their safe states at once, whatever drives them, until 'jaunty output resume'. " +
			"Least times do not count, and settings by hand are over.",
		Example: `  jaunty output all-safe --why 'smoke in the boiler room' --yes
  jaunty output resume --yes`}
	c.Flags().String("why", "", "why, for the journal")
	c.Flags().Bool("yes", false, "you are sure")
	c.RunE = func(c *cobra.Command, _ []string) error {
		why, _ := c.Flags().GetString("why")
		return emergency(c, api.AllOutputsSafe.At(), "Put all outputs into their safe states?",
			api.EmergencyOrder{Why: why, Sure: true})
	}
	return c
}

func resumeCommand() *cobra.Command {
	c := &cobra.Command{Use: "resume", Short: "End an emergency: outputs do again what is asked of them",
		Args: terminal.Exactly(), Example: "  jaunty output resume --yes"}
	c.Flags().Bool("yes", false, "you are sure")
	c.RunE = func(c *cobra.Command, _ []string) error {
		return emergency(c, api.EndAllOutputsSafe.At(), "Let all outputs do again what is asked of them?", nil)
	}
	return c
}

func emergency(c *cobra.Command, at api.Place, question string, body any) error {
	if yes, _ := c.Flags().GetBool("yes"); !yes {
		if _, err := sure(c, question); err != nil {
			return err
		}
	}
	s, err := terminal.SignedIn()
	if err != nil {
		return err
	}
	var list api.OutputList
	if err := s.Call(c.Context(), at, body, &list); err != nil {
		return err
	}
	return terminal.Show(c, list, func(w io.Writer) {
		for i := range list.Outputs {
			fmt.Fprintln(w, outputSays(&list.Outputs[i]))
		}
	})
}
