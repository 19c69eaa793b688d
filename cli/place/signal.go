package place

import (
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/readings"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/roster"
	"jauntylark/core/site"
)

func signalCommand() *cobra.Command {
	return terminal.Group("signal", "Streams of readings", signalListCommand(), readings.SignalShowCommand(),
		signalSetCommand(), readings.SignalKindsCommand(), readings.SignalAddCommand(), readings.SignalRemoveCommand())
}

func signalListCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "All signals with their newest readings", Args: terminal.Exactly(),
		Example: "  jaunty signal list",
		RunE: func(c *cobra.Command, _ []string) error {
			s, err := terminal.SignedIn()
			if err != nil {
				return err
			}
			signals, err := client.Do(c.Context(), s, api.ListSignals, api.ListSignalsIn{})
			if err != nil {
				return err
			}
			units, err := terminal.ShownUnits(c, s)
			if err != nil {
				return err
			}
			here, err := terminal.Ask(c, api.GetSite, api.None{})
			if err != nil {
				return err
			}
			return terminal.Show(c, signals, func(w io.Writer) {
				rows := [][]string{}
				for _, v := range signals {
					says := terminal.Reads(v, units)
					if ran := terminal.Ran(&v, here); ran != "" {
						says += ", " + ran
					}
					rows = append(rows, []string{v.Path(), roster.Thing(v.DeviceTitle, v.Title), says,
						terminal.Age(v.At), v.MadeOf})
				}
				terminal.Table(w, "No signals yet; they appear by themselves at the first reading.",
					[]string{"SIGNAL", "TITLE", "READS", "MEASURED", "DERIVED FROM"}, rows)
			})
		},
	}
}

func signalSetCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "set DEVICE/SIGNAL", Short: "Change a signal: title, unit, span, step, bands, interval",
		Args: terminal.Exactly("DEVICE/SIGNAL"),
		Example: `  jaunty signal set greenhouse-door/temp --title 'Air temperature' --unit Cel
  jaunty signal set boiler-room/co --span 0..500 --step 1 --interval 2s
  jaunty signal set pond/oxygen --fault-severity advisory --fault-tell tadhg
  jaunty signal set pond/oxygen --span 0.5..200 --fails-to low --fault-after 5m
  jaunty signal set potting-shed/vapour --warm-up 3m --stuck-after 2h
  jaunty signal set boiler-room/flame-eye --switch
  jaunty signal set boiler-room/flame-eye --band 'flame off' --band 'dark on'
  jaunty signal set cistern/level --band 'dry ..1150' --band 'falling 1150..2900' --band 'covered 2900..'`,
	}
	f := c.Flags()
	f.String("title", "", "what people call it")
	f.String("quantity", "", "what it measures, in a word or two")
	f.String("unit", "", "SenML or UCUM code (Cel, %RH, ppm, V …); can be said once")
	f.String("span", "", "the values that the instrument can truly give, LOW..HIGH")
	f.Bool("no-span", false, "forget the span")
	f.String("fails-to", "", "the side of the span to which the instrument fails: low, high or both; '' for none")
	f.Float64("step", 0, "resolution")
	f.String("warm-up", "", "how long after power-on its readings are not to be believed; 0s: it needs no warming")
	f.String("warm-gap", "",
		"a longer gap between two readings means that it was without power; 0s: a gap says nothing")
	f.String("stuck-after", "", "how long its last digit may stand still; 0s: for ever")
	f.String("fault-after", "", "how long readings that cannot be believed may come before a sensor fault; 0s: 10m")
	f.Bool("switch", false,
		"make a signal of numbers that are only ever 0 and 1 one that is on or off, its readings with it")
	addFaultFlags(c)
	f.StringArray("band", nil,
		"a named stretch of its values, 'NAME FROM..TO [COLOUR]', or 'NAME off' and 'NAME on'; repeat for each; all "+
			"together replace the old ones")
	f.String("interval", "", "how often a reading is expected; 0s: as often as its device's")
	f.String("keep-readings", "", "for how long its readings are kept (90d); 0s: as its kit or the site says")
	f.String("keep-figures", "", "for how long its figures by hour and day are kept; 0s: as its kit or the site says")
	terminal.CompleteFrom(c, "fails-to", "low", "high", "both")
	c.RunE = func(c *cobra.Command, args []string) error {
		if _, _, err := site.SplitPath(args[0]); err != nil {
			return terminal.Wrong(err)
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		var out site.Signal
		if is, _ := c.Flags().GetBool("switch"); is {
			if err := s.Call(c.Context(), api.MakeSwitch.At(terminal.Parts(args[0])), nil, &out); err != nil {
				return err
			}
			if c.Flags().NFlag() == 1 || c.Flags().NFlag() == 2 && c.Flags().Changed("json") {
				return terminal.Show(c, out, func(w io.Writer) {
					fmt.Fprintf(w, "%s is on or off from now on, its readings with it.\n", out.Path())
				})
			}
		}
		change, err := signalChange(c)
		if err != nil {
			return err
		}
		if err := s.Call(c.Context(), api.SetSignal.At(terminal.Parts(args[0])), change, &out); err != nil {
			return err
		}
		return terminal.Show(c, out, func(w io.Writer) {
			fmt.Fprintln(w, strings.TrimSpace(fmt.Sprintf("%s is called %q %s", out.Path(),
				roster.Thing(out.DeviceTitle, out.Title), out.Unit)))
		})
	}
	return c
}

