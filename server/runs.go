package server

import (
	"bytes"
	"context"
	"encoding/base64"
	"fmt"
	"html/template"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"jauntylark/chart"
	"jauntylark/core/measure"
	"jauntylark/core/run"
	"jauntylark/core/site"
	"jauntylark/core/statement"
	"jauntylark/pipeline"
)

// RunPath is the place of one run.
type RunPath struct {
	ID int64 `path:"id" minimum:"1"`
}

// RunPage is what a run's page tells.
type RunPage struct {
	run.Summary
	Called string       `json:"called" doc:"what people call the asset"`
	Words  []string     `json:"words" nullable:"false" doc:"what it came to, in sentences"`
	Hows   []string     `json:"hows" nullable:"false" doc:"of each goal, in words, what came of it"`
	Notes  []site.Entry `json:"notes" nullable:"false" doc:"what was written into the journal about the asset while it was on"`
}

func (v *Server) listRuns(ctx context.Context, in *struct {
	Asset string `query:"asset" doc:"only those of this asset"`
	Limit int    `query:"limit" default:"100" minimum:"1" maximum:"1000"`
}) (*body[[]run.Run], error) {
	if in.Asset != "" {
		all, err := v.store.Assets(ctx)
		if err != nil {
			return nil, err
		}
		if _, err := v.assetNamed(all, in.Asset); err != nil {
			return nil, err
		}
	}
	return answer(v.store.Runs(ctx, in.Asset, in.Limit))
}

func (v *Server) startRun(ctx context.Context, in *body[pipeline.RunStart]) (*body[RunPage], error) {
	r, err := v.pipeline.StartRun(ctx, in.Body, who(ctx))
	if err != nil {
		return nil, err
	}
	return answer(v.runPage(ctx, r))
}

