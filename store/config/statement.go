package config

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"jauntylark/core/measure"
	"jauntylark/core/statement"
	"jauntylark/store"
)

const selectStatement = `select id, name, title, kind, to_jsonb(totals) as totals_json, every, send_at,
	to_jsonb(tell) as tell_json, made_at, sent_for, due_at from statement`

type statementRow struct {
	statement.Statement
	TotalsJSON []byte `db:"totals_json"`
	TellJSON   []byte `db:"tell_json"`
}

func statements(rows []statementRow, err error) ([]statement.Statement, error) {
	all := make([]statement.Statement, len(rows))
	for i := range rows {
		err = errors.Join(err, json.Unmarshal(rows[i].TotalsJSON, &rows[i].Totals),
			json.Unmarshal(rows[i].TellJSON, &rows[i].Tell))
		all[i] = rows[i].Statement
	}
	return all, err
}

// Statements lists all statements by name.
func Statements(ctx context.Context, db store.Reader) ([]statement.Statement, error) {
	var rows []statementRow
	err := db.Select(ctx, &rows, selectStatement+` order by name`)
	return statements(rows, err)
}

// StatementsDue gives the statements that are to be sent.
func StatementsDue(ctx context.Context, db store.Reader, now measure.Instant) ([]statement.Statement, error) {
	var rows []statementRow
	err := db.Select(ctx, &rows, selectStatement+` where due_at <= $1 order by due_at, id`, now)
	return statements(rows, err)
}

// SaveStatement stores a statement, new when its ID is 0; ErrTaken when the name is in use.
func SaveStatement(ctx context.Context, db store.Writer, s *statement.Statement) (err error) {
	if s.ID == 0 {
		err = db.Get(ctx, &s.ID, `
			insert into statement (name, title, kind, totals, every, send_at, tell, made_at, due_at)
			    values ($1, $2, $3, $4, $5, $6, $7, $8, $9) returning id`,
			s.Name, s.Title, s.Kind, s.Totals, s.Every, s.At, s.Tell, s.MadeAt, s.DueAt)
	} else {
		_, err = db.Exec(ctx,
			`update statement set name = $2, title = $3, kind = $4, totals = $5, every = $6, send_at = $7, tell = $8,
				due_at = $9, sent_for = $10 where id = $1`,
			s.ID, s.Name, s.Title, s.Kind, s.Totals, s.Every, s.At, s.Tell, s.DueAt, s.SentFor)
	}
	if store.Taken(err) {
		return fmt.Errorf("statement %s %w", s.Name, store.ErrTaken)
	}
	return err
}

// RemoveStatement removes a statement.
func RemoveStatement(ctx context.Context, db store.Writer, id int64) error {
	_, err := db.Exec(ctx, `delete from statement where id = $1`, id)
	return err
}
