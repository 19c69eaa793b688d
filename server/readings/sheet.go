package readings

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"html/template"
	"net/http"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"jauntylark/api"
	"jauntylark/core/calibrate"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/server/place"
	"jauntylark/server/web"
	"jauntylark/store/config"
)

// sheetOperations has the operations of this file answered.
func sheetOperations(v *web.Server) {
	web.AnswerFile(v, api.GetSheet.Operation, serveSheet)
}

// sheet is what is known of how a device's signals can be believed, for a printer or a file.
type sheet struct {
	Site    site.Site
	Device  site.Device
	Made    string
	Signals []sheetSignal
}

type sheetSignal struct {
	site.Signal
	api.Trust
	zone *time.Location
}

// serveSheet gives the calibrations and verifications of one device as a page to print, or as CSV.
func serveSheet(v *web.Server, c *echo.Context) error {
	s, err := readSheet(v, c)
	if err != nil {
		return err
	}
	var out bytes.Buffer
	switch as := c.QueryParam("as"); as {
	case "", "html":
		c.Response().Header().Set("Content-Security-Policy",
			"default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'none'; base-uri 'none'; form-action 'none'")
		if err := sheetPage.Execute(&out, s); err != nil {
			return err
		}
		return c.HTMLBlob(http.StatusOK, out.Bytes())
	case "csv":
		c.Response().Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", s.Device.Name+
			"-sheet.csv"))
		w := csv.NewWriter(&out)
		_ = w.WriteAll(s.rows())
		return c.Blob(http.StatusOK, "text/csv; charset=utf-8; header=present", out.Bytes())
	default:
		return web.Wrong("as", fmt.Sprintf("%q is neither html nor csv", as))
	}
}

func readSheet(v *web.Server, c *echo.Context) (s sheet, err error) {
	ctx := c.Request().Context()
	if s.Site, err = config.Site(ctx, v.Store); err != nil {
		return s, err
	}
	if s.Device, err = place.FindDevice(ctx, v, c.Param("device")); err != nil {
		return s, err
	}
	zone, err := web.ZoneOf(ctx, v, "")
	if err != nil {
		return s, err
	}
	s.Made = v.Pipeline.Now().Time().In(zone).Format("2 January 2006, 15:04")
	all, err := config.Signals(ctx, v.Store)
	for i := range all {
		if all[i].Device != s.Device.Name || all[i].Kind != site.KindNumber || all[i].MadeOf != "" {
			continue
		}
		row := sheetSignal{Signal: all[i], zone: zone}
		if row.Trust, err = trustOf(ctx, v, &all[i]); err != nil {
			return s, err
		}
		s.Signals = append(s.Signals, row)
	}
	return s, err
}

// Day writes an instant for the sheet.
func (s sheetSignal) Day(at measure.Instant) string {
	return at.Time().In(s.zone).Format("2 Jan 2006 15:04")
}

// DueDay is when the signal is to be verified next.
func (s sheetSignal) DueDay() string { return s.Day(*s.Due) }

// Figure writes a value that was read, with the signal's unit.
func (s sheetSignal) Figure(v float64) string { return measure.Say(v, s.Unit, s.Step) }

// Given writes a value that a person gave, with the signal's unit; it loses no digit.
func (s sheetSignal) Given(v float64) string { return measure.Figure(v, s.Unit) }

// Plain writes a value without a unit.
func (s sheetSignal) Plain(v float64) string { return measure.Figure(v, "") }

// Result is pass or fail.
func (s sheetSignal) Result(v calibrate.Verification) string {
	if v.Passed {
		return "pass"
	}
	return "fail"
}

