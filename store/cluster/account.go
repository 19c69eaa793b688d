package cluster

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
)

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
