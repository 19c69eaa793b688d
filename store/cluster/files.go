package cluster

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"
)

// binaries finds the PostgreSQL that the files are of; when there are none yet, the newest that
// Debian's packages brought.
func (c *Cluster) binaries() (string, error) {
	made, err := os.ReadFile(filepath.Join(c.files(), "PG_VERSION"))
	if err == nil {
		version := strings.TrimSpace(string(made))
		bin := filepath.Join("/usr/lib/postgresql", version, "bin")
		if _, err := os.Stat(filepath.Join(bin, "postgres")); err != nil {
			return "", fmt.Errorf(
				"the files under %s are PostgreSQL %s's, which is not here: install it (apt-get install postgresql-%s)",
				c.dir, version, version)
		}
		return bin, nil
	}
	newest, bin := 0, ""
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/initdb")
	for _, path := range found {
		if version, err := strconv.Atoi(filepath.Base(filepath.Dir(filepath.Dir(path)))); err == nil &&
			version > newest {
			newest, bin = version, filepath.Dir(path)
		}
	}
	if bin == "" {
		return "", errors.New(
			"no PostgreSQL here: install it (apt-get install postgresql), or name a database with --database")
	}
	return bin, nil
}

// lockWithin is how long another process may take to let go of the folder.
const lockWithin = 3 * time.Second

// hold takes the data folder for this process.
func (c *Cluster) hold() (err error) {
	if err = os.MkdirAll(c.dir, 0o711); err != nil {
		return err
	}
	if c.lock, err = os.OpenFile(filepath.Join(c.dir, "lock"), os.O_CREATE|os.O_RDWR, 0o600); err != nil {
		return err
	}
	for end := time.Now().Add(lockWithin); ; time.Sleep(100 * time.Millisecond) {
		// A process that was killed a moment ago may hold it still.
		if err = syscall.Flock(int(c.lock.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err == nil || time.Now().After(end) {
			break
		}
	}
	if err != nil {
		c.lock.Close()
		return fmt.Errorf("%s is in use by another jaunty; give this one a folder of its own, or --database", c.dir)
	}
	return nil
}

func (c *Cluster) files() string { return filepath.Join(c.dir, "postgres") }

// password gives the password that is kept for a role, or makes one.
func (c *Cluster) password(role string) (string, error) {
	path := filepath.Join(c.dir, role+"-password")
	kept, err := os.ReadFile(path)
	if err == nil {
		return strings.TrimSpace(string(kept)), nil
	}
	password := rand.Text()
	return password, os.WriteFile(path, []byte(password+"\n"), 0o600)
}

// prepare makes the cluster's files when there are none.
func (c *Cluster) prepare(ctx context.Context) error {
	if _, err := os.Stat(filepath.Join(c.files(), "PG_VERSION")); err == nil {
		return nil
	}
	password, err := c.password(admin)
	if err != nil {
		return err
	}
	// initdb works in a folder beside and is moved into place when whole, so that a start that was
	// cut off leaves nothing half made.
	fresh, told := filepath.Join(c.dir, "postgres.new"), filepath.Join(c.dir, "password.new")
	if err := os.RemoveAll(fresh); err != nil {
		return err
	}
	if err := os.Mkdir(fresh, 0o700); err != nil {
		return err
	}
	if err := os.WriteFile(told, []byte(password+"\n"), 0o600); err != nil {
		return err
	}
	defer os.Remove(told)
	for _, path := range []string{fresh, told} {
		if err := c.give(path); err != nil {
			return err
		}
	}
	check := "scram-sha-256"
	if c.options.Lightly {
		check = "md5"
	}
	args := []string{"-D", fresh, "-U", admin, "-A", check, "--pwfile=" + told, "-E", "UTF8", "--locale=C.UTF-8"}
	if c.options.Throwaway {
		args = append(args, "--no-sync")
	}
	if err := c.command(ctx, "initdb", args...); err != nil {
		return err
	}
	return os.Rename(fresh, c.files())
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
