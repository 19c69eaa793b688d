package cli

import (
	"bufio"
	"fmt"
	"io"
	"net/http"
	"os"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"jauntylark/client"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// clearAnswer is what the service says of a clearing.
type clearAnswer struct {
	Clearing *site.Clearing `json:"clearing"`
	Stamp    site.Stamp     `json:"stamp"`
	Signals  int            `json:"signals"`
	Confirm  string         `json:"confirm"`
}

func clearCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "clear DEVICE|DEVICE/SIGNAL", Short: "Clear readings; they can be put back for 30 days", ValidArgsFunction: deviceNames,
		Long: `Take readings away: of a signal, of a device, or with --all of the whole site; all of them, or a stretch. It
says first what would go. Where much would go, the name has to be typed once more, or given by --confirm.
Settings, guards and alarms stay. For 30 days 'jaunty clear --undo NUMBER' puts them back.`,
		Example: `  jaunty clear pond/oxygen --since 2026-03-01T00:00:00Z --until 2026-03-02T00:00:00Z --export march.csv
  jaunty clear pond --without-data --confirm pond
  jaunty clear --list
  jaunty clear --undo 3`,
	}
	f := c.Flags()
	f.String("since", "", "from when: a time (RFC 3339), or how long ago; the first reading when left out")
	f.String("until", "", "up to when; the newest reading when left out")
	f.Bool("all", false, "of the whole site")
	f.String("export", "", "file that the readings are written to first (.csv, .xlsx, .senml.json, .parquet)")
	f.Bool("without-data", false, "do not export first")
	f.String("confirm", "", "what is cleared, once more")
	f.Bool("try", false, "say what would go, and clear nothing")
	f.Bool("list", false, "what was cleared, and can be put back")
	f.Int64("undo", 0, "put back what a clearing of this number took away")
	c.RunE = func(c *cobra.Command, args []string) error {
		list, _ := f.GetBool("list")
		undo, _ := f.GetInt64("undo")
		all, _ := f.GetBool("all")
		switch {
		case list:
			return listClearings(c)
		case undo != 0:
			return undoClearing(c, undo)
		case all == (len(args) == 1) || len(args) > 1:
			return misused("clear takes one DEVICE or DEVICE/SIGNAL, or --all")
		}
		return clearReadings(c, strings.Join(args, ""))
	}
	return c
}

func clearReadings(c *cobra.Command, what string) error {
	f := c.Flags()
	order := map[string]any{"what": what, "try": true}
	for _, name := range []string{"since", "until"} {
		if text, _ := f.GetString(name); text != "" {
			at, err := moment(text)
			if err != nil {
				return misused("--%s: %w", name, err)
			}
			order[name] = at
		}
	}
	try, _ := f.GetBool("try")
	file, _ := f.GetString("export")
	without, _ := f.GetBool("without-data")
	if !try && (file == "") == !without {
		return misused("say --export FILE to keep the readings, or --without-data to let them go")
	}
	s, err := service()
	if err != nil {
		return err
	}
	var would clearAnswer
	if err := s.Do(c.Context(), http.MethodPost, "/api/v1/clearings", order, &would); err != nil {
		return err
	}
	if try {
		return show(c, would, func(w io.Writer) { fmt.Fprintln(w, would.words("would go")) })
	}
	if order["confirm"], err = confirmed(c, would); err != nil {
		return err
	}
	if file != "" {
		if err := exportBefore(c, s, what, file, order); err != nil {
			return err
		}
	}
	order["try"] = false
	var done clearAnswer
	if err := s.Do(c.Context(), http.MethodPost, "/api/v1/clearings", order, &done); err != nil {
		return err
	}
	cleared, err := waitForClearing(c, s, done.Clearing.ID)
	if err != nil {
		return err
	}
	return show(c, cleared, func(w io.Writer) {
		fmt.Fprintf(w, "%s\nUntil %s, 'jaunty clear --undo %d' puts them back.\n", done.words("are cleared"), clock(&cleared.GoneAt), cleared.ID)
	})
}

