package guards

import (
	"fmt"
	"io"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/chart"
	"jauntylark/cli/readings"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/alarm"
	"jauntylark/core/limit"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/site"
)

func trialCommand() *cobra.Command {
	c := terminal.Group("trial", "Labelled stretches of a signal, to find a limit", trialStartCommand(),
		trialMarkCommand(), trialUnmarkCommand(), trialListCommand(), trialShowCommand(),
		trialSuggestCommand(), trialAcceptCommand(), trialRemoveCommand())
	c.Long = `Record what is normal and what is not, on purpose and several times, and let the limit follow from it.
A command that names no trial is about the newest.`
	return c
}

func trialStartCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "start DEVICE/SIGNAL", Short: "Start a trial of a signal", Args: terminal.Exactly("DEVICE/SIGNAL"),
		ValidArgsFunction: terminal.SignalPaths,
		Example:           "  jaunty trial start boiler-room/co --note 'Smoke pen, at arm’s length'",
	}
	note := c.Flags().String("note", "", "what is tried")
	c.RunE = func(c *cobra.Command, args []string) error {
		return trialDo(c, api.StartTrial.At(), api.TrialOrder{Signal: args[0], Note: *note},
			func(w io.Writer, t site.Trial) {
				fmt.Fprintf(w,
					"Trial %d of %s is open. Say 'jaunty trial mark normal' while all is in order, and 'jaunty trial "+
						"mark event' while you make it happen; several times each.\n", t.ID, t.Signal)
			})
	}
	return c
}

func trialDo(c *cobra.Command, at api.Place, body any, words func(io.Writer, site.Trial)) error {
	s, err := terminal.SignedIn()
	if err != nil {
		return err
	}
	var t site.Trial
	if err := s.Call(c.Context(), at, body, &t); err != nil {
		return err
	}
	return terminal.Show(c, t, func(w io.Writer) { words(w, t) })
}

// trialOf gives the trial that a command is about: the one whose number its last arguments say, else the newest.
func trialOf(c *cobra.Command, args []string) (t site.Trial, err error) {
	id := int64(0)
	if len(args) > 0 {
		if id, err = strconv.ParseInt(args[0], 10, 64); err != nil || id < 1 {
			return t, terminal.Misused("%q is not the number of a trial; see 'jaunty trial list'", args[0])
		}
	}
	all, err := terminal.Ask(c, api.ListTrials, api.None{})
	if err != nil {
		return t, err
	}
	for _, t := range all {
		if id == 0 || t.ID == id {
			return t, nil
		}
	}
	if id == 0 {
		return t, fmt.Errorf("there is no trial yet; start one with 'jaunty trial start DEVICE/SIGNAL'")
	}
	return t, fmt.Errorf("there is no trial %d; see 'jaunty trial list'", id)
}

func trialMarkCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "mark normal|event|end [TRIAL]", Short: "Mark a stretch from now on, or end it; or one that is past",
		ValidArgs: []string{"normal", "event", "end"},
		Example: `  jaunty trial mark event
  jaunty trial mark end
  jaunty trial mark normal --since 2h --until 90m`,
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) < 1 || len(args) > 2 {
				return terminal.Misused(
					"say what it is: normal, event, or end to end the stretch that goes on; and of which trial, if " +
						"it is not the newest")
			}
			if args[0] != "normal" && args[0] != "event" && args[0] != "end" {
				return terminal.Misused("%s", site.Unknown("label", args[0], []string{"normal", "event", "end"}))
			}
			return nil
		},
	}
	terminal.SpanFlags(c.Flags(), "", "from now on", "until it is ended")
	c.RunE = func(c *cobra.Command, args []string) error {
		t, err := trialOf(c, args[1:])
		if err != nil {
			return err
		}
		body := api.MarkOrder{Label: strings.TrimPrefix(args[0], "end")}
		if body.From, err = terminal.MomentFlag(c.Flags(), "since"); err != nil {
			return err
		}
		if body.Until, err = terminal.MomentFlag(c.Flags(), "until"); err != nil {
			return err
		}
		return trialDo(c, api.MarkTrial.At(t.ID), body, showTrial)
	}
	return c
}

