package record

import (
	"fmt"
	"io"
	"strconv"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/alarm"
	"jauntylark/core/run"
)

func runPlanCommand() *cobra.Command {
	return terminal.Group("plan", "Plans that start and end runs by themselves: by a condition, or by a schedule",
		planSaveCommand(terminal.Saving{Verb: "add", Short: "Add a plan of an asset's runs"}),
		planSaveCommand(terminal.Saving{Verb: "set", Short: "Change a plan; what is not said stays"}),
		planListCommand(), planRemoveCommand())
}

func planSaveCommand(as terminal.Saving) *cobra.Command {
	c := &cobra.Command{Use: as.Verb + " NAME", Short: as.Short, Args: terminal.Exactly("NAME"),
		Example: `  jaunty run plan add night --asset propagation-bench --hours 'daily 22:00-06:00' --goal 'bench/root-zone between 18 and 22 for 90%'
  jaunty run plan add firing --asset boiler-room --signal boiler-room/flame --start 'is off' --end 'is on'
  jaunty run plan set night --hours 'daily 21:00-06:00'`}
	f := c.Flags()
	f.String("asset", "", "the asset whose runs it starts and ends")
	f.String("title", "", "what its runs are called, with their date")
	f.String("signal", "", "DEVICE/SIGNAL that starts and ends them; '' for none")
	f.String("start", "", "a run starts when the signal is so, like 'above 40'")
	f.String("end", "", "it ends when the signal is so; when start is not met any more, if left out")
	f.String("hours", "", "instead of a signal: when its runs are, like 'daily 22:00-06:00'; '' for none")
	f.StringArray("goal", nil, goalHelp+"; replaces what there is, '' for none")
	_ = c.RegisterFlagCompletionFunc("asset", assetNames)
	_ = c.RegisterFlagCompletionFunc("signal", terminal.SignalPaths)
	c.RunE = func(c *cobra.Command, args []string) (err error) {
		p, err := terminal.Draft(c, as, "plan", api.ListPlans.At(), api.GetPlan.At(args[0]), args[0], run.Plan{Name: args[0]},
			func(p run.Plan) string { return p.Name })
		if err != nil {
			return err
		}
		if err := readPlan(f, &p); err != nil {
			return err
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		p, err = client.Do(c.Context(), s, api.PutPlan, api.PutPlanIn{PlanPath: api.PlanPath{Plan: args[0]}, Body: p})
		if err != nil {
			return err
		}
		return terminal.Show(c, p, func(w io.Writer) {
			fmt.Fprintf(w, "Plan %s starts and ends runs of %s by itself.\n", args[0], p.Asset)
		})
	}
	return c
}

// readPlan takes what the flags say into p.
func readPlan(f *pflag.FlagSet, p *run.Plan) (err error) {
	for flag, into := range map[string]*string{"asset": &p.Asset, "title": &p.Title, "signal": &p.Signal,
		"hours": &p.Hours} {
		if f.Changed(flag) {
			*into, _ = f.GetString(flag)
		}
	}
	if f.Changed("goal") {
		if p.Goals, err = readGoals(f); err != nil {
			return err
		}
	}
	for flag, into := range map[string]*alarm.Test{"start": &p.Start, "end": &p.End} {
		if text, _ := f.GetString(flag); f.Changed(flag) {
			if err := into.UnmarshalText([]byte(text)); err != nil {
				return terminal.Misused("--%s: %w", flag, err)
			}
		}
	}
	return nil
}

func planListCommand() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "All plans", Args: terminal.Exactly(), Example: "  jaunty run plan list",
		RunE: func(c *cobra.Command, _ []string) error {
			plans, err := terminal.Ask(c, api.ListPlans, api.None{})
			if err != nil {
				return err
			}
			return terminal.Show(c, plans, func(w io.Writer) {
				rows := [][]string{}
				for _, p := range plans {
					when := p.Hours
					if p.Signal != "" {
						when = p.Signal + " " + p.Start.String()
						if p.End.Kind != 0 {
							when += " until " + p.End.String()
						}
					}
					rows = append(rows, []string{p.Name, p.Asset, when, strconv.Itoa(len(p.Goals))})
				}
				terminal.Table(w, "No plans yet; 'jaunty run plan add NAME' makes one.",
					[]string{"PLAN", "ASSET", "WHEN", "GOALS"}, rows)
			})
		}}
}

func planRemoveCommand() *cobra.Command {
	return &cobra.Command{Use: "remove NAME", Short: "Remove a plan; its runs stay", Args: terminal.Exactly("NAME"),
		Example: "  jaunty run plan remove night",
		RunE: func(c *cobra.Command, args []string) error {
			return terminal.Remove(c, "plan", args[0], api.RemovePlan.At(args[0]))
		}}
}
