package readings

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/exchange"
)

func importCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "import FILE",
		Short: "Take readings in from a CSV, SenML or Parquet file, or a whole site from an archive",
		Args:  terminal.Exactly("FILE"),
		Long: `Take readings in. Of a CSV file the columns are guessed and shown; --column says what a column truly holds.
With --try it tells what would happen, and stores nothing. Readings that are there already stay; where another
value is there it is a conflict and is left, unless --replace. No guard steps what is imported. An import that
was cut off can be done again: nothing is stored twice. An archive of a site goes into an empty service.`,
		Example: `  jaunty import logger.csv --device cellar --zone Europe/Dublin --try
  jaunty import logger.csv --device cellar --zone Europe/Dublin --column 'T1 (°C)=air:Cel' --column Notes=
  jaunty import pond.parquet --yes
  jaunty import fernery.site.gz`,
	}
	f := c.Flags()
	f.String("device", "", "the device that the readings are of, where the file does not say")
	f.String("zone", "", "time zone of times without an offset: site, UTC, or a name like Europe/Dublin")
	f.StringArray("column", nil,
		"what a column holds, NAME=SIGNAL[:UNIT], NAME=time, or NAME= for nothing; repeat for each")
	f.String("times", "", "how times are written, where the guess is wrong, for instance MM/DD/YYYY")
	f.String("decimal", "", "what parts decimals, where the guess is wrong: . or ,")
	f.Bool("try", false, "tell what would happen, and store nothing")
	f.Bool("replace", false, "values of the file take the place of others that are there")
	f.Bool("yes", false, "do not ask whether the columns are right")
	terminal.CompleteDevices(c, "device")
	c.RunE = func(c *cobra.Command, args []string) error {
		file, err := os.Open(args[0])
		if err != nil {
			return err
		}
		defer file.Close()
		s, err := terminal.SignedIn()
		if err != nil {
			return err
		}
		start := make([]byte, 2)
		if _, err := file.ReadAt(start, 0); err == nil && bytes.Equal(start, []byte{0x1f, 0x8b}) {
			return importSite(c, s, file)
		}
		return importFile(c, s, file)
	}
	return c
}

func importSite(c *cobra.Command, s *client.Client, file *os.File) error {
	bar := terminal.NewProgress(c, file.Name())
	var got api.Restored
	err := s.Upload(c.Context(), api.PutArchive.At(), api.ArchiveType, io.TeeReader(file, bar), &got)
	bar.End()
	if err != nil {
		return err
	}
	return terminal.Show(c, got, func(w io.Writer) {
		fmt.Fprintf(w, "%s is here, with %s readings, each verified. Its people have no passwords: 'jaunty person "+
			"remove EMAIL' and 'jaunty person add EMAIL' give new ones.\n", got.Site, got.Readings)
	})
}

func importFile(c *cobra.Command, s *client.Client, file *os.File) error {
	f := c.Flags()
	device, _ := f.GetString("device")
	bar := terminal.NewProgress(c, file.Name())
	query := url.Values{"name": {filepath.Base(file.Name())}, "device": {device}}
	var job api.ImportJob
	err := s.Upload(c.Context(), api.BringImport.At().Raw(query.Encode()), "application/octet-stream",
		io.TeeReader(file, bar), &job)
	bar.End()
	if err != nil {
		return err
	}
	defer func() { _ = s.Call(c.Context(), api.EndImport.At(job.ID), nil, nil) }()
	order := api.ImportOrder{Layout: job.Layout}
	order.Try, _ = f.GetBool("try")
	order.Replace, _ = f.GetBool("replace")
	if err := adjust(c, &order.Layout); err != nil {
		return err
	}
	if order.Layout.Zoned() && order.Layout.Zone == "" {
		return terminal.Misused(
			"the times of %s have no zone; say --zone site, --zone UTC or a name like Europe/Dublin", file.Name())
	}
	asJSON, _ := f.GetBool("json")
	if !asJSON {
		printLayout(c.ErrOrStderr(), &order.Layout, job.First)
	}
	if err := agreed(c, &order); err != nil {
		return err
	}
	if err := s.Call(c.Context(), api.RunImport.At(job.ID), order, &job); err != nil {
		return err
	}
	if job, err = waitForImport(c, s, job.ID); err != nil {
		return err
	}
	if job.State == "failed" {
		return errors.New(job.Error)
	}
	if err := terminal.Show(c, job.Outcome, func(w io.Writer) { printOutcome(w, &job, order.Try) }); err != nil {
		return err
	}
	if o := job.Outcome; o.Refused+o.Conflicts > 0 {
		return fmt.Errorf("%s refused, %d in conflict", prose.Count(o.Refused, "line", "lines"), o.Conflicts)
	}
	return nil
}

