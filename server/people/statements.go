package people

import (
	"context"
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"jauntylark/api"
	"jauntylark/core/measure"
	"jauntylark/core/statement"
	"jauntylark/pipeline/respond"
	"jauntylark/server/web"
	"jauntylark/store/config"
)

// statementsOperations has the operations of this file answered.
func statementsOperations(v *web.Server) {
	web.Answer(v, api.ListStatements, listStatements)
	web.Keep(v, api.GetStatement, getStatement, api.PutStatement, putStatement, api.PatchStatement)
	web.Carry(v, api.RemoveStatement, removeStatement)
	web.Answer(v, api.GetStatementSheet, getStatementSheet)
	web.Answer(v, api.SendStatement, sendStatement)
	web.AnswerFile(v, api.GetStatementPage.Operation, serveStatement)
}

func listStatements(ctx context.Context, v *web.Server, _ *api.None) ([]statement.Statement, error) {
	return config.Statements(ctx, v.Store)
}

// findStatement finds a statement by name; the error names the nearest one.
func findStatement(ctx context.Context, v *web.Server, name string) (statement.Statement, error) {
	all, err := config.Statements(ctx, v.Store)
	return web.Named(all, err, "statement", name, func(s statement.Statement) string { return s.Name })
}

func getStatement(ctx context.Context, v *web.Server, in *api.StatementPath) (statement.Statement, error) {
	return findStatement(ctx, v, in.Statement)
}

func putStatement(ctx context.Context, v *web.Server, in *api.PutStatementIn) (statement.Statement, error) {
	in.Body.Name = in.Statement
	err := respond.SaveStatement(ctx, v.Pipeline, &in.Body, web.Actor(ctx))
	return in.Body, err
}

func removeStatement(ctx context.Context, v *web.Server, in *api.StatementPath) error {
	return respond.RemoveStatement(ctx, v.Pipeline, in.Statement, web.Actor(ctx))
}

// periodOf gives the period of a statement that an instant lies in; the newest that is over for none.
func periodOf(ctx context.Context, v *web.Server, s *statement.Statement,
	at *measure.Instant) (p statement.Period, err error) {
	zone, err := web.ZoneOf(ctx, v, "")
	if err != nil {
		return p, err
	}
	if at == nil {
		return s.Last(v.Pipeline.Now(), zone), nil
	}
	if *at > v.Pipeline.Now() {
		return p, web.Wrong("at", fmt.Sprintf("%s is still to come", *at))
	}
	return s.PeriodAt(*at, zone), nil
}

func sheetAt(ctx context.Context, v *web.Server, name string, at *measure.Instant) (statement.Sheet, error) {
	s, err := findStatement(ctx, v, name)
	if err != nil {
		return statement.Sheet{}, err
	}
	p, err := periodOf(ctx, v, &s, at)
	if err != nil {
		return statement.Sheet{}, err
	}
	return respond.Sheet(ctx, v.Pipeline, &s, p)
}

func getStatementSheet(ctx context.Context, v *web.Server, in *api.GetStatementSheetIn) (statement.Sheet, error) {
	var at *measure.Instant
	if !in.At.IsZero() {
		i := measure.InstantOf(in.At)
		at = &i
	}
	return sheetAt(ctx, v, in.Statement, at)
}

func sendStatement(ctx context.Context, v *web.Server, in *api.SendStatementIn) (api.SentStatement, error) {
	s, err := findStatement(ctx, v, in.Statement)
	if err != nil {
		return api.SentStatement{}, err
	}
	order := api.SendOrder{}
	if in.Body != nil {
		order = *in.Body
	}
	p, err := periodOf(ctx, v, &s, order.At)
	if err != nil {
		return api.SentStatement{}, err
	}
	n, err := respond.SendStatement(ctx, v.Pipeline, s.Name, p, order.To, web.Actor(ctx))
	return api.SentStatement{Notices: n}, err
}

// serveStatement gives a statement as a page to read and print, or as CSV.
func serveStatement(v *web.Server, c *echo.Context) error {
	var at *measure.Instant
	if text := c.QueryParam("at"); text != "" {
		at = new(measure.Instant)
		if err := at.UnmarshalText([]byte(text)); err != nil {
			return web.Wrong("at", err.Error())
		}
	}
	sheet, err := sheetAt(c.Request().Context(), v, c.Param("statement"), at)
	if err != nil {
		return err
	}
	switch as := c.QueryParam("as"); as {
	case "", "html":
		page, err := sheet.HTML()
		if err != nil {
			return err
		}
		c.Response().Header().Set("Content-Security-Policy",
			"default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'none'; base-uri 'none'; form-action 'none'")
		return c.HTML(http.StatusOK, page)
	case "csv":
		table, err := sheet.CSV()
		if err != nil {
			return err
		}
		c.Response().Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", c.Param("statement")+
			".csv"))
		return c.Blob(http.StatusOK, "text/csv; charset=utf-8; header=present", []byte(table))
	default:
		return web.Wrong("as", fmt.Sprintf("%q is neither html nor csv", as))
	}
}
