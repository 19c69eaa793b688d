package people

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/alarm"
	"jauntylark/core/roster"
)

func contactCommand() *cobra.Command {
	return terminal.Group("contact", "People and duty phones, with their addresses", contactListCommand(),
		contactShowCommand(), contactSaveCommand(terminal.Saving{Verb: "add", Short: "Add a contact"}),
		contactSaveCommand(terminal.Saving{Verb: "set",
			Short: "Change a contact; addresses are added to those there are"}), contactTestCommand(),
		terminal.RemoveCommand("contact", api.RemoveContact.Operation, contactNames))
}

func contactNames(c *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	return terminal.Names(c, api.ListContacts.At(), func(v roster.Contact) string { return v.Name })
}

func contactListCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "All contacts", Args: terminal.Exactly(), Example: "  jaunty contact list",
		RunE: func(c *cobra.Command, _ []string) error {
			all, err := terminal.Ask(c, api.ListContacts, api.None{})
			if err != nil {
				return err
			}
			return terminal.Show(c, all, func(w io.Writer) {
				rows := [][]string{}
				for _, v := range all {
					quiet := v.Quiet
					if quiet != "" {
						quiet += ", but " + string(v.Passes)
					}
					for i, a := range v.Addresses {
						if i == 0 {
							rows = append(rows, []string{v.Name, v.Called(), a.Carrier, a.To, quiet, awayWords(&v)})
						} else {
							rows = append(rows, []string{"", "", a.Carrier, a.To, "", ""})
						}
					}
					if len(v.Addresses) == 0 {
						rows = append(rows, []string{v.Name, v.Called(), "-", "no address", quiet, awayWords(&v)})
					}
				}
				terminal.Table(w, "No contacts yet; 'jaunty contact add --help' shows one.",
					[]string{"CONTACT", "TITLE", "CARRIER", "ADDRESS", "QUIET HOURS", "AWAY"}, rows)
			})
		},
	}
}

func awayWords(v *roster.Contact) string {
	if v.Away == nil {
		return ""
	}
	return fmt.Sprintf("%s to %s, %s is told", terminal.Clock(&v.Away.From), terminal.Clock(&v.Away.Until),
		v.Away.Instead)
}

func contactShowCommand() *cobra.Command {
	return &cobra.Command{
		Use: "show CONTACT", Short: "One contact", Args: terminal.Exactly("CONTACT"),
		Example: "  jaunty contact show orla", ValidArgsFunction: contactNames,
		RunE: func(c *cobra.Command, args []string) error {
			v, err := terminal.Ask(c, api.GetContact, api.ContactPath{Contact: args[0]})
			if err != nil {
				return err
			}
			return terminal.Show(c, v, func(w io.Writer) { printContact(w, &v) })
		},
	}
}

func printContact(w io.Writer, v *roster.Contact) {
	fmt.Fprintf(w, "%s (%s)\n", v.Called(), v.Name)
	for _, a := range v.Addresses {
		fmt.Fprintf(w, "  %-8s %s %s\n", a.Carrier, a.To, a.Format)
		if a.Secret != "" {
			fmt.Fprintf(w, "           signed with %s (told once)\n", a.Secret)
		}
	}
	if v.Quiet != "" {
		zone := v.Zone
		if zone == "" {
			zone = "the site's time"
		}
		fmt.Fprintf(w, "  quiet    %s (%s); %s gets through\n", v.Quiet, zone, v.Passes)
	}
	if v.Away != nil {
		fmt.Fprintf(w, "  away     %s\n", awayWords(v))
	}
	for _, t := range v.Templates {
		fmt.Fprintf(w, "  %-8s %s\n", t.On, strings.TrimSpace(t.Short+" "+t.Long))
	}
}

