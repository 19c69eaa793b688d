package server_test

import (
	"context"
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
