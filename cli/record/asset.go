package record

import (
	"fmt"
	"io"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"jauntylark/api"
	"jauntylark/cli/guards"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/act"
	"jauntylark/core/alarm"
	"jauntylark/core/asset"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

func assetCommand() *cobra.Command {
	return terminal.Group("asset", "Things that are looked after: pumps, cabinets, heaps", assetAddCommand(),
		assetSetCommand(), assetListCommand(), assetShowCommand(), assetFileCommand(),
		assetGuardCommand(), assetLabelCommand(), assetRemoveCommand())
}

func assetNames(c *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
	if len(args) > 0 {
		return nil, cobra.ShellCompDirectiveDefault
	}
	return terminal.Names(c, api.ListAssets.At(), func(a api.AssetLine) string { return a.Name })
}

// assetFlags are the flags that describe an asset.
func assetFlags(f *pflag.FlagSet) {
	f.String("title", "", "what people call it")
	f.String("kind", "", "what it is, in a word, like pump")
	f.String("in", "", "the asset that it is a part of, or stands in; '' for none")
	f.String("next-service", "", "a date, like 2027-03-01; '' for none")
	f.StringSlice("signal", nil,
		"what belongs to it: DEVICE for all of a device, or DEVICE/SIGNAL; may be repeated, replaces what there is")
	f.StringSlice("output", nil, "DEVICE/OUTPUT; may be repeated, replaces what there is")
	f.String("note", "", "Markdown; @FILE reads a file")
}

// readAsset takes what the flags say.
func readAsset(f *pflag.FlagSet, in io.Reader) (c act.AssetChange, err error) {
	text := func(name string) *string {
		if !f.Changed(name) {
			return nil
		}
		v, _ := f.GetString(name)
		return &v
	}
	list := func(name string) *[]string {
		if !f.Changed(name) {
			return nil
		}
		v, _ := f.GetStringSlice(name)
		if len(v) == 1 && v[0] == "" {
			v = []string{}
		}
		return &v
	}
	c = act.AssetChange{Title: text("title"), Kind: text("kind"), In: text("in"), NextService: text("next-service"),
		Signals: list("signal"), Outputs: list("output"), Note: text("note")}
	if c.Note != nil {
		*c.Note, err = terminal.TextOrFile(*c.Note, in)
	}
	return c, err
}

func assetAddCommand() *cobra.Command {
	c := &cobra.Command{Use: "add NAME", Short: "Add an asset", Args: terminal.Exactly("NAME"),
		Example: "  jaunty asset add switchboard --title Switchboard --kind cabinet --in boiler-room --signal " +
			"switchboard-eye\n  jaunty asset add fog-pump --kind pump --signal fog-pump --next-service 2027-03-01"}
	assetFlags(c.Flags())
	_ = c.RegisterFlagCompletionFunc("in", assetNames)
	terminal.CompleteDevices(c, "signal")
	c.RunE = func(c *cobra.Command, args []string) error {
		change, err := readAsset(c.Flags(), c.InOrStdin())
		if err != nil {
			return err
		}
		return doAsset(c, api.AddAsset.At(), api.AssetDraft{Name: args[0], AssetChange: change},
			"Asset %s is there. Its page: /assets/%[1]s\n")
	}
	return c
}

func assetSetCommand() *cobra.Command {
	c := &cobra.Command{Use: "set NAME", Short: "Change an asset, and set its condition; what is not said stays",
		Args: terminal.Exactly("NAME"), ValidArgsFunction: assetNames,
		Example: "  jaunty asset set fog-pump --next-service 2027-09-01\n  jaunty asset set fog-pump --signal " +
			"fog-pump --signal lamp-meter/power\n  jaunty asset set fog-pump --condition attention --why 'the valve " +
			"sticks'"}
	assetFlags(c.Flags())
	condition := c.Flags().String("condition", "", "how it is: "+strings.Join(asset.Conditions, ", "))
	why := c.Flags().String("why", "", "of --condition: why, in your words")
	terminal.CompleteFrom(c, "condition", asset.Conditions...)
	_ = c.RegisterFlagCompletionFunc("in", assetNames)
	terminal.CompleteDevices(c, "signal")
	c.RunE = func(c *cobra.Command, args []string) error {
		change, err := readAsset(c.Flags(), c.InOrStdin())
		if err != nil {
			return err
		}
		switch {
		case *condition == "" && *why != "":
			return terminal.Misused("--why belongs to --condition")
		case *condition != "" && !slices.Contains(asset.Conditions, *condition): // before anything is changed
			return terminal.Misused("--condition: %s; conditions are %s",
				site.Unknown("condition", *condition, asset.Conditions), strings.Join(asset.Conditions, ", "))
		case *condition == "":
			return doAsset(c, api.ChangeAsset.At(args[0]), change, "Asset %s is changed.\n")
		case change != act.AssetChange{}:
			s, err := terminal.SignedIn()
			if err != nil {
				return err
			}
			if _, err := client.Do(c.Context(), s, api.ChangeAsset,
				api.ChangeAssetIn{AssetPath: api.AssetPath{Asset: args[0]}, Body: change}); err != nil {
				return err
			}
		}
		return doAsset(c, api.SetCondition.At(args[0]), act.ConditionOrder{Condition: *condition, Why: *why},
			"Asset %s is "+*condition+".\n")
	}
	return c
}

// doAsset does something about an asset, and says so with its name.
func doAsset(c *cobra.Command, at api.Place, in any, words string) error {
	s, err := terminal.SignedIn()
	if err != nil {
		return err
	}
	var p api.AssetPage
	if err := s.Call(c.Context(), at, in, &p); err != nil {
		return err
	}
	return terminal.Show(c, p, func(w io.Writer) { fmt.Fprintf(w, words, p.Asset.Name) })
}

func assetListCommand() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "All assets in their tree, with what they read now",
		Args: terminal.Exactly(), Example: "  jaunty asset list",
		RunE: func(c *cobra.Command, _ []string) error {
			s, err := terminal.SignedIn()
			if err != nil {
				return err
			}
			all, err := terminal.Ask(c, api.ListAssets, api.None{})
			if err != nil {
				return err
			}
			units, err := terminal.ShownUnits(c, s)
			if err != nil {
				return err
			}
			return terminal.Show(c, all, func(w io.Writer) {
				rows := [][]string{}
				for _, a := range all {
					reads, at := "-", ""
					if r := a.Reading; r != nil && r.At != nil && r.Value != nil {
						reads, at = r.Title+" "+r.Says(*r.Value, units), terminal.Age(r.At)
					}
					state := a.Condition
					if a.Worst != "" {
						state += ", " + string(a.Worst)
					}
					rows = append(rows, []string{strings.Repeat("  ", a.Depth) + a.Name, a.Called(), a.Kind, state,
						strconv.Itoa(a.Guards), reads, at})
				}
				terminal.Table(w, "No assets yet; 'jaunty asset add NAME' adds one.",
					[]string{"ASSET", "TITLE", "KIND", "CONDITION", "GUARDS", "READS", ""}, rows)
			})
		}}
}