// rows are the sheet as CSV: a line for each pair and each verification.
func (s *sheet) rows() [][]string {
	rows := [][]string{{"device", "signal", "unit", "what", "at", "in_force_from", "shown", "reference", "error",
		"tolerance", "result", "method", "who", "note"}}
	number := func(v float64) string { return strconv.FormatFloat(v, 'g', 12, 64) }
	for _, g := range s.Signals {
		for _, k := range g.Calibrations {
			state := "in force"
			if k.Retired {
				state = "removed"
			}
			for _, p := range k.Pairs {
				rows = append(rows, []string{s.Device.Name, g.Name, string(g.Unit), "calibration", k.MadeAt.String(),
					k.From.String(), number(p.Shown), number(p.Reference),
					number(p.Shown - p.Reference), "", state, string(k.Method), measure.Cell(k.Who),
					measure.Cell(k.Note)})
			}
		}
		for _, y := range g.Verifications {
			rows = append(rows, []string{s.Device.Name, g.Name, string(g.Unit), "verification", y.At.String(), "",
				number(y.Shown), number(y.Reference), number(y.Error), number(y.Tolerance),
				g.Result(y), "", measure.Cell(y.Who), measure.Cell(y.Note)})
		}
	}
	return rows
}

var sheetPage = template.Must(template.New("sheet").Parse(`<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>{{.Device.Title}}: calibrations and verifications</title>
<style>
body { font: 15px/1.45 Georgia, serif; color: #1c1b18; background: #fff; max-width: 60rem; margin: 2rem auto; padding: 0 1.5rem; }
h1 { font-size: 1.7rem; font-weight: normal; margin: 0; } h2 { font-size: 1.2rem; font-weight: normal; border-top: 1px solid #1c1b18; padding-top: .8rem; margin: 2rem 0 .3rem; }
h3 { font-size: 1rem; font-style: italic; font-weight: normal; margin: 1rem 0 .2rem; } p { margin: .2rem 0; color: #4d4a43; }
table { border-collapse: collapse; width: 100%; font-variant-numeric: tabular-nums; } th, td { text-align: left; padding: .25rem .8rem .25rem 0; border-bottom: 1px solid #d8d3c7; vertical-align: top; }
th { font-weight: normal; color: #4d4a43; } .fail { font-weight: bold; } footer { margin-top: 3rem; display: flex; gap: 4rem; } footer span { border-top: 1px solid #1c1b18; flex: 1; padding-top: .3rem; }
@media print { body { margin: 0; } h2 { break-after: avoid; } tr { break-inside: avoid; } }
</style></head><body>
<h1>{{.Device.Title}}</h1><p>{{.Site.Name}} · calibrations and verifications as of {{.Made}} ({{.Site.Zone}})</p>
{{range $s := .Signals}}<h2>{{$s.Title}}{{if $s.Unit}}, in {{$s.Unit.Shown}}{{end}}</h2>
<p>{{if $s.Every}}To be verified every {{$s.Every}}; next by {{$s.DueDay}}.{{else}}Nobody has said how often it is to be verified.{{end}}</p>
<h3>Calibrations</h3>{{if $s.Calibrations}}<table><thead><tr><th>In force from</th><th>Raw value and reference</th><th>Correction</th><th>Made by</th></tr></thead><tbody>
{{range $s.Calibrations}}<tr><td>{{$s.Day .From}}{{if .Retired}}<br>removed{{end}}</td><td>{{range .Pairs}}{{$s.Plain .Shown}} → {{$s.Plain .Reference}}<br>{{end}}</td><td>{{.Curve}}</td><td>{{.Who}}, {{$s.Day .MadeAt}}{{if .Note}}<br>{{.Note}}{{end}}</td></tr>
{{end}}</tbody></table>{{else}}<p>None: its values are as the instrument gives them.</p>{{end}}
<h3>Verifications</h3>{{if $s.Verifications}}<table><thead><tr><th>When</th><th>Shown</th><th>Reference</th><th>Error</th><th>Allowed</th><th>Result</th><th>By</th></tr></thead><tbody>
{{range $s.Verifications}}<tr><td>{{$s.Day .At}}</td><td>{{$s.Figure .Shown}}</td><td>{{$s.Given .Reference}}</td><td>{{$s.Plain .Error}}</td><td>± {{$s.Plain .Tolerance}}</td><td class="{{$s.Result .}}">{{$s.Result .}}</td><td>{{.Who}}{{if .Note}}<br>{{.Note}}{{end}}</td></tr>
{{end}}</tbody></table>{{else}}<p>None yet.</p>{{end}}
{{else}}<p>This device has no measured number signals.</p>{{end}}
<footer><span>Date</span><span>Signature</span></footer>
</body></html>
`))
