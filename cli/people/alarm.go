package people

import (
	"fmt"
	"io"
	"net/url"
	"strconv"
	"time"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/site"
)

func alarmCommand() *cobra.Command {
	c := terminal.Group("alarm", "Alarms: what is wrong, who has it, what it was", alarmListCommand(),
		alarmShowCommand(), alarmAckCommand(), alarmCommentCommand(),
		alarmHandCommand(), alarmHandBackCommand(), alarmResetCommand(), alarmMarkCommand(), alarmHealthCommand())
	c.Long = `Alarms: what is wrong, who has it, what it was. Whether a message arrived says 'jaunty notice list --alarm ID'; 'jaunty guard shelve'
keeps a guard's alarms from being told for an hour, say.`
	return c
}

// said is an alarm's sentence; of one that is over, in the past.
func said(a alarm.Alarm) string {
	if a.State == alarm.StateOver && a.Ending != alarm.EndDisproved {
		return alarm.Was(a.Sentence)
	}
	return a.Sentence
}

// alarmPage is how many alarms are asked for at once.
const alarmPage = 1000

func alarmListCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "list", Short: "Alarms, newest first", Args: terminal.Exactly(),
		Example: `  jaunty alarm list
  jaunty alarm list --all --json`,
	}
	all := c.Flags().Bool("all", false, "those that are over too")
	c.RunE = func(c *cobra.Command, _ []string) error {
		alarms, err := terminal.AskAll(c, api.ListAlarms, api.ListAlarmsIn{Page: api.Page{Limit: alarmPage}, All: *all})
		if err != nil {
			return err
		}
		return terminal.Show(c, alarms, func(w io.Writer) {
			rows := [][]string{}
			for _, a := range alarms {
				lasted := "still"
				if a.ClearedAt != nil {
					lasted = prose.Length(a.ClearedAt.Sub(a.RaisedAt))
				}
				rows = append(rows, []string{strconv.FormatInt(a.ID, 10), terminal.Clock(&a.RaisedAt), lasted,
					string(a.Severity), terminal.Standing(a), said(a)})
			}
			terminal.Table(w, "Nothing is wrong.", []string{"ID", "RAISED", "LASTED", "SEVERITY", "STATE", "WHAT"},
				rows)
		})
	}
	return c
}

func alarmAckCommand() *cobra.Command {
	c := &cobra.Command{Use: "ack ID", Short: "Acknowledge an alarm: say that you have it",
		Example: "  jaunty alarm ack 12\n  jaunty alarm ack 12 --cause 'The fan belt has slipped'"}
	cause := c.Flags().String("cause", "", "what was the cause, as far as you know")
	return alarmAct(c, api.AcknowledgeAlarm.Operation,
		func(*cobra.Command) (any, error) { return api.Word{Comment: *cause}, nil },
		func(w io.Writer, a alarm.Alarm) {
			fmt.Fprintf(w, "%s has alarm %d since %s: %s\n", a.AcknowledgedBy, a.ID, terminal.Clock(a.AcknowledgedAt),
				a.Sentence)
		})
}