func assetShowCommand() *cobra.Command {
	return &cobra.Command{Use: "show NAME", Short: "One asset: its condition, what it reads, what belongs to it",
		Args: terminal.Exactly("NAME"), ValidArgsFunction: assetNames, Example: "  jaunty asset show fog-pump",
		RunE: func(c *cobra.Command, args []string) error {
			p, err := terminal.Ask(c, api.GetAsset, api.AssetPath{Asset: args[0]})
			if err != nil {
				return err
			}
			return terminal.Show(c, p, func(w io.Writer) { printAsset(w, &p) })
		}}
}

func printAsset(w io.Writer, p *api.AssetPage) {
	var place []string
	for _, outer := range p.Place {
		place = append(place, outer.Called)
	}
	fmt.Fprintln(w, strings.Join(append(place, p.Asset.Called()), " > "))
	for _, words := range p.Words {
		fmt.Fprintln(w, words)
	}
	part := func(title string, names []string) {
		if len(names) > 0 {
			fmt.Fprintf(w, "%-9s %s\n", title, strings.Join(names, ", "))
		}
	}
	fmt.Fprintln(w)
	var parts, signals, guards, verified, outputs, photos, papers, runs []string
	for _, a := range p.Parts {
		parts = append(parts, a.Name)
	}
	for i := range p.Signals {
		signals = append(signals, p.Signals[i].Path())
	}
	for i := range p.Guards {
		guards = append(guards, p.Guards[i].Name)
	}
	for i := range p.Verified {
		v := &p.Verified[i]
		came := "failed"
		if v.Passed {
			came = "passed"
		}
		verified = append(verified, fmt.Sprintf("%s %s (%s)", v.Signal, came, terminal.Clock(&v.At)))
	}
	for i := range p.Outputs {
		outputs = append(outputs, p.Outputs[i].Path())
	}
	for _, a := range p.Attachments {
		if a.Kind == asset.Photo {
			photos = append(photos, fmt.Sprintf("%s (%d)", a.Name, a.ID))
		} else {
			papers = append(papers, fmt.Sprintf("%s (%d)", a.Name, a.ID))
		}
	}
	for _, r := range p.Runs[:min(5, len(p.Runs))] {
		runs = append(runs, fmt.Sprintf("%s (%d)", r.Title, r.ID))
	}
	part("parts", parts)
	part("signals", signals)
	part("outputs", outputs)
	part("guards", guards)
	part("verified", verified)
	part("photos", photos)
	part("papers", papers)
	part("runs", runs)
	if p.Asset.Note != "" {
		fmt.Fprintf(w, "\n%s\n", strings.TrimSpace(p.Asset.Note))
	}
}

