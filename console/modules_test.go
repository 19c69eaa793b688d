package console_test

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"jauntylark/console/browser"
	"jauntylark/core/measure"
)

// What the console reckons by itself is held to what it must keep, module by module, in the browser that it runs in.
func TestTheConsolesReckoning(t *testing.T) {
	bundle := bundled(t, "m", "api/units", "api/guard", "api/changes", "api/live-list", "api/queries", "api/lines",
		"chart/window", "chart/trace", "tile/arrange")
	_, p := visit(t)
	for name, script := range map[string]string{
		"units are those of the service":          unitsScript(t),
		"a guard comes back as it was":            guardsScript,
		"a chart's window stays where it is held": windowScript,
		"a line has its gaps":                     gapsScript,
		"clocks are changed on two nights a year": clocksScript,
		"tiles never lie over each other":         tilesScript,
		"an act asks anew for what it changes":    changesScript,
		"a late answer wipes nothing newer away":  liveListScript,
		"a line grows by what came":               tailsScript,
	} {
		t.Run(name, func(t *testing.T) {
			out, err := browser.Eval[string](p, `(async () => { `+bundle+`; const wrong = []; let tried = 0;
				const is = (got, want, of) => { tried++; if (JSON.stringify(got) !== JSON.stringify(want)) wrong.push(of + ': ' + JSON.stringify(got) + ', want ' + JSON.stringify(want)) };
				const near = (got, want, by, of) => { tried++; if (!(Math.abs(got - want) <= by)) wrong.push(of + ': ' + got + ', want ' + want) };
				const holds = (truth, of) => { tried++; if (!truth) wrong.push(of) };
				`+script+`; return JSON.stringify({ wrong: wrong.slice(0, 20), tried }) })()`)
			must(t, err)
			var found struct {
				Wrong []string
				Tried int
			}
			must(t, json.Unmarshal([]byte(out), &found))
			for _, w := range found.Wrong {
				t.Error(w)
			}
			if found.Tried == 0 {
				t.Error("nothing was tried")
			}
		})
	}
}

// unitsScript compares every conversion within a dimension with that of the service, there and back.
func unitsScript(t *testing.T) string {
	t.Helper()
	type conversion struct {
		From, To  string
		V, W, Gap float64
	}
	var all []conversion
	facts := measure.Units()
	for _, a := range facts {
		for _, b := range facts {
			if a.Dimension != b.Dimension || a.Dimension == "" || a.Code == "K" {
				continue
			}
			for _, v := range []float64{-40, 0, 0.1, 21.37, 98.6, 1013.25} {
				w, err := measure.Convert(v, a.Code, b.Code)
				must(t, err)
				all = append(all, conversion{From: string(a.Code), To: string(b.Code), V: v, W: w,
					Gap: v * a.Factor / b.Factor})
			}
		}
	}
	if len(all) < 300 {
		t.Fatalf("there are %d conversions only", len(all))
	}
	table, err := json.Marshal(map[string]any{"units": facts, "all": all})
	must(t, err)
	return `const { units, all } = ` + string(table) + `;
	const dimension = (code) => units.find((u) => u.code === code).dimension;
	for (const c of all) {
		const of = c.V + ' ' + c.From + ' in ' + c.To;
		m.see(units, {}, { [dimension(c.From)]: c.To });
		is(m.seenUnit(c.From), c.To, of);
		const big = Math.max(Math.abs(c.W), 1);
		near(m.seen(c.V, c.From), c.W, big * 6e-9, of);
		near(m.stored(m.seen(c.V, c.From), c.From), c.V, Math.max(Math.abs(c.V), 1) * 1e-7, of + ' and back');
		near(m.seenDifference(c.V, c.From), c.Gap, Math.max(Math.abs(c.Gap), 1) * 6e-9, of + ', as a difference');
		for (const step of [0.001, 0.1, 1, 5]) {
			const seen = m.seenStep(step, c.From);
			holds(seen > 0 && seen <= Math.max(step * c.Gap / c.V, step) * (1 + 1e-9) || c.V === 0, of + ': a step of ' + step + ' is seen as ' + seen);
		}
	}
	m.see(units, { temperature: '[degF]' }, {});
	for (let f = -40; f < 130; f++) is(m.seen(m.stored(f, 'Cel'), 'Cel'), f, f + ' °F');
	m.see(units, { temperature: '[degF]' }, { temperature: 'Cel' });
	is(m.seenUnit('Cel'), 'Cel', 'what a person wants is over what the site wants');
	m.see(units, { temperature: '[degF]' }, {});
	is(m.seenUnit('K'), 'K', 'a difference stays in kelvins');
	is(m.seen(7, 'parsecs'), 7, 'a unit that nobody knows');
	is(m.secondsOf(2, 'h'), 7200, 'hours'); is(m.secondsOf(2, 'Cel'), undefined, 'no time')`
}

