package cli

import (
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline"
)

func journalCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "journal [WORDS]", Short: "What happened, newest first", Args: cobra.ArbitraryArgs,
		Example: "  jaunty journal --limit 20\n  jaunty journal valve stuck\n  jaunty journal --device fog-pump --kind alarm --severity warning",
	}
	f := c.Flags()
	limit := f.Int("limit", 50, "so many at most")
	f.String("device", "", "only what happened to this device and its signals")
	f.String("kind", "", "only entries of this kind, or that begin with this word, like alarm or guard")
	f.String("severity", "", "only entries about alarms that were as bad: advisory, warning, critical")
	f.String("since", "", "only since then: a time (RFC 3339), or how long ago")
	completeFrom(c, "severity", "advisory", "warning", "critical")
	completeDevices(c, "device")
	c.RunE = func(c *cobra.Command, args []string) error {
		if *limit < 1 || *limit > 1000 {
			return misused("--limit %d is not 1 to 1000", *limit)
		}
		query := url.Values{"limit": {strconv.Itoa(*limit)}, "words": {strings.Join(args, " ")}}
		for _, name := range []string{"device", "kind", "severity"} {
			if v, _ := f.GetString(name); v != "" {
				query.Set(name, v)
			}
		}
		if text, _ := f.GetString("since"); text != "" {
			at, err := moment(text)
			if err != nil {
				return misused("--since: %w", err)
			}
			query.Set("since", at.String())
		}
		entries, err := fetch[[]site.Entry](c, "/api/v1/journal?"+query.Encode())
		if err != nil {
			return err
		}
		return show(c, entries, func(w io.Writer) { printEntries(w, entries) })
	}
	return c
}

func noteCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "note TEXT", Short: "Write a note into the journal: what was done, what was seen", Args: exactly("TEXT"),
		Long:    "Write a note into the journal. Charts of the device or signal that it is about show it at its time.",
		Example: "  jaunty note 'probe cleaned' --of pond/oxygen\n  jaunty note 'power cut in the whole street' --at 40m",
	}
	f := c.Flags()
	of := f.String("of", "", "DEVICE or DEVICE/SIGNAL that it is about; the site when left out")
	f.String("at", "", "when that was: a time (RFC 3339), or how long ago; now when left out")
	completeDevices(c, "of")
	c.RunE = func(c *cobra.Command, args []string) error {
		return writeNote(c, pipeline.Note{Text: args[0], Of: *of}, "the journal")
	}
	return c
}

// writeNote writes into the journal, for the time that --at says.
func writeNote(c *cobra.Command, n pipeline.Note, journal string) (err error) {
	if n.At, err = momentFlag(c.Flags(), "at"); err != nil {
		return err
	}
	s, err := service()
	if err != nil {
		return err
	}
	if err := s.Do(c.Context(), http.MethodPost, "/api/v1/journal", n, nil); err != nil {
		return err
	}
	return show(c, n, func(w io.Writer) { fmt.Fprintf(w, "It is in %s.\n", journal) })
}

func printEntries(w io.Writer, entries []site.Entry) {
	rows := [][]string{}
	for _, e := range entries {
		lasted := ""
		if e.Lasted != nil {
			lasted = measure.Length(time.Duration(*e.Lasted) * time.Millisecond)
		}
		rows = append(rows, []string{clock(&e.At), age(&e.At), lasted, e.Kind, e.Text})
	}
	table(w, "Nothing like that has happened yet.", []string{"AT", "", "LASTED", "KIND", "WHAT"}, rows)
}

func assetJournalCommand() *cobra.Command {
	c := &cobra.Command{Use: "journal NAME", Short: "What happened to an asset and to all that belongs to it, newest first", Args: exactly("NAME"), ValidArgsFunction: assetNames, Example: "  jaunty asset journal fog-pump --limit 20"}
	limit := c.Flags().Int("limit", 50, "so many at most")
	c.RunE = func(c *cobra.Command, args []string) error {
		if *limit < 1 || *limit > 1000 {
			return misused("--limit %d is not 1 to 1000", *limit)
		}
		entries, err := fetch[[]site.Entry](c, assetPath(args[0])+"/journal?limit="+strconv.Itoa(*limit))
		if err != nil {
			return err
		}
		return show(c, entries, func(w io.Writer) { printEntries(w, entries) })
	}
	return c
}
