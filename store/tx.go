package store

import (
	"context"
	"database/sql"
	"math"
	"reflect"

	"github.com/jackc/pgx/v5/stdlib"
	"github.com/jmoiron/sqlx"
)

// Reader asks the database: a Store does each statement alone, a Tx does all in one transaction.
type Reader interface {
	// Get scans the only row into a value; no row is sql.ErrNoRows, which Found makes ErrNotFound.
	Get(ctx context.Context, into any, query string, args ...any) error
	// Select scans all rows into a slice.
	Select(ctx context.Context, into any, query string, args ...any) error
	// NamedSelect is Select with the arguments by their names.
	NamedSelect(ctx context.Context, into any, query string, arg any) error
	// QueryRow gives the only row, to be scanned column by column.
	QueryRow(ctx context.Context, query string, args ...any) *sqlx.Row
}

// Writer changes the database as well.
type Writer interface {
	Reader
	// Exec does a statement that gives no rows.
	Exec(ctx context.Context, query string, args ...any) (sql.Result, error)
}

// asker is what both a pool of connections and a transaction can do.
type asker interface {
	QueryxContext(ctx context.Context, query string, args ...any) (*sqlx.Rows, error)
	QueryRowxContext(ctx context.Context, query string, args ...any) *sqlx.Row
	ExecContext(ctx context.Context, query string, args ...any) (sql.Result, error)
}

// asking does statements by an asker, with columns of our own types.
type asking func(ctx context.Context) asker

// Get scans the only row into a value; sql.ErrNoRows where there is none. Further rows are not looked at.
func (a asking) Get(ctx context.Context, into any, query string, args ...any) error {
	rows, err := a.rows(ctx, query, args)
	if err != nil {
		return err
	}
	return scanOne(rows, into)
}

// Select scans all rows onto the end of the slice that into points to.
func (a asking) Select(ctx context.Context, into any, query string, args ...any) error {
	rows, err := a.rows(ctx, query, args)
	if err != nil {
		return err
	}
	return scanAll(rows, reflect.ValueOf(into), math.MaxInt)
}

func (a asking) rows(ctx context.Context, query string, args []any) (*sqlx.Rows, error) {
	args, err := columns(args)
	if err != nil {
		return nil, err
	}
	return a(ctx).QueryxContext(ctx, query, args...)
}

// QueryRow gives the only row, to be scanned column by column into types that the driver knows.
func (a asking) QueryRow(ctx context.Context, query string, args ...any) *sqlx.Row {
	return a(ctx).QueryRowxContext(ctx, query, args...)
}

// Exec does a statement that gives no rows.
func (a asking) Exec(ctx context.Context, query string, args ...any) (sql.Result, error) {
	args, err := columns(args)
	if err != nil {
		return nil, err
	}
	return a(ctx).ExecContext(ctx, query, args...)
}

// NamedGet is Get with the arguments by the names of a value's columns.
func (a asking) NamedGet(ctx context.Context, into any, query string, arg any) error {
	query, args, err := sqlx.BindNamed(sqlx.DOLLAR, query, arg)
	if err != nil {
		return err
	}
	return a.Get(ctx, into, query, args...)
}

// NamedSelect is Select with the arguments by the names of a value's columns.
func (a asking) NamedSelect(ctx context.Context, into any, query string, arg any) error {
	query, args, err := sqlx.BindNamed(sqlx.DOLLAR, query, arg)
	if err != nil {
		return err
	}
	return a.Select(ctx, into, query, args...)
}

// NamedExec is Exec with the arguments by the names of a value's columns.
func (a asking) NamedExec(ctx context.Context, query string, arg any) (sql.Result, error) {
	query, args, err := sqlx.BindNamed(sqlx.DOLLAR, query, arg)
	if err != nil {
		return nil, err
	}
	return a.Exec(ctx, query, args...)
}

// Tx is one transaction, in which COPY works too.
type Tx struct {
	asking
	tx   *sqlx.Tx
	conn *sqlx.Conn
}

// Begin starts a transaction. The caller ends it with Commit or Rollback.
func (s *Store) Begin(ctx context.Context) (*Tx, error) { return s.begin(ctx, nil) }

// Look begins a transaction that sees one state of the database throughout, and changes nothing.
func (s *Store) Look(ctx context.Context) (*Tx, error) {
	return s.begin(ctx, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true})
}

func (s *Store) begin(ctx context.Context, options *sql.TxOptions) (*Tx, error) {
	conn, err := s.db.on(ctx).Connx(ctx)
	if err != nil {
		return nil, err
	}
	tx, err := conn.BeginTxx(ctx, options)
	if err != nil {
		conn.Close()
		return nil, err
	}
	return &Tx{func(context.Context) asker { return tx }, tx, conn}, nil
}

// Commit commits and gives the connection back.
func (t *Tx) Commit() error {
	defer t.conn.Close()
	return t.tx.Commit()
}

// Rollback undoes everything and gives the connection back. After Commit it does nothing.
func (t *Tx) Rollback() {
	_ = t.tx.Rollback()
	_ = t.conn.Close()
}

// Native runs f with the driver's own connection inside the open transaction, where COPY is.
func (t *Tx) Native(f func(*stdlib.Conn) error) error {
	return t.conn.Raw(func(driver any) error { return f(driver.(*stdlib.Conn)) })
}
