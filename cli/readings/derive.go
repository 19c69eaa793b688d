package readings

import (
	"fmt"
	"io"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/calibrate"
	"jauntylark/core/derive"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
)

// SignalAddCommand is the command that adds a derived signal.
func SignalAddCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "add DEVICE/NAME", Short: "Derive a signal: one that is computed from others",
		Args: terminal.Exactly("DEVICE/NAME"),
		Long: `Derive a signal: declare one that is computed from others, or change how it is. It is computed for all that is there, and
from then on with every reading. 'jaunty signal kinds' tells what can be computed from what.`,
		Example: `  jaunty signal add fern-house/dew-point --kind dew-point --of air=fern-house/air --of humidity=fern-house/humidity
  jaunty signal add fog-pump/running --kind on-off --of fog-pump/supply --when 'above 11' --deadband 1
  jaunty signal add gate-node/charge --kind charge --of gate-node/battery --curve li-ion --divider 3.2
  jaunty signal add bench/warmth --kind formula --formula 'root - canopy' --of root=bench/root-zone --of canopy=bench/canopy`,
	}
	f := c.Flags()
	f.String("kind", "", "what is computed")
	f.StringArray("of", nil, "ROLE=DEVICE/SIGNAL, or DEVICE/SIGNAL alone where there is one role; repeat for each")
	f.String("title", "", "what people call it")
	f.String("when", "", "of on-off and readings-over: 'above 11', 'below 3', 'outside 3..9' …")
	f.Float64("deadband", 0,
		"of on-off: how far back past the limit; of charging: the change an hour that counts as none")
	f.Float64("limit", 0, "of forecast: the value that is waited for")
	f.String("window", "", "how far back it looks, like 5m or 1d")
	f.String("over", "", "of dew points: water, ice or either")
	f.String("curve", "", "of charge: li-ion, lead-acid, lifepo4 or own")
	f.StringArray("point", nil, "of an own curve: VOLTS=PERCENT of one cell; repeat for each")
	f.Int("cells", 0, "of charge: cells in a row")
	f.Float64("divider", 0, "of charge: how many times the measured voltage the battery has")
	f.String("edge", "", "of hours-left: middle, low or high")
	f.String("count", "", "of times-usual: cycles or on-time")
	f.Int("last", 0, "of readings-over: how many readings are counted over")
	f.String("formula", "", "in CEL, over the names given with --of")
	f.String("unit", "", "of a formula: the result's, where it cannot be told")
	f.Int("decimals", 0, "to how many the result is rounded")
	f.Bool("try", false, "check it, and change nothing")
	f.Bool("no-wait", false, "do not wait until what is there is computed")
	terminal.CompleteFrom(c, "kind", derive.KindNames()...)
	terminal.CompleteFrom(c, "over", "water", "ice", "either")
	terminal.CompleteFrom(c, "curve", "li-ion", "lead-acid", "lifepo4", "own")
	terminal.CompleteFrom(c, "edge", "middle", "low", "high")
	terminal.CompleteFrom(c, "count", "cycles", "on-time")
	_ = c.RegisterFlagCompletionFunc("of", terminal.SignalPaths)
	c.RunE = deriveSignal
	return c
}

func deriveSignal(c *cobra.Command, args []string) error {
	if _, _, err := site.SplitPath(args[0]); err != nil {
		return terminal.Wrong(err)
	}
	recipe, err := readRecipe(c)
	if err != nil {
		return err
	}
	order := api.RecipeOrder{Recipe: recipe}
	order.Title, _ = c.Flags().GetString("title")
	order.Try, _ = c.Flags().GetBool("try")
	s, err := terminal.SignedIn()
	if err != nil {
		return err
	}
	out, err := client.Do(c.Context(), s, api.PutRecipe, api.PutRecipeIn{SignalPath: terminal.SignalPath(args[0]),
		Body: order})
	if err != nil {
		return err
	}
	is := "would be"
	if !order.Try {
		if err := waitForWork(c, s, args[0]); err != nil {
			return err
		}
		is = "is"
	}
	return terminal.Show(c, out, func(w io.Writer) {
		fmt.Fprintf(w, "%s %s computed: %s.\n", out.Path(), is, out.MadeOf)
		if out.Unit != "" {
			fmt.Fprintf(w, "It is in %s.\n", out.Unit)
		}
	})
}

