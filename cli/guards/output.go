package guards

import (
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

func outputCommand() *cobra.Command {
	return terminal.Group("output", "What devices can switch or set", outputAddCommand(), outputSetCommand(),
		outputListCommand(), outputShowCommand(), outputDriveCommand(), outputReleaseCommand(), outputResetCommand(),
		outputRemoveCommand(), allSafeCommand(), resumeCommand())
}

// outputParts are the parts of DEVICE/OUTPUT.
func outputParts(path string) ([]string, error) {
	device, name, err := site.SplitPath(path)
	if err != nil {
		return nil, terminal.Wrong(fmt.Errorf("%q is no DEVICE/OUTPUT", path))
	}
	return []string{device, name}, nil
}

func outputPaths(c *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
	var list api.OutputList
	s, err := terminal.SignedIn()
	if len(args) > 0 || err != nil || s.Call(c.Context(), api.ListOutputs.At(), nil, &list) != nil {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	var paths []string
	for i := range list.Outputs {
		paths = append(paths, list.Outputs[i].Path())
	}
	return paths, cobra.ShellCompDirectiveNoFileComp
}

// outputFlags are the flags that describe an output.
func outputFlags(c *cobra.Command) {
	f := c.Flags()
	f.String("kind", drive.KindSwitch, "switch, level, colour or text")
	f.String("title", "", "what people call it")
	f.String("on-sends", "", "of a switch: what the device is sent for on; 1 when left out")
	f.String("off-sends", "", "and for off; 0 when left out. An inverted one is sent 0 for on and 1 for off")
	f.Float64("low", 0, "of a level: the low end of its range")
	f.Float64("high", 0, "and the high end; 0 to 100 % when both are left out")
	f.Float64("step", 0, "of a level: the steps in which it can be set; 1 when left out")
	f.String("unit", "", "of a level")
	f.Int("length", 0, "of a text: how many letters it may have; 40 when left out")
	f.String("safe", "",
		"the safe state: in an emergency, when the device hears nothing, when what drives it cannot be believed; "+
			"off, the low end, black or no text when left out")
	f.String("rest", "", "the state when nothing asks for another; the safe state when left out")
	f.String("least-on", "0s", "how long it runs at least")
	f.String("least-off", "0s", "how long it stands still at least")
	f.Int("starts-per-hour", 0, "how often it may start within an hour; 0: as often as asked")
	f.Bool("hands-off", false, "nobody may set it by hand")
	f.String("hand-holds", "1h", "for how long a setting by hand holds where nobody says")
	f.Bool("dangerous", false, "who sets it by hand must say that they are sure")
	f.String("expires", "1m",
		"for how long an order holds unless it is renewed; a device that hears nothing for so long goes to the safe "+
			"state by itself")
	f.String("confirm-within", "30s",
		"how long the device may do something else than it was ordered before that is an alarm")
	f.Bool("mute", false, "the device cannot confirm what it does")
	terminal.CompleteFrom(c, "kind", drive.Kinds...)
}

// readOutput takes what the flags say into a spec.
func readOutput(f *pflag.FlagSet, o *drive.Spec) (err error) {
	text := func(name string) string { v, _ := f.GetString(name); return v }
	f.Visit(func(flag *pflag.Flag) {
		var bad error
		switch flag.Name {
		case "kind":
			o.Kind = text("kind")
		case "title":
			o.Title = text("title")
		case "on-sends":
			o.OnSends = text("on-sends")
		case "off-sends":
			o.OffSends = text("off-sends")
		case "low":
			o.Low, bad = f.GetFloat64("low")
		case "high":
			o.High, bad = f.GetFloat64("high")
		case "step":
			o.Step, bad = f.GetFloat64("step")
		case "unit":
			o.Unit = measure.Unit(text("unit"))
		case "length":
			o.Length, bad = f.GetInt("length")
		case "safe":
			o.Safe = drive.Value(text("safe"))
		case "rest":
			o.Rest = drive.Value(text("rest"))
		case "starts-per-hour":
			o.Starts, bad = f.GetInt("starts-per-hour")
		case "hands-off":
			o.HandsOff, bad = f.GetBool("hands-off")
		case "dangerous":
			o.Dangerous, bad = f.GetBool("dangerous")
		case "mute":
			o.Mute, bad = f.GetBool("mute")
		default:
			if into := durations(o)[flag.Name]; into != nil {
				*into, bad = measure.ParseDuration(text(flag.Name))
			}
		}
		if bad != nil {
			err = errors.Join(err, fmt.Errorf("--%s: %w", flag.Name, bad))
		}
	})
	if err == nil {
		err = flagged(o.Check())
	}
	if err != nil {
		return terminal.Wrong(err)
	}
	return nil
}

func durations(o *drive.Spec) map[string]*measure.Duration {
	return map[string]*measure.Duration{"least-on": &o.LeastOn, "least-off": &o.LeastOff, "hand-holds": &o.HandHolds,
		"expires": &o.Expires, "confirm-within": &o.Within}
}

// flagged says what is wrong with a field by the name of its flag.
func flagged(err error) error {
	var fault *measure.Fault
	if errors.As(err, &fault) {
		return fmt.Errorf("--%s %s", strings.ReplaceAll(fault.Field, "_", "-"), fault.Reason)
	}
	return err
}

func outputAddCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "add DEVICE/OUTPUT", Short: "Add an output to a device", Args: terminal.Exactly("DEVICE/OUTPUT"),
		Long: `Say what a device can switch or set. From then on the device is told what to do: over MQTT on jaunty/DEVICE/outputs/OUTPUT, over CoAP
by observing /outputs/OUTPUT, over HTTP by asking for its orders. It confirms each order that it hears. 'jaunty device code DEVICE'
prints code that does all of this.`,
		Example: `  jaunty output add boiler-room/fan --safe on --rest off --least-on 2m --dangerous
  jaunty output add cistern/buzzer --on-sends 0 --off-sends 1
  jaunty output add fern-house/vent --kind level --starts-per-hour 6
  jaunty output add compost/lamp --kind colour`,
	}
	outputFlags(c)
	c.RunE = func(c *cobra.Command, args []string) error {
		var found drive.Output
		path, err := outputParts(args[0])
		if err != nil {
			return err
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		if s.Call(c.Context(), api.GetOutput.At(path), nil, &found) == nil {
			return fmt.Errorf("%s is there already; 'jaunty output set %s' changes it", args[0], args[0])
		}
		return saveOutput(c, path, drive.Spec{Kind: drive.KindSwitch})
	}
	return c
}

func outputSetCommand() *cobra.Command {
	c := &cobra.Command{Use: "set DEVICE/OUTPUT", Short: "Change an output; what is not said stays",
		Args: terminal.Exactly("DEVICE/OUTPUT"), ValidArgsFunction: outputPaths,
		Example: "  jaunty output set boiler-room/fan --least-on 5m"}
	outputFlags(c)
	c.RunE = func(c *cobra.Command, args []string) error {
		path, o, err := outputAt(c, args[0])
		if err != nil {
			return err
		}
		return saveOutput(c, path, o.Spec)
	}
	return c
}

func saveOutput(c *cobra.Command, path []string, spec drive.Spec) error {
	if err := readOutput(c.Flags(), &spec); err != nil {
		return err
	}
	s, err := terminal.SignedIn()
	if err != nil {
		return err
	}
	var o drive.Output
	if err := s.Call(c.Context(), api.PutOutput.At(path), spec, &o); err != nil {
		return err
	}
	return terminal.Show(c, o, func(w io.Writer) { fmt.Fprintln(w, outputSays(&o)) })
}

// outputAt asks the service for an output.
func outputAt(c *cobra.Command, of string) (path []string, o drive.Output, err error) {
	if path, err = outputParts(of); err != nil {
		return path, o, err
	}
	s, err := terminal.SignedIn()
	if err == nil {
		err = s.Call(c.Context(), api.GetOutput.At(path), nil, &o)
	}
	return path, o, err
}

// outputSays says in a sentence what an output is ordered, since when and why, and what its device says.
func outputSays(o *drive.Output) string {
	text := fmt.Sprintf("%s is %s since %s: %s.", o.Path(), o.Be(o.Ordered), terminal.Clock(&o.OrderedAt), o.Why)
	if o.Waiting != nil {
		text += fmt.Sprintf(" It %s at %s: %s.", o.Goes(o.Waiting.To), terminal.Clock(&o.Waiting.Until), o.Waiting.Why)
	}
	return text + " " + deviceSays(o)
}

// deviceSays says what the device says of an output.
func deviceSays(o *drive.Output) string {
	switch {
	case o.Mute:
		return "Its device cannot confirm that."
	case o.Confirmed == nil:
		return "Its device has not confirmed anything yet."
	case o.DiffersSince == nil:
		return "Its device confirms that, " + terminal.Age(o.ConfirmedAt) + "."
	case *o.Confirmed != o.Ordered:
		return fmt.Sprintf("Its device says that it is %s, %s.", o.Be(*o.Confirmed), terminal.Age(o.ConfirmedAt))
	}
	return "Its device has not confirmed that since " + terminal.Clock(o.ConfirmedAt) + "."
}

func outputListCommand() *cobra.Command {
	c := &cobra.Command{Use: "list", Short: "All outputs: what each is ordered, by whom, and what its device says",
		Args: terminal.Exactly(), Example: "  jaunty output list\n  jaunty output list --json"}
	c.RunE = func(c *cobra.Command, _ []string) error {
		list, err := listOutputs(c)
		if err != nil {
			return err
		}
		return terminal.Show(c, list, func(w io.Writer) {
			if e := list.Emergency; e != nil {
				fmt.Fprintln(w, emergencyWords(e))
			}
			var rows [][]string
			for i := range list.Outputs {
				o := &list.Outputs[i]
				confirmed := "not yet"
				switch {
				case o.Mute:
					confirmed = "cannot say"
				case o.Confirmed != nil && o.DiffersSince == nil:
					confirmed = "yes"
				case o.Confirmed != nil && *o.Confirmed != o.Ordered:
					confirmed = "says " + o.Words(*o.Confirmed)
				case o.Confirmed != nil:
					confirmed = "not since " + terminal.Age(o.ConfirmedAt)
				}
				why := o.Why
				if o.Waiting != nil {
					why += fmt.Sprintf("; %s at %s", o.Words(o.Waiting.To), terminal.Clock(&o.Waiting.Until))
				}
				rows = append(rows, []string{o.Path(), o.Words(o.Ordered), terminal.Clock(&o.OrderedAt), by(o),
					confirmed, why})
			}
			terminal.Table(w, "There are no outputs. Add one: jaunty output add DEVICE/OUTPUT",
				[]string{"OUTPUT", "ORDERED", "SINCE", "BY", "CONFIRMED", "WHY"}, rows)
		})
	}
	return c
}

// by says what or who orders an output.
func by(o *drive.Output) string {
	switch {
	case o.Interlock != "":
		return o.Interlock
	case o.Who != "":
		return o.Who
	}
	return string(o.By)
}

func listOutputs(c *cobra.Command) (list api.OutputList, err error) {
	s, err := terminal.SignedIn()
	if err == nil {
		err = s.Call(c.Context(), api.ListOutputs.At(), nil, &list)
	}
	return list, err
}

func emergencyWords(e *drive.AllSafe) string {
	text := fmt.Sprintf("Emergency: %s put all outputs into their safe states at %s", e.By, terminal.Clock(&e.At))
	if e.Why != "" {
		text += ": " + e.Why
	}
	return text + ". End it: jaunty output resume"
}

func outputShowCommand() *cobra.Command {
	c := &cobra.Command{Use: "show DEVICE/OUTPUT", Short: "One output: how it stands, what it is, what drives it",
		Args: terminal.Exactly("DEVICE/OUTPUT"), ValidArgsFunction: outputPaths,
		Example: "  jaunty output show boiler-room/fan"}
	c.RunE = func(c *cobra.Command, args []string) error {
		_, o, err := outputAt(c, args[0])
		if err != nil {
			return err
		}
		locks, err := listInterlocks(c)
		if err != nil {
			return err
		}
		return terminal.Show(c, o, func(w io.Writer) {
			fmt.Fprintln(w, outputSays(&o))
			fmt.Fprintf(w, "\nIt is a %s; safe %s, at rest %s. Orders expire after %v.\n", o.Kind, o.Be(o.Safe),
				o.Be(o.Resting()), measure.Duration(o.Expiry()))
			if o.LeastOn != 0 || o.LeastOff != 0 || o.Starts != 0 {
				fmt.Fprintf(w, "It runs %v and stands still %v at least, and starts %s.\n", o.LeastOn, o.LeastOff,
					oftenWords(o.Starts))
			}
			for i := range locks {
				if locks[i].Output == o.Path() {
					fmt.Fprintf(w, "  %s: %s\n", locks[i].Name, locks[i].Words())
				}
			}
		})
	}
	return c
}

func oftenWords(starts int) string {
	if starts == 0 {
		return "as often as asked"
	}
	return terminal.Times(starts) + " an hour at most"
}

func outputRemoveCommand() *cobra.Command {
	c := &cobra.Command{Use: "remove DEVICE/OUTPUT", Short: "Remove an output with its interlocks",
		Args: terminal.Exactly("DEVICE/OUTPUT"), ValidArgsFunction: outputPaths,
		Example: "  jaunty output remove boiler-room/fan --yes"}
	c.Flags().Bool("yes", false, "you are sure")
	c.RunE = func(c *cobra.Command, args []string) error {
		path, o, err := outputAt(c, args[0])
		if err != nil {
			return err
		}
		if yes, _ := c.Flags().GetBool("yes"); !yes {
			if _, err := sure(c, fmt.Sprintf("Remove %s with its interlocks? Its device will go to the safe state, %s.",
				o.Path(), o.Words(o.Safe))); err != nil {
				return err
			}
		}
		return terminal.Remove(c, "output", o.Path(), api.RemoveOutput.At(path))
	}
	return c
}
