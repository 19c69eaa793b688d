package readings

import (
	"bufio"
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/site"
)

func readingRemoveCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "remove DEVICE|DEVICE/SIGNAL", Short: "Remove readings; they can be brought back for 30 days",
		ValidArgsFunction: terminal.DeviceNames,
		Long: `Remove readings: of a signal, of a device, or with --all of the whole site; all of them, or a stretch. It
says first what would go. Where much would go, the name has to be typed once more, or given by --confirm.
Settings, guards and alarms stay. For 30 days 'jaunty reading bring-back NUMBER' brings them back.`,
		Example: `  jaunty reading remove pond/oxygen --since 2026-03-01T00:00:00Z --until 2026-03-02T00:00:00Z --export march.csv
  jaunty reading remove pond --without-data --confirm pond`,
	}
	f := c.Flags()
	terminal.SpanFlags(f, "", "the first reading", "the newest reading")
	f.Bool("all", false, "of the whole site")
	f.String("export", "", "file that the readings are written to first (.csv, .xlsx, .senml.json, .parquet)")
	f.Bool("without-data", false, "do not export first")
	f.String("confirm", "", "what is removed, once more")
	f.Bool("try", false, "say what would go, and remove nothing")
	c.Args = func(c *cobra.Command, args []string) error {
		if all, _ := f.GetBool("all"); all == (len(args) == 1) || len(args) > 1 {
			return terminal.Misused("%s takes one DEVICE or DEVICE/SIGNAL, or --all", c.CommandPath())
		}
		return nil
	}
	c.RunE = func(c *cobra.Command, args []string) error { return clearReadings(c, strings.Join(args, "")) }
	return c
}

func clearReadings(c *cobra.Command, what string) error {
	f := c.Flags()
	order := api.ClearOrder{What: what, Try: true}
	for name, into := range map[string]**measure.Instant{"since": &order.Since, "until": &order.Until} {
		at, err := terminal.MomentFlag(f, name)
		if err != nil {
			return err
		}
		*into = at
	}
	try, _ := f.GetBool("try")
	file, _ := f.GetString("export")
	without, _ := f.GetBool("without-data")
	if !try && (file == "") == !without {
		return terminal.Misused("say --export FILE to keep the readings, or --without-data to let them go")
	}
	s, err := terminal.SignedIn()
	if err != nil {
		return err
	}
	would, err := client.Do(c.Context(), s, api.ClearReadings, api.With(order))
	if err != nil {
		return err
	}
	if try {
		return terminal.Show(c, would, func(w io.Writer) { fmt.Fprintln(w, whatGoes(&would, "would go")) })
	}
	if order.Confirm, err = confirmed(c, would); err != nil {
		return err
	}
	if file != "" {
		if err := exportBefore(c, s, what, file, &order); err != nil {
			return err
		}
	}
	order.Try = false
	done, err := client.Do(c.Context(), s, api.ClearReadings, api.With(order))
	if err != nil {
		return err
	}
	cleared, err := waitForClearing(c, s, done.Clearing.ID)
	if err != nil {
		return err
	}
	return terminal.Show(c, cleared, func(w io.Writer) {
		fmt.Fprintf(w, "%s\nUntil %s, 'jaunty reading bring-back %d' brings them back.\n",
			whatGoes(&done, "are removed"), terminal.Clock(&cleared.GoneAt), cleared.ID)
	})
}

func whatGoes(a *api.ClearAnswer, verb string) string {
	if a.Stamp.Readings == 0 {
		return "There are no readings in this stretch."
	}
	return fmt.Sprintf("%s of %s %s, from %s to %s.", prose.Count(a.Stamp.Readings, "reading", "readings"),
		prose.Count(a.Signals, "signal", "signals"), verb, terminal.Clock(&a.Stamp.First),
		terminal.Clock(&a.Stamp.Last))
}

