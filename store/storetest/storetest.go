// Package storetest gives tests a real PostgreSQL: one throw-away cluster a test binary, one database
// a test.
package storetest

import (
	"context"
	"database/sql"
	"fmt"
	"io"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

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
	dir, err := os.MkdirTemp("", "jaunty-test-")
	if err == nil {
		defer os.RemoveAll(dir)
		err = os.Chmod(dir, 0o711)
	}
	if err == nil {
		running, err = cluster.Start(context.Background(), filepath.Join(dir, "d"), cluster.Options{Throwaway: true})
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

// cleanUpIfKilled has a process wait for the end of this one, which it sees by the end of a pipe, and then stop the cluster under
// dir. When the tests end by themselves, and close the pipe after that, it finds nothing to do.
func cleanUpIfKilled(dir string) (alive io.Closer, err error) {
	watch := exec.Command("sh", "-c", `cat >/dev/null; kill -QUIT "$(head -n 1 "$0/d/postgres/postmaster.pid")" && sleep 1 && rm -rf "$0"`, dir)
	watch.SysProcAttr = &syscall.SysProcAttr{Setsid: true}
	if alive, err = watch.StdinPipe(); err == nil {
		err = watch.Start()
	}
	return alive, err
}

// URL makes an empty database for the test and gives its address.
func URL(t testing.TB) string {
	t.Helper()
	db, err := sql.Open("pgx", running.Admin)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	name := fmt.Sprintf("test_%d", counter.Add(1))
	if _, err := db.Exec("create database " + name + " owner jaunty"); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if db, err := sql.Open("pgx", running.Admin); err == nil {
			defer db.Close()
			_, _ = db.Exec("drop database if exists " + name + " with (force)")
		}
	})
	u, err := url.Parse(running.URL)
	if err != nil {
		t.Fatal(err)
	}
	u.Path = "/" + name
	return u.String()
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
	for end := time.Now().Add(30 * time.Second); !so(); time.Sleep(20 * time.Millisecond) {
		if time.Now().After(end) {
			t.Fatalf("not within 30 s: %s", what)
		}
	}
}

// Store opens a store on an empty database of the test's own.
func Store(t testing.TB) *store.Store {
	t.Helper()
	s, err := store.Open(context.Background(), URL(t))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	return s
}
