package people

import (
	"fmt"
	"io"
	"net/url"
	"regexp"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/roster"
	"jauntylark/core/wall"
)

func rosterCommand() *cobra.Command {
	return terminal.Group("roster", "Who is told, by which carrier, in which order, at which hours, after how long",
		rosterListCommand(), rosterShowCommand(), rosterSaveCommand(terminal.Saving{Verb: "add",
			Short: "Add a roster"}), rosterSaveCommand(terminal.Saving{Verb: "set",
			Short: "Change a roster; what is not said stays"}),
		terminal.RemoveCommand("roster", api.RemoveRoster.Operation, rosterNames))
}

func rosterNames(c *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	return terminal.Names(c, api.ListRosters.At(), func(v roster.Roster) string { return v.Name })
}

func rosterListCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "All rosters", Args: terminal.Exactly(), Example: "  jaunty roster list",
		RunE: func(c *cobra.Command, _ []string) error {
			all, err := terminal.Ask(c, api.ListRosters, api.None{})
			if err != nil {
				return err
			}
			return terminal.Show(c, all, func(w io.Writer) {
				rows := [][]string{}
				for _, r := range all {
					repeat := "-"
					if r.Repeat > 0 {
						repeat = r.Repeat.String()
					}
					rows = append(rows, []string{r.Name, strconv.Itoa(len(r.Steps)), strings.Join(r.Names(), ", "),
						repeat, terminal.Age(r.DrilledAt)})
				}
				terminal.Table(w, "No rosters yet; 'jaunty roster add --help' shows one.",
					[]string{"ROSTER", "STEPS", "CONTACTS", "REPEAT", "LAST DRILLED"}, rows)
			})
		},
	}
}

func rosterShowCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "show ROSTER", Short: "A roster; with --at in words who would be told of an alarm raised then, and when",
		Args: terminal.Exactly("ROSTER"), ValidArgsFunction: rosterNames,
		Example: `  jaunty roster show glasshouse
  jaunty roster show glasshouse --at "sat 03:00"
  jaunty roster show boiler --at now --severity warning --kind silence`,
	}
	c.Flags().String("at", "",
		"when the alarm is raised: now, 'sat 03:00' or '03:00' for the next such time, or a time; in the site's time "+
			"zone")
	c.Flags().String("severity", "critical", "how bad the alarm is; raised now, unless --at says when")
	c.Flags().String("kind", roster.OfLimit, "what it is about: "+strings.Join(roster.Kinds, ", ")+
		"; raised now, unless --at says when")
	terminal.CompleteFrom(c, "kind", roster.Kinds...)
	terminal.CompleteFrom(c, "severity", "advisory", "warning", "critical")
	c.RunE = func(c *cobra.Command, args []string) error {
		r, err := terminal.Ask(c, api.GetRoster, api.RosterPath{Roster: args[0]})
		if err != nil {
			return err
		}
		text, _ := c.Flags().GetString("at")
		if text == "" && (c.Flags().Changed("severity") || c.Flags().Changed("kind")) {
			text = "now"
		}
		if text == "" {
			return terminal.Show(c, r, func(w io.Writer) { printRoster(w, &r) })
		}
		here, err := terminal.Ask(c, api.GetSite, api.None{})
		if err != nil {
			return err
		}
		at, err := nextTime(text, time.Now(), here.Location())
		if err != nil {
			return terminal.Misused("--at: %w", err)
		}
		severity, _ := c.Flags().GetString("severity")
		kind, _ := c.Flags().GetString("kind")
		query := url.Values{"at": {at.String()}, "severity": {severity}, "kind": {kind}}
		plan, err := terminal.Fetch[api.RosterPlan](c, api.ShowRosterAt.At(args[0]).Raw(query.Encode()))
		if err != nil {
			return err
		}
		return terminal.Show(c, plan, func(w io.Writer) {
			article := "A"
			if plan.Severity == alarm.Advisory {
				article = "An"
			}
			fmt.Fprintf(w, "%s %s alarm (%s) at %s:\n", article, plan.Severity, plan.Kind, roster.When(here, plan.At))
			for _, call := range plan.Calls {
				fmt.Fprintf(w, "  %-20s %s\n", call.After+":", call.Words)
			}
			if len(plan.Calls) == 0 {
				fmt.Fprintln(w, "  nobody is told: no step is for such alarms")
			}
		})
	}
	return c
}

func printRoster(w io.Writer, r *roster.Roster) {
	fmt.Fprintf(w, "%s (%s)\n", r.Called(), r.Name)
	for i, s := range r.Steps {
		fmt.Fprintf(w, "  %d. %s\n", i+1, s)
	}
	if r.Repeat > 0 {
		fmt.Fprintf(w, "  Then again every %s until someone has it.\n", prose.Length(time.Duration(r.Repeat)))
	}
	if t := r.Rotation; t != nil {
		fmt.Fprintf(w, "  On duty: %s in turn, from %s at %s, %s each.\n", strings.Join(t.Who, ", "), t.Since, t.At,
			prose.Length(time.Duration(t.Weeks)*7*24*time.Hour))
	}
	fmt.Fprintf(w, "  Drilled: %s.\n", terminal.Age(r.DrilledAt))
}

var weekdays = []string{"sun", "mon", "tue", "wed", "thu", "fri", "sat"}