func trialUnmarkCommand() *cobra.Command {
	c := &cobra.Command{Use: "unmark STRETCH [TRIAL]", Short: "Remove a stretch of a trial",
		Args: terminal.Between(1, 2), Example: "  jaunty trial unmark 4"}
	c.RunE = func(c *cobra.Command, args []string) error {
		id, err := strconv.ParseInt(args[0], 10, 64)
		if err != nil || id < 1 {
			return terminal.Misused("%q is not the number of a stretch; see 'jaunty trial show'", args[0])
		}
		t, err := trialOf(c, args[1:])
		if err != nil {
			return err
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		if _, err := client.Do(c.Context(), s, api.UnmarkTrial, api.UnmarkTrialIn{TrialPath: api.TrialPath{ID: t.ID},
			Stretch: id}); err != nil {
			return err
		}
		return terminal.Show(c, map[string]int64{"removed": id},
			func(w io.Writer) { fmt.Fprintf(w, "Stretch %d of trial %d is removed.\n", id, t.ID) })
	}
	return c
}

func trialListCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "All trials, newest first", Args: terminal.Exactly(), Example: "  jaunty trial list",
		RunE: func(c *cobra.Command, _ []string) error {
			all, err := terminal.Ask(c, api.ListTrials, api.None{})
			if err != nil {
				return err
			}
			return terminal.Show(c, all, func(w io.Writer) {
				rows := [][]string{}
				for _, t := range all {
					rows = append(rows, []string{strconv.FormatInt(t.ID, 10), t.Signal, terminal.Clock(&t.StartedAt),
						t.By, strconv.Itoa(len(t.Stretches)), t.Guard, t.Note})
				}
				terminal.Table(w, "No trials yet; start one with 'jaunty trial start DEVICE/SIGNAL'.",
					[]string{"ID", "SIGNAL", "STARTED", "BY", "STRETCHES", "GUARD", "NOTE"}, rows)
			})
		},
	}
}

func showTrial(w io.Writer, t site.Trial) {
	fmt.Fprintf(w, "Trial %d of %s\n", t.ID, t.Signal)
	rows := [][]string{}
	for _, s := range t.Stretches {
		length := "goes on"
		if s.Until != nil {
			length = prose.Length(s.Until.Sub(s.From))
		}
		rows = append(rows, []string{strconv.FormatInt(s.ID, 10), s.Label, terminal.Clock(&s.From), length})
	}
	terminal.Table(w, "Nothing is marked yet.", []string{"STRETCH", "LABEL", "FROM", "LENGTH"}, rows)
}

func trialShowCommand() *cobra.Command {
	c := &cobra.Command{Use: "show [TRIAL]", Short: "The stretches of a trial", Args: terminal.Between(0, 1),
		Example: "  jaunty trial show\n  jaunty trial show 3"}
	c.RunE = func(c *cobra.Command, args []string) error {
		t, err := trialOf(c, args)
		if err != nil {
			return err
		}
		return terminal.Show(c, t, func(w io.Writer) { showTrial(w, t) })
	}
	return c
}

