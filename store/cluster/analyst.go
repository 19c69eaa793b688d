package cluster

import (
	"context"

	"github.com/jackc/pgx/v5"
)

// Analyst is the role that may read the views of the schema analysis, and nothing else.
const Analyst = "jaunty_analyst"

// barred takes from everybody but the service what PostgreSQL gives everybody besides reading: locks and large objects
// that last, and announcements. A role's own settings bind nobody, since it can change them.
const barred = `do $$
declare f regprocedure;
begin
	for f in select oid from pg_proc where pronamespace = 'pg_catalog'::regnamespace
		and (proname ~ '^pg_(try_)?advisory_' or proname ~ '^lo_' or proname in ('loread', 'lowrite', 'pg_notify')) loop
		execute format('revoke execute on function %s from public', f);
		execute format('grant execute on function %s to ` + owner + `', f);
	end loop;
end $$`

// createAnalyst makes the role that reads with SQL. What it may read is granted by the store, which also ends what it
// runs for too long: for that the service's role is made a member of it.
func (c *Cluster) createAnalyst(ctx context.Context, conn *pgx.Conn) error {
	password, err := c.password(Analyst)
	if err != nil {
		return err
	}
	var has bool
	err = conn.QueryRow(ctx, `select exists (select from pg_roles where rolname = $1)`, Analyst).Scan(&has)
	if err == nil && !has {
		_, err = conn.Exec(ctx, "create role "+Analyst+" login connection limit 10")
	}
	for _, statement := range []string{
		"alter role " + Analyst + " password '" + password + "'",
		"alter role " + Analyst + " set search_path = analysis",
		"alter role " + Analyst + " set default_transaction_read_only = on",
		"alter role " + Analyst + " set statement_timeout = '5min'",
		"grant " + Analyst + " to " + owner,
		"revoke temporary on database " + database + " from public",
	} {
		if err == nil {
			_, err = conn.Exec(ctx, statement)
		}
	}
	for _, in := range []string{"template1", database} {
		if err == nil {
			err = c.bar(ctx, in)
		}
	}
	return err
}

// bar bars in one database.
func (c *Cluster) bar(ctx context.Context, in string) error {
	address, err := c.address(admin, in)
	if err != nil {
		return err
	}
	conn, err := pgx.Connect(ctx, address)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, barred)
	return err
}
