package console_test

import (
	"compress/gzip"
	"encoding/json"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"jauntylark/api"
	"jauntylark/console"
)

// noPlace are the operations that no person carries out in a console, and why.
var noPlace = map[string]string{
	"send-readings": "devices send", "send-frame": "devices send", "get-orders": "devices ask",
	"confirm-orders": "devices confirm", "confirm-output": "devices confirm", "call-back": "gateways call",
	"create-token": "programs sign in so; the console has its session",
	"list-keys":    "the device has them",
	"get-plan":     "its list has it", "get-statement": "its list has it",
	"list-readings": "charts ask for lines and tails, and the history takes them out", "list-doubts": "lines have them",
	"bring-board-back": "one operation brings everything back",
	"bring-asset-back": "one operation brings everything back",
	"get-trial":        "its list has it",
	"show-roster-at":   "plan-roster says it of what is written too", "get-person": "its list has them",
	"get-changes": "programs keep up by it", "watch-changes": "programs keep up by it", "get-reader": "its list has it",
	"stream-readings": "programs ask; charts ask for lines and tails", "do-batch": "programs ask",
}

// raw are the operations, besides files, that the console asks for in ways of its own.
var raw = []string{"replay", "get-statement-sheet"}

// Everything that the API gives has its place in the console.
func TestEveryOperationHasItsPlace(t *testing.T) {
	source := ""
	must(t, filepath.WalkDir("src", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(strings.TrimSuffix(path, "x"), ".ts") ||
			strings.HasSuffix(path, ".gen.ts") {
			return err
		}
		text, err := os.ReadFile(path)
		source += string(text)
		return err
	}))
	source = regexp.MustCompile(`\s+`).ReplaceAllString(source, "")
	for _, op := range api.All() {
		if op.Saves != nil {
			continue // a form saves the whole or parts, as suits it
		}
		path := api.Root + op.Path
		fixed, _, _ := strings.Cut(path, "{")
		reason := noPlace[op.Name]
		found := strings.Contains(source, "api."+op.Method+"('"+path+"'") || reason == "" &&
			(op.IsFile() || slices.Contains(raw, op.Name)) && strings.Contains(source, fixed)
		if found == (reason != "") {
			t.Errorf("%s (%s %s): in the console %v; the reason to be without a place is %q", op.Name, op.Method, path,
				found, reason)
		}
	}
}

// What the first page loads is small; charts and editors come when they are needed.
func TestTheFirstLoadIsSmall(t *testing.T) {
	text, err := fs.ReadFile(console.Files(), "files.json")
	must(t, err)
	var files map[string]struct {
		File    string
		Imports []string
		IsEntry bool
	}
	must(t, json.Unmarshal(text, &files))
	sum, names := 0, []string{}
	var add func(key string)
	add = func(key string) {
		if slices.Contains(names, key) {
			return
		}
		names = append(names, key)
		sum += packed(t, files[key].File)
		for _, i := range files[key].Imports {
			add(i)
		}
	}
	for key, f := range files {
		if f.IsEntry {
			add(key)
		}
	}
	t.Logf("the first load is %d bytes of JavaScript, packed, in %d files", sum, len(names))
	if sum < 50_000 || sum > 350_000 {
		t.Errorf("the first load is %d bytes of JavaScript, packed; 350,000 at most", sum)
	}
	for _, late := range []string{"src/tile/lines.tsx", "src/page/board/arrange.tsx", "src/tile/note.tsx"} {
		if slices.Contains(names, late) {
			t.Errorf("%s is loaded at first, without being needed", late)
		}
	}
}

func packed(t *testing.T, name string) int {
	t.Helper()
	f, err := console.Files().Open(name)
	must(t, err)
	defer f.Close()
	count := &counter{}
	w := gzip.NewWriter(count)
	_, err = io.Copy(w, f)
	must(t, err)
	must(t, w.Close())
	return count.n
}

type counter struct{ n int }

func (c *counter) Write(p []byte) (int, error) { c.n += len(p); return len(p), nil }

var (
	routeIn   = regexp.MustCompile(`<Route\s+path="([^"]+)"`)
	auditedIn = regexp.MustCompile(`accessible\(t, p, "([^"]+)"|"(/[^"]*)": +"|\[\]string\{((?:"/[^"]*"(?:,\s*)?)+)\}`)
	pathIn    = regexp.MustCompile(`"(/[^"]*)"`)
)

// Each page is looked at by axe in both themes, and on a phone for whether it scrolls sideways.
func TestEveryPageIsAudited(t *testing.T) {
	routes, err := os.ReadFile("src/pages.tsx")
	must(t, err)
	app, err := os.ReadFile("src/app.tsx")
	must(t, err)
	var audited []string
	tests, err := filepath.Glob("*_test.go")
	must(t, err)
	for _, file := range tests {
		text, err := os.ReadFile(file)
		must(t, err)
		if !strings.Contains(string(text), "accessible(t, p,") {
			continue
		}
		for _, found := range auditedIn.FindAllStringSubmatch(string(text), -1) {
			if list := found[3]; list != "" {
				for _, path := range pathIn.FindAllStringSubmatch(list, -1) {
					audited = append(audited, path[1])
				}
			}
			audited = append(audited, found[1]+found[2])
		}
	}
	all := routeIn.FindAllStringSubmatch(string(routes)+string(app), -1)
	if len(all) < 50 {
		t.Fatalf("%d pages were found", len(all))
	}
	for _, route := range all {
		like := regexp.MustCompile("^" + regexp.MustCompile(`:\w+`).ReplaceAllString(strings.ReplaceAll(route[1], "*",
			".+"), `[^/?]+`) + `($|\?)`)
		if !slices.ContainsFunc(audited, like.MatchString) {
			t.Errorf("no test audits %s", route[1])
		}
	}
}
