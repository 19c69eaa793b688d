package people

import (
	"context"
	"fmt"
	"io"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/alarm"
	"jauntylark/core/prose"
	"jauntylark/core/roster"
)

func noticeCommand() *cobra.Command {
	return terminal.Group("notice", "Messages to people, each attempt at them, and their words", noticeListCommand(),
		noticePreviewCommand())
}

func noticeListCommand() *cobra.Command {
	list := &cobra.Command{
		Use: "list", Short: "Notices with each attempt to deliver them, why it failed and what to do, newest first",
		Args: terminal.Exactly(),
		Example: `  jaunty notice list --alarm 12
  jaunty notice list --state 'given up'
  jaunty notice list --contact orla --carrier text`,
	}
	f := list.Flags()
	about := f.Int64("alarm", 0, "only those of this alarm")
	state := f.String("state", "", "only those in this state: waiting, sent, delivered, given up, held, summed up")
	contact := f.String("contact", "", "only those to this contact")
	carrier := f.String("carrier", "", "only those by this carrier")
	terminal.CompleteFrom(list, "state", "waiting", "sent", "delivered", "given up", "held", "summed up")
	terminal.CompleteFrom(list, "carrier", roster.Carriers...)
	_ = list.RegisterFlagCompletionFunc("contact", contactNames)
	list.RunE = func(c *cobra.Command, _ []string) error {
		if *about < 0 {
			return terminal.Misused("--alarm %d is not the number of an alarm", *about)
		}
		query := url.Values{"alarm": {strconv.FormatInt(*about, 10)}, "contact": {*contact}}
		for name, value := range map[string]string{"state": *state, "carrier": *carrier} {
			if value != "" {
				query.Set(name, value)
			}
		}
		notices, err := terminal.Fetch[[]api.NoticeStory](c, api.ListNotices.At().Raw(query.Encode()))
		if err != nil {
			return err
		}
		return terminal.Show(c, notices, func(w io.Writer) {
			if len(notices) == 0 {
				fmt.Fprintln(w, "There is no such notice.")
			}
			for _, n := range notices {
				printNotice(w, &n)
			}
		})
	}
	return list
}

// attemptsShown is how many attempts at a notice people see, the newest.
const attemptsShown = 5

func printNotice(w io.Writer, n *api.NoticeStory) {
	to := n.Address
	if n.Contact != "" {
		to = n.Contact + " (" + n.Address + ")"
	}
	fmt.Fprintf(w, "%s  %d  %s by %s to %s: %s", terminal.Clock(&n.CreatedAt), n.ID, n.Kind, n.Carrier, to, n.State)
	if n.State == roster.HeldBack {
		fmt.Fprintf(w, " for %s until %s", n.Held, terminal.Clock(&n.DueAt))
	}
	if n.Why != "" {
		fmt.Fprintf(w, ", %s", n.Why)
	}
	text := n.Subject
	if text == "" {
		text, _, _ = strings.Cut(n.Text, "\n")
	}
	fmt.Fprintf(w, "\n    %s\n", text)
	shown := n.Deliveries[max(0, len(n.Deliveries)-attemptsShown):]
	if before := len(n.Deliveries) - len(shown); before > 0 {
		fmt.Fprintf(w, "    after %s before\n", prose.Count(before, "attempt", "attempts"))
	}
	for _, d := range shown {
		word := "failed"
		if d.OK {
			word = "taken"
		}
		fmt.Fprintf(w, "    %s %s: %s\n", terminal.Clock(&d.At), word, d.Answer)
	}
	if n.Advice != "" {
		fmt.Fprintf(w, "    What to do: %s\n", n.Advice)
	}
}

// lastWord says what became of a notice.
func lastWord(n *roster.Notice) string {
	if len(n.Deliveries) == 0 {
		return n.State
	}
	return n.State + ", " + n.Deliveries[len(n.Deliveries)-1].Answer
}

// testWait is how long a test is waited for.
const testWait = 30 * time.Second

