package cluster

import (
	"bytes"
	"context"
	"fmt"
	"log/slog"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"
)

// folder gives a data folder inside one that only we may enter.
func folder(t *testing.T) string {
	dir, err := os.MkdirTemp("", "jaunty-closed-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(dir) })
	return filepath.Join(dir, "data")
}

func ask(t *testing.T, c *Cluster, url, query string) string {
	t.Helper()
	out, err := exec.Command(filepath.Join(c.bin, "psql"), "-XAtq", url, "-c", query).CombinedOutput()
	if err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	return strings.TrimSpace(string(out))
}

func TestAClusterLivesOnUnderItsFolder(t *testing.T) {
	dir, ctx := folder(t), context.Background()
	c, err := Start(ctx, dir, Options{Throwaway: true})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := Start(ctx, dir, Options{Throwaway: true}); err == nil ||
		!strings.Contains(err.Error(), "in use by another jaunty") {
		t.Errorf("the folder was had twice: %v", err)
	}
	ask(t, c, c.URL, "create table kept as select 7 as n")
	if methods := ask(t, c, c.Admin, "select distinct auth_method from pg_hba_file_rules"); methods != "scram-sha-256" {
		t.Errorf("lets in by %s", methods)
	}
	if listens := ask(t, c, c.Admin, "show listen_addresses"); listens != "127.0.0.1" {
		t.Errorf("listens on %s", listens)
	}
	if super := ask(t, c, c.URL, "select rolsuper from pg_roles where rolname = current_user"); super != "f" {
		t.Errorf("the service's role is a superuser: %s", super)
	}
	if err := c.Stop(ctx); err != nil {
		t.Fatal(err)
	}
	again, err := Start(ctx, dir, Options{Throwaway: true})
	if err != nil {
		t.Fatal(err)
	}
	defer again.Stop(ctx)
	if n := ask(t, again, again.URL, "select n from kept"); n != "7" {
		t.Errorf("kept %s", n)
	}
	for _, name := range []string{"jaunty-password", "postgres-password"} {
		if info, err := os.Stat(filepath.Join(dir, name)); err != nil || info.Mode().Perm() != 0o600 {
			t.Errorf("%s: %v %v", name, info, err)
		}
	}
}

// Who reads with SQL finds the server where it was, also after another one was asked for and after a kill.
func TestAClusterKeepsItsPort(t *testing.T) {
	dir, ctx := folder(t), context.Background()
	start := func(o Options) *Cluster {
		t.Helper()
		o.Throwaway = true
		c, err := Start(ctx, dir, o)
		if err != nil {
			t.Fatal(err)
		}
		return c
	}
	stop := func(c *Cluster) {
		t.Helper()
		if err := c.Stop(ctx); err != nil {
			t.Fatal(err)
		}
	}
	first := start(Options{})
	stop(first)
	second := start(Options{})
	if second.port != first.port {
		t.Errorf("port %d after %d", second.port, first.port)
	}
	asked, err := freePort()
	if err != nil {
		t.Fatal(err)
	}
	second.lock.Close() // as when its service is killed: the server goes on
	third := start(Options{Port: asked})
	if third.port != asked || !answers(asked) || answers(first.port) {
		t.Errorf("port %d, asked for %d", third.port, asked)
	}
	stop(third)
	taken, err := net.Listen("tcp", fmt.Sprintf("127.0.0.1:%d", asked))
	if err != nil {
		t.Fatal(err)
	}
	defer taken.Close()
	if _, err := Start(ctx, dir, Options{Port: asked, Throwaway: true}); err == nil ||
		!strings.Contains(err.Error(), fmt.Sprintf("port %d (--database-port) is in use", asked)) {
		t.Errorf("a port that is taken: %v", err)
	}
	fourth := start(Options{}) // what was asked for once is taken now
	defer fourth.Stop(ctx)
	if fourth.port == asked || !answers(fourth.port) {
		t.Errorf("port %d", fourth.port)
	}
}

func TestACrashedServerIsStartedAgain(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	c, err := Start(ctx, folder(t), Options{Throwaway: true})
	if err != nil {
		t.Fatal(err)
	}
	defer c.Stop(context.Background())
	go c.Watch(ctx, slog.New(slog.DiscardHandler))
	file, err := os.ReadFile(filepath.Join(c.files(), "postmaster.pid"))
	if err != nil {
		t.Fatal(err)
	}
	first, _, _ := strings.Cut(string(file), "\n")
	pid, err := strconv.Atoi(first)
	if err != nil {
		t.Fatal(err)
	}
	if err := syscall.Kill(pid, syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	for end := time.Now().Add(30 * time.Second); ; time.Sleep(100 * time.Millisecond) {
		if out, err := exec.Command(filepath.Join(c.bin, "psql"), "-XAtq", c.URL, "-c",
			"select 1").Output(); err == nil && strings.TrimSpace(string(out)) == "1" {
			break
		}
		if time.Now().After(end) {
			t.Fatal("not back within 30 s")
		}
	}
}

// A server that is merely slow is not started a second time.
func TestASlowServerIsNoCrash(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	c, err := Start(ctx, folder(t), Options{Throwaway: true})
	if err != nil {
		t.Fatal(err)
	}
	defer c.Stop(context.Background())
	pid, _, err := c.postmaster()
	if err != nil {
		t.Fatal(err)
	}
	var said bytes.Buffer
	watched := make(chan struct{})
	go func() {
		c.Watch(ctx, slog.New(slog.NewTextHandler(&said, nil)))
		close(watched)
	}()
	_ = syscall.Kill(pid, syscall.SIGSTOP)
	time.Sleep(4 * time.Second)
	_ = syscall.Kill(pid, syscall.SIGCONT)
	cancel()
	<-watched
	if said.Len() > 0 {
		t.Error(said.String())
	}
	if again, _, _ := c.postmaster(); again != pid {
		t.Errorf("another server, %d, took the place of %d", again, pid)
	}
}

// A start right after all was killed waits for what was killed, and goes on with what was kept.
func TestAStartRightAfterAllWasKilled(t *testing.T) {
	dir, ctx := folder(t), context.Background()
	c, err := Start(ctx, dir, Options{Throwaway: true})
	if err != nil {
		t.Fatal(err)
	}
	ask(t, c, c.URL, "create table kept as select 7 as n")
	ask(t, c, c.Admin, "checkpoint")
	for range 3 {
		pid, _, err := c.postmaster()
		if err != nil {
			t.Fatal(err)
		}
		busy := exec.Command(filepath.Join(c.bin, "psql"), "-XAtq", c.URL, "-c",
			"select count(*) from generate_series(1, 1e9)")
		if err := busy.Start(); err != nil {
			t.Fatal(err)
		}
		time.Sleep(200 * time.Millisecond)
		_ = syscall.Kill(pid, syscall.SIGKILL)
		time.AfterFunc(time.Second, func() { c.lock.Close() }) // as if the service died a little later
		if c, err = Start(ctx, dir, Options{Throwaway: true}); err != nil {
			t.Fatal(err)
		}
		_ = busy.Process.Kill()
		_ = busy.Wait()
		if n := ask(t, c, c.URL, "select n from kept"); n != "7" {
			t.Errorf("kept %s", n)
		}
	}
	if err := c.Stop(ctx); err != nil {
		t.Error(err)
	}
}

func TestAFirstStartThatWasCutOff(t *testing.T) {
	dir := folder(t)
	if err := os.MkdirAll(filepath.Join(dir, "postgres.new", "half"), 0o700); err != nil {
		t.Fatal(err)
	}
	c, err := Start(context.Background(), dir, Options{Throwaway: true})
	if err != nil {
		t.Fatal(err)
	}
	if err := c.Stop(context.Background()); err != nil {
		t.Error(err)
	}
}

func TestPostgreSQLsOwnLogFitsItsDisk(t *testing.T) {
	for disk, want := range map[int64][2]int64{300 << 20: {48, 32}, 4 << 30: {512, 80}, 100 << 30: {2048, 80}} {
		if most, least := logRoom(disk); most != want[0] || least != want[1] {
			t.Errorf("%d MB: %d and %d, want %v", disk>>20, most, least, want)
		}
	}
}
