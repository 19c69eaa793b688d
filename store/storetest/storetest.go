// Package storetest gives tests a real PostgreSQL: one throw-away cluster a test binary, one database
// a test.
package storetest

import (
	"context"
	"database/sql"
	"flag"
	"fmt"
	"io"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"golang.org/x/sys/unix"

	"jauntylark/store"
	"jauntylark/store/cluster"
)

var (
	running *cluster.Cluster
	counter atomic.Int64
)

// Main runs a test binary's tests with a cluster around them, and exits. Call it from TestMain.
func Main(m *testing.M) { os.Exit(Run(m)) }

// Run runs a test binary's tests with a cluster around them, and gives the exit code.
func Run(m *testing.M) int {
	if !flag.Parsed() {
		flag.Parse()
	}
	if fuzzes := flag.Lookup("test.fuzzworker"); fuzzes != nil && fuzzes.Value.String() == "true" {
		return m.Run() // the workers of a fuzz test decode, and need no database
	}
	dir, err := os.MkdirTemp(memory(), "jaunty-test-")
	if err == nil {
		defer os.RemoveAll(dir)
		err = os.Chmod(dir, 0o711)
	}
	if err == nil {
		running, err = cluster.Start(context.Background(), filepath.Join(dir, "d"), cluster.Options{Throwaway: true, Lightly: true})
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	alive, err := cleanUpIfKilled(dir)
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer alive.Close()
	defer running.Stop(context.Background())
	return m.Run()
}

// memory is a folder in memory where there is room for the databases of a run: copying the template takes a twentieth
// of what it takes on a disk. Elsewhere it is empty, which means the folder for temporary files.
func memory() string {
	const folder, needs = "/dev/shm", 2 << 30
	var at unix.Statfs_t
	if unix.Statfs(folder, &at) != nil || at.Bavail*uint64(at.Bsize) < needs || unix.Access(folder, unix.W_OK) != nil {
		return ""
	}
	return folder
}

// cleanUpIfKilled has a process wait for the end of this one, which it sees by the end of a pipe, and then stop the
// cluster under dir. When the tests end by themselves, and close the pipe after that, it finds nothing to do.
func cleanUpIfKilled(dir string) (alive io.Closer, err error) {
	watch := exec.Command("sh", "-c",
		`cat >/dev/null; kill -QUIT "$(head -n 1 "$0/d/postgres/postmaster.pid")" && sleep 1 && rm -rf "$0"`, dir)
	watch.SysProcAttr = &syscall.SysProcAttr{Setsid: true}
	if alive, err = watch.StdinPipe(); err == nil {
		err = watch.Start()
	}
	return alive, err
}

// Alone keeps a test from running beside others: it counts or changes what is the whole process's.
func Alone(t testing.TB) { alone.Store(t, true) }

var alone sync.Map

// besides lets a test, which has a database of its own, run beside others. A test within another goes on in its order.
func besides(t testing.TB) {
	top, ok := t.(*testing.T)
	if !ok || strings.Contains(t.Name(), "/") {
		return
	}
	if _, already := alone.LoadOrStore(t, true); !already {
		top.Cleanup(func() { alone.Delete(t) })
		top.Parallel()
	}
}

// Long leaves a test that takes several seconds to whole runs (make test).
func Long(t testing.TB) {
	t.Helper()
	if testing.Short() {
		t.Skip("left to make test")
	}
}

// URL makes a database for the test, with all tables and nothing in them, and gives its address. The test runs beside
// others that have called it.
func URL(t testing.TB) string {
	t.Helper()
	besides(t)
	if err := template(); err != nil {
		t.Fatal(err)
	}
	address := made(t, " template "+templateName+" strategy file_copy")
	db, err := sql.Open("pgx", address)
	if err == nil {
		_, err = db.Exec("update way_in set uid = gen_random_uuid()") // a site of its own
		db.Close()
	}
	if err != nil {
		t.Fatal(err)
	}
	return address
}

// Bare makes a database for the test in which there is nothing at all, and gives its address.
func Bare(t testing.TB) string {
	t.Helper()
	besides(t)
	return made(t, "")
}

const templateName = "test_template"

// template makes the database that those of tests are copies of.
var template = sync.OnceValue(func() error {
	db, err := sql.Open("pgx", running.Admin)
	if err != nil {
		return err
	}
	defer db.Close()
	if _, err := db.Exec("create database " + templateName + " owner jaunty"); err != nil {
		return err
	}
	address, err := addressOf(templateName)
	if err != nil {
		return err
	}
	s, err := store.Open(context.Background(), address)
	if err != nil {
		return err
	}
	return s.Close()
})

func made(t testing.TB, like string) string {
	t.Helper()
	db, err := sql.Open("pgx", running.Admin)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	name := fmt.Sprintf("test_%d", counter.Add(1))
	if _, err := db.Exec("create database " + name + " owner jaunty" + like); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if db, err := sql.Open("pgx", running.Admin); err == nil {
			defer db.Close()
			_, _ = db.Exec("drop database if exists " + name + " with (force)")
		}
	})
	address, err := addressOf(name)
	if err != nil {
		t.Fatal(err)
	}
	return address
}

func addressOf(database string) (string, error) {
	u, err := url.Parse(running.URL)
	if err != nil {
		return "", err
	}
	u.Path = "/" + database
	return u.String(), nil
}

// Analyst gives the address of a test's database for the role that reads with SQL.
func Analyst(t testing.TB, database string) string {
	t.Helper()
	address, err := cluster.AnalystAddress(running.Folder())
	if err != nil {
		t.Fatal(err)
	}
	u, err := url.Parse(address)
	if err != nil {
		t.Fatal(err)
	}
	at, err := url.Parse(database)
	if err != nil {
		t.Fatal(err)
	}
	u.Path = at.Path
	return u.String()
}

// Eventually waits until what happens in the background has happened.
func Eventually(t testing.TB, what string, so func() bool) {
	t.Helper()
	for end := time.Now().Add(time.Minute); !so(); time.Sleep(20 * time.Millisecond) {
		if time.Now().After(end) {
			t.Fatalf("not within a minute: %s", what)
		}
	}
}

// Store opens a store on an empty database of the test's own.
func Store(t testing.TB) *store.Store {
	t.Helper()
	return At(t, URL(t))
}

// Another opens a further store on the database of one that Store or At has opened: each process has its own
// connections.
func Another(t testing.TB, s *store.Store) *store.Store {
	t.Helper()
	address, ok := addresses.Load(s)
	if !ok {
		t.Fatal("the store was not opened by Store or At")
	}
	return At(t, address.(string))
}

var addresses sync.Map // of the stores that are open

// At opens a store on the database at address.
func At(t testing.TB, address string) *store.Store {
	t.Helper()
	s, err := store.Open(context.Background(), address)
	if err != nil {
		t.Fatal(err)
	}
	addresses.Store(s, address)
	t.Cleanup(func() { addresses.Delete(s); s.Close() })
	return s
}
