package main

import (
	"cmp"
	"encoding/json"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
)

// forTests are the packages that tests and pictures alone use; they may stand on any floor.
var forTests = regexp.MustCompile(`^(bench|docs/screenshots|console/browser|server/servertest|store/storetest)$`)

// floors reads the tables in docs/architecture.md: the floor of each package. Floors within a floor have a number after
// a point.
func floors(t *testing.T) map[string]int {
	text, err := os.ReadFile("../../docs/architecture.md")
	if err != nil {
		t.Fatal(err)
	}
	floor := map[string]int{}
	for _, row := range regexp.MustCompile(`(?m)^\| (\d)(?:\.(\d+))? \| ([^|]+) \|`).FindAllStringSubmatch(string(text),
		-1) {
		n, _ := strconv.Atoi(row[1])
		within, _ := strconv.Atoi(row[2])
		for _, name := range regexp.MustCompile("`([^`]+)`").FindAllStringSubmatch(row[3], -1) {
			floor[strings.TrimSuffix(name[1], "/...")] = 100*n + within
		}
	}
	return floor
}

// Each package imports only from floors below it; those of core may import each other.
func TestPackagesImportFromBelow(t *testing.T) {
	floor := floors(t)
	of := func(path string) (int, bool) {
		if strings.HasPrefix(path, "core/") {
			path = "core"
		}
		n, known := floor[path]
		return n, known
	}
	list := exec.Command("go", "list", "-json=ImportPath,Imports", "jauntylark/...")
	out, err := list.Output()
	if err != nil {
		t.Fatal(err)
	}
	seen := 0
	for decoder := json.NewDecoder(strings.NewReader(string(out))); decoder.More(); {
		var p struct {
			ImportPath string
			Imports    []string
		}
		if err := decoder.Decode(&p); err != nil {
			t.Fatal(err)
		}
		name := strings.TrimPrefix(p.ImportPath, "jauntylark/")
		if forTests.MatchString(name) {
			continue
		}
		here, known := of(name)
		if !known {
			t.Errorf("%s stands on no floor in docs/architecture.md", name)
		}
		seen++
		for _, imported := range p.Imports {
			other, ours := strings.CutPrefix(imported, "jauntylark/")
			if !ours {
				continue
			}
			if forTests.MatchString(other) {
				t.Errorf("%s imports %s, which is for tests", name, other)
			}
			if there, _ := of(other); there >= here && !(here == 0 && there == 0) {
				t.Errorf("%s (floor %d.%d) imports %s (floor %d.%d)", name, here/100, here%100, other, there/100,
					there%100)
			}
		}
	}
	if seen < 15 {
		t.Errorf("only %d packages seen", seen)
	}
}

// What core may use of others: languages, forms of files and pictures, and a distance between words. Nothing that reaches out.
var (
	outsideOfCore = regexp.MustCompile(
		`^(github.com/(agnivade/levenshtein|cbroglie/mustache|fxamacker/cbor/v2|google/cel-go/.*)|golang.org/x/image/.*)$`)
	reachesOut = regexp.MustCompile(
		`^(context|database/.*|log|log/.*|math/rand.*|net/http.*|os|os/.*|syscall|testing)$`)
)

func TestCoreReachesNothing(t *testing.T) {
	out, err := exec.Command("go", "list", "-f", `{{range .Imports}}{{$.ImportPath}} {{.}}{{"\n"}}{{end}}`,
		"jauntylark/core/...").Output()
	if err != nil {
		t.Fatal(err)
	}
	lines := strings.Fields(string(out))
	for i := 0; i+1 < len(lines); i += 2 {
		name, imported := lines[i], lines[i+1]
		if outside := strings.Contains(imported, "."); reachesOut.MatchString(imported) || outside &&
			!outsideOfCore.MatchString(imported) {
			t.Errorf("%s imports %s", name, imported)
		}
	}
	if len(lines) < 100 {
		t.Errorf("only %d imports seen", len(lines)/2)
	}
}

// What is kept, and how, is the store's business alone.
func TestStatementsStayInTheStore(t *testing.T) {
	statement := regexp.MustCompile("(?m)^[^/\n]*[\"`]\\s*(select .* from|insert into|update \\w+ set|delete from) ")
	seen := 0
	err := filepath.WalkDir("../..", func(path string, entry fs.DirEntry, err error) error {
		name := strings.TrimPrefix(filepath.ToSlash(path), "../../")
		if err != nil || entry.IsDir() && (strings.HasPrefix(entry.Name(), ".") && path != "../.." ||
			entry.Name() == "node_modules") {
			return cmp.Or(err, error(fs.SkipDir))
		}
		if !strings.HasSuffix(name, ".go") || strings.HasSuffix(name, "_test.go") || strings.HasPrefix(name, "bench/") {
			return nil
		}
		text, err := os.ReadFile(path)
		found := statement.FindString(string(text))
		if strings.HasPrefix(name, "store/") {
			seen += len(found)
		} else if found != "" && !strings.Contains(found, "psql") {
			t.Errorf("%s has a statement of its own: %s", name, found)
		}
		return err
	})
	if err != nil || seen == 0 {
		t.Errorf("%d seen (%v)", seen, err)
	}
}
