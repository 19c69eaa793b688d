// Package cluster runs a private PostgreSQL for one service: Debian's binaries, on loopback alone,
// passwords by SCRAM, its files under the service's data folder. It is found again at the next
// start, and recovered by PostgreSQL itself after a crash.
package cluster

import (
	"bufio"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/url"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"sort"
	"strconv"
	"strings"
	"syscall"
	"time"
)

const (
	role     = "jaunty"
	database = "jaunty"
)

// Cluster is a private PostgreSQL that runs.
type Cluster struct {
	URL  string // connects as the owner of the database
	dir  string
	bin  string
	as   *syscall.Credential // the account that PostgreSQL runs under; nil for our own
	caps []uintptr           // what that account may do besides
	lock *os.File

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
	bin, err := binaries()
	if err != nil {
		return nil, err
	}
	if dir, err = filepath.Abs(dir); err != nil {
		return nil, err
	}
	c := &Cluster{dir: dir, bin: bin}
	if c.as, err = account(); err != nil {
		return nil, err
	}
	if err = c.hold(); err != nil {
		return nil, err
	}
	if !c.reachable() {
		c.caps = []uintptr{capDACReadSearch}
	}
	password, err := c.prepare(ctx, o)
	if err == nil {
		err = c.run(ctx, o, password)
	}
	if err != nil {
		c.lock.Close()
		return nil, fmt.Errorf("private PostgreSQL under %s: %w", dir, err)
	}
	return c, nil
}

// binaries finds the newest PostgreSQL that Debian's packages brought.
func binaries() (string, error) {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/initdb")
	sort.Slice(found, func(i, j int) bool { return version(found[i]) > version(found[j]) })
	if len(found) > 0 {
		return filepath.Dir(found[0]), nil
	}
	if path, err := exec.LookPath("initdb"); err == nil {
		return filepath.Dir(path), nil
	}
	return "", errors.New("no PostgreSQL here: install it (apt-get install postgresql), or name a database with --database")
}

func version(path string) int {
	n, _ := strconv.Atoi(strings.Split(path, "/")[4])
	return n
}

// account gives the account that PostgreSQL runs under: it refuses to run as root.
func account() (*syscall.Credential, error) {
	if os.Geteuid() != 0 {
		return nil, nil
	}
	u, err := user.Lookup("postgres")
	if err != nil {
		return nil, errors.New("PostgreSQL does not run as root, and there is no account postgres to run it under")
	}
	uid, _ := strconv.Atoi(u.Uid)
	gid, _ := strconv.Atoi(u.Gid)
	return &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}, nil
}

// hold takes the data folder for this process.
func (c *Cluster) hold() (err error) {
	if err = os.MkdirAll(c.dir, 0o711); err != nil {
		return err
	}
	if c.lock, err = os.OpenFile(filepath.Join(c.dir, "lock"), os.O_CREATE|os.O_RDWR, 0o600); err != nil {
		return err
	}
	if err = syscall.Flock(int(c.lock.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		c.lock.Close()
		return fmt.Errorf("%s is in use by another jaunty; give this one a folder of its own, or --database", c.dir)
	}
	return nil
}

func (c *Cluster) files() string { return filepath.Join(c.dir, "postgres") }

// prepare makes the cluster's files when there are none, and gives the password.
func (c *Cluster) prepare(ctx context.Context, o Options) (string, error) {
	secret := filepath.Join(c.dir, "database-password")
	if _, err := os.Stat(filepath.Join(c.files(), "PG_VERSION")); err == nil {
		password, err := os.ReadFile(secret)
		return strings.TrimSpace(string(password)), err
	}
	password := rand.Text()
	if err := os.WriteFile(secret, []byte(password+"\n"), 0o600); err != nil {
		return "", err
	}
	// initdb works in a folder beside and is moved into place when whole, so that a start that was
	// cut off leaves nothing half made.
	fresh, told := filepath.Join(c.dir, "postgres.new"), filepath.Join(c.dir, "password.new")
	if err := os.RemoveAll(fresh); err != nil {
		return "", err
	}
	if err := os.Mkdir(fresh, 0o700); err != nil {
		return "", err
	}
	if err := os.WriteFile(told, []byte(password+"\n"), 0o600); err != nil {
		return "", err
	}
	defer os.Remove(told)
	for _, path := range []string{fresh, told} {
		if err := c.give(path); err != nil {
			return "", err
		}
	}
	args := []string{"-D", fresh, "-U", role, "-A", "scram-sha-256", "--pwfile=" + told, "-E", "UTF8", "--locale=C.UTF-8"}
	if o.Throwaway {
		args = append(args, "--no-sync")
	}
	if err := c.command(ctx, "initdb", args...); err != nil {
		return "", err
	}
	return password, os.Rename(fresh, c.files())
}

// give makes PostgreSQL's account the owner of path.
func (c *Cluster) give(path string) error {
	if c.as == nil {
		return nil
	}
	return os.Chown(path, int(c.as.Uid), int(c.as.Gid))
}

// capDACReadSearch lets a process pass folders that it may not enter (capabilities(7)).
const capDACReadSearch = 2

// reachable tells whether PostgreSQL's account can get to the folder by itself. Where a folder above
// is closed to it (a temporary folder of root's, say), it is given the right to pass.
func (c *Cluster) reachable() bool {
	if c.as == nil {
		return true
	}
	for p := c.dir; p != "/"; p = filepath.Dir(p) {
		if info, err := os.Stat(p); err != nil || info.Mode().Perm()&0o001 == 0 {
			return false
		}
	}
	return true
}

// run starts the server unless it runs already, and makes the database when there is none.
func (c *Cluster) run(ctx context.Context, o Options, password string) error {
	port, running := c.running()
	if !running {
		var err error
		if port, err = freePort(); err != nil {
			return err
		}
		if err = c.start(ctx, port, o); err != nil {
			return err
		}
	}
	c.port, c.options = port, o
	c.URL = address(port, password, database)
	return c.createDatabase(ctx, port, password)
}

func (c *Cluster) start(ctx context.Context, port int, o Options) error {
	err := c.command(ctx, "pg_ctl", "-D", c.files(), "-w", "-t", "120", "-l", filepath.Join(c.files(), "server.log"), "-o", settings(port, o), "start")
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
		if err := c.start(ctx, c.port, c.options); err != nil && ctx.Err() == nil {
			log.Error("PostgreSQL does not start", "error", err)
		}
	}
}

