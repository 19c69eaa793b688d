package readings

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"path/filepath"
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

func exportCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "export [DEVICE|DEVICE/SIGNAL…]",
		Short: "Readings, or figures by hour or day, as a file; or the whole site as one archive",
		Args:  terminal.Between(0, 0), ValidArgsFunction: terminal.DeviceNames,
		Long: `Write readings to a file: of the devices or signals named, or of all. What the file's name ends with says
what it is: .csv (RFC 4180), .xlsx (a sheet a device), .senml.json (RFC 8428) or .parquet. Without --file, CSV
goes to standard output. A file that was cut off is FILE.part; the same command with --resume goes on with it.
With --site the whole site (settings, readings, alarms, journal; no passwords) goes into one archive, which
'jaunty import' takes into an empty service.`,
		Example: `  jaunty export pond --since 7d --file pond.csv
  jaunty export fern-house/air fern-house/humidity --since 2026-09-01T00:00:00Z --every 1h --file september.xlsx
  jaunty export --file all.parquet
  jaunty export pond --file pond.csv --values raw
  jaunty export pond --file pond.csv --resume
  jaunty export --site fernery.site.gz`,
	}
	f := c.Flags()
	terminal.SpanFlags(f, "", "the first reading", "now")
	f.String("every", "", "figures by period instead of readings: 15m, 1h, 1d, 7d")
	f.String("format", "", strings.Join(exchange.Formats, ", ")+"; by the file's name when left out")
	f.String("zone", "site", "time zone of the times: site, UTC, or a name like Europe/Dublin")
	f.String("file", "", "file to write; standard output when left out")
	f.String("values", "true",
		"true: corrected, with what is derived; raw: as the devices gave them, to be imported again")
	f.Bool("resume", false, "go on with FILE.part")
	f.String("site", "", "file to write the whole site to")
	terminal.CompleteFrom(c, "format", exchange.Formats...)
	terminal.CompleteFrom(c, "values", "true", "raw")
	c.RunE = func(c *cobra.Command, args []string) error {
		if file, _ := f.GetString("site"); file != "" {
			if len(args) > 0 || f.Changed("file") {
				return terminal.Misused("--site takes the whole site, and no other files or names")
			}
			return exportSite(c, file)
		}
		return exportReadings(c, args)
	}
	return c
}

// exportPart is what is kept beside a part of a file, so that it can be gone on with.
type exportPart struct {
	Query string `json:"query"`
	Tag   string `json:"tag"`
}

func exportReadings(c *cobra.Command, what []string) error {
	query, err := exportQuery(c, what)
	if err != nil {
		return err
	}
	s, err := terminal.SignedIn()
	if err != nil {
		return err
	}
	file, _ := c.Flags().GetString("file")
	if file == "" {
		return s.Download(c.Context(), api.ExportReadings.At().Raw(query.Encode()), c.OutOrStdout())
	}
	if _, err := os.Stat(file); err == nil {
		return fmt.Errorf("%s is there already; take another name, or move it away", file)
	}
	part := exportPart{Query: query.Encode()}
	if resume, _ := c.Flags().GetBool("resume"); resume {
		if err := part.read(file); err != nil {
			return err
		}
	}
	size, err := part.fetch(c, s, file)
	if err != nil {
		return err
	}
	return terminal.Show(c, map[string]any{"file": file, "bytes": size},
		func(w io.Writer) { fmt.Fprintf(w, "%s, %s.\n", file, prose.Bytes(size)) })
}

// exportQuery puts what is asked for into a query.
func exportQuery(c *cobra.Command, what []string) (url.Values, error) {
	f := c.Flags()
	query := url.Values{"what": what}
	if err := terminal.SpanQuery(f, query); err != nil {
		return nil, err
	}
	if !query.Has("until") { // the same end when it is gone on with
		query.Set("until", measure.InstantOf(time.Now()).String())
	}
	file, _ := f.GetString("file")
	format, _ := f.GetString("format")
	if format == "" {
		format = formatOf(file)
	}
	if format == "" {
		return nil, terminal.Misused("--file %s: the name says no format; end it with %s, or say --format", file,
			strings.Join([]string{".csv", ".xlsx", ".senml.json", ".parquet"}, ", "))
	}
	query.Set("format", format)
	for _, name := range []string{"every", "zone", "values"} {
		if text, _ := f.GetString(name); text != "" {
			query.Set(name, text)
		}
	}
	return query, nil
}

