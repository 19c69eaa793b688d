package cli

import (
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"

	"github.com/spf13/cobra"

	"jauntylark/core/alarm"
	"jauntylark/core/run"
)

func runPlanCommand() *cobra.Command {
	return group("plan", "Plans that start and end runs by themselves: by a condition, or by a schedule", planSaveCommand(), planListCommand(), planRemoveCommand())
}

func planSaveCommand() *cobra.Command {
	c := &cobra.Command{Use: "save NAME ASSET", Short: "Save a plan of an asset's runs", Args: exactly("NAME", "ASSET"),
		Example: `  jaunty run plan save night propagation-bench --hours 'daily 22:00-06:00' --goal 'bench/root-zone between 18 and 22 for 90%'
  jaunty run plan save firing boiler-room --signal boiler-room/flame --start 'is off' --end 'is on'`}
	f := c.Flags()
	f.String("title", "", "what its runs are called, with their date")
	f.String("signal", "", "DEVICE/SIGNAL that starts and ends them")
	f.String("start", "", "a run starts when the signal is so, like 'above 40'")
	f.String("end", "", "it ends when the signal is so; when start is not met any more, if left out")
	f.String("hours", "", "instead of a signal: when its runs are, like 'daily 22:00-06:00'")
	f.StringArray("goal", nil, goalHelp)
	c.RunE = func(c *cobra.Command, args []string) (err error) {
		text := func(name string) string { v, _ := f.GetString(name); return v }
		p := run.Plan{Asset: args[1], Title: text("title"), Signal: text("signal"), Hours: text("hours")}
		if p.Goals, err = readGoals(f); err != nil {
			return err
		}
		for flag, into := range map[string]*alarm.Test{"start": &p.Start, "end": &p.End} {
			if err := into.UnmarshalText([]byte(text(flag))); err != nil {
				return misused("--%s: %w", flag, err)
			}
		}
		s, err := service()
		if err != nil {
			return err
		}
		if err := s.Do(c.Context(), http.MethodPut, plansPath+"/"+url.PathEscape(args[0]), p, &p); err != nil {
			return err
		}
		return show(c, p, func(w io.Writer) { fmt.Fprintf(w, "Plan %s starts and ends runs of %s by itself.\n", args[0], p.Asset) })
	}
	return c
}

func planListCommand() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "All plans", Args: exactly(), Example: "  jaunty run plan list",
		RunE: func(c *cobra.Command, _ []string) error {
			plans, err := fetch[[]run.Plan](c, plansPath)
			if err != nil {
				return err
			}
			return show(c, plans, func(w io.Writer) {
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
				table(w, "No plans yet; 'jaunty run plan save NAME ASSET' makes one.", []string{"PLAN", "ASSET", "WHEN", "GOALS"}, rows)
			})
		}}
}

func planRemoveCommand() *cobra.Command {
	return &cobra.Command{Use: "remove NAME", Short: "Remove a plan; its runs stay", Args: exactly("NAME"), Example: "  jaunty run plan remove night",
		RunE: func(c *cobra.Command, args []string) error {
			return remove(c, "plan", args[0], plansPath+"/"+url.PathEscape(args[0]))
		}}
}
