package local

import (
	"fmt"
	"io"
	"slices"
	"strconv"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/core/roster"
	"jauntylark/standin"
)

func standinCommand() *cobra.Command {
	return terminal.Group("standin", "The simulated gateways of the demo", standinInboxCommand(), standinReplyCommand(),
		standinFailCommand())
}

func standinInboxCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "inbox", Short: "What the stand-ins received, oldest first", Args: terminal.Exactly(),
		Example: `  jaunty standin inbox
  jaunty standin inbox --carrier text`,
	}
	carrier := c.Flags().String("carrier", "", "only what came by this carrier")
	terminal.CompleteFrom(c, "carrier", roster.Carriers...)
	c.RunE = func(c *cobra.Command, _ []string) error {
		messages, err := terminal.Ask(c, api.GetStandInInbox, api.None{})
		if err != nil {
			return err
		}
		if *carrier != "" {
			messages = slices.DeleteFunc(messages, func(m api.Message) bool { return m.Carrier != *carrier })
		}
		return terminal.Show(c, messages, func(w io.Writer) {
			if len(messages) == 0 {
				fmt.Fprintln(w, "Nothing was received yet.")
			}
			for _, m := range messages {
				fmt.Fprintf(w, "── %d  %s  %s to %s\n", m.ID, terminal.Clock(&m.ReceivedAt), m.Carrier, m.To)
				if m.Subject != "" {
					fmt.Fprintf(w, "%s\n\n", m.Subject)
				}
				fmt.Fprintf(w, "%s\n\n", m.Text)
			}
		})
	}
	return c
}

func standinReplyCommand() *cobra.Command {
	return &cobra.Command{
		Use: "reply MESSAGE ANSWER", Short: "Answer a message as its reader would; 1 says \"I have it\"",
		Args: terminal.Exactly("MESSAGE", "ANSWER"), Example: "  jaunty standin reply 14 1",
		RunE: func(c *cobra.Command, args []string) error {
			id, err := strconv.Atoi(args[0])
			if err != nil || id < 1 {
				return terminal.Misused("%q is not the number of a message; see 'jaunty standin inbox'", args[0])
			}
			s, err := terminal.SignedIn()
			if err != nil {
				return err
			}
			if err := s.Call(c.Context(), api.ReplyToStandIn.At(id), api.StandInReply{Answer: args[1]},
				nil); err != nil {
				return err
			}
			return terminal.Show(c, map[string]any{"message": id, "answer": args[1]},
				func(w io.Writer) { fmt.Fprintf(w, "Message %d was answered with %s.\n", id, args[1]) })
		},
	}
}

func standinFailCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "fail CARRIER", Short: "Tell the stand-in of a carrier to fail, or to work again",
		Args: terminal.Exactly("CARRIER"), ValidArgs: roster.Carriers,
		Example: `  jaunty standin fail text --how time-out
  jaunty standin fail text --how ''`,
	}
	c.Flags().String("how", standin.FaultRefuse, "refuse, reject, time-out, slow, no-receipts, fail; '' to work again")
	terminal.CompleteFrom(c, "how", standin.Faults...)
	c.RunE = func(c *cobra.Command, args []string) error {
		how, _ := c.Flags().GetString("how")
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		out := map[string]string{}
		if err := s.Call(c.Context(), api.SetStandInFault.At(args[0]), api.StandInFault{How: how}, &out); err != nil {
			return err
		}
		return terminal.Show(c, out, func(w io.Writer) {
			if how == "" {
				fmt.Fprintf(w, "The stand-in for %s works.\n", args[0])
				return
			}
			fmt.Fprintf(w, "The stand-in for %s fails: %s.\n", args[0], how)
		})
	}
	return c
}