// adjust puts what the flags say into the layout.
func adjust(c *cobra.Command, l *exchange.Layout) error {
	f := c.Flags()
	l.Zone, _ = f.GetString("zone")
	for name, into := range map[string]*string{"times": &l.Times, "decimal": &l.Decimal} {
		if text, _ := f.GetString(name); text != "" {
			*into = text
		}
	}
	said, _ := f.GetStringArray("column")
	for _, text := range said {
		cut := strings.LastIndex(text, "=")
		if cut < 0 {
			return terminal.Misused("--column %q is not NAME=SIGNAL[:UNIT]", text)
		}
		name, holds := text[:cut], text[cut+1:]
		i := slices.IndexFunc(l.Columns, func(c exchange.Column) bool { return c.Name == name })
		if i < 0 {
			names := []string{}
			for _, c := range l.Columns {
				names = append(names, c.Name)
			}
			return terminal.Misused("--column: the file has no column %q; it has %s", name, strings.Join(names, ", "))
		}
		column := &l.Columns[i]
		switch signal, unit, _ := strings.Cut(holds, ":"); signal {
		case "":
			column.Holds = exchange.HoldsNothing
		case exchange.HoldsTime:
			column.Holds = exchange.HoldsTime
		default:
			column.Holds, column.Signal = exchange.HoldsValues, signal
			if unit != "" {
				column.Unit = measure.Unit(unit)
			}
		}
	}
	return nil
}

func printLayout(w io.Writer, l *exchange.Layout, first [][]string) {
	if l.Format != exchange.CSV {
		fmt.Fprintf(w, "%s file.\n", l.Format)
		return
	}
	zone := ""
	if l.Zoned() {
		zone = ", in the time zone " + l.Zone
	}
	fmt.Fprintf(w, "CSV, columns parted by %q, times as %s%s.\n", l.Comma, l.Times, zone)
	rows := [][]string{}
	for i, c := range l.Columns {
		holds := c.Holds
		if c.Holds == exchange.HoldsValues {
			holds = c.Signal
			if c.Unit != "" {
				holds += " in " + string(c.Unit)
			}
		}
		example := ""
		if n := min(len(first)-1, 1); n >= 0 && i < len(first[n]) {
			example = first[n][i]
		}
		rows = append(rows, []string{c.Name, holds, example})
	}
	terminal.Table(w, "", []string{"COLUMN", "CONTAINS", "EXAMPLE"}, rows)
}

// agreed asks whether the columns are right, where somebody is there to ask.
func agreed(c *cobra.Command, o *api.ImportOrder) error {
	yes, _ := c.Flags().GetBool("yes")
	in, ok := c.InOrStdin().(*os.File)
	if yes || o.Try || o.Layout.Format != exchange.CSV || !ok || !terminal.IsTerminal(in) {
		return nil
	}
	fmt.Fprint(c.ErrOrStderr(), "Is that right? Type yes to import: ")
	var answer string
	if _, err := fmt.Fscanln(in, &answer); err != nil || !strings.EqualFold(answer, "yes") {
		return errors.New("nothing was imported; --column says what a column holds")
	}
	return nil
}

func waitForImport(c *cobra.Command, s *client.Client, id string) (job api.ImportJob, err error) {
	bar := terminal.NewProgress(c, "")
	defer bar.End()
	for {
		if err := s.Call(c.Context(), api.GetImport.At(id), nil, &job); err != nil {
			return job, err
		}
		if job.State != "running" && job.State != "trying" {
			return job, nil
		}
		if o := job.Outcome; o != nil {
			bar.Say("%.0f %%, %s", job.Read*100, prose.Count(o.Readings, "reading", "readings"))
		}
		select {
		case <-c.Context().Done():
			return job, fmt.Errorf("it goes on without us: %w", c.Context().Err())
		case <-time.After(200 * time.Millisecond):
		}
	}
}

func printOutcome(w io.Writer, job *api.ImportJob, try bool) {
	o, verb := job.Outcome, "were"
	if try {
		verb = "would be"
	}
	fmt.Fprintf(w, "%s: %d %s added, %d are there already", prose.Count(o.Readings, "reading", "readings"), o.Added,
		verb, o.Same)
	if o.Replaced > 0 {
		fmt.Fprintf(w, ", %d %s replaced", o.Replaced, verb)
	}
	fmt.Fprintln(w, ".")
	names := []string{}
	for name := range o.Signals {
		names = append(names, name)
	}
	slices.Sort(names)
	rows := [][]string{}
	for _, name := range names {
		got, note := o.Signals[name], ""
		if got.New {
			note = "new"
		}
		rows = append(rows, []string{name, fmt.Sprint(got.Added), terminal.Clock(&got.From), terminal.Clock(&got.Until),
			note})
	}
	terminal.Table(w, "No signal would get anything.", []string{"SIGNAL", "ADDED", "FROM", "UNTIL", ""}, rows)
	for _, r := range o.Samples {
		where := ""
		if r.Line > 0 {
			where = fmt.Sprintf("line %d: ", r.Line)
		}
		fmt.Fprintf(w, "  %s%s %s\n", where, r.Field, r.Reason)
	}
	if more := o.Refused + o.Conflicts - len(o.Samples); more > 0 {
		fmt.Fprintf(w, "  and %d more.\n", more)
	}
}
