package record

import (
	"bytes"
	"context"
	"encoding/base64"
	"fmt"
	"html/template"
	"net/http"
	"slices"
	"strconv"

	"github.com/labstack/echo/v5"

	"jauntylark/api"
	"jauntylark/chart"
	"jauntylark/core/run"
	"jauntylark/core/site"
	"jauntylark/core/statement"
	"jauntylark/server/web"
	"jauntylark/store/config"
	"jauntylark/store/timeseries"
)

// runReportOperations has the operations of this file answered.
func runReportOperations(v *web.Server) {
	web.AnswerFile(v, api.GetRunReport.Operation, serveRunReport)
}

// serveRunReport answers with the report of a run: as a page, a document or a table.
func serveRunReport(v *web.Server, c *echo.Context) error {
	ctx := c.Request().Context()
	id, err := strconv.ParseInt(c.Param("id"), 10, 64)
	if err != nil {
		return echo.ErrNotFound
	}
	as := c.QueryParam("as")
	sheet, picture, err := runReport(ctx, v, id)
	if err != nil {
		return err
	}
	named := func(ending string) {
		c.Response().Header().Set("Content-Disposition",
			fmt.Sprintf("attachment; filename=%q", site.NameFrom(sheet.Title)+ending))
	}
	switch as {
	case "", "html":
		if picture != nil {
			sheet.Picture = template.URL("data:image/png;base64," + base64.StdEncoding.EncodeToString(picture))
		}
		page, err := sheet.HTML()
		if err != nil {
			return err
		}
		c.Response().Header().Set("Content-Security-Policy",
			"default-src 'none'; style-src 'unsafe-inline'; img-src data:; frame-ancestors 'none'; base-uri 'none'; "+
				"form-action 'none'")
		return c.HTML(http.StatusOK, page)
	case "pdf":
		var out bytes.Buffer
		if picture == nil {
			err = chart.SheetPDF(&out, &sheet)
		} else {
			err = chart.SheetPDF(&out, &sheet, picture)
		}
		named(".pdf")
		return web.Blob(c, "application/pdf", out.Bytes(), err)
	case "csv":
		table, err := sheet.CSV()
		named(".csv")
		return web.Blob(c, "text/csv; charset=utf-8; header=present", []byte(table), err)
	}
	return web.Wrong("as", fmt.Sprintf("%q is none of html, pdf, csv", as))
}

const reportWide, reportTall = 900, 220

// runReport makes the sheet of a run, and draws its signals: those of its goals, or the first four.
func runReport(ctx context.Context, v *web.Server, id int64) (sheet statement.Sheet, picture []byte, err error) {
	r, err := findRun(ctx, v, id)
	if err != nil {
		return sheet, nil, err
	}
	page, err := runPage(ctx, v, r)
	if err != nil {
		return sheet, nil, err
	}
	here, err := config.Site(ctx, v.Store)
	if err != nil {
		return sheet, nil, err
	}
	sheet = page.Sheet(page.Called, here, v.Pipeline.Now())
	if len(page.Notes) > 0 {
		t := statement.Table{Title: "Notes", Columns: []string{"at", "who", "note"}}
		for _, n := range page.Notes {
			t.Rows = append(t.Rows, []string{n.At.Time().In(here.Location()).Format("2 January 15:04"), n.Who, n.Text})
		}
		sheet.Tables = append(sheet.Tables, t)
	}
	span := chart.Span{From: r.StartedAt, Until: page.Until, Zone: here.Location()}
	var panels []chart.Panel
	for _, c := range page.Courses {
		goal := slices.ContainsFunc(r.Goals, func(g run.Goal) bool { return g.Signal == c.Signal })
		if c.Readings < 2 || len(panels) >= 4 || len(r.Goals) > 0 && !goal {
			continue
		}
		p, err := panelOf(ctx, v, &c, span)
		if err != nil {
			return sheet, nil, err
		}
		for _, g := range r.Goals {
			for _, limit := range []*float64{g.Reach, g.Low, g.High} {
				if g.Signal == c.Signal && limit != nil {
					p.Limits, p.Whole = append(p.Limits, chart.Limit{Value: *limit, Name: "goal"}), true
				}
			}
		}
		panels = append(panels, p)
	}
	if len(panels) == 0 || span.Until <= span.From {
		return sheet, nil, nil
	}
	var out bytes.Buffer
	err = chart.PNG(&out, span, panels, chart.Size{Width: reportWide, Height: reportTall})
	return sheet, out.Bytes(), err
}

func panelOf(ctx context.Context, v *web.Server, c *run.SignalCourse, span chart.Span) (chart.Panel, error) {
	device, name, err := site.SplitPath(c.Signal)
	if err != nil {
		return chart.Panel{}, err
	}
	s, err := config.Signal(ctx, v.Store, device, name)
	if err != nil {
		return chart.Panel{}, err
	}
	line, _, err := timeseries.Line(ctx, v.Store, s.ID, span.From, span.Until, reportWide)
	return chart.Panel{Title: c.Called, Unit: c.Unit, Step: s.Step, Steps: s.Kind == site.KindSwitch, Line: line}, err
}