// formatOf gives the format that a file's name says: csv for none.
func formatOf(file string) string {
	if file == "" {
		return exchange.CSV
	}
	for format, suffix := range exchange.Suffixes {
		if strings.HasSuffix(strings.ToLower(file), suffix) {
			return format
		}
	}
	if strings.EqualFold(filepath.Ext(file), ".senml") {
		return exchange.SenML
	}
	return ""
}

func (p *exportPart) read(file string) error {
	data, err := os.ReadFile(file + ".part.json")
	if err == nil {
		err = json.Unmarshal(data, p)
	}
	if err != nil {
		return fmt.Errorf("there is nothing to go on with for %s: %w", file, err)
	}
	return nil
}

// triesInARow is how often a connection that breaks is taken up again without a byte in between.
const triesInARow = 5

// fetch writes the file, beginning behind what is there of it.
func (p *exportPart) fetch(c *cobra.Command, s *client.Client, file string) (int64, error) {
	out, err := os.OpenFile(file+".part", os.O_WRONLY|os.O_CREATE, 0o600)
	if err != nil {
		return 0, err
	}
	defer out.Close()
	if p.Tag == "" {
		if err := out.Truncate(0); err != nil {
			return 0, err
		}
	}
	bar := terminal.NewProgress(c, file)
	defer bar.End()
	for tries := 0; ; tries++ {
		before, err := out.Seek(0, io.SeekEnd)
		if err != nil {
			return 0, err
		}
		bar.At(before)
		if err = p.fetchOnce(c, s, file, out, before, bar); err == nil {
			break
		}
		var problem *client.Problem
		if now, _ := out.Seek(0, io.SeekEnd); now > before {
			tries = 0
		}
		if c.Context().Err() != nil || tries >= triesInARow || errors.As(err, &problem) && problem.Status < 500 {
			return 0, p.cutOff(file, err)
		}
		select {
		case <-c.Context().Done():
		case <-time.After(time.Duration(tries+1) * time.Second):
		}
	}
	size, err := out.Seek(0, io.SeekEnd)
	if err = errors.Join(err, out.Sync(), out.Close()); err != nil {
		return 0, err
	}
	if err := os.Rename(file+".part", file); err != nil {
		return 0, err
	}
	return size, os.Remove(file + ".part.json")
}

// cutOff says what is there to go on with; an export of which nothing came leaves nothing behind.
func (p *exportPart) cutOff(file string, why error) error {
	if p.Tag == "" {
		return errors.Join(why, os.Remove(file+".part"))
	}
	return fmt.Errorf("%w; what is there is %s.part, and --resume goes on with it", why, file)
}

func (p *exportPart) fetchOnce(c *cobra.Command, s *client.Client, file string, out io.Writer, skip int64,
	bar *terminal.Progress) error {
	headers := map[string]string{}
	query := p.Query
	if p.Tag != "" {
		headers["If-Match"] = p.Tag
		query += fmt.Sprintf("&skip=%d", skip)
	}
	answer, err := s.Fetch(c.Context(), api.ExportReadings.At().Raw(query), headers)
	if err != nil {
		return err
	}
	defer answer.Body.Close()
	if p.Tag == "" {
		p.Tag = answer.Header.Get("ETag")
		kept, err := json.Marshal(p)
		if err == nil {
			err = os.WriteFile(file+".part.json", kept, 0o600)
		}
		if err != nil {
			return err
		}
	}
	_, err = io.Copy(io.MultiWriter(out, bar), answer.Body)
	return err
}

// exportSite writes the archive of a site. One that is cut off is taken away.
func exportSite(c *cobra.Command, file string) error {
	s, err := terminal.SignedIn()
	if err != nil {
		return err
	}
	out, err := os.OpenFile(file, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return fmt.Errorf("--site: %w", err)
	}
	bar := terminal.NewProgress(c, file)
	err = s.Download(c.Context(), api.GetArchive.At(), io.MultiWriter(out, bar))
	bar.End()
	if err = errors.Join(err, out.Sync(), out.Close()); err != nil {
		return errors.Join(err, os.Remove(file))
	}
	return terminal.Show(c, map[string]any{"file": file, "bytes": bar.Done},
		func(w io.Writer) { fmt.Fprintf(w, "%s, %s.\n", file, prose.Bytes(bar.Done)) })
}