// guardsScript takes guards of every kind through their drafts, in other units too.
const guardsScript = `
	const units = await (await fetch('/api/v1/units')).json();
	const base = { rungs: [], latch: false, armed: '', suppressed_while: '', tell: ['ada', 'ben'], least_gap: '1h', templates: [], advice: 'Look at it.' };
	const rung = (when, deadband) => ({ when, deadband: deadband ?? 0, on_delay: '30s', off_delay: '1m', severity: 'critical' });
	const number = { kind: 'number', unit: 'Cel', device: 'cold', name: 'air' };
	const cases = [
		[number, rung('above 8', 0.5)], [number, rung('at least -0.25')], [number, rung('below 2', 0.1)], [number, rung('at most 0')],
		[number, rung('outside 2..8', 0.5)], [number, rung('inside -2..0')], [number, rung('silent for 15m')], [number, rung('stuck')], [number, rung('faulty')],
		[{ kind: 'switch', unit: '', device: 'cold', name: 'door' }, rung('is on')], [{ kind: 'switch', unit: '', device: 'cold', name: 'door' }, rung('is off')],
		[{ kind: 'text', unit: '', device: 'cold', name: 'mode' }, rung('is "off \\"duty\\""')], [{ kind: 'text', unit: '', device: 'cold', name: 'mode' }, rung('is not "silent for 5m"')],
	];
	for (const wanted of [{}, { temperature: '[degF]' }]) {
		m.see(units, {}, wanted);
		for (const [signal, first] of cases) {
			const guard = { ...base, name: 'x', signal: signal.device + '/' + signal.name, ...first, rungs: [first] };
			const draft = m.draftOf(guard, signal);
			holds(m.isComplete(draft), first.when + ' is whole');
			const back = m.guardOf(draft, signal);
			is(back.unit, signal.kind === 'number' ? wanted.temperature ?? 'Cel' : undefined, first.when + ': its unit');
			if (wanted.temperature && m.isMeasured(draft.rungs[0].kind)) continue;
			delete back.unit;
			for (const name of Object.keys({ ...guard, ...back })) is(back[name], guard[name], first.when + ': ' + name);
		}
	}
	const fahrenheit = m.guardOf(m.draftOf({ ...base, signal: 'cold/air', ...rung('outside 2..8', 0.5) }, number), number);
	is([fahrenheit.when, fahrenheit.deadband, fahrenheit.unit], ['outside 35.6..46.4', 0.9, '[degF]'], 'limits as the person sees them');
	m.see(units, {}, {});
	const draft = (over) => m.draftOf({ ...base, signal: 'cold/air', ...rung('outside 2..8') }, number);
	const without = draft(); without.rungs[0].b = undefined;
	holds(!m.isComplete(without), 'a limit that nobody wrote');
	const noNumber = draft(); noNumber.rungs[0].a = NaN;
	holds(!m.isComplete(noNumber), 'a limit that is no number');
	const turned = draft(); [turned.rungs[0].a, turned.rungs[0].b] = [8, 2];
	is(m.guardOf(turned, number).when, 'outside 2..8', 'limits that were written the other way round');
	const many = draft(); many.tell = ' ada;ben,  cleo ';
	is(m.guardOf(many, number).tell, ['ada', 'ben', 'cleo'], 'whom to tell')`