// signalChange gathers what the flags say.
func signalChange(c *cobra.Command) (map[string]any, error) {
	change := map[string]any{}
	for _, name := range []string{"title", "quantity", "unit", "interval"} {
		if f := c.Flags().Lookup(name); f.Changed {
			change[name] = f.Value.String()
		}
	}
	if no, _ := c.Flags().GetBool("no-span"); no {
		change["no_span"] = true
	}
	for _, name := range []string{"keep-readings", "keep-figures", "fails-to", "warm-up", "warm-gap", "stuck-after",
		"fault-after"} {
		if f := c.Flags().Lookup(name); f.Changed {
			change[strings.ReplaceAll(name, "-", "_")] = f.Value.String()
		}
	}
	readFaultFlags(c, change)
	if f := c.Flags(); f.Changed("step") {
		change["step"], _ = f.GetFloat64("step")
	}
	if text, _ := c.Flags().GetString("span"); text != "" {
		span, err := parseSpan(text)
		if err != nil {
			return nil, err
		}
		change["span"] = span
	}
	if texts, _ := c.Flags().GetStringArray("band"); c.Flags().Changed("band") {
		bands := site.Bands{}
		for _, text := range texts {
			band, err := site.ParseBand(text)
			if err != nil {
				return nil, terminal.Wrong(err)
			}
			bands = append(bands, band)
		}
		change["bands"] = bands
	}
	if len(change) == 0 {
		return nil, terminal.Misused("say what is to change, for instance --title or --unit")
	}
	return change, nil
}

// addFaultFlags adds the flags that say how bad faults are, and who is told.
func addFaultFlags(c *cobra.Command) {
	c.Flags().String("fault-severity", "",
		"how bad faults are: advisory, warning or critical; '' for as bad as its guards say")
	c.Flags().StringSlice("fault-tell", nil,
		"whom faults are told to: a roster, a contact, an e-mail address; '' for those whom its guards tell")
	terminal.CompleteFrom(c, "fault-severity", "advisory", "warning", "critical")
}

// readFaultFlags takes what they say into a change.
func readFaultFlags(c *cobra.Command, change map[string]any) {
	f := c.Flags()
	if f.Changed("fault-severity") {
		change["fault_severity"], _ = f.GetString("fault-severity")
	}
	if f.Changed("fault-tell") {
		tell, _ := f.GetStringSlice("fault-tell")
		change["fault_tell"] = slices.DeleteFunc(tell, func(name string) bool { return name == "" })
	}
}

func parseSpan(text string) (site.Span, error) {
	low, high, found := strings.Cut(text, "..")
	l, lowErr := strconv.ParseFloat(low, 64)
	h, highErr := strconv.ParseFloat(high, 64)
	if !found || lowErr != nil || highErr != nil {
		return site.Span{}, terminal.Misused("--span %q is not LOW..HIGH, as in 0..500", text)
	}
	return site.Span{Low: l, High: h}, nil
}
