package console_test

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/png"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/console/browser"
	"jauntylark/core/board"
	"jauntylark/core/site"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

// menu opens a menu by its label and takes one of its items, by keyboard.
func menu(t *testing.T, p *browser.Page, label, item string) {
	t.Helper()
	focus(t, p, fmt.Sprintf(`button[aria-label^="%s"]`, label))
	must(t, p.Press("Enter"))
	press(t, p, item)
}

// eval runs JavaScript for its effect.
func eval(t *testing.T, p *browser.Page, script string) {
	t.Helper()
	_, err := browser.Eval[bool](p, `((() => { `+script+` })(), true)`)
	must(t, err)
}

// glasshouse is a site with something of every sort: numbers with and without bands, a switch, text, an output, a
// total, an alarm that stands and one that is over.
func glasshouse(t *testing.T) (*servertest.Service, *browser.Page, *client.Client) {
	t.Helper()
	s, p := visit(t)
	d := s.Device("d")
	aDay(t, s, "air", "Cel", func(i int) float64 { return 18 + float64(i%60)/10 })
	aDay(t, s, "damp", "%", func(i int) float64 { return 70 + float64(i%20) })
	aDay(t, s, "gas", "ppm", func(i int) float64 {
		if i == 700 {
			return 95
		}
		return 5
	})
	s.Do(api.SetSignal.At("d", "damp"), map[string]any{"bands": []map[string]any{{"name": "dry", "to": 75,
		"colour": "yellow"}, {"name": "fine", "from": 75, "colour": "green"}}}, nil)
	s.Guard(map[string]any{"name": "hot", "signal": "d/air", "when": "above 25", "severity": "critical"})
	s.Guard(map[string]any{"name": "gas-high", "signal": "d/gas", "when": "above 50", "severity": "warning",
		"tell": []string{servertest.Owner}})
	s.Output("d/fan", map[string]any{"kind": "switch", "title": "Fan"})
	s.Send(d, `{"air": 21, "damp": 80, "gas": 5, "pump": true, "mode": "idle"}`)
	s.Do(api.AddTotal.At(), map[string]any{"name": "pump-hours", "signal": "d/pump", "kind": "on-time"}, nil)
	return s, p, d
}

func aPicture(t *testing.T, s *servertest.Service) (id int64) {
	t.Helper()
	var out bytes.Buffer
	must(t, png.Encode(&out, image.NewRGBA(image.Rect(0, 0, 320, 200))))
	var kept board.Picture
	must(t, s.Owner.Upload(context.Background(), api.AddPicture.At().Asking("name", "house"),
		"application/octet-stream", &out, &kept))
	return kept.ID
}

type tileOf = map[string]any

func of(signals ...string) (series []tileOf) {
	for _, s := range signals {
		series = append(series, tileOf{"signal": s})
	}
	return series
}

func putBoard(s *servertest.Service, name string, tiles ...tileOf) {
	s.Do(api.PutBoard.At(name), map[string]any{"shared": true, "tiling": map[string]any{"tiles": tiles}}, nil)
}

// place is where a tile lies while the board is arranged: column, row, width, height.
func place(t *testing.T, p *browser.Page, id string) string {
	t.Helper()
	at, err := browser.Eval[string](p, `document.querySelector('[data-cell=`+id+`]')?.dataset.place ?? ''`)
	must(t, err)
	return at
}