// alarmAct is a command that does something to one alarm.
func alarmAct(c *cobra.Command, op *api.Operation, body func(*cobra.Command) (any, error),
	words func(io.Writer, alarm.Alarm)) *cobra.Command {
	c.Args = terminal.Exactly("ID")
	c.RunE = func(c *cobra.Command, args []string) error {
		id, err := alarmID(args[0])
		if err != nil {
			return err
		}
		order, err := body(c)
		if err != nil {
			return err
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		var a alarm.Alarm
		if err := s.Call(c.Context(), op.At(id), order, &a); err != nil {
			return err
		}
		return terminal.Show(c, a, func(w io.Writer) { words(w, a) })
	}
	return c
}

func alarmID(text string) (int64, error) {
	id, err := strconv.ParseInt(text, 10, 64)
	if err != nil || id < 1 {
		return 0, terminal.Misused("%q is not the number of an alarm; see 'jaunty alarm list'", text)
	}
	return id, nil
}

func alarmHandCommand() *cobra.Command {
	c := &cobra.Command{Use: "hand ID", Short: "Ask somebody else to take an alarm on; they are told",
		Example: "  jaunty alarm hand 12 --to tadhg@hollowbrook.example"}
	to := c.Flags().String("to", "", "e-mail address")
	_ = c.MarkFlagRequired("to")
	return alarmAct(c, api.HandAlarm.Operation, func(*cobra.Command) (any, error) {
		return api.HandAlarmOrder{To: *to}, nil
	}, func(w io.Writer, a alarm.Alarm) {
		fmt.Fprintf(w, "%s is asked to take on alarm %d: %s\n", a.HandedTo, a.ID, a.Sentence)
	})
}

func alarmHandBackCommand() *cobra.Command {
	c := &cobra.Command{Use: "hand-back ID", Short: "Give an alarm back that somebody has; people are told again",
		Example: "  jaunty alarm hand-back 12"}
	return alarmAct(c, api.HandBackAlarm.Operation, terminal.Nothing, func(w io.Writer, a alarm.Alarm) {
		fmt.Fprintf(w, "Nobody has alarm %d now; those whom its guard tells are told again: %s\n", a.ID, a.Sentence)
	})
}

func alarmResetCommand() *cobra.Command {
	c := &cobra.Command{Use: "reset ID", Short: "Reset a latched alarm whose cause is gone",
		Example: "  jaunty alarm reset 12"}
	return alarmAct(c, api.ResetAlarm.Operation, terminal.Nothing, func(w io.Writer, a alarm.Alarm) {
		fmt.Fprintf(w, "Alarm %d is over: %s\n", a.ID, alarm.Was(a.Sentence))
	})
}

func alarmCommentCommand() *cobra.Command {
	c := &cobra.Command{Use: "comment ID", Short: "Say what was the cause of an alarm",
		Example: "  jaunty alarm comment 12 --cause 'The fan belt had slipped'"}
	cause := c.Flags().String("cause", "", "what was the cause")
	_ = c.MarkFlagRequired("cause")
	return alarmAct(c, api.CommentAlarm.Operation,
		func(*cobra.Command) (any, error) { return api.Word{Comment: *cause}, nil },
		func(w io.Writer, a alarm.Alarm) {
			fmt.Fprintf(w, "Of alarm %d is said: %s\n", a.ID, a.Comment)
		})
}

func alarmMarkCommand() *cobra.Command {
	c := &cobra.Command{
		Use:       "mark ID real|false|useful|none",
		Short:     "Say what an alarm was worth; the guard's record and its replays use it",
		ValidArgs: []string{"real", "false", "useful", "none"},
		Long: "Mark an alarm as real (something was wrong), false (nothing was) or useful (nothing was wrong " +
			"yet, and it was good to know); none takes the mark back.",
		Example: "  jaunty alarm mark 12 real", Args: terminal.Exactly("ID", "MARK"),
	}
	c.RunE = func(c *cobra.Command, args []string) error {
		id, err := alarmID(args[0])
		if err != nil {
			return err
		}
		mark := args[1]
		switch mark {
		case alarm.MarkReal, alarm.MarkFalse, alarm.MarkUseful:
		case "none":
			mark = ""
		default:
			return terminal.Misused("%s; marks are real, false, useful, none",
				site.Unknown("mark", mark, []string{"real", "false", "useful", "none"}))
		}
		a, err := terminal.Ask(c, api.MarkAlarm, api.MarkAlarmIn{AlarmPath: api.AlarmPath{ID: id},
			Body: api.MarkAlarmOrder{Mark: mark}})
		if err != nil {
			return err
		}
		return terminal.Show(c, a, func(w io.Writer) { fmt.Fprintf(w, "Alarm %d is marked: %s.\n", a.ID, args[1]) })
	}
	return c
}

func alarmShowCommand() *cobra.Command {
	return &cobra.Command{
		Use: "show ID", Short: "One alarm with all that became of it", Args: terminal.Exactly("ID"),
		Example: "  jaunty alarm show 12",
		RunE: func(c *cobra.Command, args []string) error {
			id, err := alarmID(args[0])
			if err != nil {
				return err
			}
			a, err := terminal.Ask(c, api.GetAlarm, api.AlarmPath{ID: id})
			if err != nil {
				return err
			}
			return terminal.Show(c, a, func(w io.Writer) {
				fmt.Fprintf(w, "%s.\n%s, %s. Guard %s.\n", said(a.Alarm), a.Severity, terminal.Standing(a.Alarm),
					orElse(a.Guard, "none"))
				if a.Ended != "" {
					fmt.Fprintf(w, "%s.\n", a.Ended)
				}
				if a.Advice != "" {
					fmt.Fprintln(w, "What to do:", a.Advice)
				}
				if a.Comment != "" {
					fmt.Fprintln(w, "Cause:", a.Comment)
				}
				rows := [][]string{}
				for i := len(a.Journal) - 1; i >= 0; i-- {
					e := a.Journal[i]
					rows = append(rows, []string{terminal.Clock(&e.At), e.Kind, e.Text})
				}
				terminal.Table(w, "", []string{"AT", "KIND", "WHAT"}, rows)
			})
		},
	}
}

func orElse(text, otherwise string) string {
	if text == "" {
		return otherwise
	}
	return text
}

func alarmHealthCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "health", Short: "How many alarms people get, beside the figures of EEMUA 191", Args: terminal.Exactly(),
		Example: "  jaunty alarm health --since 30d",
	}
	terminal.SpanFlags(c.Flags(), "30d", "", "now")
	c.RunE = func(c *cobra.Command, _ []string) error {
		span, err := terminal.SpanOf(c)
		if err != nil {
			return err
		}
		h, err := terminal.Fetch[alarm.Health](c, api.AlarmHealth.At().Raw(url.Values{"since": {span.From.String()},
			"until": {span.Until.String()}}.Encode()))
		if err != nil {
			return err
		}
		return terminal.Show(c, h, func(w io.Writer) { printHealth(w, &h) })
	}
	return c
}

