package guards

import (
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"jauntylark/api"
	"jauntylark/cli/readings"
	"jauntylark/cli/terminal"
	"jauntylark/core/alarm"
	"jauntylark/core/derive"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

func guardCommand() *cobra.Command {
	return terminal.Group("guard", "Rules over signals that raise alarms", guardAddCommand(), guardSetCommand(),
		guardListCommand(), guardShowCommand(), guardRemoveCommand(),
		guardReplayCommand(), guardLimitsCommand(), guardShelveCommand(), guardUnshelveCommand(), guardDisableCommand(),
		guardEnableCommand(), guardMissedCommand())
}

// GuardFlags are the flags that describe a guard.
func GuardFlags(f *pflag.FlagSet) {
	f.String("when", "",
		"'above X', 'at least X', 'below X', 'at most X', 'outside A..B', 'inside A..B', 'is on', 'is off', 'is "+
			"\"WORD\"', 'silent for 10m', 'stuck', 'faulty'")
	f.StringArray("rung", nil,
		"a further rung: 'TEST[, SEVERITY][, deadband X][, on-delay 5s][, off-delay 5s]'; what it does not say but "+
			"its severity is as --deadband, --on-delay and --off-delay say; may be repeated, replaces those there are")
	f.Bool("latch", false, "the alarm stays until a person resets it")
	f.String("armed", "", "when it looks, like 'mon-fri 18:00-07:00, sat-sun, holidays'; '' for always")
	f.String("suppressed-while", "",
		"'DEVICE/SIGNAL TEST' or 'alarm GUARD': it does not look while that is so; '' for never")
	f.String("unit", "", "unit of limits and deadband, if it is not the one in which the signal is stored")
	f.Float64("deadband", 0, "how far back past the limit the value must come before the alarm clears")
	f.String("on-delay", "0s", "how long the test must hold before the alarm is raised, like 10s, 5m, 2h, 1d")
	f.String("off-delay", "0s", "how long the clear test must hold before the alarm is over")
	f.String("severity", "warning", "advisory, warning or critical")
	f.StringSlice("tell", nil,
		"whom to tell: a roster, a contact, or an e-mail address; may be repeated; '' for nobody")
	f.String("least-gap", "0s",
		"how long after a message about one alarm the next is held back, like 10m; what is more severe comes at once")
	f.StringArray("words", nil,
		"own words: 'KIND=TEXT' for the short line, like 'raise={{severity}}: {{sentence}}'; 'KIND=' takes them back")
	f.String("advice", "", "what to do; every notice shows it")
	f.String("name", "", "name of the guard; made from the signal and the test when left out")
}

// ReadGuard takes what the flags say into g.
func ReadGuard(f *pflag.FlagSet, g *alarm.Guard) (err error) {
	text := func(name string) string { v, _ := f.GetString(name); return v }
	f.Visit(func(flag *pflag.Flag) {
		var bad error
		switch flag.Name {
		case "when":
			g.When, bad = alarm.ParseTest(text("when"))
		case "latch":
			g.Latch, bad = f.GetBool("latch")
		case "armed":
			g.Armed = text("armed")
		case "suppressed-while":
			g.Suppressed = text("suppressed-while")
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
			g.Tell = slices.DeleteFunc(g.Tell, func(name string) bool { return name == "" })
		case "least-gap":
			g.LeastGap, bad = measure.ParseDuration(text("least-gap"))
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
	if err == nil && f.Changed("rung") {
		rungs, _ := f.GetStringArray("rung")
		// what the command says holds for all its rungs; the severity is each one's own
		own := alarm.Rung{Severity: alarm.Warning}
		if f.Changed("deadband") {
			own.Deadband = g.Deadband
		}
		if f.Changed("on-delay") {
			own.OnDelay = g.OnDelay
		}
		if f.Changed("off-delay") {
			own.OffDelay = g.OffDelay
		}
		if g.Rungs, err = parseRungs(rungs, own); err != nil {
			err = fmt.Errorf("--rung: %w", err)
		}
	}
	if g.ID != 0 && f.Changed("unit") && (!f.Changed("when") || g.Deadband != 0 && !f.Changed("deadband")) {
		err = errors.New("--unit is of --when and --deadband; say both again")
	}
	for i := range g.Count() {
		g.At(i).Clears = alarm.Test{} // the service finds it out
	}
	if err == nil {
		var fault *measure.Fault
		if errors.As(g.Check(), &fault) {
			err = fmt.Errorf("--%s %s", guardFlag(fault.Field), fault.Reason)
		}
	}
	if err != nil {
		return terminal.Wrong(err)
	}
	return nil
}

// guardFlag gives the flag that says a field of a guard.
func guardFlag(field string) string {
	if strings.HasPrefix(field, "rungs") {
		return "rung"
	}
	return strings.ReplaceAll(field, "_", "-")
}

// parseRungs reads further rungs as the flag tells them. What one does not say it has from another.
func parseRungs(texts []string, other alarm.Rung) (rungs alarm.Rungs, err error) {
	for _, text := range texts {
		if text == "" {
			continue
		}
		r := alarm.Rung{Severity: other.Severity, Deadband: other.Deadband, OnDelay: other.OnDelay,
			OffDelay: other.OffDelay}
		parts := strings.Split(text, ",")
		if r.When, err = alarm.ParseTest(parts[0]); err != nil {
			return nil, err
		}
		for _, part := range parts[1:] {
			name, value, _ := strings.Cut(strings.TrimSpace(part), " ")
			switch name {
			case "advisory", "warning", "critical":
				r.Severity = alarm.Severity(name)
			case "deadband":
				r.Deadband, err = strconv.ParseFloat(strings.TrimSpace(value), 64)
			case "on-delay":
				r.OnDelay, err = measure.ParseDuration(strings.TrimSpace(value))
			case "off-delay":
				r.OffDelay, err = measure.ParseDuration(strings.TrimSpace(value))
			default:
				err = fmt.Errorf("%q is not a part of a rung%s", name,
					terminal.DidYouMean(name, []string{"advisory", "warning", "critical", "deadband", "on-delay",
						"off-delay"}))
			}
			if err != nil {
				return nil, err
			}
		}
		rungs = append(rungs, r)
	}
	return rungs, nil
}

func guardAddCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "add DEVICE/SIGNAL", Short: "Add a guard to a signal", Args: terminal.Exactly("DEVICE/SIGNAL"),
		Example: `  jaunty guard add greenhouse-door/temp --when 'above 30' --deadband 1 --on-delay 10s --off-delay 10s \
      --severity warning --tell orla@hollowbrook.example --advice 'Open the roof vents.'
  jaunty guard add pond/oxygen --when 'below 55' --deadband 5 --on-delay 1m --severity critical
  jaunty guard add boiler-room/flame --when 'is on'
  jaunty guard add boiler-room/co --when 'above 30' --rung 'above 100, critical' --latch --suppressed-while 'boiler-room/service is on'
  jaunty guard add fog-pump/running --watch cycles --window 1h --when 'above 12'
  jaunty guard add fern-house/air --watch unlike-usual --when 'outside -5..5' --on-delay 30m
  jaunty guard add cistern/level --when 'silent for 10m' --armed 'mon-fri 08:00-18:00'`,
	}
	GuardFlags(c.Flags())
	watchFlags(c)
	_ = c.MarkFlagRequired("when")
	c.RunE = func(c *cobra.Command, args []string) error {
		if _, _, err := site.SplitPath(args[0]); err != nil {
			return terminal.Wrong(err)
		}
		g := alarm.Guard{Signal: args[0], Rung: alarm.Rung{Severity: alarm.Warning}, Tell: []string{}}
		if err := ReadGuard(c.Flags(), &g); err != nil {
			return err
		}
		if err := terminal.ReadWords(c, &g.Templates); err != nil {
			return err
		}
		watch, err := readWatch(c, g.Signal)
		if err != nil {
			return err
		}
		body := GuardBody(g)
		if watch != nil {
			body["watch"] = watch
		}
		return saveGuard(c, api.AddGuard.At(), body)
	}
	return c
}

// watchFlags say that a guard is to look at something computed from the signal.
func watchFlags(c *cobra.Command) {
	f := c.Flags()
	f.String("watch", "",
		"look at what is computed from the signal instead: rate, cycles, on-for, unlike-usual, difference …; 'jaunty "+
			"signal kinds' lists all")
	f.String("window", "", "of --watch: how far back it looks, like 10m")
	f.StringArray("with", nil, "of --watch: ROLE=DEVICE/SIGNAL, a further signal; may be repeated")
	f.String("test", "", "of --watch readings-over: what is counted, like 'above 30'")
	f.Int("last", 0, "of --watch readings-over: how many readings are counted over")
	f.String("count", "", "of --watch times-usual: cycles or on-time")
	f.String("formula", "", "of --watch formula: in CEL; the signal is x")
	terminal.CompleteFrom(c, "watch", derive.KindNames()...)
	terminal.CompleteFrom(c, "severity", "advisory", "warning", "critical")
}

// readWatch reads what --watch asks for; nil: nothing.
func readWatch(c *cobra.Command, signal string) (*derive.Recipe, error) {
	f := c.Flags()
	kind, _ := f.GetString("watch")
	if kind == "" {
		for _, name := range []string{"window", "with", "test", "last", "count", "formula"} {
			if f.Changed(name) {
				return nil, terminal.Misused("--%s goes with --watch", name)
			}
		}
		return nil, nil
	}
	first := "x"
	if kind != "formula" {
		first = readings.RoleOf(kind, 0)
	}
	r := &derive.Recipe{Kind: kind, Of: []derive.Input{{As: first, Signal: signal}}}
	r.When, _ = f.GetString("test")
	r.Last, _ = f.GetInt("last")
	r.Count, _ = f.GetString("count")
	r.Formula, _ = f.GetString("formula")
	if text, _ := f.GetString("window"); text != "" {
		var err error
		if r.Window, err = measure.ParseDuration(text); err != nil {
			return nil, terminal.Misused("--window: %v", err)
		}
	}
	with, _ := f.GetStringArray("with")
	for i, input := range with {
		as, signal, named := strings.Cut(input, "=")
		if !named {
			as, signal = readings.RoleOf(kind, i+1), input
		}
		r.Of = append(r.Of, derive.Input{As: as, Signal: signal})
	}
	return r, nil
}

func saveGuard(c *cobra.Command, at api.Place, body any) error {
	s, err := terminal.SignedIn()
	if err != nil {
		return err
	}
	var out alarm.Guard
	if err := s.Call(c.Context(), at, body, &out); err != nil {
		return err
	}
	seen, err := terminal.SeenSignals(c, s)
	if err != nil {
		return err
	}
	return terminal.Show(c, out, func(w io.Writer) { fmt.Fprintln(w, describe(seen, out)) })
}

// GuardBody is what the API takes: a guard without its ID, and without a name that is to be made.
func GuardBody(g alarm.Guard) map[string]any {
	body := map[string]any{"signal": g.Signal, "when": g.When, "deadband": g.Deadband, "on_delay": g.OnDelay,
		"off_delay": g.OffDelay,
		"severity":  g.Severity, "tell": g.Tell, "advice": g.Advice, "latch": g.Latch, "armed": g.Armed,
		"suppressed_while": g.Suppressed,
		"least_gap":        g.LeastGap, "templates": g.Templates}
	if g.Templates == nil {
		body["templates"] = alarm.Templates{}
	}
	if g.Rungs != nil {
		body["rungs"] = g.Rungs
	}
	if g.Unit != "" {
		body["unit"] = g.Unit
	}
	if g.Name != "" {
		body["name"] = g.Name
	}
	return body
}

func guardNames(c *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	return terminal.Names(c, api.ListGuards.At(), func(g alarm.Guard) string { return g.Name })
}

// guardNamed fetches a guard by its name.
func guardNamed(c *cobra.Command, name string) (alarm.Guard, error) {
	all, err := terminal.Ask(c, api.ListGuards, api.ListGuardsIn{})
	if err != nil {
		return alarm.Guard{}, err
	}
	names := []string{}
	for _, g := range all {
		if names = append(names, g.Name); g.Name == name {
			return terminal.Ask(c, api.GetGuard, api.GuardPath{Guard: name})
		}
	}
	return alarm.Guard{}, fmt.Errorf("there is no guard %s%s", name, terminal.DidYouMean(name, names))
}

func guardSetCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "set GUARD", Short: "Change a guard; what is not said stays", Args: terminal.Exactly("GUARD"),
		Example: `  jaunty guard set greenhouse-door-temp-above-30 --when 'above 31' --on-delay 1m`,
	}
	GuardFlags(c.Flags())
	c.RunE = func(c *cobra.Command, args []string) error {
		g, err := guardNamed(c, args[0])
		if err != nil {
			return err
		}
		if err := ReadGuard(c.Flags(), &g); err != nil {
			return err
		}
		if err := terminal.ReadWords(c, &g.Templates); err != nil {
			return err
		}
		return saveGuard(c, api.PutGuard.At(args[0]), g)
	}
	c.ValidArgsFunction = guardNames
	return c
}