const windowScript = `
	const now = 1_800_000_000_000, day = 86_400_000, hour = 3_600_000;
	const length = (v) => { const b = m.boundsOf(v, now); return b.until - b.from };
	const live = { span: day };
	is(m.zoomed(live, now, 0.5).fixed, undefined, 'zooming at the live edge stays there');
	is(m.shifted(live, now, 0.5).fixed, undefined, 'nothing is shown of what is to come');
	const back = m.shifted(live, now, -0.5);
	near(m.boundsOf(back, now).until, now - day / 2, day / 100, 'half a length back');
	is(m.shifted(back, now, 1).fixed, undefined, 'forward until now is live again');
	for (const factor of [0.1, 0.5, 0.9, 1.1, 2])
		for (const part of [0, 0.25, 0.5, 1]) {
			const view = m.framed(live, now - 10 * day, now - 9 * day), b = view.fixed, at = b.from + part * day;
			const after = m.zoomed(view, now, factor, at), a = after.fixed;
			near(length(after), day * factor, 1, 'zoomed by ' + factor);
			near((at - a.from) / (a.until - a.from), part, 1e-6, 'zoomed by ' + factor + ', the instant at ' + part + ' stays');
			is(after.span, live.span, 'the way back is kept');
		}
	let view = m.framed(live, now - hour, now - hour);
	is(length(view), 1000, 'a stretch of nothing is one second');
	for (let i = 0; i < 60; i++) { view = m.zoomed(view, now, 0.5, now - hour); holds(length(view) >= 999, 'zoomed in for ever: ' + length(view)) }
	for (let i = 0; i < 60; i++) { view = m.zoomed(view, now, 3, now - hour); holds(length(view) <= 3 * 366 * day * 1.01, 'zoomed out for ever: ' + length(view)); holds(m.boundsOf(view, now).until <= now + length(view) / 200, 'zoomed out into what is to come') }`

const gapsScript = `
	m.see([], {}, {});
	const line = (at, ms, reduced) => ({ at, value: at.map((_, i) => i), hold: ms / 1000, reduced });
	is(m.withGaps(line([], 60), 'Cel'), { at: [], value: [] }, 'nothing');
	is(m.withGaps(line([0, 10, 20, 81, 90], 60), 'Cel'), { at: [0, 10, 20, 21, 81, 90], value: [0, 1, 2, null, 3, 4] }, 'longer than it holds');
	is(m.withGaps(line([0, 60, 120], 60), 'Cel').value, [0, 1, 2], 'as long as it holds');
	const regular = [...Array(50).keys()].map((i) => i * 10);
	is(m.withGaps(line([...regular, 700], 0), 'Cel').value.filter((v) => v === null).length, 1, 'far longer than usual, where nothing is said of holding');
	is(m.withGaps(line([...regular, 560], 0), 'Cel').value.filter((v) => v === null).length, 0, 'not much longer than usual');
	is(m.withGaps(line(regular.map((t) => t * 20), 60, true), 'Cel').value.filter((v) => v === null).length, 0, 'a line that was made coarser has no gaps for that');
	const trace = m.withGaps(line([0, 10, 20, 81, 90], 60), 'Cel');
	for (const [at, want] of [[-1, null], [0, 0], [9, 0], [10, 1], [20, 2], [21, null], [80, null], [81, 3], [1000, 4]]) is(m.valueAt(trace, at), want, 'the value at ' + at);
	is(m.valueAt({ at: [], value: [] }, 5), null, 'the value of nothing');
	const sorted = m.sortMarks([{ quality: ['late'] }, { quality: ['late', 'faulty'] }, { quality: ['clock', 'corrected'] }]);
	is([sorted.doubts.length, sorted.remarks.length], [1, 2], 'marks')
	is(m.columnsOf([]), [[], []], 'no traces');
	const joined = m.columnsOf([{ at: [1, 3], value: [10, 30] }, { at: [2, 3], value: [5, 6], low: [4, 5], high: [6, 7] }]);
	is(joined.map((c) => [...c].map((v) => v ?? null)), [[1, 2, 3], [10, null, 30], [null, 5, 6], [null, 4, 5], [null, 6, 7]], 'two traces over one time')`

const clocksScript = `
	const at = (text) => Date.parse(text);
	const said = (from, until, zone) => m.clockChanges(at(from), at(until), zone).map((c) => new Date(c.at).toISOString() + ' ' + c.minutes);
	is(said('2026-01-01T00:00:00Z', '2027-01-01T00:00:00Z', 'Europe/Berlin'), ['2026-03-29T01:00:00.000Z 60', '2026-10-25T01:00:00.000Z -60'], 'a year in Berlin');
	is(said('2026-01-01T00:00:00Z', '2027-01-01T00:00:00Z', 'Australia/Lord_Howe'), ['2026-04-04T15:00:00.000Z -30', '2026-10-03T15:30:00.000Z 30'], 'half an hour');
	is(said('2026-01-01T00:00:00Z', '2027-01-01T00:00:00Z', 'Asia/Kathmandu'), [], 'none');
	is(said('2026-01-01T00:00:00Z', '2027-01-01T00:00:00Z', 'UTC'), [], 'none in UTC');
	is(said('2026-10-25T00:59:30Z', '2026-10-25T01:00:30Z', 'Europe/Berlin'), ['2026-10-25T01:00:00.000Z -60'], 'one minute over it');
	is(said('2026-10-25T01:00:01Z', '2026-10-25T02:00:00Z', 'Europe/Berlin'), [], 'just after it')`