// readRecipe gathers what the flags say.
func readRecipe(c *cobra.Command) (r derive.Recipe, err error) {
	f := c.Flags()
	text := func(name string) string { v, _ := f.GetString(name); return v }
	r = derive.Recipe{Kind: text("kind"), When: text("when"), Over: text("over"), Curve: text("curve"),
		Edge: text("edge"), Count: text("count"), Formula: text("formula"), Unit: measure.Unit(text("unit")),
		Of: []derive.Input{}}
	if r.Kind == "" && r.Formula != "" {
		r.Kind = "formula"
	}
	if r.Kind == "" {
		return r, terminal.Misused("say what is computed, with --kind; 'jaunty signal kinds' lists them")
	}
	r.Deadband, _ = f.GetFloat64("deadband")
	r.Divider, _ = f.GetFloat64("divider")
	r.Cells, _ = f.GetInt("cells")
	r.Last, _ = f.GetInt("last")
	if f.Changed("limit") {
		limit, _ := f.GetFloat64("limit")
		r.Limit = &limit
	}
	if f.Changed("decimals") {
		decimals, _ := f.GetInt("decimals")
		r.Decimals = &decimals
	}
	if w := text("window"); w != "" {
		if r.Window, err = measure.ParseDuration(w); err != nil {
			return r, terminal.Misused("--window: %v", err)
		}
	}
	of, _ := f.GetStringArray("of")
	for i, input := range of {
		as, signal, named := strings.Cut(input, "=")
		if !named {
			as, signal = RoleOf(r.Kind, i), input
		}
		r.Of = append(r.Of, derive.Input{As: as, Signal: signal})
	}
	points, _ := f.GetStringArray("point")
	for _, p := range points {
		volts, percent, found := strings.Cut(p, "=")
		a, errA := strconv.ParseFloat(volts, 64)
		b, errB := strconv.ParseFloat(percent, 64)
		if !found || errA != nil || errB != nil {
			return r, terminal.Misused("--point %q is not VOLTS=PERCENT, as in 3.7=40", p)
		}
		r.Points = append(r.Points, calibrate.Pair{Shown: a, Reference: b})
	}
	return r, nil
}

// RoleOf names the input that comes without a name: the kind's role in that place, or a letter.
func RoleOf(kind string, place int) string {
	for _, k := range derive.Kinds() {
		if k.Name == kind && place < len(k.Roles) {
			return k.Roles[place].Name
		}
	}
	return string(rune('a' + place%26))
}

// SignalKindsCommand is the command that lists the kinds of derived signals.
func SignalKindsCommand() *cobra.Command {
	return &cobra.Command{
		Use: "kinds", Short: "The kinds of derived signals: what can be computed, from what", Args: terminal.Exactly(),
		Example: "  jaunty signal kinds",
		RunE: func(c *cobra.Command, _ []string) error {
			return terminal.Show(c, derive.Kinds(), func(w io.Writer) {
				rows := [][]string{}
				for _, k := range derive.Kinds() {
					of := "several signals"
					if len(k.Roles) > 0 {
						parts := []string{}
						for _, r := range k.Roles {
							name := r.Name
							if r.Optional {
								name = "[" + name + "]"
							}
							parts = append(parts, name)
						}
						of = strings.Join(parts, ", ")
					}
					settings := append([]string{}, k.Needs...)
					for _, may := range k.May {
						settings = append(settings, "["+may+"]")
					}
					rows = append(rows, []string{k.Name, of, strings.Join(settings, ", "), k.About})
				}
				terminal.Table(w, "", []string{"KIND", "INPUTS", "SETTINGS", "RESULT"}, rows)
			})
		},
	}
}

