package guards

import (
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/alarm"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

func interlockCommand() *cobra.Command {
	return terminal.Group("interlock", "What drives outputs", interlockAddCommand(), interlockSetCommand(),
		interlockListCommand(), interlockShowCommand(), interlockReplayCommand(), interlockResetCommand(),
		interlockRemoveCommand())
}

func interlockNames(c *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
	if len(args) > 0 {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	return terminal.Names(c, api.ListInterlocks.At(), func(i drive.Interlock) string { return i.Name })
}

// driverFlags are those that say what drives an output: one of them goes into an interlock.
var driverFlags = []string{"alarm", "when", "bands", "hours", "formula"}

func interlockFlags(c *cobra.Command) {
	f := c.Flags()
	f.String("output", "", "DEVICE/OUTPUT that it drives")
	f.String("state", "",
		"the state that it sets; on when left out. Bands, and formulas that give a level, say it themselves")
	f.String("alarm", "",
		"an alarm drives it: names of guards, DEVICE/* or any; then, if wanted, the mildest severity, or a rung")
	f.String("when", "", "a condition drives it: 'DEVICE/SIGNAL TEST', as a guard's test")
	f.Float64("deadband", 0, "of --when and --bands: how far back past the limit, or the edge, the value must come")
	f.String("on-delay", "0s", "of --when: how long the condition must hold")
	f.String("off-delay", "0s", "of --when: how long it must be gone")
	f.String("bands", "", "a value drives it: 'DEVICE/SIGNAL: below 45 blue, below 66 green, else red'")
	f.String("hours", "", "a schedule drives it, like 'mon-fri 07:00-19:00, holidays never'")
	f.String("formula", "",
		"a formula in CEL drives it, like 'air > 24.0 && humidity > 80.0'; one that gives a number sets a level")
	f.StringArray("with", nil, "of --formula: NAME=DEVICE/SIGNAL; may be repeated")
	f.Bool("safety", false, "it is a safety interlock: it wins over hands and ignores least times")
	f.Bool("latch", false, "once driven, it goes on until a person resets it")
	_ = c.RegisterFlagCompletionFunc("output", func(c *cobra.Command, _ []string,
		text string) ([]string, cobra.ShellCompDirective) {
		return outputPaths(c, nil, text)
	})
}

// readInterlock takes what the flags say into i. What drives it replaces what did.
func readInterlock(f *pflag.FlagSet, i *drive.Interlock) (err error) {
	text := func(name string) string { v, _ := f.GetString(name); return v }
	said := ""
	for _, name := range driverFlags {
		if f.Changed(name) && said != "" {
			return terminal.Misused("--%s and --%s are both there; one thing drives an interlock", said, name)
		}
		if f.Changed(name) {
			said = name
			i.Alarm, i.Signal, i.When, i.Bands, i.Hours, i.Formula, i.Of, i.Deadband, i.OnDelay, i.OffDelay = "", "",
				"", nil, "", "", nil, 0, 0, 0
		}
	}
	f.Visit(func(flag *pflag.Flag) {
		var bad error
		switch flag.Name {
		case "output":
			i.Output = text("output")
		case "state":
			i.Set = drive.Value(text("state"))
		case "alarm":
			i.Alarm = text("alarm")
		case "when":
			i.Signal, i.When, bad = parseCondition(text("when"))
		case "bands":
			i.Signal, i.Bands, bad = parseBands(text("bands"))
		case "deadband":
			i.Deadband, bad = f.GetFloat64("deadband")
		case "on-delay":
			i.OnDelay, bad = measure.ParseDuration(text("on-delay"))
		case "off-delay":
			i.OffDelay, bad = measure.ParseDuration(text("off-delay"))
		case "hours":
			i.Hours = text("hours")
		case "formula":
			i.Formula = text("formula")
		case "with":
			with, _ := f.GetStringArray("with")
			i.Of, bad = parseInputs(with)
		case "safety":
			i.Safety, bad = f.GetBool("safety")
		case "latch":
			i.Latch, bad = f.GetBool("latch")
		}
		if bad != nil {
			err = errors.Join(err, fmt.Errorf("--%s: %w", flag.Name, bad))
		}
	})
	switch {
	case err != nil:
	case i.Output == "":
		err = errors.New("--output is missing: which output does it drive?")
	case i.Driver() == "":
		err = errors.New("what drives it is missing: say one of --alarm, --when, --bands, --hours and --formula")
	}
	if err != nil {
		return terminal.Wrong(err)
	}
	return nil
}

// parseCondition reads "DEVICE/SIGNAL TEST".
func parseCondition(text string) (signal, when string, err error) {
	signal, when, _ = strings.Cut(strings.TrimSpace(text), " ")
	if _, _, err := site.SplitPath(signal); err != nil {
		return "", "", fmt.Errorf("%q begins with no DEVICE/SIGNAL; write it like 'potting-shed/vapour above 400'",
			text)
	}
	_, err = alarm.ParseTest(when)
	return signal, when, err
}

const bandsForm = "write it like 'compost/core: below 45 blue, below 66 green, else red'"

// parseBands reads "DEVICE/SIGNAL: below X STATE, below Y STATE, else STATE".
func parseBands(text string) (signal string, bands drive.Bands, err error) {
	signal, rest, found := strings.Cut(text, ":")
	if _, _, err := site.SplitPath(strings.TrimSpace(signal)); !found || err != nil {
		return "", nil, fmt.Errorf("%q begins with no DEVICE/SIGNAL and a colon; %s", text, bandsForm)
	}
	for part := range strings.SplitSeq(rest, ",") {
		words := strings.Fields(part)
		switch {
		case len(words) >= 2 && words[0] == "else":
			bands = append(bands, drive.BandState{Set: drive.Value(strings.Join(words[1:], " "))})
		case len(words) >= 3 && words[0] == "below":
			to, err := strconv.ParseFloat(words[1], 64)
			if err != nil {
				return "", nil, fmt.Errorf("%q is not a number; %s", words[1], bandsForm)
			}
			bands = append(bands, drive.BandState{To: &to, Set: drive.Value(strings.Join(words[2:], " "))})
		default:
			return "", nil, fmt.Errorf("%q is no band; %s", strings.TrimSpace(part), bandsForm)
		}
	}
	return strings.TrimSpace(signal), bands, nil
}

func parseInputs(texts []string) (inputs drive.Inputs, err error) {
	for _, text := range texts {
		name, signal, found := strings.Cut(text, "=")
		if _, _, err := site.SplitPath(signal); !found || err != nil {
			return nil, fmt.Errorf("%q is not NAME=DEVICE/SIGNAL", text)
		}
		inputs = append(inputs, drive.Operand{As: name, Signal: signal})
	}
	return inputs, nil
}

func interlockAddCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "add NAME", Short: "Add an interlock: something drives an output", Args: terminal.Exactly("NAME"),
		Long: `Let something drive an output: an alarm, a condition, the band that a value lies in, a schedule, or a formula. It looks at once, and decides
in the same transaction as the reading behind it. When what it looks at is silent, faulty or warming, it asks for the output's safe
state. Try it first: 'jaunty interlock replay' replays it over what is stored.`,
		Example: `  jaunty interlock add shed-extractor --output potting-shed/extractor --when 'potting-shed/vapour above 400' --deadband 80 --on-delay 30s --latch
  jaunty interlock add boiler-fan --output boiler-room/fan --alarm carbon-monoxide-high --safety
  jaunty interlock add heap-lamp --output compost/lamp --bands 'compost/core: below 45 blue, below 66 green, else red' --deadband 1
  jaunty interlock add bench-lamps --output bench/lamps --hours 'daily 06:00-10:00'
  jaunty interlock add vents --output fern-house/vent --formula '(air - 22.0) * 12.5' --with air=fern-house/air`,
	}
	interlockFlags(c)
	c.RunE = func(c *cobra.Command, args []string) error {
		if err := site.CheckName(args[0]); err != nil {
			return terminal.Misused("the name %w", err)
		}
		if _, err := interlockNamed(c, args[0]); err == nil {
			return fmt.Errorf("interlock %s is there already; 'jaunty interlock set %s' changes it", args[0], args[0])
		}
		i := drive.Interlock{Name: args[0]}
		if err := readInterlock(c.Flags(), &i); err != nil {
			return err
		}
		return saveInterlock(c, i)
	}
	return c
}

