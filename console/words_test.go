package console_test

import (
	"encoding/json"
	"os"
	"testing"

	"jauntylark/console/browser"
)

// The console says lengths, counts, amounts, figures in steps and values with their units by the table of cases that
// mails, calls and the command line are held to.
func TestTheConsolesWords(t *testing.T) {
	table, err := os.ReadFile("../core/measure/testdata/words.json")
	must(t, err)
	bundle := bundled(t, "words", "api/words")
	_, p := visit(t)
	var wrong []string
	script := bundle + `; (async () => { const t = ` + string(table) + `; const wrong = [];
		const is = (got, want, of) => { if (got !== want) wrong.push(JSON.stringify(of) + ": " + got + ", want " + want) };
		for (const c of t.lengths) is(words.length(c.seconds * 1000), c.console, c);
		for (const c of t.counts) is(words.counted(c.n, c.one, c.many), c.words, c);
		for (const c of t.amounts) is(words.sized(c.value, c.unit, c.sign), c.words, c);
		const units = await (await fetch('/api/v1/units')).json();
		words.see(units, {}, {});
		for (const c of t.values) is(words.say(c.value, c.unit, c.step), c.console ?? c.words, c);
		for (const c of t.seen) if (Math.abs(words.seenStep(c.step, c.from, c.to) - c.words) > c.words / 1e9) wrong.push(JSON.stringify(c) + ": " + words.seenStep(c.step, c.from, c.to));
		for (const c of t.steps) is(words.stepped(c.value, c.step), c.words, c);
		return JSON.stringify(wrong) })()`
	out, err := browser.Eval[string](p, script)
	must(t, err)
	must(t, json.Unmarshal([]byte(out), &wrong))
	for _, w := range wrong {
		t.Error(w)
	}
}