func (v *Server) getRun(ctx context.Context, in *RunPath) (*body[RunPage], error) {
	r, err := v.run(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	return answer(v.runPage(ctx, r))
}

func (v *Server) run(ctx context.Context, id int64) (run.Run, error) {
	r, err := v.store.Run(ctx, id)
	if err != nil {
		err = fmt.Errorf("there is no run %d: %w", id, err)
	}
	return r, err
}

func (v *Server) runPage(ctx context.Context, r run.Run) (p RunPage, err error) {
	if p.Summary, err = v.pipeline.Summary(ctx, r); err != nil {
		return p, err
	}
	here, err := v.store.Site(ctx)
	if err != nil {
		return p, err
	}
	now := v.pipeline.Now()
	p.Words, p.Hows = p.Says(here.Location(), now), []string{}
	for i := range p.Results {
		p.Hows = append(p.Hows, p.Results[i].How(here.Location(), now))
	}
	assets, err := v.store.Assets(ctx)
	if err != nil {
		return p, err
	}
	a, err := v.assetNamed(assets, r.Asset)
	if err != nil {
		return p, err
	}
	p.Called = a.Called()
	p.Notes, err = v.store.NotesOn(ctx, pipeline.AssetSubject(r.Asset), r.StartedAt, p.Until)
	return p, err
}

func (v *Server) changeRun(ctx context.Context, in *struct {
	RunPath
	Body pipeline.RunChange
}) (*body[RunPage], error) {
	r, err := v.pipeline.ChangeRun(ctx, in.ID, in.Body, who(ctx))
	if err != nil {
		return nil, err
	}
	return answer(v.runPage(ctx, r))
}

// RunStop ends a run.
type RunStop struct {
	At *measure.Instant `json:"at,omitempty" required:"false" format:"date-time" doc:"now when left out"`
}

func (v *Server) stopRun(ctx context.Context, in *struct {
	RunPath
	Body *RunStop
}) (*body[RunPage], error) {
	var at *measure.Instant
	if in.Body != nil {
		at = in.Body.At
	}
	r, err := v.pipeline.StopRun(ctx, in.ID, at, who(ctx))
	if err != nil {
		return nil, err
	}
	return answer(v.runPage(ctx, r))
}

// PhaseMark begins a phase.
type PhaseMark struct {
	Name string           `json:"name" minLength:"1" maxLength:"80"`
	At   *measure.Instant `json:"at,omitempty" required:"false" format:"date-time" doc:"now when left out"`
}

func (v *Server) markPhase(ctx context.Context, in *struct {
	RunPath
	Body PhaseMark
}) (*body[RunPage], error) {
	phase := run.Phase{Name: in.Body.Name}
	if in.Body.At != nil {
		phase.At = *in.Body.At
	}
	r, err := v.pipeline.MarkPhase(ctx, in.ID, phase, who(ctx))
	if err != nil {
		return nil, err
	}
	return answer(v.runPage(ctx, r))
}

func (v *Server) removeRun(ctx context.Context, in *RunPath) (*none, error) {
	return nil, v.pipeline.RemoveRun(ctx, in.ID, who(ctx))
}

// RunComparison lays runs over each other from their starts.
type RunComparison struct {
	Signal string      `json:"signal" doc:"whose lines are laid over each other; empty: they have none in common"`
	Called string      `json:"called"`
	Unit   string      `json:"unit"`
	Shared []string    `json:"shared" nullable:"false" doc:"signals that all of them have"`
	Runs   []RunCourse `json:"runs" nullable:"false"`
}

// RunCourse is one of the runs that are compared.
type RunCourse struct {
	run.Summary
	Line []run.Moment `json:"line" nullable:"false" doc:"seconds after its start, and the value then"`
}

const (
	mostCompared = 8
	runColumns   = 400
)

func (v *Server) compareRuns(ctx context.Context, in *struct {
	Runs   string `query:"runs" required:"true" doc:"their numbers, with commas between" example:"3,7,9"`
	Signal string `query:"signal" doc:"DEVICE/SIGNAL; the first that they have in common when left out"`
}) (*body[RunComparison], error) {
	texts := strings.Split(in.Runs, ",")
	if len(texts) < 2 || len(texts) > mostCompared {
		return nil, wrong("runs", fmt.Sprintf("%d came; 2 to %d can be compared", len(texts), mostCompared))
	}
	out := RunComparison{Shared: []string{}}
	for _, text := range texts {
		id, err := strconv.ParseInt(strings.TrimSpace(text), 10, 64)
		if err != nil {
			return nil, wrong("runs", fmt.Sprintf("%q is no number of a run", text))
		}
		r, err := v.run(ctx, id)
		if err != nil {
			return nil, err
		}
		s, err := v.pipeline.Summary(ctx, r)
		if err != nil {
			return nil, err
		}
		out.Runs = append(out.Runs, RunCourse{Summary: s, Line: []run.Moment{}})
	}
	out.share()
	if in.Signal != "" {
		out.Signal = in.Signal
	}
	return answer(out, v.layOver(ctx, &out))
}

// share finds the signals that all runs have; those of goals come first.
func (c *RunComparison) share() {
	in := map[string]int{}
	for i := range c.Runs {
		for _, course := range c.Runs[i].Courses {
			if course.Readings > 0 {
				in[course.Signal]++
			}
		}
	}
	for _, course := range c.Runs[0].Courses {
		if in[course.Signal] == len(c.Runs) {
			c.Shared = append(c.Shared, course.Signal)
		}
	}
	if len(c.Shared) > 0 {
		c.Signal = c.Shared[0]
	}
	for _, g := range c.Runs[0].Goals {
		if in[g.Signal] == len(c.Runs) {
			c.Signal = g.Signal
			return
		}
	}
}

// layOver fills in the lines.
func (v *Server) layOver(ctx context.Context, c *RunComparison) error {
	if c.Signal == "" {
		return nil
	}
	device, name, err := site.SplitPath(c.Signal)
	if err != nil {
		return wrong("signal", err.Error())
	}
	s, err := v.store.Signal(ctx, device, name)
	if err != nil {
		return fmt.Errorf("there is no signal %s: %w", c.Signal, err)
	}
	c.Called, c.Unit = s.DeviceTitle+" "+s.Title, string(s.Unit)
	for i := range c.Runs {
		r := &c.Runs[i]
		line, _, err := v.store.Line(ctx, s.ID, r.StartedAt, r.Until, runColumns)
		if err != nil {
			return err
		}
		for _, reading := range line {
			if reading.Quality.Usable() {
				r.Line = append(r.Line, run.Moment{At: reading.At.Sub(r.StartedAt).Seconds(), Value: reading.Value})
			}
		}
	}
	return nil
}

// serveRunReport answers with the report of a run: as a page, a document or a table.
func (v *Server) serveRunReport(c *echo.Context) error {
	if _, err := v.mayDo(c.Request(), site.Viewer); err != nil {
		return v.answerProblem(c, err)
	}
	ctx := c.Request().Context()
	id, err := strconv.ParseInt(c.Param("id"), 10, 64)
	if err != nil {
		return echo.ErrNotFound
	}
	as := c.QueryParam("as")
	sheet, picture, err := v.runReport(ctx, id)
	if err != nil {
		return v.answerProblem(c, v.problem(err))
	}
	named := func(ending string) {
		c.Response().Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", site.NameFrom(sheet.Title)+ending))
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
		c.Response().Header().Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; img-src data:; frame-ancestors 'none'; base-uri 'none'; form-action 'none'")
		return c.HTML(http.StatusOK, page)
	case "pdf":
		var out bytes.Buffer
		if picture == nil {
			err = chart.SheetPDF(&out, &sheet)
		} else {
			err = chart.SheetPDF(&out, &sheet, picture)
		}
		named(".pdf")
		return blob(c, "application/pdf", out.Bytes(), err)
	case "csv":
		table, err := sheet.CSV()
		named(".csv")
		return blob(c, "text/csv; charset=utf-8; header=present", []byte(table), err)
	}
	return v.answerProblem(c, wrong("as", fmt.Sprintf("%q is none of html, pdf, csv", as)))
}

const reportWide, reportTall = 900, 220

// runReport makes the sheet of a run, and draws its signals: those of its goals, or the first four.
func (v *Server) runReport(ctx context.Context, id int64) (sheet statement.Sheet, picture []byte, err error) {
	r, err := v.run(ctx, id)
	if err != nil {
		return sheet, nil, err
	}
	page, err := v.runPage(ctx, r)
	if err != nil {
		return sheet, nil, err
	}
	here, err := v.store.Site(ctx)
	if err != nil {
		return sheet, nil, err
	}
	sheet = page.Sheet(page.Called, here, v.pipeline.Now())
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
		goal := false
		for _, g := range r.Goals {
			goal = goal || g.Signal == c.Signal
		}
		if c.Readings < 2 || len(panels) >= 4 || len(r.Goals) > 0 && !goal {
			continue
		}
		p, err := v.panelOf(ctx, &c, span)
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

func (v *Server) panelOf(ctx context.Context, c *run.SignalCourse, span chart.Span) (chart.Panel, error) {
	device, name, err := site.SplitPath(c.Signal)
	if err != nil {
		return chart.Panel{}, err
	}
	s, err := v.store.Signal(ctx, device, name)
	if err != nil {
		return chart.Panel{}, err
	}
	line, _, err := v.store.Line(ctx, s.ID, span.From, span.Until, reportWide)
	return chart.Panel{Title: c.Called, Unit: c.Unit, Steps: s.Kind == site.KindSwitch, Line: line}, err
}

func (v *Server) listPlans(ctx context.Context, _ *none) (*body[[]run.Plan], error) {
	return answer(v.store.Plans(ctx))
}

// PlanPath is the place of one plan.
type PlanPath struct {
	Plan string `path:"plan"`
}

func (v *Server) putPlan(ctx context.Context, in *struct {
	PlanPath
	Body run.Plan
}) (*body[run.Plan], error) {
	in.Body.Name = in.Plan
	if in.Body.Goals == nil {
		in.Body.Goals = run.Goals{}
	}
	err := v.pipeline.SavePlan(ctx, &in.Body, who(ctx))
	return answer(in.Body, err)
}

func (v *Server) removePlan(ctx context.Context, in *PlanPath) (*none, error) {
	return nil, v.pipeline.RemovePlan(ctx, in.Plan, who(ctx))
}
