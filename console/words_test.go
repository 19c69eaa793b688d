package console_test

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"jauntylark/console/drive"
)

// The console says lengths, counts, amounts and figures in steps by the table of cases that mails, calls and the command line are held to.
func TestTheConsolesWords(t *testing.T) {
	table, err := os.ReadFile("../core/measure/testdata/words.json")
	must(t, err)
	bundled := filepath.Join(t.TempDir(), "words.js")
	if out, err := exec.Command("node_modules/.bin/rolldown", "src/api/words.ts", "--format", "iife", "--name", "words", "--file", bundled).CombinedOutput(); err != nil {
		t.Fatalf("the words cannot be bundled: %v\n%s", err, out)
	}
	bundle, err := os.ReadFile(bundled)
	must(t, err)
	_, p := visit(t)
	var wrong []string
	script := string(bundle) + `;(() => { const t = ` + string(table) + `; const wrong = [];
		const is = (got, want, of) => { if (got !== want) wrong.push(JSON.stringify(of) + ": " + got + ", want " + want) };
		for (const c of t.lengths) is(words.length(c.seconds * 1000), c.console, c);
		for (const c of t.counts) is(words.counted(c.n, c.one, c.many), c.words, c);
		for (const c of t.amounts) is(words.sized(c.value, c.unit, c.sign), c.words, c);
		for (const c of t.steps) is(words.stepped(c.value, c.step), c.words, c);
		return JSON.stringify(wrong) })()`
	out, err := drive.Eval[string](p, script)
	must(t, err)
	must(t, json.Unmarshal([]byte(out), &wrong))
	for _, w := range wrong {
		t.Error(w)
	}
}