func interlockSetCommand() *cobra.Command {
	c := &cobra.Command{Use: "set NAME", Short: "Change an interlock; what is not said stays",
		Args: terminal.Exactly("NAME"), ValidArgsFunction: interlockNames,
		Example: "  jaunty interlock set shed-extractor --when 'potting-shed/vapour above 350' --deadband 80"}
	interlockFlags(c)
	c.RunE = func(c *cobra.Command, args []string) error {
		i, err := interlockNamed(c, args[0])
		if err != nil {
			return err
		}
		if err := readInterlock(c.Flags(), &i); err != nil {
			return err
		}
		return saveInterlock(c, i)
	}
	return c
}

func interlockNamed(c *cobra.Command, name string) (i drive.Interlock, err error) {
	s, err := terminal.SignedIn()
	if err == nil {
		err = s.Call(c.Context(), api.GetInterlock.At(name), nil, &i)
	}
	return i, err
}

func saveInterlock(c *cobra.Command, i drive.Interlock) error {
	s, err := terminal.SignedIn()
	if err != nil {
		return err
	}
	if err := s.Call(c.Context(), api.PutInterlock.At(i.Name), i, &i); err != nil {
		return err
	}
	blindTo := []string{}
	for _, path := range i.Signals() {
		var signal site.Signal
		var device site.Device
		name, _, _ := strings.Cut(path, "/")
		if s.Call(c.Context(), api.GetSignal.At(terminal.Parts(path)), nil, &signal) == nil && signal.Interval == 0 &&
			s.Call(c.Context(), api.GetDevice.At(name), nil, &device) == nil && device.Interval == 0 &&
			signal.MadeOf == "" {
			blindTo = append(blindTo, path)
		}
	}
	return terminal.Show(c, i, func(w io.Writer) {
		fmt.Fprintf(w, "Interlock %s drives %s: %s\n%s\n", i.Name, i.Output, i.Words(), interlockSays(&i))
		for _, path := range blindTo {
			device, _, _ := strings.Cut(path, "/")
			fmt.Fprintf(w,
				"Nobody has said how often %s sends, so its silence is never noticed: jaunty device set %s "+
					"--interval 15s\n", path, device)
		}
	})
}

