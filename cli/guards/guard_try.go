package guards

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/alarm"
	"jauntylark/core/limit"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/roster"
)

func guardReplayCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "replay GUARD", Short: "The alarms that a guard would have raised over what is stored",
		Args: terminal.Exactly("GUARD"), ValidArgsFunction: guardNames,
		Long: `Run a guard over what is stored: the alarms that it would have raised, how many a week, how long. With the flags of
'guard set' it is run as if it were changed so; nothing is changed. It is the same function that decides live.

--as-it-was goes through all that happened to the guard since it was made (its versions, acts of people, silences, the
readings in time) and gives exactly the alarms that were raised.`,
		Example: `  jaunty guard replay fern-house-co2-high --since 30d
  jaunty guard replay fern-house-co2-high --limit 950 --deadband 20
  jaunty guard replay fog-pump-busy --as-it-was --json`,
	}
	GuardFlags(c.Flags())
	f := c.Flags()
	terminal.SpanFlags(f, "30d", "", "now")
	f.Float64("limit", 0, "another limit for its first rung, in the unit in which you see the signal")
	f.Bool("as-it-was", false, "go through all that happened to it since it was made")
	c.RunE = replayGuard
	return c
}

func replayGuard(c *cobra.Command, args []string) error {
	g, err := guardNamed(c, args[0])
	if err != nil {
		return err
	}
	if err := ReadGuard(c.Flags(), &g); err != nil {
		return err
	}
	s, see, err := terminal.ServiceSeen(c)
	if err != nil {
		return err
	}
	if err := moveLimit(c, &g, see); err != nil {
		return err
	}
	span, err := terminal.SpanOf(c)
	if err != nil {
		return err
	}
	order := api.ReplayOrder{Guard: g, Since: &span.From}
	order.WithEvents, _ = c.Flags().GetBool("as-it-was")
	if until, _ := c.Flags().GetString("until"); until != "" || !order.WithEvents {
		order.Until = &span.Until
	}
	out, err := replayed(c, s, order)
	if err != nil {
		return err
	}
	return terminal.Show(c, out, func(w io.Writer) {
		rows := [][]string{}
		for _, o := range out.Alarms {
			lasted := "still"
			if o.ClearedAt != nil {
				lasted = prose.Length(o.Length(span.Until))
			}
			rows = append(rows, []string{terminal.Clock(&o.RaisedAt), lasted, string(o.Severity), o.Level,
				see.Say(g.Signal, o.Extreme), o.Cause})
		}
		terminal.Table(w, "No alarm.", []string{"RAISED", "LASTED", "SEVERITY", "RUNG", "PEAK", "ENDED BECAUSE"}, rows)
		fmt.Fprintln(w, out.words)
		tellMarked(w, out.Marked)
	})
}

// moveLimit gives a guard the limit that --limit says, in the unit in which it is seen.
func moveLimit(c *cobra.Command, g *alarm.Guard, see terminal.Seen) error {
	if !c.Flags().Changed("limit") {
		return nil
	}
	given, _ := c.Flags().GetFloat64("limit")
	if len(g.When.Limits()) != 1 {
		return terminal.Misused("--limit goes with one limit, but %s looks for '%s'; say --when", g.Name, g.When)
	}
	convert, err := measure.Converter(see.Units.Of(see.Stored(g.Signal)), see.Stored(g.Signal))
	if err != nil {
		return err
	}
	if g.When.A = given; convert != nil {
		g.When.A = convert(given)
	}
	return nil
}

// replayOutcome is what a replay came to.
type replayOutcome struct {
	Alarms  []alarm.Occurrence `json:"alarms"`
	Summary *alarm.Summary     `json:"summary"`
	Marked  *alarm.Marked      `json:"marked"`
	words   string
}

