// Package store keeps the records in PostgreSQL: one file a noun, the SQL in sight.
package store

import (
	"context"
	"crypto/rand"
	"database/sql"
	"database/sql/driver"
	"embed"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net"
	"strings"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/jmoiron/sqlx"
	"github.com/pressly/goose/v3"
	"github.com/pressly/goose/v3/lock"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Store is the database of one site.
type Store struct {
	db *sqlx.DB
}

// ErrNotFound says that there is no such record.
var ErrNotFound = errors.New("not found")

// Open connects to the database at url and brings its tables up to date. Several processes may open
// one database at once.
func Open(ctx context.Context, url string) (*Store, error) { return open(ctx, url, "jaunty") }

// service is how the connections of a process that serves begin their names; each process has one of its own.
const service = "jaunty service "

// OpenService is Open for a process that serves: others can see that it is there.
func OpenService(ctx context.Context, url string) (*Store, error) {
	return open(ctx, url, service+rand.Text())
}

func open(ctx context.Context, url, name string) (*Store, error) {
	config, err := pgx.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("database: %w", err)
	}
	config.RuntimeParams["application_name"] = name
	// A process that stands still inside a commit must not hold up the others for long.
	config.RuntimeParams["idle_in_transaction_session_timeout"] = "30s"
	db := sqlx.NewDb(stdlib.OpenDB(*config), "pgx")
	db.SetMaxOpenConns(24)
	db.SetMaxIdleConns(12)
	db.SetConnMaxIdleTime(5 * time.Minute)
	err = migrate(ctx, db.DB)
	if err == nil {
		err = letAnalystRead(ctx, db)
	}
	if err != nil {
		db.Close()
		return nil, fmt.Errorf("database: %w", err)
	}
	return &Store{db: db}, nil
}

func migrate(ctx context.Context, db *sql.DB) error {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	locker, err := lock.NewPostgresSessionLocker(lock.WithLockTimeout(1, 60))
	if err != nil {
		return err
	}
	provider, err := goose.NewProvider(goose.DialectPostgres, db, files, goose.WithSessionLocker(locker))
	if err != nil {
		return err
	}
	_, err = provider.Up(ctx)
	return err
}

// letAnalystRead grants the views of the schema analysis to the role jaunty_analyst, where there is one.
func letAnalystRead(ctx context.Context, db *sqlx.DB) error {
	var there bool
	err := db.GetContext(ctx, &there, `select exists (select from pg_roles where rolname = 'jaunty_analyst')
		and not coalesce((select bool_and(has_table_privilege('jaunty_analyst', c.oid, 'select')) from pg_class c where c.relnamespace = 'analysis'::regnamespace and c.relkind = 'v')
		             and has_schema_privilege('jaunty_analyst', 'analysis', 'usage'), false)`)
	if err != nil || !there {
		return err
	}
	_, err = db.ExecContext(ctx, `grant usage on schema analysis to jaunty_analyst; grant select on all tables in schema analysis to jaunty_analyst`)
	return err
}

// Close ends all connections.
func (s *Store) Close() error { return s.db.Close() }

// Ping tells whether the database answers.
func (s *Store) Ping(ctx context.Context) error { return s.db.PingContext(ctx) }

// Away tells whether err means that the database cannot be reached, was cut off or has no room, so
// that the same call may succeed later.
func Away(err error) bool {
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		// 08 connection, 40 serialization, 53 out of resources (a full disk), 57P shut down, 58 system error
		class := pg.Code[:2]
		return class == "08" || class == "40" || class == "53" || class == "58" || strings.HasPrefix(pg.Code, "57P")
	}
	var network net.Error
	var connecting *pgconn.ConnectError
	if errors.As(err, &network) || errors.As(err, &connecting) || pgconn.SafeToRetry(err) {
		return true
	}
	for _, cut := range []error{driver.ErrBadConn, sql.ErrConnDone, io.EOF, io.ErrUnexpectedEOF, net.ErrClosed, context.DeadlineExceeded, syscall.ECONNRESET, syscall.EPIPE} {
		if errors.Is(err, cut) {
			return true
		}
	}
	return false
}

// taken tells whether err means that a unique name is taken.
func taken(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && pg.Code == "23505"
}

// found turns "no rows" into ErrNotFound.
func found(err error) error {
	if errors.Is(err, sql.ErrNoRows) {
		return ErrNotFound
	}
	return err
}

// Tx is one transaction, in which COPY works too.
type Tx struct {
	*sqlx.Tx
	conn *sqlx.Conn
}

// Begin starts a transaction. The caller ends it with Commit or Rollback.
func (s *Store) Begin(ctx context.Context) (*Tx, error) {
	conn, err := s.db.Connx(ctx)
	if err != nil {
		return nil, err
	}
	tx, err := conn.BeginTxx(ctx, nil)
	if err != nil {
		conn.Close()
		return nil, err
	}
	return &Tx{tx, conn}, nil
}

// Commit commits and gives the connection back.
func (t *Tx) Commit() error {
	defer t.conn.Close()
	return t.Tx.Commit()
}

// Rollback undoes everything and gives the connection back. After Commit it does nothing.
func (t *Tx) Rollback() {
	_ = t.Tx.Rollback()
	_ = t.conn.Close()
}

// native runs f with pgx's own connection inside the open transaction.
func (t *Tx) native(f func(*stdlib.Conn) error) error {
	return t.conn.Raw(func(driver any) error { return f(driver.(*stdlib.Conn)) })
}
