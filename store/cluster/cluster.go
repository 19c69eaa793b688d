// Package cluster runs a private PostgreSQL for one service: Debian's binaries, on loopback alone,
// passwords by SCRAM, its files under the service's data folder. It is found again at the next
// start, and recovered by PostgreSQL itself after a crash.
package cluster

import (
	"bufio"
	"context"
	"fmt"
	"log/slog"
	"net"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
)

const (
	owner = "jaunty" // the service's role: owns the database and nothing else
	admin = "postgres"

	// Analyst is the role that may read the views of the schema analysis, and nothing else.
	Analyst = "jaunty_analyst"

	database = "jaunty"

	portsTried = 5
)

// Cluster is a private PostgreSQL that runs.
type Cluster struct {
	URL   string // connects as the owner of the database
	Admin string // connects as the superuser

	dir     string
	bin     string
	as      *syscall.Credential // the account that PostgreSQL runs under; nil for our own
	caps    []uintptr           // what that account may do besides
	lock    *os.File
	port    int
	options Options
}

// Options say how far a cluster may trade safety for speed. The zero value trades nothing.
type Options struct {
	Throwaway bool // for tests: no fsync, files are lost when the machine stops
}

// Start makes the cluster under dir when there is none, starts it when it does not run, and waits
// until it takes connections. One process at a time holds dir.
func Start(ctx context.Context, dir string, o Options) (*Cluster, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	c := &Cluster{dir: dir, options: o}
	if c.bin, err = c.binaries(); err != nil {
		return nil, err
	}
	if c.as, err = account(); err != nil {
		return nil, err
	}
	if err = c.hold(); err != nil {
		return nil, err
	}
	if !c.reachable() {
		c.caps = []uintptr{capDACReadSearch}
	}
	if err = c.prepare(ctx); err == nil {
		err = c.run(ctx)
	}
	if err != nil {
		c.lock.Close()
		return nil, fmt.Errorf("private PostgreSQL under %s: %w", dir, err)
	}
	return c, nil
}

// run starts the server unless it runs already, and makes the service's role and database when there
// are none.
func (c *Cluster) run(ctx context.Context) (err error) {
	running := false
	if c.port, running = c.running(); !running {
		if err = c.startSomewhere(ctx); err != nil {
			return err
		}
	}
	if c.Admin, err = c.address(admin, "postgres"); err != nil {
		return err
	}
	if c.URL, err = c.address(owner, database); err != nil {
		return err
	}
	return c.createDatabase(ctx)
}

// startSomewhere starts the server on a free port. Another process may take the port first; then it tries another one.
func (c *Cluster) startSomewhere(ctx context.Context) (err error) {
	for range portsTried {
		if c.port, err = freePort(); err != nil {
			return err
		}
		if err = c.start(ctx); err == nil || !strings.Contains(err.Error(), "Address already in use") {
			return err
		}
	}
	return err
}

func (c *Cluster) start(ctx context.Context) error {
	err := c.command(ctx, "pg_ctl", "-D", c.files(), "-w", "-t", "120", "-l", filepath.Join(c.files(), "server.log"), "-o", c.settings(), "start")
	if err != nil {
		return fmt.Errorf("%w%s", err, c.lastWords())
	}
	return nil
}

// Watch starts the server again whenever it has crashed, until ctx ends. One that was stopped on
// purpose stays so.
func (c *Cluster) Watch(ctx context.Context, log *slog.Logger) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(2 * time.Second):
		}
		// A server that ends in order takes postmaster.pid away; one that crashed leaves it.
		if _, err := os.Stat(filepath.Join(c.files(), "postmaster.pid")); err != nil {
			continue
		}
		if _, running := c.running(); running {
			continue
		}
		log.Warn("PostgreSQL has crashed; starting it again")
		if err := c.start(ctx); err != nil && ctx.Err() == nil {
			log.Error("PostgreSQL does not start", "error", err)
		}
	}
}