func trialSuggestCommand() *cobra.Command {
	c := &cobra.Command{Use: "suggest [TRIAL]",
		Short: "The limit that a trial speaks for, with why, how sure, and a chart", Args: terminal.Between(0, 1),
		Example: "  jaunty trial suggest\n  jaunty trial suggest 3 --json"}
	c.RunE = func(c *cobra.Command, args []string) error {
		t, err := trialOf(c, args)
		if err != nil {
			return err
		}
		found, err := terminal.Ask(c, api.SuggestLimit, api.TrialPath{ID: t.ID})
		if err != nil {
			return err
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		return terminal.Show(c, found, func(w io.Writer) {
			if err := drawTrial(c, s, w, t, found); err != nil {
				fmt.Fprintln(w, "(no chart: "+err.Error()+")")
			}
			fmt.Fprintln(w, found.Reason)
			if found.Apart {
				fmt.Fprintf(w, "\n%s\n\nTo make the guard: jaunty trial accept %d --tell YOU@EXAMPLE\n",
					found.Certainty, t.ID)
			}
		})
	}
	return c
}

// drawTrial draws the stretches of a trial with the suggested limit. Those of events are underlined as alarms are.
func drawTrial(c *cobra.Command, s *client.Client, w io.Writer, t site.Trial, found limit.Suggestion) error {
	if len(t.Stretches) == 0 {
		return nil
	}
	span, err := terminal.SpanOf(c)
	if err != nil {
		return err
	}
	span.From = t.Stretches[0].From
	if last := t.Stretches[len(t.Stretches)-1]; last.Until != nil {
		span.Until = *last.Until
	}
	room := (span.Until - span.From) / 20
	span.From, span.Until = span.From-room, min(span.Until+room, span.Until)
	screen := readings.TerminalFor(c, 0, 0)
	panels, err := readings.PanelsOf(c, s, []string{t.Signal}, span, screen.Columns())
	if err != nil {
		return err
	}
	p := &panels[0]
	p.Alarms, p.Limits, p.Called = nil, nil, limit.Event
	if units, err := terminal.ShownUnits(c, s); err == nil && found.Apart {
		value, _ := units.Show(found.Limit, found.Unit)
		p.Limits = []chart.Limit{{Value: value, Name: "suggested"}}
	}
	for _, stretch := range t.Stretches {
		if until := span.Until; stretch.Label == limit.Event {
			if stretch.Until != nil {
				until = *stretch.Until
			}
			p.Alarms = append(p.Alarms, chart.Shading{From: stretch.From, Until: until})
		}
	}
	screen.Draw(w, span, panels)
	return nil
}

func trialAcceptCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "accept [TRIAL]", Short: "Make a guard of what a trial suggests", Args: terminal.Between(0, 1),
		Example: "  jaunty trial accept --name boiler-gas --severity critical --tell orla@hollowbrook.example " +
			"--advice 'Open the door and go out.'",
	}
	f := c.Flags()
	f.String("name", "", "name of the guard; made from the signal and the limit when left out")
	f.String("severity", "warning", "advisory, warning or critical")
	f.StringSlice("tell", nil, "e-mail address of someone to tell; may be repeated")
	f.String("advice", "", "what to do; every notice shows it")
	f.Bool("latch", false, "the alarm stays until a person resets it")
	f.String("least-gap", "0s",
		"how long after a message about one alarm the next is held back, like 10m; what is more severe comes at once")
	terminal.CompleteFrom(c, "severity", "advisory", "warning", "critical")
	c.RunE = func(c *cobra.Command, args []string) error {
		t, err := trialOf(c, args)
		if err != nil {
			return err
		}
		var body api.AcceptOrder
		severity, _ := f.GetString("severity")
		body.Severity = alarm.Severity(severity)
		body.Name, _ = f.GetString("name")
		body.Advice, _ = f.GetString("advice")
		body.Tell, _ = f.GetStringSlice("tell")
		body.Latch, _ = f.GetBool("latch")
		gap, _ := f.GetString("least-gap")
		if body.LeastGap, err = measure.ParseDuration(gap); err != nil {
			return terminal.Misused("--least-gap: %v", err)
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		var g alarm.Guard
		if err := s.Call(c.Context(), api.AcceptTrial.At(t.ID), body, &g); err != nil {
			return err
		}
		see, err := terminal.SeenSignals(c, s)
		if err != nil {
			return err
		}
		return terminal.Show(c, g, func(w io.Writer) { fmt.Fprintln(w, describe(see, g)) })
	}
	return c
}

func trialRemoveCommand() *cobra.Command {
	c := &cobra.Command{Use: "remove ID", Short: "Remove a trial; the readings and its guard stay",
		Args: terminal.Exactly("ID"), Example: "  jaunty trial remove 3"}
	c.RunE = func(c *cobra.Command, args []string) error {
		id, err := strconv.ParseInt(args[0], 10, 64)
		if err != nil || id < 1 {
			return terminal.Misused("%q is not the number of a trial; see 'jaunty trial list'", args[0])
		}
		return terminal.Remove(c, "trial", args[0], api.RemoveTrial.At(id))
	}
	return c
}
