package terminal

import (
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"
	"text/tabwriter"
	"time"

	"github.com/spf13/cobra"

	"jauntylark/core/measure"
)

// Show prints v as JSON when --json says so, and otherwise lets people print it.
func Show(c *cobra.Command, v any, people func(w io.Writer)) error {
	if asJSON, _ := c.Flags().GetBool("json"); asJSON {
		out := json.NewEncoder(c.OutOrStdout())
		out.SetEscapeHTML(false)
		return out.Encode(v)
	}
	people(c.OutOrStdout())
	return nil
}

// Table prints rows under a heading in columns.
func Table(w io.Writer, empty string, heading []string, rows [][]string) {
	if len(rows) == 0 {
		fmt.Fprintln(w, empty)
		return
	}
	var out strings.Builder
	t := tabwriter.NewWriter(&out, 0, 4, 2, ' ', 0)
	for _, row := range slices.Concat([][]string{heading}, rows) {
		fmt.Fprintln(t, strings.Join(row, "\t"))
	}
	t.Flush()
	for line := range strings.Lines(out.String()) {
		fmt.Fprintln(w, strings.TrimRight(line, " \n"))
	}
}

// Clock writes an instant for people: local time.
func Clock(i *measure.Instant) string {
	if i == nil || *i == 0 {
		return "-"
	}
	return i.Time().Local().Format("2006-01-02 15:04:05")
}

// Age says how long ago an instant was.
func Age(i *measure.Instant) string {
	if i == nil || *i == 0 {
		return "never"
	}
	d := time.Since(i.Time()).Round(time.Second)
	switch {
	case d < 2*time.Second:
		return "now"
	case d < time.Minute:
		return fmt.Sprintf("%d s ago", d/time.Second)
	case d < time.Hour:
		return fmt.Sprintf("%d min ago", d/time.Minute)
	case d < 48*time.Hour:
		return fmt.Sprintf("%d h ago", d/time.Hour)
	}
	return fmt.Sprintf("%d days ago", d/(24*time.Hour))
}
