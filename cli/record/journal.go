package record

import (
	"fmt"
	"io"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/act"
	"jauntylark/core/prose"
	"jauntylark/core/site"
	"jauntylark/pipeline/memory"
)

func journalCommand() *cobra.Command {
	return terminal.Group("journal", "What happened, and notes about it", journalListCommand(), journalAddCommand())
}

func journalListCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "list [WORDS]", Short: "What happened, newest first", Args: cobra.ArbitraryArgs,
		Example: "  jaunty journal list --limit 20\n  jaunty journal list valve stuck\n  jaunty journal list " +
			"--device fog-pump --kind alarm --severity warning\n  jaunty journal list --asset fog-pump",
	}
	f := c.Flags()
	limit := f.Int("limit", 50, "so many at most")
	f.String("device", "", "only what happened to this device and its signals")
	f.String("asset", "",
		"only what happened to this asset and to all that belongs to it; no other choice goes with it")
	f.String("kind", "", "only entries of this kind, or that begin with this word, like alarm or guard")
	f.String("severity", "", "only entries about alarms that were as bad: advisory, warning, critical")
	f.String("since", "", "from when: "+terminal.TimeHelp+"; the first entry when left out")
	terminal.CompleteFrom(c, "severity", "advisory", "warning", "critical")
	terminal.CompleteDevices(c, "device")
	_ = c.RegisterFlagCompletionFunc("asset", assetNames)
	for _, other := range []string{"device", "kind", "severity", "since"} {
		c.MarkFlagsMutuallyExclusive("asset", other)
	}
	c.RunE = func(c *cobra.Command, args []string) error {
		if *limit < 1 || *limit > 1000 {
			return terminal.Misused("--limit %d is not 1 to 1000", *limit)
		}
		at := api.ListJournal.At()
		if of, _ := f.GetString("asset"); of != "" {
			if len(args) > 0 {
				return terminal.Misused("--asset takes no words to look for")
			}
			at = api.ListAssetJournal.At(of)
		}
		query := url.Values{"limit": {strconv.Itoa(*limit)}}
		if len(args) > 0 {
			query.Set("words", strings.Join(args, " "))
		}
		for _, name := range []string{"device", "kind", "severity"} {
			if v, _ := f.GetString(name); v != "" {
				query.Set(name, v)
			}
		}
		since, err := terminal.MomentFlag(f, "since")
		if err != nil {
			return err
		}
		if since != nil {
			query.Set("since", since.String())
		}
		entries, err := terminal.Fetch[[]site.Entry](c, at.Raw(query.Encode()))
		if err != nil {
			return err
		}
		return terminal.Show(c, entries, func(w io.Writer) { printEntries(w, entries) })
	}
	return c
}

func journalAddCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "add TEXT", Short: "Write a note into the journal: what was done, what was seen",
		Args: terminal.Exactly("TEXT"),
		Long: `Write a note into the journal. Charts of the device or signal that it is about show it at its time, and pages of the asset.
An asset's standing notes, in Markdown, are set with 'jaunty asset set NAME --note'.`,
		Example: "  jaunty journal add 'probe cleaned' --signal pond/oxygen\n  jaunty journal add 'power cut in the " +
			"whole street' --at 40m\n  jaunty journal add 'new seal fitted' --asset fog-pump",
	}
	f := c.Flags()
	device := f.String("device", "", "the device that it is about; the site when nothing is named")
	signal := f.String("signal", "", "DEVICE/SIGNAL that it is about")
	of := f.String("asset", "", "the asset that it is about")
	f.String("at", "", "when that was: "+terminal.TimeHelp+"; now when left out")
	c.MarkFlagsMutuallyExclusive("device", "signal", "asset")
	terminal.CompleteDevices(c, "device")
	_ = c.RegisterFlagCompletionFunc("signal", terminal.SignalPaths)
	_ = c.RegisterFlagCompletionFunc("asset", assetNames)
	c.RunE = func(c *cobra.Command, args []string) (err error) {
		n := act.Note{Text: args[0], Of: *device + *signal}
		if *of != "" {
			n.Of = memory.AssetSubject(*of)
		}
		if n.At, err = terminal.MomentFlag(f, "at"); err != nil {
			return err
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		if _, err := client.Do(c.Context(), s, api.WriteNote, api.With(n)); err != nil {
			return err
		}
		return terminal.Show(c, n, func(w io.Writer) { fmt.Fprintln(w, "It is in the journal.") })
	}
	return c
}

func printEntries(w io.Writer, entries []site.Entry) {
	rows := [][]string{}
	for _, e := range entries {
		lasted := ""
		if e.Lasted != nil {
			lasted = prose.Length(time.Duration(*e.Lasted) * time.Millisecond)
		}
		rows = append(rows, []string{terminal.Clock(&e.At), terminal.Age(&e.At), lasted, e.Kind, e.Text})
	}
	terminal.Table(w, "Nothing like that has happened yet.", []string{"AT", "", "LASTED", "KIND", "WHAT"}, rows)
}