// tilesScript moves, sizes, adds and removes tiles by a fixed run of chance, and looks at every arrangement.
const tilesScript = `
	let seed = 7;
	const chance = (n) => (seed = (seed * 48271) % 2147483647) % n;
	const kinds = ['value', 'bar', 'dial', 'lines', 'states', 'spread'];
	const touch = (a, b) => a.x < b.x + b.w && b.x < a.x + a.w && a.y < b.y + b.h && b.y < a.y + a.h;
	const sound = (tiles, of) => {
		for (const t of tiles) {
			holds(t.x >= 0 && t.x + t.w <= 12 && t.y >= 0, of + ': ' + t.id + ' lies outside');
			for (const o of tiles) if (o.id !== t.id && touch(o, t)) holds(false, of + ': ' + t.id + ' lies over ' + o.id);
		}
		const end = Math.max(0, ...tiles.map((t) => t.y + t.h));
		for (let row = 0; row < end; row++) holds(tiles.some((t) => t.y <= row && row < t.y + t.h), of + ': nothing is on row ' + row);
	};
	for (let game = 0; game < 20; game++) {
		let tiles = [];
		for (let step = 0; step < 40; step++) {
			const id = tiles.length ? tiles[chance(tiles.length)].id : '';
			const before = JSON.stringify(tiles), count = tiles.length;
			let of = 'game ' + game + ', step ' + step, next;
			switch (tiles.length < 3 ? 0 : chance(8)) {
				case 0: next = m.withTile(tiles, { id: m.freeID(tiles), kind: kinds[chance(kinds.length)], w: 3 + chance(6), h: 4 + chance(4), signals: [] }); is(next.length, count + 1, of + ', added'); break;
				case 1: next = m.removed(tiles, id); is(next.length, count - 1, of + ', removed'); break;
				case 2: case 3: next = m.resized(tiles, id, chance(9) - 4, chance(9) - 4); is(next.length, count, of + ', sized'); break;
				default: next = m.moved(tiles, id, chance(9) - 4, chance(9) - 4); is(next.length, count, of + ', moved');
			}
			sound(next, of);
			is(new Set(next.map((t) => t.id)).size, next.length, of + ': every tile has a name of its own');
			is(JSON.stringify(tiles), before, of + ': the arrangement before is left alone');
			tiles = next;
		}
	}
	const two = [{ id: 'a', kind: 'value', x: 0, y: 0, w: 3, h: 3 }, { id: 'b', kind: 'value', x: 0, y: 3, w: 3, h: 3 }];
	is(m.moved(two, 'a', 0, 1).map((t) => t.id + t.y), ['b0', 'a3'], 'a tile that goes down changes places');
	is(m.moved(two, 'b', 0, -1).map((t) => t.id), ['b', 'a'], 'a tile that goes up too');
	is(m.moved(two, 'a', -1, 0), two, 'there is nothing to the left');
	is(m.moved(two, 'nobody', 1, 1), two, 'a tile that is not there');
	is(m.resized(two, 'a', -9, -9)[0].w, 2, 'as small as a kind allows')`

// bundled is modules of the console as a script that gives all that they export under one name. Styles are left out.
func bundled(t *testing.T, name string, modules ...string) string {
	t.Helper()
	here, err := os.Getwd()
	must(t, err)
	var entry strings.Builder
	for _, module := range modules {
		entry.WriteString("export * from " + `"` + filepath.Join(here, "src", module+".ts") + "\"\n")
	}
	dir := t.TempDir()
	from, file := filepath.Join(dir, "entry.js"), filepath.Join(dir, name+".js")
	must(t, os.WriteFile(from, []byte(entry.String()), 0o600))
	if out, err := exec.Command("node_modules/.bin/rolldown", from, "--format", "iife", "--name", name, "--moduleTypes",
		".css:empty", "--no-codeSplitting", "--file", file).CombinedOutput(); err != nil {
		t.Fatalf("%v cannot be bundled: %v\n%s", modules, err, out)
	}
	script, err := os.ReadFile(file)
	must(t, err)
	return string(script)
}
