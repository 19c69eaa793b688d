package console_test

// changesScript says of acts what is asked for anew after them.
const changesScript = `
	const after = (method, path, key) => m.changedBy(method, path)(key);
	holds(after('PUT', '/api/v1/guards/hot', ['guards']), 'a guard that was saved');
	holds(after('PUT', '/api/v1/guards/hot', ['record', 'hot']), 'its record');
	holds(after('PUT', '/api/v1/guards/hot', ['journal', 'tile', true]), 'every act is in the journal');
	holds(!after('PUT', '/api/v1/guards/hot', ['lines', 'live']), 'no line is drawn anew for it');
	holds(after('DELETE', '/api/v1/guards/hot', ['guards']), 'the guards without the one that was removed');
	holds(!after('DELETE', '/api/v1/guards/hot', ['record', 'hot']), 'of what was removed nothing is asked');
	holds(after('DELETE', '/api/v1/guards/hot', ['record', 'cold']), 'of the others it is');
	holds(after('DELETE', '/api/v1/guards/hot/shelf', ['record', 'hot']), 'a shelving that ended removes no guard');
	holds(after('DELETE', '/api/v1/devices/pond/keys/3', ['device', 'pond']), 'nor does a key that was revoked remove its device');
	holds(!after('DELETE', '/api/v1/runs/7', ['runs', 7]), 'a number is the name of a run');
	holds(!after('DELETE', '/api/v1/signals/a/b%20c', ['trust', 'a', 'b c']), 'a name with a space');
	for (const path of ['previews', 'roster-plans', 'interlock-trials', 'replays', 'signals/a/b/calibrations/try'])
		for (const key of [['signals'], ['journal'], ['removed'], ['trust', 'a', 'b']])
			holds(!after('POST', '/api/v1/' + path, key), path + ' changes nothing, but asks for ' + key);
	for (const key of [['signals'], ['session'], ['lines', 'live'], ['boards']]) holds(after('PUT', '/api/v1/site', key), 'the site changes ' + key);
	holds(!after('PUT', '/api/v1/boards/b/draft', ['board', 'b']), 'who arranges a board holds it themselves');
	holds(after('POST', '/api/v1/boards/b/publish', ['board', 'b']), 'a board that was published');
	holds(!after('POST', '/api/v1/session', ['signals']), 'nothing is held before somebody has signed in');
	holds(after('POST', '/api/v1/something-new', ['signals']), 'an act that nobody knows may change all')`

// liveListScript lets answers and what the stream tells come in every order.
const liveListScript = `
	const at = (id, v) => ({ id, v, state: v < 0 ? 'over' : 'raised' });
	const fresh = (key) => new m.LiveList(key, (a, b) => b.id - a.id, (a) => a.state === 'raised');
	const list = fresh('test a');
	is(await list.list(async () => [at(1, 1), at(3, 1), at(2, 1)]), [at(3, 1), at(2, 1), at(1, 1)], 'in order');
	is(await list.list(async () => null), [], 'nothing');
	is(await list.list(async () => [at(1, -1)]), [], 'what is over is left out');
	let answer; const asked = list.list(() => new Promise((done) => { answer = done }));
	list.tell([at(1, 5), at(4, 5)]);
	answer([at(1, 1), at(2, 1)]);
	is(await asked, [at(4, 5), at(2, 1), at(1, 5)], 'what was told while the answer was on its way goes before it');
	let gone; const late = list.list(() => new Promise((done) => { gone = done }));
	list.tell([at(2, -5)]);
	gone([at(1, 1), at(2, 1)]);
	is(await late, [at(1, 1)], 'nor does a late answer bring back what is over');
	is(await list.list(async () => [at(1, 9)]), [at(1, 9)], 'an answer that was asked for after it is newer');
	let one, two; const first = list.list(() => new Promise((done) => { one = done })), second = list.list(() => new Promise((done) => { two = done }));
	list.tell([at(1, 7)]);
	two([at(1, 1)]); is(await second, [at(1, 7)], 'the second of two');
	one([at(1, 2)]); is(await first, [at(1, 7)], 'the first, which comes last');
	let slow; const before = list.list(() => new Promise((done) => { slow = done }));
	list.tell([at(1, 7)]);
	is(await list.list(async () => [at(1, 9)]), [at(1, 9)], 'what was told before it was asked is older than the answer');
	slow([at(1, 2)]); is(await before, [at(1, 7)], 'and newer than one that was asked for before');
	const failed = list.list(async () => { throw new Error('away') }).catch(() => 'away');
	list.tell([at(1, 8)]);
	is(await failed, 'away', 'a failure is told');
	is(await list.list(async () => [at(1, 9)]), [at(1, 9)], 'and holds nothing back');
	m.queries.setQueryData(['test b'], [at(1, 1)]);
	fresh('test b').tell([at(2, 2), at(1, -1)]);
	is(m.queries.getQueryData(['test b']), [at(2, 2)], 'what is shown follows at once');
	fresh('test c').tell([at(1, 1)]);
	is(m.queries.getQueryData(['test c']), undefined, 'what nobody asked for is not begun by half')`

// tailsScript lets lines grow by tails that overlap them, or miss.
const tailsScript = `
	const line = (signal, at) => ({ signal, of: at.length, at, value: at.map((t) => t * 10) });
	const lines = { until: '', lines: [line('d/a', [1, 2, 3]), line('d/b', []), line('d/c', [5])] };
	const tail = (...at) => ({ at, value: at.map((t) => t * 10) });
	const grown = m.grownBy(lines, new Map([['d/a', tail(2, 3, 4, 5)], ['d/b', tail(7)], ['d/x', tail(9)]]), 60_000);
	is(grown.lines.map((l) => l.at), [[1, 2, 3, 4, 5], [7], [5]], 'each by what is newer than its last point');
	is(grown.lines.map((l) => l.value), [[10, 20, 30, 40, 50], [70], [50]], 'with their values');
	is(grown.lines.map((l) => l.of), [5, 1, 1], 'and how many there are');
	is(grown.until, '1970-01-01T00:01:00.000Z', 'until when it was asked for');
	holds(grown.lines[2] === lines.lines[2], 'a line that nothing came of is the same one, and not drawn anew');
	const same = m.grownBy(lines, new Map([['d/a', tail(1, 2, 3)]]), 60_000);
	holds(same.lines === lines.lines, 'nor are all, where nothing is newer');
	is(m.grownBy(same, new Map(), 120_000).until, '1970-01-01T00:02:00.000Z', 'time goes on without readings')`
