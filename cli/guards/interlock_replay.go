package guards

import (
	"fmt"
	"io"
	"time"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
)

func interlockReplayCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "replay [NAME]",
		Short: "Replay an interlock over what is stored: when its output would have run, for how long, " +
			"how many starts",
		ValidArgsFunction: interlockNames,
		Long: `Replay an interlock over what is stored, as if it alone drove its output: when the output would have run, for how long, how many starts,
with its least times and its most starts in an hour. Name one that is saved, describe one with the flags of 'interlock add', or both:
then it is replayed as if it were changed so. Nothing is ordered and nothing is kept. Nobody is there to reset it, so it does not latch;
alarms are those that guards would raise as they are now.`,
		Example: `  jaunty interlock replay shed-extractor --since 30d
  jaunty interlock replay shed-extractor --when 'potting-shed/vapour above 350' --deadband 80
  jaunty interlock replay --output boiler-room/fan --when 'boiler-room/carbon-monoxide above 60' --since 60d --json`,
	}
	interlockFlags(c)
	terminal.SpanFlags(c.Flags(), "30d", "", "now")
	c.Args = func(c *cobra.Command, args []string) error {
		if len(args) > 1 {
			return terminal.Misused("%s takes one NAME, or none; %d given", c.CommandPath(), len(args))
		}
		return nil
	}
	c.RunE = func(c *cobra.Command, args []string) (err error) {
		i := drive.Interlock{Name: "tried"}
		if len(args) == 1 {
			if i, err = interlockNamed(c, args[0]); err != nil {
				return err
			}
		}
		if err := readInterlock(c.Flags(), &i); err != nil {
			return err
		}
		_, o, err := outputAt(c, i.Output)
		if err != nil {
			return err
		}
		span, err := terminal.SpanOf(c)
		if err != nil {
			return err
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		var tried drive.Tried
		order := api.TryInterlockOrder{Interlock: i, From: span.From, Until: span.Until}
		if err := s.Call(c.Context(), api.TryInterlock.At(), order, &tried); err != nil {
			return err
		}
		return terminal.Show(c, tried, func(w io.Writer) { printTried(w, &o, tried, span.From, span.Until) })
	}
	return c
}

// shownRuns is how many runs people see; the newest ones.
const shownRuns = 20

func printTried(w io.Writer, o *drive.Output, tried drive.Tried, from, until measure.Instant) {
	over := prose.Length(until.Sub(from))
	runs := o.Kind == drive.KindSwitch || o.Kind == drive.KindLevel
	if runs {
		fmt.Fprintf(w, "%s would have started %s in %s and run for %s, %s at the longest; most starts within an "+
			"hour: %d.\n", o.Path(), terminal.Times(tried.Starts), over,
			prose.Length(time.Duration(tried.Running)), prose.Length(time.Duration(tried.Longest)), tried.Busiest)
	} else {
		fmt.Fprintf(w, "%s would have changed %s in %s.\n", o.Path(), terminal.Times(len(tried.Stretches)), over)
	}
	if tried.Blind > 0 {
		fmt.Fprintf(w, "For %s of that it would have been in its safe state, %s, since what drives it was silent, "+
			"faulty, warming or not there.\n", prose.Length(time.Duration(tried.Blind)), o.Words(o.Safe))
	}
	if len(tried.Stretches) == 0 {
		return
	}
	shown := tried.Stretches[max(0, len(tried.Stretches)-shownRuns):]
	if left := len(tried.Stretches) - len(shown); left > 0 {
		fmt.Fprintf(w, "\nThe newest %d (%d came before; --json has all):\n", len(shown), left)
	}
	var rows [][]string
	for _, r := range shown {
		end := "still"
		if r.Until != nil {
			end = terminal.Clock(r.Until)
		}
		rows = append(rows, []string{terminal.Clock(&r.From), end, prose.Length(r.Length(until)), o.Words(r.Value),
			r.Why})
	}
	terminal.Table(w, "", []string{"FROM", "UNTIL", "LENGTH", "STATE", "WHY"}, rows)
}
