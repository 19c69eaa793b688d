package readings

import (
	"io"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/site"
)

// figureNames are those that can be shown of a period: mean is the plain mean, held-mean the time-weighted one.
var figureNames = []string{"low", "mean", "held-mean", "high", "count", "left-out", "first", "last", "sum"}

// listFigures prints figures by period.
func listFigures(c *cobra.Command, s *client.Client, path string, query url.Values, wanted []string) error {
	for _, name := range wanted {
		if !slices.Contains(figureNames, name) {
			return terminal.Misused("--show: %s", site.Unknown("figure", name, figureNames))
		}
	}
	all := []api.PeriodFigures{}
	for {
		var page api.Figures
		if err := s.Call(c.Context(), api.ListFigures.At(terminal.Parts(path)).Raw(query.Encode()), nil,
			&page); err != nil {
			return err
		}
		if all = append(all, page.Figures...); page.Next == nil {
			break
		}
		query.Set("since", page.Next.String())
	}
	see, err := terminal.SeenSignals(c, s)
	if err != nil {
		return err
	}
	return terminal.Show(c, all, func(w io.Writer) {
		see.TellUnit(w, path)
		rows := [][]string{}
		for i := range all {
			row := []string{terminal.Clock(&all[i].At)}
			for _, name := range wanted {
				row = append(row, figureOf(&all[i], name, see, path))
			}
			rows = append(rows, row)
		}
		heading := []string{"FROM"}
		for _, name := range wanted {
			heading = append(heading, strings.ToUpper(name))
		}
		terminal.Table(w, "No readings in this stretch.", heading, rows)
	})
}

// figureOf writes one figure as it is seen; - where there is none.
func figureOf(f *api.PeriodFigures, name string, see terminal.Seen, path string) string {
	number := func(v *float64) string {
		if v == nil || f.Count == 0 && name != "held-mean" {
			return "-"
		}
		return see.Say(path, *v)
	}
	switch name {
	case "low":
		return number(&f.Low)
	case "mean":
		return number(f.Mean)
	case "held-mean":
		return number(f.HeldMean)
	case "high":
		return number(&f.High)
	case "first":
		return number(&f.First)
	case "last":
		return number(&f.Last)
	case "sum":
		if f.Count == 0 {
			return "-"
		}
		return see.Sum(path, f.Sum, f.Count)
	case "left-out":
		return strconv.Itoa(f.LeftOut)
	}
	return strconv.Itoa(f.Count)
}
