package record

import (
	"fmt"
	"io"
	"net/url"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/core/act"
	"jauntylark/core/prose"
	"jauntylark/core/run"
)

func runCommand() *cobra.Command {
	return terminal.Group("run", "Runs: named stretches of time on an asset, as a batch or a night", runStartCommand(),
		runStopCommand(), runListCommand(), runShowCommand(), runCompareCommand(), runSetCommand(), runPhaseCommand(),
		runReportCommand(), runRemoveCommand(), runPlanCommand())
}

// runID finds the run that an argument names: by its number, or the one that is on of an asset.
func runID(c *cobra.Command, text string) (int64, error) {
	if id, err := strconv.ParseInt(text, 10, 64); err == nil && id > 0 {
		return id, nil
	}
	runs, err := terminal.AskAll(c, api.ListRuns, api.ListRunsIn{Asset: text})
	if err != nil {
		return 0, err
	}
	for _, r := range runs {
		if r.EndedAt == nil {
			return r.ID, nil
		}
	}
	return 0, fmt.Errorf("no run of %s is on", text)
}

func runNames(c *cobra.Command, args []string, begun string) ([]string, cobra.ShellCompDirective) {
	if len(args) > 0 {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	return terminal.Names(c, api.ListRuns.At(), func(r run.Run) string {
		return strconv.FormatInt(r.ID, 10) + "\t" + r.Title
	})
}

// readGoals reads goals as people write them.
func readGoals(f *pflag.FlagSet) (run.Goals, error) {
	texts, _ := f.GetStringArray("goal")
	goals := run.Goals{}
	for _, text := range texts {
		if text == "" {
			continue
		}
		g, err := run.ParseGoal(text)
		if err != nil {
			return nil, terminal.Misused("--goal: %w", err)
		}
		goals = append(goals, g)
	}
	return goals, nil
}

const goalHelp = "'DEVICE/SIGNAL reaches 74', '… falls to 4', '… between 18 and 22 for 90%'; may be repeated"

func runStartCommand() *cobra.Command {
	c := &cobra.Command{Use: "start ASSET [TITLE]",
		Short: "Start a run of an asset; with --until, add one that is over", Args: terminal.Between(1, 2),
		ValidArgsFunction: assetNames,
		Example: `  jaunty run start compost-heap 'Heap 7' --goal 'compost/core reaches 60'
  jaunty run start propagation-bench 'Night of frost' --at 14h --until 4h --goal 'bench/root-zone between 18 and 22 for 90%'`}
	f := c.Flags()
	f.StringArray("goal", nil, goalHelp)
	f.String("at", "", "when it started: "+terminal.TimeHelp+"; now when left out")
	f.String("until", "", "when it ended, of one that is over")
	f.String("note", "", "Markdown; @FILE reads a file")
	c.RunE = func(c *cobra.Command, args []string) (err error) {
		start := act.RunStart{Asset: args[0]}
		if len(args) > 1 {
			start.Title = args[1]
		}
		if start.Goals, err = readGoals(f); err != nil {
			return err
		}
		if start.StartedAt, err = terminal.MomentFlag(f, "at"); err != nil {
			return err
		}
		if start.EndedAt, err = terminal.MomentFlag(f, "until"); err != nil {
			return err
		}
		note, _ := f.GetString("note")
		if start.Note, err = terminal.TextOrFile(note, c.InOrStdin()); err != nil {
			return err
		}
		return doRun(c, api.StartRun.At(), start)
	}
	return c
}

// doRun does something about a run, and shows how it stands.
func doRun(c *cobra.Command, at api.Place, in any) error {
	s, err := terminal.SignedIn()
	if err != nil {
		return err
	}
	var p api.RunPage
	if err := s.Call(c.Context(), at, in, &p); err != nil {
		return err
	}
	return terminal.Show(c, p, func(w io.Writer) { printRun(w, &p) })
}

func runStopCommand() *cobra.Command {
	c := &cobra.Command{Use: "stop RUN", Short: "End a run: by its number, or the one that is on of an asset",
		Args: terminal.Exactly("RUN"), ValidArgsFunction: runNames,
		Example: "  jaunty run stop 7\n  jaunty run stop compost-heap --at 10m"}
	c.Flags().String("at", "", "when it ended: "+terminal.TimeHelp+"; now when left out")
	c.RunE = func(c *cobra.Command, args []string) error {
		id, err := runID(c, args[0])
		if err != nil {
			return err
		}
		at, err := terminal.MomentFlag(c.Flags(), "at")
		if err != nil {
			return err
		}
		return doRun(c, api.StopRun.At(id), api.RunStop{At: at})
	}
	return c
}

func runListCommand() *cobra.Command {
	c := &cobra.Command{Use: "list [ASSET]", Short: "Runs, newest first", Args: terminal.Between(0, 1),
		ValidArgsFunction: assetNames, Example: "  jaunty run list\n  jaunty run list compost-heap --limit 5"}
	limit := c.Flags().Int("limit", 50, "so many at most")
	c.RunE = func(c *cobra.Command, args []string) error {
		q := url.Values{"limit": {strconv.Itoa(*limit)}}
		if len(args) > 0 {
			q.Set("asset", args[0])
		}
		runs, err := terminal.Fetch[[]run.Run](c, api.ListRuns.At().Raw(q.Encode()))
		if err != nil {
			return err
		}
		return terminal.Show(c, runs, func(w io.Writer) {
			rows := [][]string{}
			for _, r := range runs {
				lasted := "is on"
				if r.EndedAt != nil {
					lasted = prose.Length(r.EndedAt.Sub(r.StartedAt))
				}
				rows = append(rows, []string{strconv.FormatInt(r.ID, 10), r.Asset, r.Title,
					terminal.Clock(&r.StartedAt), lasted, r.How})
			}
			terminal.Table(w, "No runs yet; 'jaunty run start ASSET' starts one.",
				[]string{"RUN", "ASSET", "TITLE", "STARTED", "LASTED", "STARTED BY"}, rows)
		})
	}
	return c
}

func runShowCommand() *cobra.Command {
	return &cobra.Command{Use: "show RUN", Short: "What a run came to, and when it will reach its goals",
		Args: terminal.Exactly("RUN"), ValidArgsFunction: runNames,
		Example: "  jaunty run show 7\n  jaunty run show compost-heap",
		RunE: func(c *cobra.Command, args []string) error {
			id, err := runID(c, args[0])
			if err != nil {
				return err
			}
			return doRun(c, api.GetRun.At(id), nil)
		}}
}

func printRun(w io.Writer, p *api.RunPage) {
	fmt.Fprintf(w, "Run %d: %s\non %s, from %s", p.ID, p.Title, p.Called, terminal.Clock(&p.StartedAt))
	if p.EndedAt != nil {
		fmt.Fprintf(w, " to %s", terminal.Clock(p.EndedAt))
	}
	fmt.Fprintln(w)
	for _, words := range p.Words {
		fmt.Fprintln(w, words)
	}
	fmt.Fprintln(w)
	rows := [][]string{}
	for i := range p.Courses {
		rows = append(rows, courseRow(&p.Courses[i]))
	}
	terminal.Table(w, "No signal belongs to the asset.", []string{"SIGNAL", "LOWEST", "MEAN", "HIGHEST"}, rows)
	for i := range p.Sums {
		fmt.Fprintf(w, "%s: %s\n", p.Sums[i].Called, p.Sums[i].Figure())
	}
	for _, phase := range p.Phases {
		fmt.Fprintf(w, "%s  %s\n", terminal.Clock(&phase.At), phase.Name)
	}
}

func courseRow(c *run.SignalCourse) []string {
	row := []string{c.Signal, "-", "-", "-"}
	for i, v := range []*float64{c.Lowest, c.Mean, c.Highest} {
		if v != nil {
			row[i+1] = c.Figure(*v)
		}
	}
	return row
}

func runCompareCommand() *cobra.Command {
	c := &cobra.Command{Use: "compare RUN RUN...", Short: "Runs beside each other, from their starts",
		Args: terminal.Between(2, 0), Example: "  jaunty run compare 3 7 9 --signal compost/core"}
	signal := c.Flags().String("signal", "", "DEVICE/SIGNAL; the first that they have in common when left out")
	c.RunE = func(c *cobra.Command, args []string) error {
		out, err := terminal.Fetch[api.RunComparison](c,
			api.CompareRuns.At().Raw(url.Values{"runs": {strings.Join(args, ",")}, "signal": {*signal}}.Encode()))
		if err != nil {
			return err
		}
		return terminal.Show(c, out, func(w io.Writer) { printComparison(w, &out) })
	}
	return c
}

func printComparison(w io.Writer, out *api.RunComparison) {
	heading := []string{""}
	lines := [][]string{{"started"}, {"lasted"}, {"alarms"}, {"lowest"}, {"mean"}, {"highest"}}
	goals := map[string][]string{}
	var order []string
	for i := range out.Runs {
		r := &out.Runs[i]
		heading = append(heading, strings.ToUpper(r.Title))
		cells := []string{terminal.Clock(&r.StartedAt), prose.Length(time.Duration(r.Lasted * float64(time.Second))),
			strconv.Itoa(r.Alarms), "-", "-", "-"}
		for k := range r.Courses {
			if r.Courses[k].Signal == out.Signal {
				copy(cells[3:], courseRow(&r.Courses[k])[1:])
			}
		}
		for k := range lines {
			lines[k] = append(lines[k], cells[k])
		}
		for k := range r.Results {
			o := &r.Results[k]
			if goals[o.Words] == nil {
				order = append(order, o.Words)
			}
			for len(goals[o.Words]) < i {
				goals[o.Words] = append(goals[o.Words], "-")
			}
			goals[o.Words] = append(goals[o.Words], reachedAfter(r, o))
		}
	}
	for _, words := range order {
		row := append([]string{words}, goals[words]...)
		for len(row) < len(heading) {
			row = append(row, "-")
		}
		lines = append(lines, row)
	}
	if out.Signal != "" {
		fmt.Fprintf(w, "%s, from the start of each run\n\n", out.Called)
	}
	terminal.Table(w, "", heading, lines)
}

// reachedAfter says what came of a goal, by the time from the run's start.
func reachedAfter(r *api.RunCourse, o *run.Outcome) string {
	switch {
	case o.At != nil:
		return "after " + prose.Length(o.At.Sub(r.StartedAt))
	case o.Kept != nil:
		return fmt.Sprintf("%s, %.1f %%", o.State, *o.Kept)
	}
	return o.State
}

func runSetCommand() *cobra.Command {
	c := &cobra.Command{Use: "set RUN", Short: "Change a run: title, times, goals, note", Args: terminal.Exactly("RUN"),
		ValidArgsFunction: runNames,
		Example:           "  jaunty run set 7 --title 'Heap 7, turned twice' --goal 'compost/core reaches 62'"}
	f := c.Flags()
	f.String("title", "", "what it is called")
	f.String("started", "", "when it started")
	f.String("ended", "", "when it ended")
	f.String("note", "", "Markdown; @FILE reads a file")
	f.StringArray("goal", nil, goalHelp+"; replaces what there is, '' for none")
	c.RunE = func(c *cobra.Command, args []string) error {
		id, err := runID(c, args[0])
		if err != nil {
			return err
		}
		var change act.RunChange
		if f.Changed("title") {
			text, _ := f.GetString("title")
			change.Title = &text
		}
		if change.StartedAt, err = terminal.MomentFlag(f, "started"); err != nil {
			return err
		}
		if change.EndedAt, err = terminal.MomentFlag(f, "ended"); err != nil {
			return err
		}
		if f.Changed("goal") {
			goals, err := readGoals(f)
			if err != nil {
				return err
			}
			change.Goals = &goals
		}
		if f.Changed("note") {
			text, _ := f.GetString("note")
			if text, err = terminal.TextOrFile(text, c.InOrStdin()); err != nil {
				return err
			}
			change.Note = &text
		}
		return doRun(c, api.ChangeRun.At(id), change)
	}
	return c
}

func runPhaseCommand() *cobra.Command {
	c := &cobra.Command{Use: "phase RUN NAME", Short: "Begin a phase of a run", Args: terminal.Exactly("RUN", "NAME"),
		ValidArgsFunction: runNames, Example: "  jaunty run phase compost-heap 'turned, cooling' --at 5m"}
	c.Flags().String("at", "", "when it began: "+terminal.TimeHelp+"; now when left out")
	c.RunE = func(c *cobra.Command, args []string) error {
		id, err := runID(c, args[0])
		if err != nil {
			return err
		}
		at, err := terminal.MomentFlag(c.Flags(), "at")
		if err != nil {
			return err
		}
		return doRun(c, api.MarkPhase.At(id), api.PhaseMark{Name: args[1], At: at})
	}
	return c
}

func runReportCommand() *cobra.Command {
	return &cobra.Command{Use: "report RUN FILE", Short: "Write the report of a run: .html, .pdf or .csv",
		Args: terminal.Exactly("RUN", "FILE"), ValidArgsFunction: runNames, Example: "  jaunty run report 7 heap-7.pdf",
		RunE: func(c *cobra.Command, args []string) error {
			id, err := runID(c, args[0])
			if err != nil {
				return err
			}
			as := strings.TrimPrefix(filepath.Ext(args[1]), ".")
			if as != "html" && as != "pdf" && as != "csv" {
				return terminal.Misused("FILE %q does not end in .html, .pdf or .csv", args[1])
			}
			return terminal.Download(c, api.GetRunReport.At(id).Asking("as", as), args[1])
		}}
}

func runRemoveCommand() *cobra.Command {
	return &cobra.Command{Use: "remove RUN", Short: "Remove a run; the readings stay", Args: terminal.Exactly("RUN"),
		ValidArgsFunction: runNames, Example: "  jaunty run remove 7",
		RunE: func(c *cobra.Command, args []string) error {
			id, err := runID(c, args[0])
			if err != nil {
				return err
			}
			return terminal.Remove(c, "run", strconv.FormatInt(id, 10), api.RemoveRun.At(id))
		}}
}
