package readings

import (
	"fmt"
	"io"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
)

func storageCommand() *cobra.Command {
	return terminal.Group("storage", "What the history takes up, and for how long it is kept", storageShowCommand(),
		storageSetCommand())
}

func storageShowCommand() *cobra.Command {
	return &cobra.Command{
		Use: "show", Short: "What the history takes up, what it will, and what would shrink it",
		Args: terminal.Exactly(), Example: "  jaunty storage show\n  jaunty storage show --json",
		RunE: func(c *cobra.Command, _ []string) error {
			s, err := terminal.Ask(c, api.GetStorage, api.None{})
			if err != nil {
				return err
			}
			return terminal.Show(c, s, func(w io.Writer) { printStorage(w, s) })
		},
	}
}

// storageRows is how many signals people are shown.
const storageRows = 12

func printStorage(w io.Writer, s api.Storage) {
	fmt.Fprintf(w, "%.1f million readings in %s, %.2f bytes each.\n", float64(s.Readings)/1e6, prose.Bytes(s.Database),
		s.Each)
	if s.Free != nil {
		fmt.Fprintf(w, "The disk has %s free of %s.\n", prose.Bytes(*s.Free), prose.Bytes(*s.Disk))
	}
	fmt.Fprintf(w, "At this rate a year adds %s", prose.Bytes(s.Year))
	switch {
	case s.Settled != nil:
		fmt.Fprintf(w, "; by the rules of what is kept it comes to %s.\n", prose.Bytes(*s.Settled))
	case s.Full != nil:
		fmt.Fprintf(w, "; the disk will be full on %s.\n", s.Full.Time().Local().Format("2 January 2006"))
	default:
		fmt.Fprintln(w, ".")
	}
	for _, save := range s.Savings {
		fmt.Fprintf(w, "  %s a year less: %s.\n", prose.Bytes(save.Bytes), save.Do)
	}
	if s.Backlog.Rows > 0 {
		fmt.Fprintf(w, "%d readings wait to be packed, the oldest from %s.\n", s.Backlog.Rows,
			terminal.Clock(s.Backlog.Oldest))
	}
	for _, stale := range s.Stale {
		fmt.Fprintf(w, "Figures of %s are computed anew from %s on: %.0f %%.\n", stale.Signal,
			terminal.Clock(&stale.From), stale.Done*100)
	}
	for _, f := range s.Frames {
		fmt.Fprintf(w, "%s of %s: %s, %s each; after a year %s.\n", prose.Count(f.Count, "frame", "frames"), f.Device,
			prose.Bytes(f.Bytes), prose.Bytes(f.Bytes/int64(f.Count)), prose.Bytes(f.Year))
	}
	for _, r := range s.Records {
		if r.Rows > 0 {
			fmt.Fprintf(w, "%s: %d, in %s.\n", strings.ToUpper(r.What[:1])+r.What[1:], r.Rows, prose.Bytes(r.Bytes))
		}
	}
	fmt.Fprintln(w)
	rows := [][]string{}
	for _, f := range s.Signals[:min(len(s.Signals), storageRows)] {
		rows = append(rows, []string{f.Signal, strconv.FormatInt(f.Readings, 10), prose.Bytes(f.Bytes),
			fmt.Sprintf("%.2f", float64(f.Bytes)/float64(max(1, f.Readings))), fmt.Sprintf("%.0f", f.PerDay)})
	}
	terminal.Table(w, "Nothing is stored yet.", []string{"SIGNAL", "READINGS", "SIZE", "BYTES EACH", "A DAY"}, rows)
	if more := len(s.Signals) - storageRows; more > 0 {
		fmt.Fprintf(w, "and %d more; --json has all.\n", more)
	}
}

func storageSetCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "set", Short: "Say for how long readings, alarms and the journal are kept, site-wide",
		Args: terminal.Exactly(),
		Long: `Say for how long the site keeps readings, where neither the signal ('jaunty signal set --keep-readings') nor
its kit (keep_readings) says otherwise; 0s: for ever. Figures by hour and day are kept for ever, unless
--keep-figures says for how long. Alarms are kept for ten years with all that explains them, the rest of the
journal for five, unless --keep-alarms and --keep-journal say otherwise.`,
		Example: "  jaunty storage set --keep-readings 365d\n  jaunty storage set --keep-readings 90d --keep-figures " +
			"3650d\n  jaunty storage set --keep-readings 0s",
	}
	f := c.Flags()
	f.String("keep-readings", "", "for how long readings are kept, like 90d; 0s: for ever; as before when left out")
	f.String("keep-figures", "", "for how long figures by hour and day are kept; 0s: for ever; as before when left out")
	f.String("keep-alarms", "",
		"for how long alarms that are over are kept, with their notices and journal; 0s: for ever; as before when "+
			"left out")
	f.String("keep-journal", "",
		"for how long the journal and the notices are kept that are about no alarm; 0s: for ever; as before when "+
			"left out")
	c.MarkFlagsOneRequired("keep-readings", "keep-figures", "keep-alarms", "keep-journal")
	c.RunE = func(c *cobra.Command, _ []string) error {
		here, err := terminal.Ask(c, api.GetSite, api.None{})
		if err != nil {
			return err
		}
		for flag, into := range map[string]*measure.Duration{"keep-readings": &here.KeepReadings,
			"keep-figures": &here.KeepFigures, "keep-alarms": &here.KeepAlarms, "keep-journal": &here.KeepJournal} {
			if text, _ := f.GetString(flag); text != "" {
				if *into, err = measure.ParseDuration(text); err != nil {
					return terminal.Misused("--%s: %w", flag, err)
				}
			}
		}
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		if err := s.Call(c.Context(), api.PutSite.At(), here, &here); err != nil {
			return err
		}
		return terminal.Show(c, here, func(w io.Writer) {
			fmt.Fprintf(w, "Readings are kept %s, figures %s; alarms %s, the journal %s.\n",
				terminal.ForLong(here.KeepReadings), terminal.ForLong(here.KeepFigures),
				terminal.ForLong(here.KeepAlarms), terminal.ForLong(here.KeepJournal))
		})
	}
	return c
}
