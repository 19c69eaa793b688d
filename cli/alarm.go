package cli

import (
	"fmt"
	"io"
	"net/http"
	"strconv"

	"github.com/spf13/cobra"

	"jauntylark/core/alarm"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/standin"
)

func alarmCommand() *cobra.Command {
	return group("alarm", "Occurrences: from a raise until it is over", alarmListCommand(), alarmAckCommand())
}

// standing says where an alarm stands.
func standing(a alarm.Alarm) string {
	text := a.State
	if a.AcknowledgedAt != nil {
		text += ", " + a.AcknowledgedBy + " has it"
	}
	return text
}

// alarmPage is how many alarms are asked for at once.
const alarmPage = 1000

func alarmListCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "list", Short: "Alarms, newest first", Args: exactly(),
		Example: `  jaunty alarm list
  jaunty alarm list --all --json`,
	}
	all := c.Flags().Bool("all", false, "those that are over too")
	c.RunE = func(c *cobra.Command, _ []string) error {
		alarms := []alarm.Alarm{}
		for more := true; more; {
			before := int64(0)
			if n := len(alarms); n > 0 {
				before = alarms[n-1].ID
			}
			page, err := fetch[[]alarm.Alarm](c, fmt.Sprintf("/api/v1/alarms?all=%v&limit=%d&before=%d", *all, alarmPage, before))
			if err != nil {
				return err
			}
			alarms, more = append(alarms, page...), len(page) == alarmPage
		}
		return show(c, alarms, func(w io.Writer) {
			rows := [][]string{}
			for _, a := range alarms {
				lasted := "still"
				if a.ClearedAt != nil {
					lasted = roster.Length(a.ClearedAt.Sub(a.RaisedAt))
				}
				rows = append(rows, []string{strconv.FormatInt(a.ID, 10), clock(&a.RaisedAt), lasted, string(a.Severity), standing(a), a.Sentence})
			}
			table(w, "Nothing is wrong.", []string{"ID", "RAISED", "LASTED", "SEVERITY", "STATE", "WHAT"}, rows)
		})
	}
	return c
}

func alarmAckCommand() *cobra.Command {
	return &cobra.Command{
		Use: "ack ID", Short: "Say that you have it", Args: exactly("ID"), Example: "  jaunty alarm ack 12",
		RunE: func(c *cobra.Command, args []string) error {
			id, err := strconv.ParseInt(args[0], 10, 64)
			if err != nil || id < 1 {
				return misused("%q is not the number of an alarm; see 'jaunty alarm list'", args[0])
			}
			s, err := service()
			if err != nil {
				return err
			}
			var a alarm.Alarm
			if err := s.Do(c.Context(), http.MethodPost, fmt.Sprintf("/api/v1/alarms/%d/acknowledge", id), nil, &a); err != nil {
				return err
			}
			return show(c, a, func(w io.Writer) {
				fmt.Fprintf(w, "%s has alarm %d since %s: %s\n", a.AcknowledgedBy, a.ID, clock(a.AcknowledgedAt), a.Sentence)
			})
		},
	}
}

func journalCommand() *cobra.Command {
	c := &cobra.Command{Use: "journal", Short: "What happened, newest first", Args: exactly(), Example: "  jaunty journal --limit 20"}
	limit := c.Flags().Int("limit", 50, "so many at most")
	c.RunE = func(c *cobra.Command, _ []string) error {
		if *limit < 1 || *limit > 1000 {
			return misused("--limit %d is not 1 to 1000", *limit)
		}
		entries, err := fetch[[]site.Entry](c, fmt.Sprintf("/api/v1/journal?limit=%d", *limit))
		if err != nil {
			return err
		}
		return show(c, entries, func(w io.Writer) {
			rows := [][]string{}
			for _, e := range entries {
				rows = append(rows, []string{clock(&e.At), e.Kind, e.Text})
			}
			table(w, "Nothing has happened yet.", []string{"AT", "KIND", "WHAT"}, rows)
		})
	}
	return c
}

func noticeCommand() *cobra.Command {
	list := &cobra.Command{Use: "list", Short: "Notices with the last attempt to deliver them, newest first", Args: exactly(), Example: "  jaunty notice list --alarm 12"}
	about := list.Flags().Int64("alarm", 0, "only those of this alarm")
	list.RunE = func(c *cobra.Command, _ []string) error {
		if *about < 0 {
			return misused("--alarm %d is not the number of an alarm", *about)
		}
		notices, err := fetch[[]roster.Notice](c, fmt.Sprintf("/api/v1/notices?alarm=%d", *about))
		if err != nil {
			return err
		}
		return show(c, notices, func(w io.Writer) {
			rows := [][]string{}
			for _, n := range notices {
				answer := ""
				if len(n.Deliveries) > 0 {
					answer = n.Deliveries[len(n.Deliveries)-1].Answer
				}
				rows = append(rows, []string{clock(&n.CreatedAt), n.Kind, n.Carrier, n.Address, n.State, strconv.Itoa(n.Attempts), n.Subject, answer})
			}
			table(w, "Nobody was told anything yet.", []string{"PLANNED", "KIND", "BY", "TO", "STATE", "TRIES", "SUBJECT", "ANSWER"}, rows)
		})
	}
	return group("notice", "Messages to people about alarms", list)
}

func standinCommand() *cobra.Command {
	inbox := &cobra.Command{
		Use: "inbox", Short: "What the stand-ins received, oldest first", Args: exactly(), Example: "  jaunty standin inbox",
		RunE: func(c *cobra.Command, _ []string) error {
			messages, err := fetch[[]standin.Message](c, "/api/v1/standin/inbox")
			if err != nil {
				return err
			}
			return show(c, messages, func(w io.Writer) {
				if len(messages) == 0 {
					fmt.Fprintln(w, "Nothing was received yet.")
				}
				for _, m := range messages {
					fmt.Fprintf(w, "── %s  %s to %s\n%s\n\n%s\n", clock(&m.ReceivedAt), m.Carrier, m.To, m.Subject, m.Text)
				}
			})
		},
	}
	return group("standin", "The simulated gateways of the demo", inbox)
}