// interlockSays says what an interlock asks for now, and why.
func interlockSays(i *drive.Interlock) string {
	switch d, asks := i.Demand(); {
	case !asks:
		return "It asks for nothing now."
	default:
		return fmt.Sprintf("It asks for %s since %s: %s.", i.AskedWords(), terminal.Clock(&i.Since), d.Why)
	}
}

func listInterlocks(c *cobra.Command) (locks []drive.Interlock, err error) {
	s, err := terminal.SignedIn()
	if err == nil {
		err = s.Call(c.Context(), api.ListInterlocks.At(), nil, &locks)
	}
	return locks, err
}

func interlockListCommand() *cobra.Command {
	c := &cobra.Command{Use: "list", Short: "All interlocks, and what each asks for now", Args: terminal.Exactly(),
		Example: "  jaunty interlock list\n  jaunty interlock list --json"}
	c.RunE = func(c *cobra.Command, _ []string) error {
		locks, err := listInterlocks(c)
		if err != nil {
			return err
		}
		return terminal.Show(c, locks, func(w io.Writer) {
			var rows [][]string
			for n := range locks {
				i := &locks[n]
				asks, state := "-", "idle"
				switch {
				case i.Blind != "":
					state = "cannot see"
				case i.Waits:
					state = "waits for reset"
				case i.Asks:
					state = "driving"
				}
				if i.Asks {
					asks = i.AskedWords()
				}
				rows = append(rows, []string{i.Name, i.Output, asks, state, i.Words()})
			}
			terminal.Table(w, "There are no interlocks. Add one: jaunty interlock add NAME --output DEVICE/OUTPUT …",
				[]string{"INTERLOCK", "OUTPUT", "ASKS FOR", "STATE", "DRIVEN BY"}, rows)
		})
	}
	return c
}

func interlockShowCommand() *cobra.Command {
	c := &cobra.Command{Use: "show NAME", Short: "One interlock: what drives it, what it asks for and why",
		Args: terminal.Exactly("NAME"), ValidArgsFunction: interlockNames,
		Example: "  jaunty interlock show shed-extractor"}
	c.RunE = func(c *cobra.Command, args []string) error {
		i, err := interlockNamed(c, args[0])
		if err != nil {
			return err
		}
		_, o, err := outputAt(c, i.Output)
		if err != nil {
			return err
		}
		return terminal.Show(c, i, func(w io.Writer) {
			fmt.Fprintf(w, "Interlock %s drives %s: %s\n%s\n\n%s\n", i.Name, i.Output, i.Words(), interlockSays(&i),
				outputSays(&o))
		})
	}
	return c
}

func interlockResetCommand() *cobra.Command {
	c := &cobra.Command{Use: "reset NAME", Short: "Reset a latched interlock whose cause is gone",
		Args: terminal.Exactly("NAME"), ValidArgsFunction: interlockNames,
		Example: "  jaunty interlock reset shed-extractor"}
	c.RunE = func(c *cobra.Command, args []string) error {
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		i, err := client.Do(c.Context(), s, api.ResetInterlock, api.InterlockPath{Interlock: args[0]})
		if err != nil {
			return err
		}
		return terminal.Show(c, i, func(w io.Writer) { fmt.Fprintln(w, interlockSays(&i)) })
	}
	return c
}

func interlockRemoveCommand() *cobra.Command {
	c := &cobra.Command{Use: "remove NAME", Short: "Remove an interlock; its output does what is asked of it otherwise",
		Args: terminal.Exactly("NAME"), ValidArgsFunction: interlockNames,
		Example: "  jaunty interlock remove shed-extractor"}
	c.RunE = func(c *cobra.Command, args []string) error {
		return terminal.Remove(c, "interlock", args[0], api.RemoveInterlock.At(args[0]))
	}
	return c
}