// A board is made, filled in three clicks a tile, arranged by keyboard and by mouse, undone, kept as a draft,
// published, and is right on a phone without a second design.
func TestArrangeABoard(t *testing.T) {
	s, p, _ := glasshouse(t)
	must(t, p.Goto("/boards"))
	press(t, p, "Add a board …")
	write(t, p, "Title", 0, "The house")
	press(t, p, "Add")
	must(t, p.Until(`location.pathname === '/boards/the-house/arrange'`))

	press(t, p, "Add a tile") // one
	must(t, p.Until(`[...document.querySelectorAll('[role=dialog] label')].some((l) => l.innerText.includes('D air'))`))
	// two
	eval(t, p, `[...document.querySelectorAll('[role=dialog] label')].find((l) => l.innerText.includes('D air')).control.click()`)
	must(t, p.Until(`document.querySelector('[data-preview=value] [data-signal="d/air"]')?.innerText.includes('21')`))
	press(t, p, "Add to the board") // three
	must(t, p.Until(`document.querySelector('[data-cell=t1] [data-signal="d/air"]')`))
	for i, label := range []string{"D damp", "D pump"} {
		press(t, p, "Add a tile")
		must(t, p.Until(`[...document.querySelectorAll('[role=dialog] label')].some((l) => l.innerText.includes('`+
			label+`'))`))
		eval(t, p, `[...document.querySelectorAll('[role=dialog] label')].find((l) => l.innerText.includes('`+label+
			`')).control.click()`)
		must(t, p.Until(`document.querySelector('[data-preview]')`))
		press(t, p, "Add to the board")
		must(t, p.Until(fmt.Sprintf(`document.querySelectorAll('[data-cell]').length === %d`, i+2)))
	}
	if at := place(t, p, "t1"); at != "0 0 3 3" {
		t.Errorf("the first tile lies at %s", at)
	}

	focus(t, p, "[data-move=t1]")
	must(t, p.Press("ArrowRight"))
	must(t, p.Until(`document.querySelector('[data-said]').textContent === 'D air: column 2, row 1'`))
	if at := place(t, p, "t1"); at != "1 0 3 3" {
		t.Errorf("moved right by a key it lies at %s", at)
	}
	focus(t, p, "[data-resize=t1]")
	must(t, p.Press("ArrowDown"))
	must(t, p.Until(`document.querySelector('[data-said]').textContent === 'D air: 3 columns wide, 4 rows high'`))
	press(t, p, "Undo")
	press(t, p, "Undo")
	must(t, p.Until(`document.querySelector('[data-cell=t1]').dataset.place === '0 0 3 3'`))
	press(t, p, "Redo")
	must(t, p.Until(`document.querySelector('[data-cell=t1]').dataset.place === '1 0 3 3'`))

	must(t, p.Drag("[data-move=t1]", 0, 300))
	must(t, p.Until(`Number(document.querySelector('[data-cell=t1]').dataset.place.split(' ')[1]) > 2`))
	overlaps, err := browser.Eval[bool](p, `(() => { const all = [...document.querySelectorAll('[data-cell]')].map((c) => c.dataset.place.split(' ').map(Number))
		return all.some(([x, y, w, h], i) => all.some(([a, b, c, d], j) => i !== j && x < a + c && a < x + w && y < b + d && b < y + h)) })()`)
	must(t, err)
	if overlaps {
		t.Error("after a drag tiles lie over each other")
	}
	must(t, p.Until(`document.querySelector('[data-saved]')?.innerText === 'draft saved' && document.querySelector('[data-saved]').dataset.saved === 'true'`))
	dragged := place(t, p, "t1")
	must(t, p.Goto("/boards/the-house/arrange"))
	must(t, p.Until(`document.querySelector('[data-cell=t1]')`))
	if at := place(t, p, "t1"); at != dragged {
		t.Errorf("the draft has it at %s, not at %s", at, dragged)
	}
	var b board.Board
	s.Do(api.GetBoard.At("the-house"), nil, &b)
	if len(b.Tiling.Tiles) != 0 || b.Draft == nil || len(b.Draft.Tiling.Tiles) != 3 {
		t.Errorf("before it is published it is %+v", b)
	}
	accessible(t, p, "/boards/the-house/arrange", "[data-cell]")
	must(t, p.Look(1280, 800, false))
	press(t, p, "Publish …")
	write(t, p, "Note", 0, "the first three")
	press(t, p, "Publish")
	must(t, p.Until(`location.pathname === '/boards/the-house' && document.querySelectorAll('[data-tile]').length === 3`))
	order, err := browser.Eval[[]string](p, `[...document.querySelectorAll('[data-tile]')].map((e) => e.dataset.tile)`)
	must(t, err)
	must(t, p.Look(390, 800, false))
	must(t, p.Until(`(() => { const all = [...document.querySelectorAll('[data-tile]')].map((e) => e.getBoundingClientRect())
		return all.every((r, i) => r.width > 300 && (i === 0 || r.top >= all[i - 1].bottom)) })()`))
	if len(order) != 3 || order[0] != "t2" {
		t.Errorf("in reading order the tiles are %v; the first one was dragged down", order)
	}
	complaints(t, p)
}