func (a *clearAnswer) words(verb string) string {
	if a.Stamp.Readings == 0 {
		return "There are no readings in this stretch."
	}
	return fmt.Sprintf("%d readings of %d signals %s, from %s to %s.", a.Stamp.Readings, a.Signals, verb, clock(&a.Stamp.First), clock(&a.Stamp.Last))
}

// confirmed gives the name that has to be typed, from --confirm or the terminal.
func confirmed(c *cobra.Command, would clearAnswer) (string, error) {
	given, _ := c.Flags().GetString("confirm")
	if would.Confirm == "" || given == would.Confirm {
		return given, nil
	}
	in, ok := c.InOrStdin().(*os.File)
	if given != "" || !ok || !isTerminal(in) {
		return "", misused("%s Say --confirm %q to clear them", would.words("would go"), would.Confirm)
	}
	fmt.Fprintf(c.ErrOrStderr(), "%s\nType %s to clear them: ", would.words("would go"), would.Confirm)
	line, err := bufio.NewReader(in).ReadString('\n')
	if err != nil {
		return "", err
	}
	return strings.TrimSpace(line), nil
}

// exportBefore writes what is to be cleared to a file.
func exportBefore(c *cobra.Command, s *client.Client, what, file string, order map[string]any) error {
	format := formatOf(file)
	if format == "" {
		return misused("--export %s: the name says no format", file)
	}
	query := "/api/v1/export?values=raw&format=" + format
	if what != "" {
		query += "&what=" + what
	}
	for _, name := range []string{"since", "until"} {
		if at, there := order[name].(measure.Instant); there {
			query += "&" + name + "=" + at.String()
		}
	}
	return newFile(file, func(to io.Writer) error { return s.Download(c.Context(), query, to) })
}

// waitForClearing waits until a clearing is carried out, or put back.
func waitForClearing(c *cobra.Command, s *client.Client, id int64) (site.Clearing, error) {
	bar := newProgress(c, "")
	defer bar.end()
	for {
		list := []site.Clearing{}
		if err := s.Do(c.Context(), http.MethodGet, "/api/v1/clearings", nil, &list); err != nil {
			return site.Clearing{}, err
		}
		for _, x := range list {
			if x.ID == id && x.State != site.ClearingRunning && x.State != site.ClearingUndoing {
				return x, nil
			} else if x.ID == id {
				bar.say("%d readings", x.Readings)
			}
		}
		select {
		case <-c.Context().Done():
			return site.Clearing{}, fmt.Errorf("it goes on without us: %w", c.Context().Err())
		case <-time.After(300 * time.Millisecond):
		}
	}
}

func undoClearing(c *cobra.Command, id int64) error {
	s, err := service()
	if err != nil {
		return err
	}
	if err := s.Do(c.Context(), http.MethodPost, fmt.Sprintf("/api/v1/clearings/%d/undo", id), nil, nil); err != nil {
		return err
	}
	back, err := waitForClearing(c, s, id)
	if err != nil {
		return err
	}
	return show(c, back, func(w io.Writer) { fmt.Fprintf(w, "%d readings are back.\n", back.Readings) })
}

func listClearings(c *cobra.Command) error {
	list, err := fetch[[]site.Clearing](c, "/api/v1/clearings")
	if err != nil {
		return err
	}
	return show(c, list, func(w io.Writer) {
		rows := [][]string{}
		for _, x := range list {
			what := x.What
			if what == "" {
				what = "all"
			}
			rows = append(rows, []string{strconv.FormatInt(x.ID, 10), what, strconv.FormatInt(x.Readings, 10), x.State, x.Who, clock(&x.OrderedAt), clock(&x.GoneAt)})
		}
		table(w, "Nothing was cleared.", []string{"NUMBER", "WHAT", "READINGS", "STATE", "WHO", "WHEN", "UNDO UNTIL"}, rows)
	})
}
