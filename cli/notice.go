package cli

import (
	"fmt"
	"io"
	"strconv"

	"github.com/spf13/cobra"

	"jauntylark/core/roster"
	"jauntylark/standin"
)

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
