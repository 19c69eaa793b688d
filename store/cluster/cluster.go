// Package cluster runs a private PostgreSQL for one service: Debian's binaries, on loopback alone,
// passwords by SCRAM, its files under the service's data folder. It is found again at the next
// start, and recovered by PostgreSQL itself after a crash.
package cluster

import (
	"context"
	"errors"
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

// Options say where a cluster listens, and how far it may trade safety for speed. The zero value trades nothing.
type Options struct {
	Port      int  // on loopback; 0: the one that it had last time, or a free one
	Throwaway bool // for tests: no fsync, files are lost when the machine stops
	Lightly   bool // for tests: passwords are checked by MD5, which costs a thousandth
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
	running := c.settle(ctx)
	if running && c.options.Port != 0 && c.options.Port != c.port { // left by a service that was killed
		if err = c.end(ctx); err != nil {
			return err
		}
		running = false
	}
	if !running {
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

// oldServerWithin is how long a server that was there before is waited for: it ends, or it takes connections.
const oldServerWithin = 30 * time.Second

// settle waits until it is plain whether a server that was there before runs or has ended, and tells which.
func (c *Cluster) settle(ctx context.Context) (running bool) {
	for end := time.Now().Add(oldServerWithin); time.Now().Before(end) &&
		ctx.Err() == nil; time.Sleep(100 * time.Millisecond) {
		pid, port, err := c.postmaster()
		if err != nil || !c.alive(pid) {
			return false
		}
		if c.port = port; answers(port) {
			return true
		}
	}
	return false
}

// startSomewhere starts the server on the port that is asked for, on the one that it had last time, or on a free one.
// Another process may take a free port first; then it tries another one.
func (c *Cluster) startSomewhere(ctx context.Context) (err error) {
	asked := c.options.Port
	if asked != 0 && !free(asked) {
		return fmt.Errorf("port %d (--database-port) is in use by another program", asked)
	}
	for i := range portsTried {
		switch kept := c.keptPort(); {
		case asked != 0:
			c.port = asked
		case i == 0 && free(kept):
			c.port = kept
		default:
			if c.port, err = freePort(); err != nil {
				return err
			}
		}
		if err = c.startAfterOthers(ctx); err == nil {
			return c.keepPort()
		}
		if asked != 0 || !strings.Contains(err.Error(), "Address already in use") {
			return err
		}
	}
	return err
}

func (c *Cluster) portFile() string { return filepath.Join(c.dir, "database-port") }

// keptPort is the port of the last start; 0 when there was none.
func (c *Cluster) keptPort() int {
	kept, _ := os.ReadFile(c.portFile())
	port, _ := strconv.Atoi(strings.TrimSpace(string(kept)))
	return port
}

// keepPort keeps the port for the next start: who reads with SQL has written it down.
func (c *Cluster) keepPort() error {
	return os.WriteFile(c.portFile(), []byte(strconv.Itoa(c.port)+"\n"), 0o600)
}

// startAfterOthers starts the server when the processes of one that was killed have let go of what they shared.
func (c *Cluster) startAfterOthers(ctx context.Context) (err error) {
	for end := time.Now().Add(oldServerWithin); ; time.Sleep(300 * time.Millisecond) {
		err = c.start(ctx)
		if err == nil || !strings.Contains(err.Error(), "pre-existing shared memory") &&
			!strings.Contains(err.Error(), "still in use") || time.Now().After(end) || ctx.Err() != nil {
			return err
		}
		c.endOrphans()
	}
}

// endOrphans tells the processes of a server that is gone to end: one that computes does not see by itself that it is
// alone.
func (c *Cluster) endOrphans() {
	files, err := filepath.EvalSymlinks(c.files())
	if err != nil {
		return
	}
	works, _ := filepath.Glob("/proc/[0-9]*/cwd")
	for _, link := range works {
		pid, _ := strconv.Atoi(filepath.Base(filepath.Dir(link)))
		if in, err := os.Readlink(link); err == nil && in == files && pid > 1 {
			_ = syscall.Kill(pid, syscall.SIGQUIT)
		}
	}
}

func (c *Cluster) start(ctx context.Context) error {
	err := c.command(ctx, "pg_ctl", "-D", c.files(), "-w", "-t", "120", "-l", filepath.Join(c.files(), "server.log"),
		"-o", c.settings(), "start")
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
		// A server that ends in order takes postmaster.pid away; one that crashed leaves it. One that is merely slow is
		// there.
		if pid, _, err := c.postmaster(); err != nil || c.alive(pid) {
			continue
		}
		log.Warn("PostgreSQL has crashed; starting it again")
		if err := c.start(ctx); err != nil && ctx.Err() == nil {
			log.Error("PostgreSQL does not start", "error", err)
		}
	}
}

// logRoom is how many megabytes PostgreSQL's own log may take between two checkpoints, and how many it keeps: an eighth
// of a small disk.
func logRoom(disk int64) (most, least int64) {
	const segment, megabyte = 16, 1 << 20
	most = min(max(disk/8/megabyte/segment*segment, 3*segment), 2048)
	return most, min(max(most/4, 2*segment), 80)
}

func (c *Cluster) settings() string {
	disk := int64(1) << 50
	var fs syscall.Statfs_t
	if err := syscall.Statfs(c.dir, &fs); err == nil {
		disk = int64(fs.Blocks) * fs.Bsize
	}
	most, least := logRoom(disk)
	s := fmt.Sprintf("-p %d -c listen_addresses=127.0.0.1 -c unix_socket_directories= -c max_connections=100 -c "+
		"shared_buffers=128MB"+
		" -c max_wal_size=%dMB -c min_wal_size=%dMB -c checkpoint_timeout=15min -c wal_compression=on -c jit=off",
		c.port, most, least)
	if c.options.Throwaway {
		// many tests beside each other
		s += " -c fsync=off -c full_page_writes=off -c synchronous_commit=off -c max_connections=500"
	}
	return s
}

func (c *Cluster) address(role, database string) (string, error) {
	password, err := c.password(role)
	u := url.URL{Scheme: "postgres", User: url.UserPassword(role, password), Host: fmt.Sprintf("127.0.0.1:%d", c.port),
		Path: "/" + database, RawQuery: "sslmode=disable"}
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
	err = conn.QueryRow(ctx,
		`select exists (select from pg_roles where rolname = $1), exists (select from pg_database where datname = $2)`,
		owner, database).Scan(&hasRole, &hasDatabase)
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
	pid, port, err := c.postmaster()
	return port, err == nil && c.alive(pid) && answers(port)
}

// postmaster reads what the server's own file says of its process and port.
func (c *Cluster) postmaster() (pid, port int, err error) {
	file, err := os.ReadFile(filepath.Join(c.files(), "postmaster.pid"))
	if err != nil {
		return 0, 0, err
	}
	lines := strings.Split(string(file), "\n")
	if len(lines) < 4 {
		return 0, 0, errors.New("postmaster.pid is not written yet")
	}
	if pid, err = strconv.Atoi(strings.TrimSpace(lines[0])); err == nil {
		port, err = strconv.Atoi(strings.TrimSpace(lines[3]))
	}
	return pid, port, err
}

// alive tells whether a process is there and is this cluster's server, whose working folder is that of its files: after
// a restart of the machine another process may have its number.
func (c *Cluster) alive(pid int) bool {
	if err := syscall.Kill(pid, 0); pid <= 0 || err != nil && !errors.Is(err, syscall.EPERM) {
		return false
	}
	files, err := filepath.EvalSymlinks(c.files())
	if err != nil {
		return true
	}
	works, err := os.Readlink(fmt.Sprintf("/proc/%d/cwd", pid))
	return err != nil || works == files
}

func answers(port int) bool {
	conn, err := net.DialTimeout("tcp", fmt.Sprintf("127.0.0.1:%d", port), time.Second)
	if err != nil {
		return false
	}
	conn.Close()
	return true
}

// free tells whether a server can listen on a port.
func free(port int) bool {
	if port <= 0 {
		return false
	}
	l, err := net.Listen("tcp", fmt.Sprintf("127.0.0.1:%d", port))
	if err == nil {
		l.Close()
	}
	return err == nil
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
	return c.end(ctx)
}

func (c *Cluster) end(ctx context.Context) error {
	return c.command(ctx, "pg_ctl", "-D", c.files(), "-w", "-t", "60", "-m", "fast", "stop")
}
