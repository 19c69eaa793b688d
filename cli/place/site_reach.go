package place

import (
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/roster"
)

func siteReachCommand() *cobra.Command {
	return terminal.Group("reach", "What the site itself tells, and to whom", siteReachShowCommand(),
		siteReachSetCommand())
}

func siteReachShowCommand() *cobra.Command {
	return &cobra.Command{Use: "show", Short: "What the site itself tells, and to whom", Args: terminal.Exactly(),
		Example: "  jaunty site reach show",
		RunE: func(c *cobra.Command, _ []string) error {
			now, err := terminal.Ask(c, api.GetReach, api.None{})
			if err != nil {
				return err
			}
			return terminal.Show(c, now, func(w io.Writer) { printReach(w, &now) })
		}}
}

func siteReachSetCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "set", Short: "Change what the site itself tells, and to whom; what is not said stays",
		Args: terminal.Exactly(),
		Example: `  jaunty site reach set --tell orla --quiet-word 'orla 08:00'
  jaunty site reach set --heartbeat https://watch.example.org/in/4f7c --every 5m`,
	}
	f := c.Flags()
	f.StringSlice("tell", nil,
		"whom the service tells of itself: rosters, contacts, e-mail addresses; '' for the owners")
	f.String("heartbeat", "", "URL that hears on an interval that the service lives; '' for none")
	f.String("every", "5m", "how often")
	f.String("quiet-word", "", "who hears once a day that all is quiet, and when: 'WHO 08:00'; '' for nobody")
	f.String("flood", "", "when a reader gets one message for all: 'MESSAGES in LENGTH', like '8 in 3m'; '' for that")
	f.StringArray("words", nil, "the site's own words: 'KIND=TEXT' for the short line; 'KIND=' takes them back")
	c.MarkFlagsOneRequired("tell", "heartbeat", "quiet-word", "flood", "words")
	c.RunE = func(c *cobra.Command, _ []string) error {
		now, err := terminal.Ask(c, api.GetReach, api.None{})
		if err != nil {
			return err
		}
		if err := readReach(c, &now.SiteReach); err != nil {
			return err
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		if err := s.Call(c.Context(), api.PutReach.At(), now.SiteReach, &now); err != nil {
			return err
		}
		return terminal.Show(c, now, func(w io.Writer) { printReach(w, &now) })
	}
	return c
}

func readReach(c *cobra.Command, r *roster.SiteReach) (err error) {
	f := c.Flags()
	if f.Changed("tell") {
		r.Tell, _ = f.GetStringSlice("tell")
		r.Tell = slices.DeleteFunc(r.Tell, func(name string) bool { return name == "" })
	}
	if f.Changed("heartbeat") {
		address, _ := f.GetString("heartbeat")
		if r.Heartbeat = nil; address != "" {
			every, _ := f.GetString("every")
			r.Heartbeat = &roster.Heartbeat{URL: address}
			if r.Heartbeat.Every, err = measure.ParseDuration(every); err != nil {
				return terminal.Misused("--every: %w", err)
			}
		}
	}
	if f.Changed("quiet-word") {
		text, _ := f.GetString("quiet-word")
		if r.QuietWord = nil; text != "" {
			who, at, found := strings.Cut(text, " ")
			if !found {
				return terminal.Misused("--quiet-word %q is not WHO and a time, like 'orla 08:00'", text)
			}
			r.QuietWord = &roster.QuietWord{To: who, At: strings.TrimSpace(at)}
		}
	}
	if f.Changed("flood") {
		text, _ := f.GetString("flood")
		if r.Flood = nil; text != "" {
			messages, within, _ := strings.Cut(text, " in ")
			n, err := strconv.Atoi(messages)
			length, badLength := measure.ParseDuration(within)
			if err != nil || badLength != nil {
				return terminal.Misused("--flood %q is not MESSAGES in LENGTH, like '8 in 3m'", text)
			}
			r.Flood = &roster.FloodLimit{Messages: n, Within: length}
		}
	}
	return terminal.ReadWords(c, &r.Templates)
}

func printReach(w io.Writer, r *api.ReachNow) {
	tell := "the owners"
	if len(r.Tell) > 0 {
		tell = strings.Join(r.Tell, ", ")
	}
	fmt.Fprintf(w, "Of itself the service tells %s.\n", tell)
	if h := r.Heartbeat; h != nil {
		how := "not taken yet"
		switch {
		case r.Heart.Bad != "":
			how = "the last one was not taken: " + r.Heart.Bad
		case r.Heart.OkAt != nil:
			how = "last taken " + terminal.Age(r.Heart.OkAt)
		}
		fmt.Fprintf(w, "Heartbeat every %s to %s; %s.\n", h.Every, h.URL, how)
	} else {
		fmt.Fprintln(w, "No heartbeat: nobody outside would notice if the service stood still.")
	}
	flood := r.FloodFrom()
	fmt.Fprintf(w, "Who got %d messages in %s gets what follows in one.\n", flood.Messages,
		prose.Length(time.Duration(flood.Within)))
	if q := r.QuietWord; q != nil {
		fmt.Fprintf(w, "At %s %s hears that all is quiet, or what stands.\n", q.At, q.To)
	}
}