// One of every kind of tile shows what it is for, in both themes, on a phone and on paper; nothing moves when data
// lands.
func TestEveryKindOfTile(t *testing.T) {
	s, p, _ := glasshouse(t)
	picture := aPicture(t, s)
	putBoard(s, "other", tileOf{"kind": "value", "series": of("d/gas")})
	putBoard(s, "all",
		tileOf{"kind": "value", "series": of("d/air")},
		tileOf{"kind": "bar", "series": of("d/air", "d/gas")},
		tileOf{"kind": "dial", "series": of("d/damp")},
		tileOf{"kind": "lines", "title": "Two axes", "series": of("d/air", "d/damp")},
		tileOf{"kind": "lines", "title": "By the hour", "figure": "stretch", "every": "1h", "filled": true,
			"series": of("d/gas")},
		tileOf{"kind": "states", "series": of("d/pump", "d/damp", "d/gas")},
		tileOf{"kind": "spread", "series": of("d/air")},
		tileOf{"kind": "spread", "title": "Day", "profile": true, "series": of("d/air")},
		tileOf{"kind": "table", "series": of("d/air", "d/mode")},
		tileOf{"kind": "total", "total": "pump-hours", "by": "day"},
		tileOf{"kind": "journal"},
		tileOf{"kind": "switch", "outputs": []string{"d/fan"}},
		tileOf{"kind": "note",
			"text": "# Care\n\n**Water** it. <script>window.bad = 1</script>[there](javascript:window.bad=1)"},
		tileOf{"kind": "mimic", "title": "Map", "picture": picture, "pins": []tileOf{
			{"x": 0.2, "y": 0.2, "kind": "value", "signal": "d/air", "text": "Air"},
			{"x": 0.5, "y": 0.5, "kind": "lamp", "signal": "d/pump",
				"states": []tileOf{{"when": "on", "text": "Pump runs"}}},
			{"x": 0.8, "y": 0.2, "kind": "bar", "signal": "d/damp"},
			{"x": 0.2, "y": 0.8, "kind": "label", "text": "Door"},
			{"x": 0.8, "y": 0.8, "kind": "board", "board": "other"},
			{"x": 0.5, "y": 0.8, "kind": "lamp", "output": "d/fan", "shape": "square"}}})
	must(t, p.Goto("/boards/all"))
	for what, expression := range map[string]string{
		"value":   `[data-kind=value] [data-signal="d/air"]')?.innerText.includes('21')`,
		"bar":     `[data-kind=bar] [data-signal="d/gas"]')?.innerText.includes('5 ppm')`,
		"dial":    `[data-kind=dial] svg')?.getAttribute('aria-label').includes('80 % fine')`,
		"lines":   `[data-chart="d/air d/damp"]')?.getAttribute('aria-label').includes('highest')`,
		"figures": `[data-chart="d/gas"]')?.getAttribute('aria-label').includes('highest 95')`,
		"states":  `[data-course="D damp"]')?.innerText.includes('fine')`,
		"alarms":  `[data-course="D gas"]')`,
		"spread":  `[data-spread]')?.getAttribute('aria-label').includes('1,44')`,
		"table":   `[data-kind=table] [data-signal="d/mode"]')?.innerText.includes('idle')`,
		"total":   `[data-total=pump-hours] b')?.innerText.includes('s')`,
		"journal": `[data-kind=journal]')?.innerText.includes('Nothing is wrong now.')`,
		"switch":  `[data-output="d/fan"]')?.innerText.includes('off')`,
		"note":    `[data-kind=note] strong')?.innerText === 'Water'`,
		"pins":    `[data-pin="d/pump"]')?.innerText === 'Pump runs'`,
		"map":     `[data-pin="other"]')?.innerText.includes('other')`,
	} {
		if err := p.Until(`document.querySelector('` + expression); err != nil {
			t.Errorf("%s: %v", what, err)
		}
	}
	bad, err := browser.Eval[bool](p,
		`window.bad === 1 || !!document.querySelector('[data-kind=note] script, [data-kind=note] a[href^=javascript]')`)
	must(t, err)
	if bad {
		t.Error("a note ran a script, or offers to")
	}
	shift, err := browser.Eval[float64](p, `new Promise((done) => { let sum = 0
		new PerformanceObserver((list) => { for (const e of list.getEntries()) if (!e.hadRecentInput) { sum += e.value; (window.moved ??= []).push(e.value.toFixed(3) + ' at ' + e.startTime.toFixed(0) + ': ' + e.sources.map((x) => (x.node?.outerHTML ?? x.node?.textContent ?? '?').slice(0, 200) + ' ' + JSON.stringify(x.previousRect) + ' -> ' + JSON.stringify(x.currentRect)).join(' | ')) } }).observe({ type: 'layout-shift', buffered: true })
		setTimeout(() => done(sum), 400) })`)
	must(t, err)
	if shift > 0.01 {
		what, _ := browser.Eval[string](p, `window.moved.join('\n')`)
		t.Errorf("while data landed the page moved by %v: %s", shift, what)
	}
	accessible(t, p, "/boards/all", "[data-kind=mimic]")
	accessible(t, p, "/boards", "[data-board]")
	must(t, p.Look(1280, 800, true))
	must(t, p.Goto("/boards/all"))
	must(t, p.See("canvas"))
	paper, err := browser.Eval[string](p,
		`(dispatchEvent(new Event('beforeprint')), getComputedStyle(document.documentElement).getPropertyValue('--paper').trim())`)
	must(t, err)
	if paper != "#f6f2e9" {
		t.Errorf("on paper the background is %s", paper)
	}
	complaints(t, p)
}