// confirmed gives the name that has to be typed, from --confirm or the terminal.
func confirmed(c *cobra.Command, would api.ClearAnswer) (string, error) {
	given, _ := c.Flags().GetString("confirm")
	if would.Confirm == "" || given == would.Confirm {
		return given, nil
	}
	in, ok := c.InOrStdin().(*os.File)
	if given != "" || !ok || !terminal.IsTerminal(in) {
		return "", terminal.Misused("%s Say --confirm %q to remove them", whatGoes(&would, "would go"), would.Confirm)
	}
	fmt.Fprintf(c.ErrOrStderr(), "%s\nType %s to remove them: ", whatGoes(&would, "would go"), would.Confirm)
	line, err := bufio.NewReader(in).ReadString('\n')
	if err != nil {
		return "", err
	}
	return strings.TrimSpace(line), nil
}

// exportBefore writes what is to be cleared to a file.
func exportBefore(c *cobra.Command, s *client.Client, what, file string, order *api.ClearOrder) error {
	format := formatOf(file)
	if format == "" {
		return terminal.Misused("--export %s: the name says no format", file)
	}
	query := []any{"values", "raw", "format", format}
	if what != "" {
		query = append(query, "what", what)
	}
	for name, at := range map[string]*measure.Instant{"since": order.Since, "until": order.Until} {
		if at != nil {
			query = append(query, name, *at)
		}
	}
	return terminal.NewFile(file, func(to io.Writer) error {
		return s.Download(c.Context(), api.ExportReadings.At().Asking(query...), to)
	})
}

// waitForClearing waits until a clearing is carried out, or put back.
func waitForClearing(c *cobra.Command, s *client.Client, id int64) (site.Clearing, error) {
	bar := terminal.NewProgress(c, "")
	defer bar.End()
	for {
		list := []site.Clearing{}
		if err := s.Call(c.Context(), api.ListClearings.At(), nil, &list); err != nil {
			return site.Clearing{}, err
		}
		for _, x := range list {
			if x.ID == id && x.State != site.ClearingRunning && x.State != site.ClearingUndoing {
				return x, nil
			} else if x.ID == id {
				bar.Say("%s", prose.Count(int(x.Readings), "reading", "readings"))
			}
		}
		select {
		case <-c.Context().Done():
			return site.Clearing{}, fmt.Errorf("it goes on without us: %w", c.Context().Err())
		case <-time.After(300 * time.Millisecond):
		}
	}
}

func readingBringBackCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "bring-back NUMBER",
		Short: "Bring back readings that were removed in the last 30 days; 'jaunty removed list' has the numbers",
		Args:  terminal.Exactly("NUMBER"), Example: "  jaunty reading bring-back 3",
		RunE: func(c *cobra.Command, args []string) error {
			id, err := strconv.ParseInt(args[0], 10, 64)
			if err != nil || id < 1 {
				return terminal.Misused("NUMBER %q is no number like 3; see 'jaunty removed list --kind readings'",
					args[0])
			}
			s, err := terminal.SignedIn()
			if err != nil {
				return err
			}
			if _, err := client.Do(c.Context(), s, api.PutBackReadings, api.PutBackReadingsIn{ID: id}); err != nil {
				return err
			}
			back, err := waitForClearing(c, s, id)
			if err != nil {
				return err
			}
			return terminal.Show(c, back, func(w io.Writer) {
				fmt.Fprintf(w, "%s.\n", prose.Count(int(back.Readings), "reading is back", "readings are back"))
			})
		},
	}
}

// RemovedReadings are the readings that were removed and can be brought back, as other things are.
func RemovedReadings(c *cobra.Command) ([]site.Removal, error) {
	cleared, err := terminal.Ask(c, api.ListClearings, api.None{})
	var out []site.Removal
	for _, x := range cleared {
		if x.State != site.ClearingCleared {
			continue
		}
		what := x.What
		if what == "" {
			what = "the whole site"
		}
		title := prose.Count(int(x.Readings), "reading", "readings") + " of " + what
		out = append(out, site.Removal{Kind: ReadingsKind, Name: strconv.FormatInt(x.ID, 10), Title: title, By: x.Who,
			At: x.OrderedAt, Until: x.GoneAt})
	}
	return out, err
}

// ReadingsKind is what readings are called among what was removed.
const ReadingsKind = "readings"
