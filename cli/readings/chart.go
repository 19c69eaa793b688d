package readings

import (
	"fmt"
	"net/url"
	"os"
	"strconv"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"jauntylark/api"
	"jauntylark/chart"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/quality"
	"jauntylark/core/roster"
	"jauntylark/core/site"
)

func chartCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "chart DEVICE/SIGNAL…", Short: "Draw signals in the terminal, or as a picture",
		ValidArgsFunction: terminal.SignalPaths,
		Long: `Draw the course of signals, one below the other, with the limits of their guards and the stretches in which an
alarm stood: in braille signs in the terminal, or as a picture.`,
		Example: `  jaunty chart fern-house/air --since 24h
  jaunty chart pond/oxygen pond/water --since 30d
  jaunty chart fog-pump/supply --since 7d --png pump.png`,
		Args: func(c *cobra.Command, args []string) error {
			if len(args) == 0 {
				return terminal.Misused("say which signals, like fern-house/air")
			}
			for _, a := range args {
				if _, _, err := site.SplitPath(a); err != nil {
					return terminal.Wrong(err)
				}
			}
			return nil
		},
	}
	f := c.Flags()
	terminal.SpanFlags(f, "24h", "", "now")
	f.String("png", "", "file for a picture")
	f.String("svg", "", "file for a picture in SVG")
	f.Int("width", 0, "width, in characters or pixels; that of the terminal, or 1280, when left out")
	f.Int("height", 0, "height of one signal, in characters or pixels; 12 or 360 when left out")
	c.RunE = drawChart
	return c
}

func drawChart(c *cobra.Command, paths []string) error {
	f := c.Flags()
	span, err := terminal.SpanOf(c)
	if err != nil {
		return err
	}
	png, _ := f.GetString("png")
	svg, _ := f.GetString("svg")
	width, _ := f.GetInt("width")
	height, _ := f.GetInt("height")
	if png != "" && svg != "" {
		return terminal.Misused("take --png or --svg, not both")
	}
	picture := png != "" || svg != ""
	screen := TerminalFor(c, width, height)
	size := chart.Size{Width: or(width, 1280), Height: or(height, 360)}
	if picture && (size.Width < 200 || size.Height < 120 || size.Width > 10_000 || size.Height > 10_000) {
		return terminal.Misused("a picture is 200 to 10000 pixels wide and 120 to 10000 high")
	}
	s, err := terminal.SignedIn()
	if err != nil {
		return err
	}
	columns := screen.Columns()
	if picture {
		columns = size.Width
	}
	panels, err := PanelsOf(c, s, paths, span, columns)
	if err != nil {
		return err
	}
	if asJSON, _ := f.GetBool("json"); asJSON {
		return terminal.Show(c, panels, nil)
	}
	if !picture {
		screen.Draw(c.OutOrStdout(), span, panels)
		return nil
	}
	file, draw := png, chart.PNG
	if svg != "" {
		file, draw = svg, chart.SVG
	}
	out, err := os.Create(file)
	if err != nil {
		return err
	}
	defer out.Close()
	if err := draw(out, span, panels, size); err != nil {
		return err
	}
	fmt.Fprintln(c.OutOrStdout(), file)
	return out.Close()
}

func or(n, otherwise int) int {
	if n == 0 {
		return otherwise
	}
	return n
}

// TerminalFor is the terminal that a chart of a size is drawn for; 0: as large as it is.
func TerminalFor(c *cobra.Command, width, height int) chart.Terminal {
	t := chart.Terminal{Width: or(width, 100), Height: or(height, 12)}
	if out, ok := c.OutOrStdout().(*os.File); ok && terminal.IsTerminal(out) {
		t.Colour = os.Getenv("NO_COLOR") == ""
		if w, _, err := term.GetSize(int(out.Fd())); err == nil && width == 0 {
			t.Width = w
		}
	}
	t.Width, t.Height = min(max(t.Width, 30), 500), min(max(t.Height, 3), 100)
	return t
}

// PanelsOf fetches what is drawn.
func PanelsOf(c *cobra.Command, s *client.Client, paths []string, span chart.Span, columns int) ([]chart.Panel, error) {
	guards, err := client.Do(c.Context(), s, api.ListGuards, api.ListGuardsIn{})
	if err != nil {
		return nil, err
	}
	units, err := terminal.ShownUnits(c, s)
	if err != nil {
		return nil, err
	}
	panels := make([]chart.Panel, len(paths))
	for i, path := range paths {
		p := &panels[i]
		v, err := client.Do(c.Context(), s, api.GetSignal, terminal.SignalPath(path))
		if err != nil {
			return nil, err
		}
		if v.Kind == site.KindText || v.Kind == site.KindData {
			return nil, fmt.Errorf("%s holds %s, which cannot be drawn", path, v.Kind)
		}
		p.Title, p.Unit, p.Steps = roster.Thing(v.DeviceTitle, v.Title), units.Of(v.Unit), v.Kind == site.KindSwitch
		p.Step = measure.StepIn(v.Step, v.Unit, p.Unit)
		seen := func(value float64) float64 { value, _ = units.Show(value, v.Unit); return value }
		var line api.Line
		query := url.Values{"since": {span.From.String()}, "until": {span.Until.String()},
			"columns": {strconv.Itoa(columns)}}
		if err := s.Call(c.Context(), api.GetLine.At(terminal.Parts(path)).Raw(query.Encode()), nil,
			&line); err != nil {
			return nil, err
		}
		for k, at := range line.At {
			p.Line = append(p.Line, measure.Reading{At: measure.Instant(at), Value: seen(line.Value[k])})
		}
		for _, g := range guards {
			if g.Signal == path {
				for _, limit := range g.When.Limits() {
					p.Limits = append(p.Limits, chart.Limit{Value: seen(limit), Name: g.Name})
				}
			}
		}
		var doubts []quality.Doubt
		if err := s.Call(c.Context(), api.ListDoubts.At(terminal.Parts(path)).Raw(query.Encode()), nil,
			&doubts); err != nil {
			return nil, err
		}
		for _, d := range doubts {
			p.Doubts = append(p.Doubts, chart.Shading{From: d.From, Until: d.Until})
		}
		var alarms []alarm.Alarm
		if err := s.Call(c.Context(), api.ListAlarms.At().Asking("all", "true", "limit", "1000", "since",
			span.From.String(), "signal", path), nil, &alarms); err != nil {
			return nil, err
		}
		for _, a := range alarms {
			until := span.Until
			if a.ClearedAt != nil {
				until = *a.ClearedAt
			}
			if a.Signal == path {
				p.Alarms = append(p.Alarms, chart.Shading{From: a.RaisedAt, Until: until})
			}
		}
	}
	return panels, nil
}