func settings(port int, o Options) string {
	s := fmt.Sprintf("-p %d -c listen_addresses=127.0.0.1 -c unix_socket_directories= -c max_connections=100 -c shared_buffers=128MB"+
		" -c max_wal_size=2GB -c checkpoint_timeout=15min -c wal_compression=on -c jit=off", port)
	if o.Throwaway {
		s += " -c fsync=off -c full_page_writes=off -c synchronous_commit=off"
	}
	return s
}

func address(port int, password, database string) string {
	u := url.URL{Scheme: "postgres", User: url.UserPassword(role, password), Host: fmt.Sprintf("127.0.0.1:%d", port), Path: "/" + database, RawQuery: "sslmode=disable"}
	return u.String()
}

func (c *Cluster) createDatabase(ctx context.Context, port int, password string) error {
	env := []string{"PGPASSWORD=" + password, "PGHOST=127.0.0.1", "PGPORT=" + strconv.Itoa(port), "PGUSER=" + role, "PATH=" + os.Getenv("PATH")}
	psql := func(args ...string) (string, error) {
		cmd := exec.CommandContext(ctx, filepath.Join(c.bin, "psql"), append([]string{"-XAtq", "-v", "ON_ERROR_STOP=1"}, args...)...)
		cmd.Env, cmd.Dir = env, "/"
		out, err := cmd.CombinedOutput()
		return strings.TrimSpace(string(out)), err
	}
	out, err := psql("-d", "postgres", "-c", "select count(*) from pg_database where datname = '"+database+"'")
	if err == nil && out == "0" {
		out, err = psql("-d", "postgres", "-c", "create database "+database)
	}
	if err != nil {
		return fmt.Errorf("%w: %s", err, out)
	}
	return nil
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

func (c *Cluster) command(ctx context.Context, name string, args ...string) error {
	cmd := exec.CommandContext(ctx, filepath.Join(c.bin, name), args...)
	cmd.Dir = "/"
	cmd.Env = []string{"PATH=" + os.Getenv("PATH"), "LC_ALL=C.UTF-8"}
	cmd.SysProcAttr = &syscall.SysProcAttr{Credential: c.as, AmbientCaps: c.caps, Setsid: true}
	// pg_ctl leaves the server behind with our output; a file, unlike a pipe, is not waited for.
	output, err := os.CreateTemp("", "jaunty-postgres-")
	if err != nil {
		return err
	}
	defer os.Remove(output.Name())
	defer output.Close()
	cmd.Stdout, cmd.Stderr = output, output
	if err := cmd.Run(); err != nil {
		said, _ := os.ReadFile(output.Name())
		return fmt.Errorf("%s: %w: %s", name, err, strings.TrimSpace(string(said)))
	}
	return nil
}

// lastWords are the last lines of the server's log.
func (c *Cluster) lastWords() string {
	log, err := os.ReadFile(filepath.Join(c.files(), "server.log"))
	if err != nil {
		return ""
	}
	lines := strings.Split(strings.TrimSpace(string(log)), "\n")
	return "\n" + strings.Join(lines[max(0, len(lines)-5):], "\n")
}