func (c *Cluster) settings() string {
	s := fmt.Sprintf("-p %d -c listen_addresses=127.0.0.1 -c unix_socket_directories= -c max_connections=100 -c shared_buffers=128MB"+
		" -c max_wal_size=2GB -c checkpoint_timeout=15min -c wal_compression=on -c jit=off", c.port)
	if c.options.Throwaway {
		s += " -c fsync=off -c full_page_writes=off -c synchronous_commit=off"
	}
	return s
}

func (c *Cluster) address(role, database string) (string, error) {
	password, err := c.password(role)
	u := url.URL{Scheme: "postgres", User: url.UserPassword(role, password), Host: fmt.Sprintf("127.0.0.1:%d", c.port), Path: "/" + database, RawQuery: "sslmode=disable"}
	return u.String(), err
}

// createDatabase makes the service's role, with the password that is kept, and its database.
func (c *Cluster) createDatabase(ctx context.Context) error {
	password, err := c.password(owner)
	if err != nil {
		return err
	}
	conn, err := pgx.Connect(ctx, c.Admin)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	var hasRole, hasDatabase bool
	err = conn.QueryRow(ctx, `select exists (select from pg_roles where rolname = $1), exists (select from pg_database where datname = $2)`, owner, database).Scan(&hasRole, &hasDatabase)
	if err == nil && !hasRole {
		_, err = conn.Exec(ctx, "create role "+owner+" login")
	}
	if err == nil { // rand.Text has letters and digits alone
		_, err = conn.Exec(ctx, "alter role "+owner+" password '"+password+"'")
	}
	if err == nil && !hasDatabase {
		_, err = conn.Exec(ctx, "create database "+database+" owner "+owner)
	}
	if err == nil {
		err = c.createAnalyst(ctx, conn)
	}
	return err
}

// createAnalyst makes the role that reads with SQL. What it may read is granted by the store.
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
		"revoke temporary on database " + database + " from public",
	} {
		if err == nil {
			_, err = conn.Exec(ctx, statement)
		}
	}
	return err
}

// Folder is where the cluster's files are.
func (c *Cluster) Folder() string { return c.dir }

// Address gives the address of the database of a service that runs with its private PostgreSQL under dir.
func Address(dir string) (string, error) { return addressFor(dir, owner) }

// AnalystAddress is Address for the role that reads with SQL.
func AnalystAddress(dir string) (string, error) { return addressFor(dir, Analyst) }

func addressFor(dir, role string) (string, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return "", err
	}
	c := &Cluster{dir: dir}
	running := false
	if c.port, running = c.running(); !running {
		return "", fmt.Errorf("no service runs with its data under %s", dir)
	}
	if _, err := os.Stat(filepath.Join(dir, role+"-password")); err != nil {
		return "", err
	}
	return c.address(role, database)
}

// running tells where the server listens, if it runs.
func (c *Cluster) running() (int, bool) {
	file, err := os.Open(filepath.Join(c.files(), "postmaster.pid"))
	if err != nil {
		return 0, false
	}
	defer file.Close()
	lines := []string{}
	for scan := bufio.NewScanner(file); scan.Scan() && len(lines) < 4; {
		lines = append(lines, strings.TrimSpace(scan.Text()))
	}
	if len(lines) < 4 {
		return 0, false
	}
	pid, _ := strconv.Atoi(lines[0])
	port, err := strconv.Atoi(lines[3])
	return port, err == nil && pid > 0 && syscall.Kill(pid, 0) == nil && answers(port)
}

func answers(port int) bool {
	conn, err := net.DialTimeout("tcp", fmt.Sprintf("127.0.0.1:%d", port), time.Second)
	if err != nil {
		return false
	}
	conn.Close()
	return true
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

// Stop stops the server and lets go of the folder.
func (c *Cluster) Stop(ctx context.Context) error {
	defer c.lock.Close()
	return c.command(ctx, "pg_ctl", "-D", c.files(), "-w", "-t", "60", "-m", "fast", "stop")
}