func assetGuardCommand() *cobra.Command {
	c := &cobra.Command{Use: "guard NAME DEVICE/SIGNAL --when TEST",
		Short: "Put an asset under guard: which signal, how often, which limits, who is told",
		Args:  terminal.Exactly("NAME", "DEVICE/SIGNAL"),
		Long: `Put an asset under guard in one step: the signal joins the asset, a guard looks at it, and the device behind it is
told how often to measure. All of it is done, or nothing. --try says the sentence that sums it up, and changes nothing.`,
		Example: `  jaunty asset guard switchboard switchboard-eye/terminal-2-highest --when 'above 60' --rung 'above 75, critical' --interval 5m --tell glasshouse
  jaunty asset guard gate gate-node/battery --when 'below 25' --interval 5m --sparing-interval 1h --tell orla --try`,
		ValidArgsFunction: func(c *cobra.Command, args []string, begun string) ([]string, cobra.ShellCompDirective) {
			if len(args) == 1 {
				return terminal.Names(c, api.ListSignals.At(), func(s site.Signal) string { return s.Path() })
			}
			return assetNames(c, args, begun)
		}}
	f := c.Flags()
	guards.GuardFlags(f)
	f.String("interval", "", "how often the device is to measure, 1s to 1d; as it does when left out")
	f.String("sparing-interval", "", "how often when its battery is low")
	try := f.Bool("try", false, "say what it would be, and change nothing")
	terminal.CompleteFrom(c, "severity", "advisory", "warning", "critical")
	_ = c.MarkFlagRequired("when")
	c.RunE = func(c *cobra.Command, args []string) error {
		g := alarm.Guard{Signal: args[1], Rung: alarm.Rung{Severity: alarm.Warning}, Tell: []string{}}
		if err := guards.ReadGuard(f, &g); err != nil {
			return err
		}
		if err := terminal.ReadWords(c, &g.Templates); err != nil {
			return err
		}
		order := map[string]any{"guard": guards.GuardBody(g), "try": *try}
		for flag, field := range map[string]string{"interval": "interval", "sparing-interval": "sparing_interval"} {
			if text, _ := f.GetString(flag); text != "" {
				d, err := measure.ParseDuration(text)
				if err != nil {
					return terminal.Misused("--%s: %w", flag, err)
				}
				order[field] = d
			}
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		var watch act.Watch
		if err := s.Call(c.Context(), api.GuardAsset.At(args[0]), order, &watch); err != nil {
			return err
		}
		return terminal.Show(c, watch, func(w io.Writer) {
			fmt.Fprintln(w, watch.Sentence)
			if watch.Saved {
				fmt.Fprintf(w, "Guard %s is at work.\n", watch.Guard.Name)
			} else {
				fmt.Fprintln(w, "Nothing was changed; leave --try out to do it.")
			}
		})
	}
	return c
}

func assetLabelCommand() *cobra.Command {
	c := &cobra.Command{Use: "label FILE [NAME...]",
		Short:   "QR labels that open assets' pages: .svg and .png of one, .pdf a sheet of some or all",
		Args:    terminal.Between(1, 0),
		Example: "  jaunty asset label labels.pdf\n  jaunty asset label fog-pump.svg fog-pump"}
	c.RunE = func(c *cobra.Command, args []string) error {
		at := api.GetLabels.At().Raw(url.Values{"asset": args[1:]}.Encode())
		ending := args[0][strings.LastIndexByte(args[0], '.')+1:]
		switch {
		case ending == "pdf":
		case ending != "svg" && ending != "png":
			return terminal.Misused("FILE %q does not end in .svg, .png or .pdf", args[0])
		case len(args) != 2:
			return terminal.Misused("a label as .%s is of one asset; %d given", ending, len(args)-1)
		case ending == "svg":
			at = api.GetLabel.At(args[1])
		default:
			at = api.GetLabelPicture.At(args[1])
		}
		return terminal.Download(c, at, args[0])
	}
	return c
}

func assetRemoveCommand() *cobra.Command {
	return &cobra.Command{Use: "remove NAME", Short: "Remove an asset; it can be brought back for 30 days",
		Args: terminal.Exactly("NAME"), ValidArgsFunction: assetNames, Example: "  jaunty asset remove old-pump",
		RunE: func(c *cobra.Command, args []string) error {
			return terminal.Remove(c, "asset", args[0], api.RemoveAsset.At(args[0]))
		}}
}