// replayed has a guard replayed, and shows how far that is.
func replayed(c *cobra.Command, s *client.Client, order api.ReplayOrder) (out replayOutcome, err error) {
	out.Alarms = []alarm.Occurrence{}
	progress := terminal.IsTerminal(os.Stderr)
	err = s.Lines(c.Context(), api.Replay.At(), order, func(line []byte) error {
		var l api.ReplayLine
		if err := json.Unmarshal(line, &l); err != nil {
			return err
		}
		switch {
		case l.Problem != "":
			return errors.New(l.Problem)
		case l.Alarm != nil:
			out.Alarms = append(out.Alarms, *l.Alarm)
		case l.At != nil && progress:
			fmt.Fprintf(os.Stderr, "\r%s, %s so far ", terminal.Clock(l.At),
				prose.Count(len(out.Alarms), "alarm", "alarms"))
		case l.Summary != nil:
			out.Summary, out.Marked, out.words = l.Summary, l.Marked, l.Words
		}
		return nil
	})
	if progress {
		fmt.Fprint(os.Stderr, "\r\x1b[K")
	}
	return out, err
}

// tellMarked says how the alarms meet those that people have marked.
func tellMarked(w io.Writer, m *alarm.Marked) {
	if m == nil {
		return
	}
	var parts []string
	for _, of := range []struct {
		word     string
		met, all int
	}{{"real", m.Real, m.RealOf}, {"useful", m.Useful, m.UsefulOf}, {"false", m.False, m.FalseOf}} {
		if of.all > 0 {
			parts = append(parts, fmt.Sprintf("%d of %d that were %s", of.met, of.all, of.word))
		}
	}
	if len(parts) > 0 {
		fmt.Fprintf(w, "Of the alarms that people marked, it would have raised %s.\n", strings.Join(parts, ", "))
	}
}

func guardLimitsCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "limits DEVICE/SIGNAL", Short: "How a signal's values are spread, and what limits would have raised",
		Args: terminal.Exactly("DEVICE/SIGNAL"), ValidArgsFunction: terminal.SignalPaths,
		Example: "  jaunty guard limits fern-house/co2\n  jaunty guard limits pond/oxygen --since 7d --json",
	}
	terminal.SpanFlags(c.Flags(), "28d", "", "now")
	c.RunE = func(c *cobra.Command, args []string) error {
		span, err := terminal.SpanOf(c)
		if err != nil {
			return err
		}
		_, see, err := terminal.ServiceSeen(c)
		if err != nil {
			return err
		}
		shape, err := terminal.Fetch[limit.Shape](c,
			api.GetLimits.At(terminal.Parts(args[0])).Raw(url.Values{"since": {span.From.String()},
				"until": {span.Until.String()}}.Encode()))
		if err != nil {
			return err
		}
		return terminal.Show(c, shape, func(w io.Writer) { printShape(see, w, args[0], &shape) })
	}
	return c
}

// printShape prints how a signal's values are spread.
func printShape(see terminal.Seen, w io.Writer, path string, shape *limit.Shape) {
	if shape.Readings == 0 {
		fmt.Fprintln(w, "There are no usable readings in that stretch.")
		return
	}
	figure := func(v float64) string { return see.Say(path, v) }
	fmt.Fprintf(w, "%d usable readings since %s.\n\n", shape.Readings, terminal.Clock(&shape.From))
	rows := [][]string{}
	for _, p := range shape.Percentiles {
		rows = append(rows, []string{fmt.Sprintf("%g %%", p.Percent), figure(p.Value)})
	}
	terminal.Table(w, "", []string{"SHARE OF READINGS", "BELOW"}, rows)
	fmt.Fprintln(w)
	rows = rows[:0]
	for _, h := range shape.Hours {
		rows = append(rows, []string{fmt.Sprintf("%02d", h.Hour), figure(h.Low), figure(h.Median), figure(h.High)})
	}
	terminal.Table(w, "", []string{"HOUR", "5 % UNDER", "MIDDLE", "5 % OVER"}, rows)
	fmt.Fprintln(w)
	for _, l := range shape.Limits {
		test, unit := roster.Shown(l.When, see.Stored(path), see.Units)
		text := fmt.Sprintf("%s would have raised %.1f alarms a week", test.Words(unit), l.Would.PerWeek)
		if l.Would.Alarms == 0 {
			text = test.Words(unit) + " would have raised none"
		}
		if m := l.Marked; m != nil && m.RealOf > 0 {
			text += fmt.Sprintf(", and met %d of %d that were real", m.Real, m.RealOf)
		}
		fmt.Fprintln(w, prose.Capital(text)+".")
	}
}