// A pin blinks for an alarm that nobody has taken, not for one that somebody has, and never for who wants no motion.
func TestPinsBlinkOnlyUntilSomebodyHasIt(t *testing.T) {
	s, p, d := glasshouse(t)
	putBoard(s, "map", tileOf{"kind": "mimic", "picture": aPicture(t, s),
		"pins": []tileOf{{"x": 0.5, "y": 0.5, "kind": "value", "signal": "d/air"}}})
	must(t, p.Goto("/boards/map"))
	const motion = `getComputedStyle(document.querySelector('[data-pin="d/air"] svg')).animationName`
	must(t, p.Until(`document.querySelector('[data-pin="d/air"]')`))
	if still, err := browser.Eval[bool](p, `!document.querySelector('[data-pin="d/air"] svg')`); err != nil || !still {
		t.Error("a pin has a mark while nothing is wrong", err)
	}
	s.Send(d, `{"air": 31}`)
	must(t, p.Until(`document.querySelector('[data-pin="d/air"] svg') && `+motion+` !== 'none'`))
	must(t, p.Still(true))
	must(t, p.Until(motion+` === 'none'`))
	must(t, p.Still(false))
	must(t, p.Until(motion+` !== 'none'`))
	s.Do(api.AcknowledgeAlarm.At(s.Alarms()[0].ID), nil, nil)
	must(t, p.Until(`document.querySelector('[data-pin="d/air"] svg') && `+motion+` === 'none'`))
}

