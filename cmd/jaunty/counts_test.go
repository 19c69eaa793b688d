package main

import (
	"cmp"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

// Bounds beyond which a package, a type, a function or a file is more than one thing.
const (
	linesOfPackage  = 4000
	filesOfPackage  = 30
	methodsOfType   = 40
	linesOfFunction = 80
	linesOfFile     = 400
)

// counted is the source of one package, counted without its tests.
type counted struct {
	lines, files int
	methods      map[string]int // by type
}

// source reads all of our Go source but what is for tests alone.
func source(t *testing.T, each func(pkg, path string, text string, file *ast.File, at *token.FileSet)) {
	root := filepath.Join("..", "..")
	err := filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && (d.Name() == "node_modules" || d.Name() == ".node" || d.Name() == ".git") {
			return filepath.SkipDir
		}
		if filepath.Ext(path) != ".go" || strings.HasSuffix(path, ".gen.go") {
			return nil
		}
		text, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		at := token.NewFileSet()
		file, err := parser.ParseFile(at, path, text, parser.ParseComments)
		if err != nil {
			return err
		}
		name, _ := filepath.Rel(root, path)
		each(filepath.ToSlash(filepath.Dir(name)), filepath.ToSlash(name), string(text), file, at)
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
}

// Nothing grows beyond what one can hold in mind: see the bounds. It prints the largest of each kind.
func TestNothingIsTooLarge(t *testing.T) {
	packages := map[string]*counted{}
	sizes := map[string]map[string]int{"lines of a file": {}, "lines of a function": {}, "lines of a package": {},
		"files of a package": {}, "methods of a type": {}}
	source(t, func(pkg, path, text string, file *ast.File, at *token.FileSet) {
		lines := strings.Count(text, "\n")
		sizes["lines of a file"][path] = lines
		if strings.HasSuffix(path, "_test.go") {
			return
		}
		c := packages[pkg]
		if c == nil {
			c = &counted{methods: map[string]int{}}
			packages[pkg] = c
		}
		c.lines, c.files = c.lines+lines, c.files+1
		for _, d := range file.Decls {
			f, ok := d.(*ast.FuncDecl)
			if !ok {
				continue
			}
			sizes["lines of a function"][path+" "+f.Name.Name] = at.Position(f.End()).Line - at.Position(f.Pos()).Line
			if f.Recv != nil {
				c.methods[receiver(f.Recv.List[0].Type)]++
			}
		}
	})
	for name, c := range packages {
		sizes["lines of a package"][name], sizes["files of a package"][name] = c.lines, c.files
		for of, n := range c.methods {
			sizes["methods of a type"][name+" "+of] = n
		}
	}
	for kind, bound := range map[string]int{"lines of a file": linesOfFile, "lines of a function": linesOfFunction,
		"lines of a package": linesOfPackage, "files of a package": filesOfPackage,
		"methods of a type": methodsOfType} {
		within(t, kind, bound, sizes[kind])
	}
}

// within holds sizes to a bound.
func within(t *testing.T, kind string, bound int, sizes map[string]int) {
	t.Helper()
	order := slices.SortedFunc(maps.Keys(sizes), func(a, b string) int {
		return cmp.Or(cmp.Compare(sizes[b], sizes[a]), cmp.Compare(a, b))
	})
	t.Logf("%s, at most %d: %s", kind, bound, strings.Join(largest(order, sizes, 5), ", "))
	for _, name := range order {
		if sizes[name] > bound {
			t.Errorf("%s of %s: %d, at most %d", kind, name, sizes[name], bound)
		}
	}
}

func largest(order []string, sizes map[string]int, n int) (all []string) {
	for _, name := range order[:min(n, len(order))] {
		all = append(all, fmt.Sprintf("%s %d", name, sizes[name]))
	}
	return all
}

func receiver(e ast.Expr) string {
	switch x := e.(type) {
	case *ast.StarExpr:
		return receiver(x.X)
	case *ast.IndexExpr:
		return receiver(x.X)
	case *ast.IndexListExpr:
		return receiver(x.X)
	case *ast.Ident:
		return x.Name
	}
	return ""
}
