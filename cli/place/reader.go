package place

import (
	"cmp"
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/feed"
	"jauntylark/core/prose"
)

func readerCommand() *cobra.Command {
	return terminal.Group("reader", "Programs that read the feed of changes, and alarms over MQTT, each with its own key",
		readerListCommand(), readerSaveCommand(terminal.Saving{Verb: "add", Short: "Let a program read, with a new key"}),
		readerSaveCommand(terminal.Saving{Verb: "set", Short: "Change what a reader is told"}), readerKeyCommand(),
		readerRewindCommand(), readerRemoveCommand())
}

func readerNames(c *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	return terminal.Names(c, api.ListReaders.At(), func(r feed.Reader) string { return r.Name })
}

func readerListCommand() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "All readers, and what each is told", Args: terminal.Exactly(), Example: "  jaunty reader list",
		RunE: func(c *cobra.Command, _ []string) error {
			all, err := terminal.Ask(c, api.ListReaders, api.None{})
			if err != nil {
				return err
			}
			return terminal.Show(c, all, func(w io.Writer) {
				rows := make([][]string, len(all))
				for i, r := range all {
					key := "yes"
					if !r.Keyed {
						key = "no"
					}
					rows[i] = []string{r.Name, cmp.Or(prose.List(r.Kinds), "all"), cmp.Or(prose.List(r.Devices), "all"), key,
						terminal.Age(&r.MadeAt), postedSays(r)}
				}
				terminal.Table(w, "No readers yet; 'jaunty reader add NAME' lets a program read.",
					[]string{"READER", "KINDS", "DEVICES", "KEY", "SINCE", "POSTED"}, rows)
			})
		},
	}
}

// postedSays says how it goes with what is posted to a reader; empty: nothing is.
func postedSays(r feed.Reader) string {
	switch {
	case r.URL == "":
		return ""
	case r.Failing != "":
		return "failing: " + terminal.Clip(r.Failing, 40)
	}
	return "up to " + r.Cursor
}

func readerSaveCommand(as terminal.Saving) *cobra.Command {
	c := &cobra.Command{
		Use: as.Verb + " NAME", Short: as.Short, Args: terminal.Exactly("NAME"),
		Example: "  jaunty reader " + as.Verb + " spreadsheet --kind readings --device pond --device store\n" +
			"  curl -s http://127.0.0.1:8080/api/v1/changes -H 'Authorization: Bearer KEY'",
		RunE: func(c *cobra.Command, args []string) error {
			r, err := terminal.Draft(c, as, "reader", api.ListReaders.At(), api.GetReader.At(args[0]), args[0],
				feed.Reader{Devices: []string{}, Kinds: []string{}}, func(r feed.Reader) string { return r.Name })
			if err != nil {
				return err
			}
			if f := c.Flags(); f.Changed("kind") {
				r.Kinds, _ = f.GetStringSlice("kind")
			}
			if f := c.Flags(); f.Changed("device") {
				r.Devices, _ = f.GetStringSlice("device")
			}
			if f := c.Flags(); f.Changed("url") {
				r.URL, _ = f.GetString("url")
			}
			s, err := terminal.SignedIn()
			if err != nil {
				return err
			}
			r, err = client.Do(c.Context(), s, api.PutReader, api.PutReaderIn{ReaderPath: api.ReaderPath{Reader: args[0]},
				Body: r})
			if err != nil {
				return err
			}
			if as.Verb == "add" {
				return newReaderKey(c, s, args[0])
			}
			return terminal.Show(c, r, func(w io.Writer) { fmt.Fprintf(w, "Reader %s is saved.\n", r.Name) })
		},
	}
	c.Flags().StringSlice("kind", nil, "what it is told: readings, alarm, journal; all when left out")
	c.Flags().StringSlice("device", nil, "it is told what is about these alone; all when left out")
	c.Flags().String("url", "", "where the feed is posted, signed; it asks for it itself when left out")
	terminal.CompleteFrom(c, "kind", feed.Kinds...)
	terminal.CompleteDevices(c, "device")
	if as.Verb == "set" {
		c.ValidArgsFunction = readerNames
	}
	return c
}

func newReaderKey(c *cobra.Command, s *client.Client, name string) error {
	key, err := client.Do(c.Context(), s, api.NewReaderKey, api.ReaderPath{Reader: name})
	if err != nil {
		return err
	}
	return terminal.Show(c, key, func(w io.Writer) {
		fmt.Fprintf(w, "Reader %s has the key %s (told once): as bearer over HTTP, as password of the user %s over MQTT.\n",
			name, key.Key, key.User)
		if key.Secret != "" {
			fmt.Fprintf(w, "What is posted to it is signed with %s (told once).\n", key.Secret)
		}
	})
}

func readerKeyCommand() *cobra.Command {
	return terminal.Group("key", "The key of a reader", readerRotateCommand())
}

func readerRotateCommand() *cobra.Command {
	return &cobra.Command{
		Use: "rotate NAME", Short: "Make a new key for a reader; it is told once, and the old one ends",
		Args: terminal.Exactly("NAME"), Example: "  jaunty reader key rotate spreadsheet", ValidArgsFunction: readerNames,
		RunE: func(c *cobra.Command, args []string) error {
			s, err := terminal.SignedIn()
			if err != nil {
				return err
			}
			return newReaderKey(c, s, args[0])
		},
	}
}

func readerRewindCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "rewind NAME", Short: "Post the feed to a reader again, from a place of the last week on",
		Args: terminal.Exactly("NAME"), Example: "  jaunty reader rewind tickets --cursor 4711",
		ValidArgsFunction: readerNames,
		RunE: func(c *cobra.Command, args []string) error {
			cursor, _ := c.Flags().GetString("cursor")
			if cursor == "" {
				return terminal.Misused("say after which commit: --cursor 4711")
			}
			r, err := terminal.Ask(c, api.RewindReader, api.RewindReaderIn{ReaderPath: api.ReaderPath{Reader: args[0]},
				Body: api.RewindOrder{Cursor: cursor}})
			if err != nil {
				return err
			}
			return terminal.Show(c, r, func(w io.Writer) {
				fmt.Fprintf(w, "Reader %s is told the feed again, from %s.\n", r.Name, cursor)
			})
		},
	}
	c.Flags().String("cursor", "", "after which commit")
	return c
}

func readerRemoveCommand() *cobra.Command {
	return &cobra.Command{
		Use: "remove NAME", Short: "Remove a reader; its key ends for good", Args: terminal.Exactly("NAME"),
		Example: "  jaunty reader remove spreadsheet", ValidArgsFunction: readerNames,
		RunE: func(c *cobra.Command, args []string) error {
			if _, err := terminal.Ask(c, api.RemoveReader, api.ReaderPath{Reader: args[0]}); err != nil {
				return err
			}
			return terminal.Show(c, map[string]string{"removed": args[0]},
				func(w io.Writer) { fmt.Fprintf(w, "Reader %s is removed, and its key has ended.\n", args[0]) })
		},
	}
}
