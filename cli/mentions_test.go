package cli

import (
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/spf13/cobra"
)

// mention is a command line in a text: up to where the text around it goes on.
var mention = regexp.MustCompile(
	"(?:^|[ \"'`(>$\\t/])jaunty ((?:\\[?[A-Za-z0-9…%][^ \"`;|&(){}\\n]*|--?[a-z][^ \"`;|&(){}\\n]*|'[^'\\n]*')(?: " +
		"(?:\\[?[A-Za-z0-9…'/%<$][^ \"`;|&(){}\\n]*|--?[a-z][^ \"`;|&(){}\\n]*|'[^'\\n]*'))*)")

var flagName = regexp.MustCompile(`^--([a-z][a-z-]+)`)

// Every command line that a text of ours mentions is there, with its flags: in the help, the messages, the docs and the console.
func TestEveryCommandThatIsMentionedIsThere(t *testing.T) {
	root := newRoot()
	root.InitDefaultHelpCmd()
	root.InitDefaultCompletionCmd()
	seen := 0
	texts(t, "..", func(path, text string) {
		for number, line := range strings.Split(text, "\n") {
			for _, found := range mention.FindAllStringSubmatch(line, -1) {
				seen++
				if wrong := unknownIn(root, strings.Fields(found[1])); wrong != "" {
					t.Errorf("%s:%d: %q: %s", path, number+1, found[1], wrong)
				}
			}
		}
	})
	if seen < 500 {
		t.Errorf("%d command lines were found, which are too few to be all", seen)
	}
}

// unknownIn tells what of a command line is not there.
func unknownIn(root *cobra.Command, words []string) string {
	c, at := root, 0
	for at < len(words) && c.HasSubCommands() {
		word := strings.Trim(strings.TrimSuffix(words[at], `\n`), "'.,:*_")
		if word == "" || strings.ToLower(word) != word || strings.ContainsAny(word[:1], "-[…%<$") {
			break
		}
		next := child(c, word)
		if next == nil {
			return "there is no command " + word + " of " + c.Name()
		}
		if c, at = next, at+1; strings.HasSuffix(words[at-1], "'") {
			return "" // the quotation ends
		}
	}
	if c == root {
		return ""
	}
	for _, word := range words[at:] {
		if word == "jaunty" || word == "/" {
			break
		}
		if flag := flagName.FindStringSubmatch(word); flag != nil && flag[1] != "help" && flag[1] != "json" &&
			c.Flags().Lookup(flag[1]) == nil && !c.HasSubCommands() {
			return "there is no flag --" + flag[1] + " of " + c.CommandPath()
		}
	}
	return ""
}

func child(c *cobra.Command, name string) *cobra.Command {
	for _, sub := range c.Commands() {
		if sub.Name() == name {
			return sub
		}
	}
	return nil
}

// texts calls read with each file of ours under a folder that people read, or that writes what people read.
func texts(t *testing.T, folder string, read func(path, text string)) {
	t.Helper()
	err := filepath.WalkDir(folder, func(path string, entry fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		name := entry.Name()
		if entry.IsDir() {
			if name == "node_modules" || name == "dist" || name == "testdata" || name == "bin" ||
				strings.HasPrefix(name, ".") && len(name) > 2 {
				return filepath.SkipDir
			}
			return nil
		}
		switch filepath.Ext(name) {
		case ".md", ".go", ".ts", ".tsx", ".yaml":
		default:
			return nil
		}
		if name == "CHANGELOG.md" || strings.HasSuffix(name, ".gen.ts") ||
			strings.HasSuffix(name, "mentions_test.go") || path == filepath.Join("..", "store", "store.go") {
			return nil // what was then; what is generated; this; names of connections
		}
		text, err := os.ReadFile(path)
		read(path, string(text))
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
}
