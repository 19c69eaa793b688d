package guards

import (
	"fmt"
	"io"
	"strconv"
	"time"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/roster"
)

func drillCommand() *cobra.Command {
	return terminal.Group("drill", "Prove the whole way: a marked reading goes from intake to somebody's \"I have it\"",
		drillStartCommand(), drillListCommand(), drillShowCommand(), drillStopCommand())
}

func drillStartCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "start GUARD", Short: "Prove the whole way: a marked reading goes from intake to somebody's \"I have it\"",
		Args: terminal.Exactly("GUARD"), ValidArgsFunction: guardNames,
		Long: `Let a made-up reading that the guard would raise an alarm for go the whole way: it is taken in, steps a copy of the guard, and all
whom the guard tells are told, step by step, until somebody has it. Every message begins with "Drill". The guard, its
alarms, charts, totals and records stay as they are, and outputs are passed by unless you say --outputs. Each step is printed with its time as it happens.`,
		Example: `  jaunty drill start carbon-monoxide-high
  jaunty drill start carbon-monoxide-high --for 0s
  jaunty drill list`,
	}
	c.Flags().Bool("outputs", false,
		"drive interlocks of the guard's alarm too, until the drill ends; otherwise it passes outputs by")
	c.Flags().String("for", "30m", "how long to wait for somebody to take it; 0s: not at all")
	c.RunE = func(c *cobra.Command, args []string) error {
		text, _ := c.Flags().GetString("for")
		wait, err := measure.ParseDuration(text)
		if err != nil {
			return terminal.Misused("--for: %w", err)
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		var d roster.Drill
		at := api.StartDrill.At(args[0])
		if moves, _ := c.Flags().GetBool("outputs"); moves {
			at = at.Asking("outputs", true)
		}
		if err := s.Call(c.Context(), at, nil, &d); err != nil {
			return err
		}
		return followDrill(c, s, d, time.Duration(wait))
	}
	return c
}

// followDrill prints the steps of a drill as they happen.
func followDrill(c *cobra.Command, s *client.Client, d roster.Drill, wait time.Duration) error {
	asJSON, _ := c.Flags().GetBool("json")
	told, until := 0, time.Now().Add(wait)
	for {
		if !asJSON {
			settled := len(d.Steps)
			for told < settled {
				printStep(c.OutOrStdout(), d.Steps[told])
				told++
			}
		}
		if d.EndedAt != nil || wait == 0 || time.Now().After(until) {
			break
		}
		select {
		case <-c.Context().Done():
			return c.Context().Err()
		case <-time.After(300 * time.Millisecond):
		}
		next, err := client.Do(c.Context(), s, api.GetDrill, api.DrillPath{ID: d.ID})
		if err != nil {
			return err
		}
		next.Steps = newSteps(d.Steps, next.Steps)
		d = next
	}
	return terminal.Show(c, d, func(w io.Writer) {
		switch {
		case d.EndedAt == nil:
			fmt.Fprintf(w, "Nobody has it yet. The drill goes on: jaunty drill show %d\n", d.ID)
		default:
			fmt.Fprintf(w, "The drill is over: %s, %s after the reading.\n", d.Ended,
				prose.Length(d.EndedAt.Sub(d.StartedAt)))
		}
	})
}

// newSteps keeps the steps that were told in their order, and puts those that are new behind them; a plan that has
// become an attempt is new.
func newSteps(told, all []roster.DrillStep) []roster.DrillStep {
	seen := map[roster.DrillStep]bool{}
	for _, s := range told {
		seen[s] = true
	}
	out := told
	for _, s := range all {
		if !seen[s] {
			out = append(out, s)
		}
	}
	return out
}

func printStep(w io.Writer, s roster.DrillStep) {
	mark := " "
	if !s.OK {
		mark = "!"
	}
	fmt.Fprintf(w, "%9.3f s %s %s\n", float64(s.Took)/1000, mark, s.What)
}

func drillID(text string) (int64, error) {
	id, err := strconv.ParseInt(text, 10, 64)
	if err != nil || id < 1 {
		return 0, terminal.Misused("%q is not the number of a drill; see 'jaunty drill list'", text)
	}
	return id, nil
}

func drillListCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "Drills, newest first", Args: terminal.Exactly(), Example: "  jaunty drill list",
		RunE: func(c *cobra.Command, _ []string) error {
			all, err := terminal.AskAll(c, api.ListDrills, api.Page{})
			if err != nil {
				return err
			}
			return terminal.Show(c, all, func(w io.Writer) {
				rows := [][]string{}
				for _, d := range all {
					took := "goes on"
					if d.EndedAt != nil {
						took = d.Ended + ", after " + prose.Length(d.EndedAt.Sub(d.StartedAt))
					}
					rows = append(rows, []string{strconv.FormatInt(d.ID, 10), terminal.Clock(&d.StartedAt), d.Guard,
						d.By, took})
				}
				terminal.Table(w, "Nothing was drilled yet.", []string{"DRILL", "WHEN", "GUARD", "BY", "HOW IT ENDED"},
					rows)
			})
		},
	}
}

func drillShowCommand() *cobra.Command {
	return &cobra.Command{
		Use: "show DRILL", Short: "A drill, each step with its time", Args: terminal.Exactly("DRILL"),
		Example: "  jaunty drill show 3",
		RunE: func(c *cobra.Command, args []string) error {
			id, err := drillID(args[0])
			if err != nil {
				return err
			}
			d, err := terminal.Ask(c, api.GetDrill, api.DrillPath{ID: id})
			if err != nil {
				return err
			}
			return terminal.Show(c, d, func(w io.Writer) {
				fmt.Fprintf(w, "Drill %d of guard %s, by %s at %s\n", d.ID, d.Guard, d.By, terminal.Clock(&d.StartedAt))
				for _, s := range d.Steps {
					printStep(w, s)
				}
			})
		},
	}
}

func drillStopCommand() *cobra.Command {
	return &cobra.Command{
		Use: "stop DRILL", Short: "Stop a drill that nobody has taken", Args: terminal.Exactly("DRILL"),
		Example: "  jaunty drill stop 3",
		RunE: func(c *cobra.Command, args []string) error {
			id, err := drillID(args[0])
			if err != nil {
				return err
			}
			s, err := terminal.SignedIn()
			if err != nil {
				return err
			}
			if _, err := client.Do(c.Context(), s, api.StopDrill, api.DrillPath{ID: id}); err != nil {
				return err
			}
			return terminal.Show(c, map[string]int64{"stopped": id},
				func(w io.Writer) { fmt.Fprintf(w, "Drill %d is stopped; those who were told hear so.\n", id) })
		},
	}
}