func contactSaveCommand(as terminal.Saving) *cobra.Command {
	c := &cobra.Command{
		Use: as.Verb + " CONTACT", Short: as.Short, Args: terminal.Exactly("CONTACT"), ValidArgsFunction: contactNames,
		Example: `  jaunty contact add orla --title Orla --mail orla@hollowbrook.example --text '+353 86 123 4567'
  jaunty contact set orla --quiet-hours 'daily 22:00-07:00' --passes warning
  jaunty contact set tadhg --away '2026-12-24..2027-01-02' --deputy orla
  jaunty contact set panel --webhook https://panel.example/alarms --remove chat`,
	}
	f := c.Flags()
	f.String("title", "", "what people call them")
	f.StringArray("mail", nil, "e-mail address; may be repeated")
	f.StringArray("text", nil, "telephone number for text messages")
	f.StringArray("voice", nil, "telephone number for calls")
	f.StringArray("chat", nil, "address in a chat")
	f.StringArray("webhook", nil, "URL that gets signed JSON")
	f.StringArray("webhook-cap", nil, "URL that gets CAP 1.2")
	f.StringArray("remove", nil, "address to remove, or a carrier whose addresses all go")
	f.String("zone", "", "time zone of the quiet hours, like Europe/Dublin; '' for the site's")
	f.String("quiet-hours", "",
		"hours in which only what is bad enough gets through, like 'daily 22:00-07:00'; '' for none")
	f.String("passes", "critical", "the lowest severity that gets through then")
	f.String("away", "", "from when until when somebody else is told, like 2026-12-24..2027-01-02; '' for not")
	f.String("deputy", "", "the contact who is told meanwhile")
	f.StringArray("words", nil,
		"own words: 'KIND=TEXT' for the short line, like 'raise={{severity}}: {{sentence}}'; 'KIND=' takes them back")
	terminal.CompleteFrom(c, "passes", "advisory", "warning", "critical")
	_ = c.RegisterFlagCompletionFunc("deputy", contactNames)
	c.RunE = func(c *cobra.Command, args []string) error {
		v, err := terminal.Draft(c, as, "contact", api.ListContacts.At(), api.GetContact.At(args[0]), args[0],
			roster.Contact{Name: args[0], Addresses: roster.Addresses{}, Templates: alarm.Templates{}},
			func(v roster.Contact) string { return v.Name })
		if err != nil {
			return err
		}
		if err := readContact(c, &v); err != nil {
			return err
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		out, err := client.Do(c.Context(), s, api.PutContact,
			api.PutContactIn{ContactPath: api.ContactPath{Contact: v.Name}, Body: v})
		if err != nil {
			return err
		}
		return terminal.Show(c, out, func(w io.Writer) { printContact(w, &out) })
	}
	return c
}

// readContact takes what the flags say into v.
func readContact(c *cobra.Command, v *roster.Contact) error {
	f := c.Flags()
	for name, into := range map[string]*string{"title": &v.Title, "zone": &v.Zone, "quiet-hours": &v.Quiet} {
		if f.Changed(name) {
			*into, _ = f.GetString(name)
		}
	}
	if f.Changed("passes") {
		passes, _ := f.GetString("passes")
		v.Passes = alarm.Severity(passes)
	}
	for _, flag := range []struct{ name, carrier, format string }{{"mail", roster.Mail, ""}, {"text", roster.Text, ""},
		{"voice", roster.Voice, ""}, {"chat", roster.Chat, ""},
		{"webhook", roster.Webhook, "json"}, {"webhook-cap", roster.Webhook, "cap"}} {
		added, _ := f.GetStringArray(flag.name)
		for _, to := range added {
			a := roster.Address{Carrier: flag.carrier, To: to, Format: flag.format}
			if err := a.Check(); err != nil {
				return terminal.Misused("--%s: %v", flag.name, strings.TrimPrefix(err.Error(), "addresses: "))
			}
			v.Addresses = append(slices.DeleteFunc(v.Addresses, a.Same), a)
		}
	}
	removes, _ := f.GetStringArray("remove")
	for _, gone := range removes {
		before := len(v.Addresses)
		v.Addresses = slices.DeleteFunc(v.Addresses, func(a roster.Address) bool {
			return a.To == gone || a.Carrier == gone
		})
		if len(v.Addresses) == before {
			return terminal.Misused("--remove %s: %s has no such address", gone, v.Name)
		}
	}
	if err := terminal.ReadWords(c, &v.Templates); err != nil {
		return err
	}
	return readAway(c, v)
}

func readAway(c *cobra.Command, v *roster.Contact) error {
	f := c.Flags()
	if !f.Changed("away") {
		return nil
	}
	text, _ := f.GetString("away")
	if v.Away = nil; text == "" {
		return nil
	}
	from, until, found := strings.Cut(text, "..")
	if !found {
		return terminal.Misused("--away %q is not FROM..UNTIL, like 2026-12-24..2027-01-02", text)
	}
	away := roster.Away{}
	var err error
	if away.From, err = terminal.Moment(from); err == nil {
		away.Until, err = terminal.Moment(until)
	}
	if err != nil {
		return terminal.Misused("--away: %v", err)
	}
	if away.Instead, _ = f.GetString("deputy"); away.Instead == "" {
		return terminal.Misused("say who is told meanwhile, with --deputy")
	}
	v.Away = &away
	return nil
}

func contactTestCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "test CONTACT", Short: "Send a test to a contact now, and tell what became of it",
		Args: terminal.Exactly("CONTACT"), ValidArgsFunction: contactNames,
		Example: `  jaunty contact test orla
  jaunty contact test orla --by text,voice`,
	}
	c.Flags().StringSlice("by", nil, "carriers; all that the contact has when left out")
	terminal.CompleteFrom(c, "by", roster.Carriers...)
	c.RunE = func(c *cobra.Command, args []string) error {
		by, _ := c.Flags().GetStringSlice("by")
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		sent, err := client.Do(c.Context(), s, api.TestContact,
			api.TestContactIn{ContactPath: api.ContactPath{Contact: args[0]}, Body: &api.TestOrder{By: by}})
		if err != nil {
			return err
		}
		notices, err := waitForNotices(c, s, args[0], sent.Notices)
		if err != nil {
			return err
		}
		failed := false
		err = terminal.Show(c, notices, func(w io.Writer) {
			for _, n := range notices {
				fmt.Fprintf(w, "%-8s %s: %s\n", n.Carrier, n.Address, lastWord(&n))
			}
		})
		for _, n := range notices {
			failed = failed || n.State != roster.Sent && n.State != roster.Delivered
		}
		if err == nil && failed {
			return fmt.Errorf("not all of it arrived; 'jaunty notice list --contact %s' tells more", args[0])
		}
		return err
	}
	return c
}