// A picture is taken in, and something is pinned to it and moved, by keyboard alone.
func TestPinSomethingToAPicture(t *testing.T) {
	s, p, _ := glasshouse(t)
	putBoard(s, "map", tileOf{"kind": "note", "text": "x"})
	must(t, p.Goto("/boards/map/arrange"))
	press(t, p, "Add a tile")
	press(t, p, "A picture")
	must(t, p.Until(`document.querySelector('input[type=file]')`))
	pick(t, p, "house.svg",
		`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 40 30"><script>alert(1)</script><path d="M2 28V12L20 2 38 12V28Z" fill="none" stroke="black"/></svg>`)
	must(t, p.Until(`document.querySelector('[data-preview=mimic] img')?.naturalWidth > 0`))
	press(t, p, "Add to the board")
	must(t, p.Until(`document.querySelectorAll('[data-cell]').length === 2`))
	eval(t, p, `[...document.querySelectorAll('[data-cell] button')].find((b) => b.getAttribute('aria-label') === 'Edit Picture').click()`)
	press(t, p, "Add a pin")
	focus(t, p, "[data-grip]")
	must(t, p.Press("ArrowRight"))
	must(t, p.Until(`document.querySelector("[data-grip]").ariaLabel.includes('51 % across, 50 % down')`))
	write(t, p, "Kind", 0, "label")
	write(t, p, "Text", 0, "Door")
	press(t, p, "Apply")
	must(t, p.Until(`document.querySelector('[data-saved=true]')?.innerText === 'draft saved'`))
	var b board.Board
	s.Do(api.GetBoard.At("map"), nil, &b)
	pinned := b.Draft.Tiling.Tiles[1].Pins
	if len(pinned) != 1 || pinned[0].Text != "Door" || pinned[0].X != 0.51 {
		t.Errorf("pinned is %+v", pinned)
	}
}

// On a wall boards come one after the other, dimmed when they are to be; that it is not live cannot be overlooked.
func TestBoardsOnAWall(t *testing.T) {
	s, p, _ := glasshouse(t)
	putBoard(s, "one", tileOf{"kind": "value", "series": of("d/air")})
	putBoard(s, "two", tileOf{"kind": "value", "series": of("d/damp")})
	must(t, p.Goto("/wall?set=1&boards=one"))
	must(t, p.Until(`document.querySelector('main label')`))
	audit(t, p, "/wall?set=1")
	accessible(t, p, "/wall?boards=one", "[data-signal]")
	must(t, p.Look(1280, 800, false))
	must(t, p.Goto("/wall?boards=one,two&every=5&dim=0-24"))
	must(t, p.Until(`document.querySelector('h1')?.innerText === 'One' && document.querySelector('[data-signal="d/air"]')`))
	must(t, p.Until(`getComputedStyle(document.querySelector('[data-wall]')).filter.includes('brightness')`))
	must(t, p.Until(`document.querySelector('h1').innerText === 'Two' && document.querySelector('[data-signal="d/damp"]')`))
	must(t, p.Until(`document.querySelector('h1').innerText === 'One'`))
	s.Stop()
	must(t, p.Until(`document.querySelector('[role=alert]')?.innerText.includes('Not live') && document.querySelector('[role=alert]').getBoundingClientRect().width >= innerWidth`))
}

// A board is copied, shared, made the start, removed and brought back.
func TestABoardsMenu(t *testing.T) {
	s, p, _ := glasshouse(t)
	putBoard(s, "one", tileOf{"kind": "value", "series": of("d/air")})
	must(t, p.Goto("/boards/one"))
	menu(t, p, "More", "Start with this board")
	storetest.Eventually(t, "the start", func() bool {
		var me site.Person
		s.Do(api.GetSession.At(), nil, &me)
		return me.Start == "one"
	})
	must(t, p.Goto("/"))
	must(t, p.Until(`location.pathname === '/boards/one'`))
	menu(t, p, "More", "Copy …")
	write(t, p, "Title of the copy", 0, "Another one")
	press(t, p, "Copy")
	must(t, p.Until(`location.pathname === '/boards/another-one' && `+says+`('only you see it')`))
	menu(t, p, "More", "Share with everybody")
	must(t, p.Until(`!`+says+`('only you see it')`))
	menu(t, p, "More", "Versions …")
	must(t, p.Until(`document.querySelector('[role=dialog]').innerText.includes('a copy of One')`))
	must(t, p.Press("Escape"))
	menu(t, p, "More", "Remove …")
	press(t, p, "Remove the board Another one")
	must(t, p.Until(`document.activeElement.innerText === 'Boards' && document.querySelector('[data-board]') && !document.querySelector('[data-board=another-one]')`))
	press(t, p, "Bring back")
	must(t, p.Until(`document.querySelector('[data-board=another-one]')`))
	time.Sleep(100 * time.Millisecond)
	complaints(t, p)
}