func printHealth(w io.Writer, h *alarm.Health) {
	fmt.Fprintf(w, "%s from %s to %s.\n\n", prose.Count(h.Alarms, "alarm", "alarms"), terminal.Clock(&h.From),
		terminal.Clock(&h.Until))
	rows := [][]string{}
	for _, f := range h.Figures {
		good := "good"
		if !f.Good {
			good = "TOO MUCH"
		}
		rows = append(rows, []string{f.Name, f.Words(), f.LimitWords(), good, f.Source})
	}
	terminal.Table(w, "", []string{"FIGURE", "NOW", "TARGET", "", "BY"}, rows)
	fmt.Fprintln(w)
	rows = rows[:0]
	for _, o := range h.Offenders {
		note := o.Cure
		if note == "" && o.Chatters() {
			note = "chatters"
		}
		rows = append(rows, []string{orElse(o.Guard, o.Kind), o.Signal, strconv.Itoa(o.Alarms),
			fmt.Sprintf("%.0f %%", o.Share), note})
	}
	terminal.Table(w, "Nothing was raised.", []string{"GUARD", "SIGNAL", "ALARMS", "SHARE", "SUGGESTION"}, rows)
	for _, s := range h.Standing {
		fmt.Fprintf(w, "Alarm %d of %s stands for %s.\n", s.ID, s.Signal, prose.Length(time.Duration(s.Stood)))
	}
	for _, f := range h.Floods {
		fmt.Fprintf(w, "A flood: %s from %s to %s.\n", prose.Count(f.Alarms, "alarm", "alarms"),
			terminal.Clock(&f.From), terminal.Clock(&f.Until))
	}
	for _, p := range h.People {
		fmt.Fprintf(w, "%s was told of %s, %s a day.\n", p.Address, prose.Count(p.Alarms, "alarm", "alarms"),
			measure.Round(p.PerDay, 1))
	}
}
