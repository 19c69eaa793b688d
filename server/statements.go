package server

import (
	"context"
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"jauntylark/api"
	"jauntylark/core/measure"
	"jauntylark/core/statement"
	"jauntylark/pipeline/respond"
	"jauntylark/store"
)

func (v *Server) listStatements(ctx context.Context, _ *api.None) ([]statement.Statement, error) {
	return v.store.Statements(ctx)
}

// statement finds a statement by name; the error names the nearest one.
func (v *Server) statement(ctx context.Context, name string) (statement.Statement, error) {
	all, err := v.store.Statements(ctx)
	if err != nil {
		return statement.Statement{}, err
	}
	names := make([]string, len(all))
	for i, s := range all {
		if names[i] = s.Name; s.Name == name {
			return s, nil
		}
	}
	return statement.Statement{}, missing(store.ErrNotFound, "statement", name, names)
}

func (v *Server) putStatement(ctx context.Context, in *api.PutStatementIn) (statement.Statement, error) {
	in.Body.Name = in.Statement
	err := respond.SaveStatement(ctx, v.pipeline, &in.Body, actor(ctx))
	return in.Body, err
}

func (v *Server) removeStatement(ctx context.Context, in *api.StatementPath) error {
	return respond.RemoveStatement(ctx, v.pipeline, in.Statement, actor(ctx))
}

// periodOf gives the period of a statement that an instant lies in; the newest that is over for none.
func (v *Server) periodOf(ctx context.Context, s *statement.Statement, at *measure.Instant) (p statement.Period, err error) {
	zone, err := v.zone(ctx, "")
	if err != nil {
		return p, err
	}
	if at == nil {
		return s.Last(v.pipeline.Now(), zone), nil
	}
	if *at > v.pipeline.Now() {
		return p, wrong("at", fmt.Sprintf("%s is still to come", *at))
	}
	return s.PeriodAt(*at, zone), nil
}

func (v *Server) sheetAt(ctx context.Context, name string, at *measure.Instant) (statement.Sheet, error) {
	s, err := v.statement(ctx, name)
	if err != nil {
		return statement.Sheet{}, err
	}
	p, err := v.periodOf(ctx, &s, at)
	if err != nil {
		return statement.Sheet{}, err
	}
	return respond.Sheet(ctx, v.pipeline, &s, p)
}

func (v *Server) getStatementSheet(ctx context.Context, in *api.GetStatementSheetIn) (statement.Sheet, error) {
	var at *measure.Instant
	if !in.At.IsZero() {
		i := measure.InstantOf(in.At)
		at = &i
	}
	return v.sheetAt(ctx, in.Statement, at)
}

func (v *Server) sendStatement(ctx context.Context, in *api.SendStatementIn) (api.SentStatement, error) {
	s, err := v.statement(ctx, in.Statement)
	if err != nil {
		return api.SentStatement{}, err
	}
	order := api.SendOrder{}
	if in.Body != nil {
		order = *in.Body
	}
	p, err := v.periodOf(ctx, &s, order.At)
	if err != nil {
		return api.SentStatement{}, err
	}
	n, err := respond.SendStatement(ctx, v.pipeline, s.Name, p, order.To, actor(ctx))
	return api.SentStatement{Notices: n}, err
}

// serveStatement gives a statement as a page to read and print, or as CSV.
func (v *Server) serveStatement(c *echo.Context) error {
	var at *measure.Instant
	if text := c.QueryParam("at"); text != "" {
		at = new(measure.Instant)
		if err := at.UnmarshalText([]byte(text)); err != nil {
			return wrong("at", err.Error())
		}
	}
	sheet, err := v.sheetAt(c.Request().Context(), c.Param("statement"), at)
	if err != nil {
		return err
	}
	switch as := c.QueryParam("as"); as {
	case "", "html":
		page, err := sheet.HTML()
		if err != nil {
			return err
		}
		c.Response().Header().Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'none'; base-uri 'none'; form-action 'none'")
		return c.HTML(http.StatusOK, page)
	case "csv":
		table, err := sheet.CSV()
		if err != nil {
			return err
		}
		c.Response().Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", c.Param("statement")+".csv"))
		return c.Blob(http.StatusOK, "text/csv; charset=utf-8; header=present", []byte(table))
	default:
		return wrong("as", fmt.Sprintf("%q is neither html nor csv", as))
	}
}