// waitForNotices waits until notices are sent, or were tried, and gives them.
func waitForNotices(c *cobra.Command, s *client.Client, contact string, ids []int64) ([]roster.Notice, error) {
	ctx, cancel := context.WithTimeout(c.Context(), testWait)
	defer cancel()
	for {
		var all []roster.Notice
		if err := s.Call(c.Context(), api.ListNotices.At().Asking("limit", "100", "contact", contact), nil,
			&all); err != nil {
			return nil, err
		}
		all = slices.DeleteFunc(all, func(n roster.Notice) bool { return !slices.Contains(ids, n.ID) })
		if !slices.ContainsFunc(all, func(n roster.Notice) bool { return len(n.Deliveries) == 0 }) || ctx.Err() != nil {
			return all, nil
		}
		select {
		case <-ctx.Done():
		case <-time.After(200 * time.Millisecond):
		}
	}
}

func noticePreviewCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "preview", Short: "How a notice reads in every carrier's form, with real values, and how many text " +
			"messages it takes", Args: terminal.Exactly(),
		Long: "How a notice reads by templates of your own, or the built-in words, in every carrier's form and " +
			"length. Placeholders:\n\n" + placeholderHelp(),
		Example: `  jaunty notice preview --on raise --alarm 12
  jaunty notice preview --on return --short '{{was}}, vorbei nach {{lasted}}'`,
	}
	f := c.Flags()
	f.String("on", "raise", "which notice: "+strings.Join(roster.TemplateKinds, ", "))
	f.Int64("alarm", 0, "number of the alarm whose values are shown; a made-up one when left out")
	f.String("short", "", "the short line, a Mustache template")
	f.String("long", "", "all of it, a Mustache template")
	terminal.CompleteFrom(c, "on", roster.TemplateKinds...)
	c.RunE = func(c *cobra.Command, _ []string) error {
		order := api.PreviewOrder{}
		order.On, _ = f.GetString("on")
		order.Alarm, _ = f.GetInt64("alarm")
		short, _ := f.GetString("short")
		long, _ := f.GetString("long")
		if short != "" || long != "" {
			order.Templates = alarm.Templates{{On: order.On, Short: short, Long: long}}
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		out, err := client.Do(c.Context(), s, api.PreviewNotice, api.With(order))
		if err != nil {
			return err
		}
		return terminal.Show(c, out, func(w io.Writer) {
			for _, f := range out.Forms {
				size := prose.Count(f.Characters, "character", "characters")
				if f.Messages > 0 {
					size = size + ", " + prose.Count(f.Messages, "text message", "text messages")
				}
				fmt.Fprintf(w, "── %s (%s)\n", f.Carrier, size)
				if f.Subject != "" {
					fmt.Fprintf(w, "%s\n\n", f.Subject)
				}
				fmt.Fprintf(w, "%s\n\n", strings.TrimSpace(f.Text))
			}
		})
	}
	return c
}

func placeholderHelp() string {
	var b strings.Builder
	for _, p := range roster.Placeholders {
		fmt.Fprintf(&b, "  {{%s}}%s %s\n", p.Name, strings.Repeat(" ", 10-len(p.Name)), p.Doc)
	}
	return b.String()
}

func carrierCommand() *cobra.Command {
	list := &cobra.Command{
		Use: "list", Short: "Whether each carrier is on and works", Args: terminal.Exactly(),
		Example: "  jaunty carrier list",
		RunE: func(c *cobra.Command, _ []string) error {
			all, err := terminal.Ask(c, api.ListCarriers, api.None{})
			if err != nil {
				return err
			}
			return terminal.Show(c, all, func(w io.Writer) {
				rows := [][]string{}
				for _, v := range all {
					state := "works"
					switch {
					case !v.On:
						state = "off (" + v.How + ")"
					case v.FailingSince != nil:
						state = fmt.Sprintf("failing since %s, %s: %s", terminal.Clock(v.FailingSince),
							terminal.Times(v.Failures), v.Answer)
					case v.WorkedAt == nil:
						state = "not used yet"
					}
					rows = append(rows, []string{v.Name, strconv.Itoa(v.Waiting), terminal.Age(v.WorkedAt), state})
				}
				terminal.Table(w, "", []string{"CARRIER", "WAITING", "LAST WORKED", "STATE"}, rows)
			})
		},
	}
	return terminal.Group("carrier", "Ways to reach people", list)
}
