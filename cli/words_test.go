package cli

import (
	"flag"
	"fmt"
	"maps"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

var rewrite = flag.Bool("rewrite", false, "write docs/words.md anew; what is new gets a row without a meaning")

const wordsFile = "../docs/words.md"

var (
	labelIn   = regexp.MustCompile(`(?:^|[^-\w])label="([^"]+)"`)
	columnsIn = regexp.MustCompile(`names=\{\[([^\]]+)\]`)
	columnIn  = regexp.MustCompile(`'([^']+)'`)
	headingIn = regexp.MustCompile(`\[\]string\{((?:"[A-Z0-9 -]*"(?:,\s*)?)+)\}`)
	capitals  = regexp.MustCompile(`"([A-Z][A-Z0-9 -]+)"`)
	mailLabel = regexp.MustCompile(`(?m)^([A-Z][a-z ]+): `)
	wordRow   = regexp.MustCompile(`(?m)^\| ([^|]+) \| ([^|]*) \| ([^|]*) \|$`)
)

// wordsInUse gives each label, heading of a column and flag, with the places in which it is used.
func wordsInUse(t *testing.T) map[string]string {
	t.Helper()
	console, line := map[string]map[string]bool{}, map[string]map[string]bool{}
	note := func(in map[string]map[string]bool, word, place string) {
		if in[word] == nil {
			in[word] = map[string]bool{}
		}
		in[word][place] = true
	}
	texts(t, "../console/src", func(path, text string) {
		file := strings.TrimPrefix(strings.TrimPrefix(strings.TrimSuffix(path, ".tsx"), "../console/src/"), "page/")
		for _, found := range labelIn.FindAllStringSubmatch(text, -1) {
			note(console, found[1], file)
		}
		for _, names := range columnsIn.FindAllStringSubmatch(text, -1) {
			for _, found := range columnIn.FindAllStringSubmatch(names[1], -1) {
				note(console, found[1], file)
			}
		}
	})
	texts(t, ".", func(path, text string) {
		for _, headings := range headingIn.FindAllStringSubmatch(text, -1) {
			for _, found := range capitals.FindAllStringSubmatch(headings[1], -1) {
				note(line, found[1][:1]+strings.ToLower(found[1][1:]), found[1])
			}
		}
	})
	everyCommand(newRoot(), func(c *cobra.Command) {
		c.LocalNonPersistentFlags().VisitAll(func(f *pflag.Flag) {
			if f.Name == "help" {
				return
			}
			word := strings.ReplaceAll(f.Name, "-", " ")
			note(line, strings.ToUpper(word[:1])+word[1:], "`--"+f.Name+"`")
		})
	})
	for word := range line { // one word, however it is written there
		for other := range console {
			if word != other && sameWord(word, other) {
				for place := range line[word] {
					note(line, other, place)
				}
				delete(line, word)
				break
			}
		}
	}
	out := map[string]string{}
	for _, word := range slices.Sorted(maps.Keys(console)) {
		places := slices.Sorted(maps.Keys(console[word]))
		out[word] = "console: " + strings.Join(places, ", ")
	}
	for _, word := range slices.Sorted(maps.Keys(line)) {
		if out[word] != "" {
			out[word] += "; "
		}
		out[word] += "command line: " + strings.Join(slices.Sorted(maps.Keys(line[word])), ", ")
	}
	mails, err := os.ReadFile("../core/roster/testdata/notices.txt")
	if err != nil {
		t.Fatal(err)
	}
	for _, found := range mailLabel.FindAllStringSubmatch(string(mails), -1) {
		if places := out[found[1]]; places != "" && !strings.HasSuffix(places, "; mails") {
			out[found[1]] += "; mails"
		}
	}
	return out
}

func sameWord(a, b string) bool {
	return strings.EqualFold(strings.ReplaceAll(a, "-", " "), strings.ReplaceAll(b, "-", " "))
}

// docs/words.md has each label of a field, each heading of a column and each flag, with what it means and where it is
// used.
func TestTheTableOfWords(t *testing.T) {
	text, err := os.ReadFile(wordsFile)
	if err != nil {
		t.Fatal(err)
	}
	used, meanings := wordsInUse(t), map[string]string{}
	rows := wordRow.FindAllStringSubmatch(string(text), -1)
	for _, row := range rows[1:] { // the first is the heading
		word, meaning, places := row[1], strings.TrimSpace(row[2]), row[3]
		switch {
		case meanings[word] != "":
			t.Errorf("%s has two rows", word)
		case used[word] == "" && !*rewrite:
			t.Errorf("%s is used nowhere", word)
		case used[word] != places && !*rewrite:
			t.Errorf("%s is used in %s; the table says %s", word, used[word], places)
		case meaning == "" && !*rewrite:
			t.Errorf("%s has no meaning", word)
		}
		meanings[word] = meaning
	}
	for _, word := range slices.Sorted(maps.Keys(used)) {
		if _, there := meanings[word]; !there && !*rewrite {
			t.Errorf("%s (%s) is not in the table; go test ./cli -run Words -rewrite adds its row", word, used[word])
		}
	}
	if !*rewrite {
		return
	}
	head, _, _ := strings.Cut(string(text), "| word |")
	out := strings.Builder{}
	out.WriteString(head + "| word | what it means | where it is used |\n|---|---|---|\n")
	for _, word := range slices.SortedFunc(maps.Keys(used), func(a, b string) int {
		return strings.Compare(strings.ToLower(a)+a, strings.ToLower(b)+b)
	}) {
		fmt.Fprintf(&out, "| %s | %s | %s |\n", word, meanings[word], used[word])
	}
	if err := os.WriteFile(wordsFile, []byte(out.String()), 0o644); err != nil {
		t.Fatal(err)
	}
}

// Labels that made people translate do not come back, in whatever part of the product.
func TestNoRiddles(t *testing.T) {
	riddles := regexp.MustCompile(
		`(label|title)="(How bad|After|Quiet again after|What is known of it|Called|A fault reads|Lowest it can give|Came by|Life)"|` +
			`>\s*(Take this rung out|Is it true\?|Compute from it|Take these readings out|Say how it is …|Change it …|What that comes to|See whether it fits|Leave it)\s*<|` +
			`'(Came by|Life|Called)'|"(CALLED|LIFE|CAME BY)"|How bad: `)
	texts(t, "..", func(path, text string) {
		if found := riddles.FindString(text); found != "" && !strings.HasSuffix(path, "words_test.go") {
			t.Errorf("%s says %q", path, found)
		}
	})
}

// A number of things is said with the thing in its number: measure.Count, or counted in the console.
func TestPlurals(t *testing.T) {
	careless := regexp.MustCompile(
		`%d (readings|signals|guards|outputs|alarms|tiles|devices|steps|messages|notices|frames|tries|points)\b[^;]*"|\$\{[\w.]+\} (readings|signals|guards|outputs|alarms|tiles|devices|steps|messages|notices|frames)\b`)
	limits := regexp.MustCompile(
		`fault\(|misused\(|Fault\{|Errorf\(|log\.|last %d|bar\.say|limit|allowed|behind it"|a second"|"%d notices|"%d alarms|Who got|FloodFrom|Fields`)
	texts(t, "..", func(path, text string) {
		if strings.HasSuffix(path, "_test.go") || strings.HasPrefix(path, "../bench/") {
			return
		}
		for number, line := range strings.Split(text, "\n") {
			if found := careless.FindString(line); found != "" && !limits.MatchString(line) &&
				!strings.Contains(line, "=== 1 ?") && !strings.Contains(line, "< all") {
				t.Errorf("%s:%d says %s of 1 too", path, number+1, found)
			}
		}
	})
}