var dayTime = regexp.MustCompile(`^(?:(sun|mon|tue|wed|thu|fri|sat)[a-z]* )?([0-2]?[0-9]:[0-5][0-9])$`)

// nextTime reads now, "sat 03:00" or "03:00" for the next such time in a zone, or what moment reads.
func nextTime(text string, now time.Time, zone *time.Location) (measure.Instant, error) {
	if text == "now" {
		return measure.InstantOf(now), nil
	}
	found := dayTime.FindStringSubmatch(strings.ToLower(text))
	if found == nil {
		at, err := terminal.Moment(text)
		if err != nil {
			err = fmt.Errorf("%w; now, '03:00' and 'sat 03:00' will do too", err)
		}
		return at, err
	}
	clock, err := wall.ParseClock(found[2])
	if err != nil {
		return 0, err
	}
	for today, ahead := wall.On(measure.InstantOf(now), zone), wall.Day(0); ahead < 8; ahead++ {
		day := today + ahead
		if at := day.At(clock, zone); at > measure.InstantOf(now) &&
			(found[1] == "" || weekdays[day.Weekday()] == found[1]) {
			return at, nil
		}
	}
	return 0, fmt.Errorf("%q is not within a week", text)
}

func rosterSaveCommand(as terminal.Saving) *cobra.Command {
	c := &cobra.Command{
		Use: as.Verb + " ROSTER", Short: as.Short, Args: terminal.Exactly("ROSTER"), ValidArgsFunction: rosterNames,
		Long: as.Short + `. A step is WHO[, WHO…] and then, in any order, by CARRIER[, CARRIER…], from
SEVERITY (and worse), after LENGTH without anybody having it; at HOURS comes last. A step whose hours it is not waits for
them. on-duty in place of a name is whom the rotation names.`,
		Example: `  jaunty roster add glasshouse --step 'orla by e-mail at daily 07:00-22:00' \
      --step 'on-duty by text, voice at daily 22:00-07:00' --step 'orla by voice from critical after 15m' \
      --rotation 'orla, tadhg' --first-day 2026-11-02 --handover-time 09:00
  jaunty roster set boiler --step 'orla, tadhg, duty-phone' --repeat 5m`,
	}
	f := c.Flags()
	f.String("title", "", "what people call it")
	f.StringArray("step", nil, "a step in words; repeated for each, replaces those there are")
	f.String("repeat", "", "tell everybody again so often until someone has it, like 10m; 0s for not")
	f.String("rotation", "", "contacts that are on duty one after the other, with commas; '' for none")
	f.String("first-day", "", "the day on which the first of them begins, like 2026-11-02")
	f.String("handover-time", "", "the time of day at which it changes, like 09:00")
	f.Int("weeks", 1, "for how many weeks each is on duty")
	c.RunE = func(c *cobra.Command, args []string) error {
		r, err := terminal.Draft(c, as, "roster", api.ListRosters.At(), api.GetRoster.At(args[0]), args[0],
			roster.Roster{Name: args[0], Steps: roster.Steps{}}, func(r roster.Roster) string { return r.Name })
		if err != nil {
			return err
		}
		if err := readRoster(c, &r); err != nil {
			return err
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		out, err := client.Do(c.Context(), s, api.PutRoster,
			api.PutRosterIn{RosterPath: api.RosterPath{Roster: r.Name}, Body: r})
		if err != nil {
			return err
		}
		return terminal.Show(c, out, func(w io.Writer) { printRoster(w, &out) })
	}
	return c
}

// readRoster takes what the flags say into r.
func readRoster(c *cobra.Command, r *roster.Roster) (err error) {
	f := c.Flags()
	if f.Changed("title") {
		r.Title, _ = f.GetString("title")
	}
	if steps, _ := f.GetStringArray("step"); len(steps) > 0 {
		r.Steps = roster.Steps{}
		for _, text := range steps {
			step, err := roster.ParseStep(text)
			if err != nil {
				return terminal.Misused("--step: %w", err)
			}
			r.Steps = append(r.Steps, step)
		}
	}
	if text, _ := f.GetString("repeat"); text != "" {
		if r.Repeat, err = measure.ParseDuration(text); err != nil {
			return terminal.Misused("--repeat: %w", err)
		}
	}
	if f.Changed("rotation") {
		text, _ := f.GetString("rotation")
		if r.Rotation = nil; text != "" {
			r.Rotation = &roster.Rotation{Weeks: 1, Since: time.Now().Format(time.DateOnly)}
			for name := range strings.SplitSeq(text, ",") {
				r.Rotation.Who = append(r.Rotation.Who, strings.TrimSpace(name))
			}
		}
	}
	for _, flag := range []string{"first-day", "handover-time", "weeks"} {
		if f.Changed(flag) && r.Rotation == nil {
			return terminal.Misused("--%s belongs to --rotation", flag)
		}
	}
	if t := r.Rotation; t != nil {
		for flag, into := range map[string]*string{"first-day": &t.Since, "handover-time": &t.At} {
			if f.Changed(flag) {
				*into, _ = f.GetString(flag)
			}
		}
		if f.Changed("weeks") {
			t.Weeks, _ = f.GetInt("weeks")
		}
	}
	if len(r.Steps) == 0 {
		return terminal.Misused("say who is told, with --step")
	}
	return nil
}