// SignalShowCommand is the command that shows one signal.
func SignalShowCommand() *cobra.Command {
	return &cobra.Command{
		Use:     "show DEVICE/SIGNAL",
		Short:   "One signal: what it reads, what it is made of, how it is judged and corrected",
		Args:    terminal.Exactly("DEVICE/SIGNAL"),
		Example: "  jaunty signal show fern-house/dew-point", ValidArgsFunction: terminal.SignalPaths,
		RunE: func(c *cobra.Command, args []string) error {
			if _, _, err := site.SplitPath(args[0]); err != nil {
				return terminal.Wrong(err)
			}
			s, err := terminal.SignedIn()
			if err != nil {
				return err
			}
			var out struct {
				site.Signal
				Recipe api.Derivation `json:"recipe"`
				Trust  api.Trust      `json:"trust"`
			}
			for op, into := range map[*api.Operation]any{api.GetSignal.Operation: &out.Signal,
				api.GetRecipe.Operation: &out.Recipe, api.GetTrust.Operation: &out.Trust} {
				if err := s.Call(c.Context(), op.At(terminal.Parts(args[0])), nil, into); err != nil {
					return err
				}
			}
			units, err := terminal.ShownUnits(c, s)
			if err != nil {
				return err
			}
			here, err := terminal.Ask(c, api.GetSite, api.None{})
			if err != nil {
				return err
			}
			return terminal.Show(c, out, func(w io.Writer) {
				fmt.Fprintf(w, "%s: %s, %s\n", roster.Thing(out.DeviceTitle, out.Title),
					terminal.Reads(out.Signal, units), terminal.Age(out.At))
				if out.MaySwitch {
					fmt.Fprintf(w, "  it has read 0 and 1 alone; if it is on or off: jaunty signal set %s --switch\n",
						out.Path())
				}
				if ran := terminal.Ran(&out.Signal, here); ran != "" {
					fmt.Fprintf(w, "  it %s\n", ran)
				}
				for _, line := range facts(out.Signal, units) {
					fmt.Fprintln(w, "  "+line)
				}
				for _, in := range out.Recipe.Inputs {
					fmt.Fprintf(w, "  from %s, which reads %s\n", in.Path(), terminal.Reads(in, units))
				}
				for _, into := range out.Recipe.Into {
					fmt.Fprintf(w, "  %s is computed from it\n", into.Path())
				}
				if out.MadeOf == "" && out.Kind == site.KindNumber {
					fmt.Fprintln(w)
					tellTrust(w, &out.Signal, &out.Trust)
				}
			})
		},
	}
}

// facts tells what is known of a signal besides its value.
func facts(v site.Signal, units site.Units) (lines []string) {
	say := func(format string, args ...any) { lines = append(lines, fmt.Sprintf(format, args...)) }
	if v.MadeOf != "" {
		say("computed: %s", v.MadeOf)
	}
	if v.Unit != "" {
		say("stored in %s", v.Unit)
	}
	if v.SpanLow != nil && v.SpanHigh != nil {
		say("plausible from %s to %s", measure.Figure(units.Show(*v.SpanLow, v.Unit)),
			measure.Figure(units.Show(*v.SpanHigh, v.Unit)))
	}
	if v.FailsTo != "" {
		say("fails to: %s", v.FailsTo)
	}
	for _, d := range []struct {
		name string
		d    measure.Duration
	}{{"warms up for", v.WarmUp}, {"a gap means power off from", v.WarmGap}, {"stuck after", v.StuckAfter},
		{"sensor fault after", v.FaultAfter}} {
		if d.d != 0 {
			say("%s %s", d.name, d.d)
		}
	}
	if !v.Faults.IsZero() {
		say("a sensor fault is %s", v.Faults.Words())
	}
	for _, b := range v.Bands {
		say("band %s %s", b.Name, strings.TrimSpace(bandEnds(b, v.Unit, units)+" "+b.Colour))
	}
	if v.Quality != 0 {
		say("its newest reading is %s", v.Quality)
	}
	return lines
}

func bandEnds(b site.Band, stored measure.Unit, units site.Units) string {
	ends := ".."
	if b.From != nil {
		v, _ := units.Show(*b.From, stored)
		ends = measure.Figure(v, "") + ends
	}
	if b.To != nil {
		v, _ := units.Show(*b.To, stored)
		ends += measure.Figure(v, "")
	}
	return ends
}

// SignalRemoveCommand is the command that removes a derived signal.
func SignalRemoveCommand() *cobra.Command {
	return &cobra.Command{
		Use: "remove DEVICE/SIGNAL", Short: "Remove a derived signal with its guards; what it was computed from stays",
		Args:    terminal.Exactly("DEVICE/SIGNAL"),
		Example: "  jaunty signal remove fern-house/dew-point", ValidArgsFunction: terminal.SignalPaths,
		RunE: func(c *cobra.Command, args []string) error {
			if _, _, err := site.SplitPath(args[0]); err != nil {
				return terminal.Wrong(err)
			}
			return terminal.Remove(c, "signal", args[0], api.RemoveSignal.At(terminal.Parts(args[0])))
		},
	}
}
