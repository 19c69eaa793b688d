// Package store reaches PostgreSQL through sqlx: connections by what they are for, transactions, how the types of core
// are kept in columns, the ledger that numbers commits, migrations. What is kept is in the packages below it, the SQL
// in sight; nobody else writes SQL.
package store

import (
	"context"
	"crypto/rand"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
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
	asking
	db pools
}

// ErrNotFound says that there is no such record.
var ErrNotFound = errors.New("not found")

// Open connects to the database at url and brings its tables up to date. Several processes may open
// one database at once.
func Open(ctx context.Context, url string) (*Store, error) { return open(ctx, url, "jaunty") }

// OpenFresh is Open, and tells whether the database had nothing of ours before.
func OpenFresh(ctx context.Context, url string) (s *Store, fresh bool, err error) {
	conn, err := pgx.Connect(ctx, url)
	if err != nil {
		return nil, false, fmt.Errorf("database: %w", err)
	}
	err = conn.QueryRow(ctx, `select to_regclass('public.goose_db_version') is null`).Scan(&fresh)
	conn.Close(ctx)
	if err == nil {
		s, err = Open(ctx, url)
	}
	return s, fresh, err
}

// Clean takes away all that the migrations have made, of a database in which nothing else is.
func Clean(ctx context.Context, db Writer) error {
	_, err := db.Exec(For(ctx, Background), `
		do $$
		declare
			each text;
			all_of text[] := array['drop schema if exists analysis cascade'];
		begin
			all_of := all_of || array(select format('drop %s if exists %s cascade', case relkind when 'v' then 'view' when 'S' then 'sequence' else 'table' end, oid::regclass)
				from pg_class where relnamespace = 'public'::regnamespace and relkind in ('r', 'p', 'v', 'S') and pg_get_userbyid(relowner) = current_user
				order by relkind = 'S', relkind = 'r') -- the sequences of tables go with these
			|| array(select format('drop routine if exists %s cascade', oid::regprocedure) from pg_proc where pronamespace = 'public'::regnamespace and pg_get_userbyid(proowner) = current_user)
			|| array(select format('drop type if exists %s cascade', oid::regtype) from pg_type
				where typnamespace = 'public'::regnamespace and typtype in ('e', 'd') and pg_get_userbyid(typowner) = current_user);
			foreach each in array all_of loop
				execute each;
			end loop;
		end $$`)
	return err
}

// ServiceName is how the connections of a process that serves begin their names; each process has one of its own.
const ServiceName = "jaunty service "

// OpenService is Open for a process that serves: others can see that it is there.
func OpenService(ctx context.Context, url string) (*Store, error) {
	return open(ctx, url, ServiceName+rand.Text())
}

func open(ctx context.Context, url, name string) (*Store, error) {
	config, err := pgx.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("database: %w", err)
	}
	config.RuntimeParams["application_name"] = name
	// What brings the tables up to date may take as long as it takes.
	patient := stdlib.OpenDB(*config)
	defer patient.Close()
	err = migrate(ctx, patient)
	if err == nil {
		err = letAnalystRead(ctx, sqlx.NewDb(patient, "pgx"))
	}
	if err != nil {
		return nil, fmt.Errorf("database: %w", err)
	}
	db := openPools(config)
	return &Store{func(ctx context.Context) asker { return db.on(ctx) }, db}, nil
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
		and not coalesce((select bool_and(has_table_privilege('jaunty_analyst', c.oid, 'select')) from pg_class c
		    where c.relnamespace = 'analysis'::regnamespace and c.relkind = 'v')
		             and has_schema_privilege('jaunty_analyst', 'analysis', 'usage'), false)`)
	if err != nil || !there {
		return err
	}
	_, err = db.ExecContext(ctx, `select pg_advisory_xact_lock(hashtext('jaunty grants')); -- several processes may start at once
		grant usage on schema analysis to jaunty_analyst;
		grant select on all tables in schema analysis to jaunty_analyst`)
	return err
}

// EndAnalysts ends the statements of analysts that run for longer, and their transactions that stand still for longer:
// their own settings can be changed by themselves.
func EndAnalysts(ctx context.Context, db Writer, runs, stands time.Duration) (ended int, err error) {
	err = db.Get(ctx, &ended, `
		select count(pg_terminate_backend(pid)) from pg_stat_activity
		where usename = 'jaunty_analyst' and datname = current_database()
		    and pg_has_role(current_user, usesysid, 'member')
		  and (state = 'active' and query_start < clock_timestamp() - make_interval(secs => $1)
		       or state like 'idle in transaction%' and state_change < clock_timestamp() - make_interval(secs => $2))`,
		runs.Seconds(), stands.Seconds())
	return ended, err
}

// Close ends all connections.
func (s *Store) Close() error { return s.db.Close() }

// ErrReadOnly says that the database changes nothing now.
var ErrReadOnly = errors.New("the database is read-only")

// Ready tells whether the database answers and can be changed.
func (s *Store) Ready(ctx context.Context) error {
	var readOnly bool
	err := s.Get(ctx, &readOnly, `select pg_is_in_recovery() or current_setting('transaction_read_only') = 'on'`)
	if err == nil && readOnly {
		err = ErrReadOnly
	}
	return err
}

// Taken tells whether err means that a unique name is taken.
func Taken(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && pg.Code == "23505"
}

// Found turns "no rows" into ErrNotFound.
func Found(err error) error {
	if errors.Is(err, sql.ErrNoRows) {
		return ErrNotFound
	}
	return err
}

// ErrTaken says that a name which must be unique is in use.
var ErrTaken = errors.New("is taken")
