package server_test

import (
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

// program runs a program in a folder, and gives what it says.
func program(t *testing.T, dir, name string, args ...string) string {
	t.Helper()
	cmd := exec.CommandContext(context.Background(), name, args...)
	cmd.Dir = dir
	out, err := cmd.CombinedOutput()
	if err != nil {
		t.Fatalf("%s %s: %v\n%s", name, strings.Join(args, " "), err, out)
	}
	return string(out)
}

// A client that a generator has made in Go from the description gets through a day.
func TestTheDayOfAGeneratedClientInGo(t *testing.T) {
	storetest.Long(t)
	const dir = "testdata/clients"
	program(t, dir, "go", "tool", "oapi-codegen", "-config", "oapi.yaml", "../../../docs/openapi.yaml")
	s := servertest.Start(t)
	if out := program(t, dir, "go", "run", ".", s.URL, servertest.Owner, servertest.Password); out != "done\n" {
		t.Error(out)
	}
}

// So does one in TypeScript.
func TestTheDayOfAGeneratedClientInTypeScript(t *testing.T) {
	storetest.Long(t)
	const dir = "../console"
	tool := func(name string) string {
		path, err := filepath.Abs(filepath.Join(dir, "node_modules", ".bin", name))
		if err != nil {
			t.Fatal(err)
		}
		if _, err := os.Stat(path); err != nil {
			t.Fatalf("%v; make build brings it", err)
		}
		return path
	}
	program(t, dir, tool("openapi-typescript"), "../docs/openapi.yaml", "-o", "day/schema.gen.ts")
	program(t, dir, tool("tsc"), "-p", "day")
	s := servertest.Start(t)
	if out := program(t, dir, "node", "day/out/day.js", s.URL, servertest.Owner, servertest.Password); out != "done\n" {
		t.Error(out)
	}
}

// What was promised with the last release still holds: no program that was written for it is broken. `make released`
// promises what there is now.
func TestWhatWasPromisedHolds(t *testing.T) {
	storetest.Long(t)
	const dir = "testdata/clients"
	packed, err := os.Open("testdata/released.yaml.gz")
	if err != nil {
		t.Fatal(err)
	}
	defer packed.Close()
	unpacked, err := gzip.NewReader(packed)
	if err != nil {
		t.Fatal(err)
	}
	promised, err := io.ReadAll(unpacked)
	if err != nil {
		t.Fatal(err)
	}
	breaks := func(now []byte) string {
		before, after := filepath.Join(t.TempDir(), "before.yaml"), filepath.Join(t.TempDir(), "after.yaml")
		for path, text := range map[string][]byte{before: promised, after: now} {
			if err := os.WriteFile(path, text, 0o600); err != nil {
				t.Fatal(err)
			}
		}
		cmd := exec.CommandContext(t.Context(), "go", "tool", "oasdiff", "breaking", before, after, "--fail-on", "WARN")
		cmd.Dir = dir
		out, err := cmd.CombinedOutput()
		var failed *exec.ExitError
		if err != nil && !(errors.As(err, &failed) && failed.ExitCode() == 1) {
			t.Fatalf("%v: %s", err, out)
		}
		if err == nil {
			return ""
		}
		return string(out)
	}
	now := description(t)
	if broken := breaks(now); broken != "" {
		t.Errorf("programs that were written for the last release break:\n%s", broken)
	}
	for what, change := range map[string][2]string{
		"a part of an answer is gone": {"        acknowledged_at:\n", "        taken_at:\n"},
		"an operation is gone":        {"  /api/v1/units:\n", "  /api/v1/sizes:\n"},
		"a parameter is gone":         {"          name: severity\n", "          name: gravity\n"},
	} {
		other := bytes.Replace(now, []byte(change[0]), []byte(change[1]), 1)
		if bytes.Equal(other, now) || breaks(other) == "" {
			t.Errorf("it is not found that %s", what)
		}
	}
}
