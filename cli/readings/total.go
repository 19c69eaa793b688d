package readings

import (
	"fmt"
	"io"
	"net/url"
	"time"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/total"
)

func totalCommand() *cobra.Command {
	return terminal.Group("total", "Running totals: on-time, cycles, energy, cost, volume", totalAddCommand(),
		totalListCommand(), totalShowCommand(), totalResetCommand(), totalRemoveCommand())
}

func totalNames(c *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	return terminal.Names(c, api.ListTotals.At(), func(t api.TotalNow) string { return t.Name })
}

func totalAddCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "add NAME DEVICE/SIGNAL", Short: "Add a total of a signal",
		Args: terminal.Exactly("NAME", "DEVICE/SIGNAL"),
		Example: `  jaunty total add fog-pump-cycles fog-pump/running --kind cycles
  jaunty total add lamp-cost lamp-meter/power --kind cost --tariff day-night
  jaunty total add spring-water spring/flow --kind volume --title 'Water from the spring'`,
	}
	f := c.Flags()
	f.String("kind", "",
		"on-time, cycles or longest-run of what is on or off; energy or cost of a power; volume of a flow; integral "+
			"of any rate")
	f.String("tariff", "", "of cost: what energy costs")
	f.String("title", "", "what people call it")
	_ = c.MarkFlagRequired("kind")
	terminal.CompleteFrom(c, "kind", total.KindsOf...)
	_ = c.RegisterFlagCompletionFunc("tariff", tariffNames)
	c.RunE = func(c *cobra.Command, args []string) error {
		body := map[string]any{"name": args[0], "signal": args[1]}
		for _, name := range []string{"kind", "tariff", "title"} {
			if v, _ := f.GetString(name); v != "" {
				body[name] = v
			}
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		var out api.TotalNow
		if err := s.Call(c.Context(), api.AddTotal.At(), body, &out); err != nil {
			return err
		}
		return terminal.Show(c, out, func(w io.Writer) {
			fmt.Fprintf(w, "Total %s: %s today, %s this month.\n", out.Name, comesTo(&out.Total, out.Today),
				comesTo(&out.Total, out.Month))
		})
	}
	return c
}

// comesTo writes a result for people.
func comesTo(t *total.Total, r total.Result) string { return total.Says(t.Kind, t.Unit, r.Value) }

// leftOut tells what a result does not count.
func leftOut(r total.Result) string {
	text := ""
	if r.Missing >= 1 {
		text = prose.Length(time.Duration(r.Missing*float64(time.Second))) + " without data"
	}
	if r.LeftOut > 0 {
		if text != "" {
			text += ", "
		}
		text += prose.Count(r.LeftOut, "reading", "readings") + " not usable"
	}
	return text
}

func totalListCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "All totals: today, this month, and since the last reset", Args: terminal.Exactly(),
		Example: "  jaunty total list",
		RunE: func(c *cobra.Command, _ []string) error {
			all, err := terminal.Ask(c, api.ListTotals, api.None{})
			if err != nil {
				return err
			}
			return terminal.Show(c, all, func(w io.Writer) {
				rows := [][]string{}
				for _, t := range all {
					since := "-"
					if t.SinceReset != nil {
						since = comesTo(&t.Total, *t.SinceReset) + ", since " + terminal.Clock(t.ResetAt)
					}
					rows = append(rows, []string{t.Name, t.Kind + " of " + t.Signal, comesTo(&t.Total, t.Today),
						comesTo(&t.Total, t.Month), since, leftOut(t.Today)})
				}
				terminal.Table(w, "No totals yet; add one with 'jaunty total add NAME DEVICE/SIGNAL --kind …'.",
					[]string{"TOTAL", "OF", "TODAY", "THIS MONTH", "SINCE RESET", "NOT COUNTED TODAY"}, rows)
			})
		},
	}
}

func totalShowCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "show TOTAL", Short: "A total by day, week or month, and between its resets",
		Args:              terminal.Exactly("TOTAL"),
		Example:           "  jaunty total show lamp-cost --by month\n  jaunty total show fog-pump-cycles --since 30d",
		ValidArgsFunction: totalNames,
	}
	c.Flags().String("by", "day", "day, week or month, in the site's time zone")
	terminal.SpanFlags(c.Flags(), "", "14 days, 12 weeks or 12 months ago", "now")
	terminal.CompleteFrom(c, "by", "day", "week", "month")
	c.RunE = func(c *cobra.Command, args []string) error {
		query := url.Values{}
		by, _ := c.Flags().GetString("by")
		query.Set("by", by)
		if err := terminal.SpanQuery(c.Flags(), query); err != nil {
			return err
		}
		t, err := terminal.Fetch[api.TotalStory](c, api.GetTotal.At(args[0]).Raw(query.Encode()))
		if err != nil {
			return err
		}
		here, err := terminal.Ask(c, api.GetSite, api.None{})
		if err != nil {
			return err
		}
		zone, err := time.LoadLocation(here.Zone)
		if err != nil {
			return err
		}
		return terminal.Show(c, t, func(w io.Writer) { tellTotal(w, &t, zone) })
	}
	return c
}

// tellTotal prints a total in the site's time zone, whose midnights its periods begin at.
func tellTotal(w io.Writer, t *api.TotalStory, zone *time.Location) {
	clock := func(i measure.Instant) string { return i.Time().In(zone).Format("2006-01-02 15:04:05") }
	rows := [][]string{}
	for _, r := range t.Periods {
		if len(rows) == 0 && r.Known == 0 && r.Missing == 0 {
			continue // before its first reading
		}
		rows = append(rows, []string{clock(r.At)[:10], comesTo(&t.Total, r), leftOut(r)})
	}
	terminal.Table(w, "Nothing yet.", []string{"FROM", "TOTAL", "NOT COUNTED"}, rows)
	if t.Kind == total.Cycles || t.Kind == total.OnTime {
		if n := len(t.Periods); n > 0 && t.Periods[n-1].LastOn != nil {
			fmt.Fprintf(w, "It was last on %s.\n", terminal.Age(t.Periods[n-1].LastOn))
		}
	}
	if len(t.Between) == 0 {
		return
	}
	fmt.Fprintln(w, "\nSince it was reset:")
	rows = rows[:0]
	for _, r := range t.Between {
		rows = append(rows, []string{clock(r.At), clock(r.Until), comesTo(&t.Total, r), leftOut(r)})
	}
	terminal.Table(w, "", []string{"FROM", "UNTIL", "TOTAL", "NOT COUNTED"}, rows)
}

func totalResetCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "reset TOTAL", Short: "Reset a total: it counts anew, and what it came to is kept",
		Args: terminal.Exactly("TOTAL"),
		Long: "Let a total count anew from now on. What it came to by day, week, month and since earlier resets " +
			"is kept.\nThe reset is noted in the journal, and can be undone with --undo.",
		Example: "  jaunty total reset fog-pump-cycles --yes --note 'new valve'\n  jaunty total reset " +
			"fog-pump-cycles --undo", ValidArgsFunction: totalNames,
	}
	c.Flags().String("note", "", "why")
	c.Flags().Bool("yes", false, "confirm it")
	c.Flags().Bool("undo", false, "undo the newest reset")
	c.RunE = func(c *cobra.Command, args []string) error {
		undo, _ := c.Flags().GetBool("undo")
		yes, _ := c.Flags().GetBool("yes")
		if !undo && !yes {
			return terminal.Misused("this lets %s count from 0 again; say --yes to confirm", args[0])
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		note, _ := c.Flags().GetString("note")
		var r total.Reset
		if undo {
			err = s.Call(c.Context(), api.UndoReset.At(args[0]), nil, &r)
		} else {
			err = s.Call(c.Context(), api.ResetTotal.At(args[0]), api.ResetOrder{Note: note}, &r)
		}
		if err != nil {
			return err
		}
		return terminal.Show(c, r, func(w io.Writer) {
			if undo {
				fmt.Fprintf(w, "The reset of %s at %s is undone.\n", args[0], terminal.Clock(&r.At))
			} else {
				fmt.Fprintf(w, "Total %s counts anew since %s.\n", args[0], terminal.Clock(&r.At))
			}
		})
	}
	return c
}

func totalRemoveCommand() *cobra.Command {
	return &cobra.Command{
		Use: "remove TOTAL", Short: "Remove a total; the readings stay", Args: terminal.Exactly("TOTAL"),
		Example: "  jaunty total remove fog-pump-cycles", ValidArgsFunction: totalNames,
		RunE: func(c *cobra.Command, args []string) error {
			return terminal.Remove(c, "total", args[0], api.RemoveTotal.At(args[0]))
		},
	}
}
