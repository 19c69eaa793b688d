package console_test

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/console/browser"
	"jauntylark/core/alarm"
	"jauntylark/core/frame"
	"jauntylark/core/measure"
	"jauntylark/core/run"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

// scene is a frame of 16 × 12 with a warm place at column 10, row 4.
func scene(warm float64, at measure.Instant) []byte {
	var b strings.Builder
	fmt.Fprintf(&b, "# at=%s\n", at)
	for y := range 12 {
		for x := range 16 {
			v := 20 + float64(x)/10
			if x >= 9 && x <= 11 && y >= 3 && y <= 5 {
				v = warm
			}
			fmt.Fprintf(&b, "%.1f%s", v, map[bool]string{true: "\n", false: ","}[x == 15])
		}
	}
	return []byte(b.String())
}

// watched is a site with a switchboard that a thermal camera looks at: 12 frames, each warmer.
func watched(t *testing.T) (*servertest.Service, *browser.Page) {
	t.Helper()
	s, p := visit(t)
	eye := s.Device("eye")
	begin := measure.InstantOf(time.Now().Add(-time.Hour).Truncate(time.Minute))
	for i := range 12 {
		must(t, eye.SendAs(context.Background(), api.SendFrame.At(), frame.CSV, "",
			scene(30+float64(i), begin+measure.Instant(i*5*60_000))))
	}
	s.Do(api.AddAsset.At(), map[string]any{"name": "boiler-room", "kind": "room"}, nil)
	s.Do(api.AddAsset.At(), map[string]any{"name": "switchboard", "kind": "cabinet", "in": "boiler-room",
		"signals": []string{"eye"}}, nil)
	return s, p
}

// Somebody adds a thing, says how it is, puts it under guard on one page while the sentence follows, and finds all of
// it on its page.
func TestAThingIsPutUnderGuard(t *testing.T) {
	s, p := watched(t)
	must(t, p.Goto("/assets"))
	must(t, p.Until(says+`('All things are in order.')`))
	must(t, p.Until(`document.querySelector("[data-asset=switchboard] img[data-thermal]")?.naturalWidth > 0`))
	press(t, p, "Add an asset …")
	write(t, p, "Title", 0, "Fog pump")
	write(t, p, "Kind", 0, "pump")
	write(t, p, "Stands in", 0, "boiler-room")
	press(t, p, "Add")
	must(t, p.Until(`location.pathname === '/assets/fog-pump'`))
	must(t, p.Until(says+`('No signal belongs to it yet')`))
	press(t, p, "Set condition …")
	write(t, p, "Condition", 0, "attention")
	write(t, p, "Why", 0, "the valve sticks")
	press(t, p, "Set")
	must(t, p.Until(`document.querySelector('[data-words]').innerText.includes('It needs attention, said')`))

	must(t, p.Goto("/assets/switchboard/guard"))
	must(t, p.Until(`document.querySelector('[data-sentence]')?.innerText.includes('of Switchboard is measured by Eye')`))
	eval(t, p, `[...document.querySelectorAll('[role=radiogroup] label')].find((l) => l.innerText.startsWith('Eye highest')).control.click()`)
	must(t, p.Until(`document.querySelector('[data-sentence]').innerText.includes('Highest of Switchboard')`))
	write(t, p, "Limit (°C)", 0, "60")
	write(t, p, "On-delay", 0, "1m")
	write(t, p, "Measuring interval", 0, "5m")
	write(t, p, "Interval when the battery is low", 0, "1h")
	press(t, p, "Tell me")
	must(t, p.Until(`document.querySelector('[data-sentence]').innerText.includes('every 5 minutes, and every 1 hour when its battery is low. When it is above 60 °C for 1 minute, that is a warning. Then owner@hollowbrook.example is told')`))
	write(t, p, "Interval when the battery is low", 0, "1m") // less sparing than usual: it says so, and goes on
	must(t, p.Until(`document.querySelector('[data-sentence] [role=alert]')?.innerText.includes('spare the battery')`))
	write(t, p, "Interval when the battery is low", 0, "1h")
	must(t, p.Until(`!document.querySelector('[data-sentence] [role=alert]')`))
	press(t, p, "Add guard")
	must(t, p.Until(`location.pathname === '/assets/switchboard' && document.querySelector("[aria-label=Guards]")?.innerText.includes('Highest: warning when above 60')`))
	var all []alarm.Guard
	s.Do(api.ListGuards.At(), nil, &all)
	if d := s.Look("eye"); len(all) != 1 || all[0].Signal != "eye/highest" || d.Settings.Interval.String() != "5m" {
		t.Errorf("the guard is %+v, the device is ordered %+v", all, d.Settings)
	}
	must(t, p.Until(`document.querySelector("[aria-label=Journal]").innerText.includes('Highest of Switchboard is measured by Eye')`))
	complaints(t, p)
}

// Photos and papers are brought, seen large and removed; a thing is removed and brought back.
func TestAThingsPictures(t *testing.T) {
	s, p := watched(t)
	must(t, p.Goto("/assets/switchboard"))
	must(t, p.Until(says+`('Photos and papers')`))
	bring := func(nth int, kind, name, script string) {
		eval(t, p, fmt.Sprintf(`
			const field = document.querySelectorAll('input[type=file]')[%d], files = new DataTransfer()
			const give = (blob) => { files.items.add(new File([blob], %q, { type: %q })); field.files = files.files; field.dispatchEvent(new Event('change', { bubbles: true })) }
			%s`, nth, name, kind, script))
	}
	bring(0, "image/png", "front.png",
		`const c = document.createElement('canvas'); c.width = 300; c.height = 200; c.toBlob(give)`)
	must(t, p.Until(`document.querySelector('img[alt="front.png"]')?.naturalWidth > 0`))
	bring(1, "application/pdf", "manual.pdf", `give('no paper at all')`)
	must(t, p.Until(`document.querySelector('main [role=alert]')?.innerText.includes('it is no PDF')`))
	bring(1, "application/pdf", "manual.pdf", `give('%PDF-1.7\n%%EOF\n')`)
	must(t, p.Until(says+`('manual.pdf')`))
	eval(t, p, `document.querySelector('img[alt="front.png"]').parentElement.click()`)
	must(t, p.Until(`document.querySelector('[role=dialog] img')?.naturalWidth === 300`))
	press(t, p, "Remove …")
	press(t, p, "Remove front.png")
	must(t, p.Until(`!document.querySelector('[role=dialog]') && !document.querySelector('img[alt="front.png"]')`))
	press(t, p, "Remove the asset switchboard …")
	press(t, p, "Remove the asset switchboard")
	must(t, p.Until(`location.pathname === '/assets' && document.querySelector('[data-removed]').innerText.includes('The asset switchboard was removed.')`))
	press(t, p, "Bring back")
	must(t, p.Until(`document.querySelector('[data-asset=switchboard]')`))
	var page api.AssetPage
	if s.Do(api.GetAsset.At("switchboard"), nil, &page); len(page.Attachments) != 1 {
		t.Errorf("it came back with %+v", page.Attachments)
	}
	complaints(t, p)
}

// A strip of frames is stepped through and played; a frame is read by the pointer and the keyboard, beside another; a
// region is drawn.
func TestAStripOfFrames(t *testing.T) {
	s, p := watched(t)
	must(t, p.Goto("/frames/eye"))
	must(t, p.Until(`document.querySelectorAll('[data-strip] button').length === 12 && document.querySelector('[data-strip] img').naturalWidth > 0`))
	at := func(n int) string {
		return fmt.Sprintf(
			`document.querySelectorAll('[data-strip] button')[%d].getAttribute('aria-current') === 'true'`, n)
	}
	must(t, p.Until(at(11)))
	press(t, p, "Before")
	must(t, p.Until(at(10)))
	eval(t, p, `document.querySelectorAll('[data-strip] button')[3].click()`)
	must(t, p.Until(at(3)))
	focus(t, p, `[data-strip] button[aria-current=true]`)
	must(t, p.Press("ArrowLeft"))
	must(t, p.Until(at(2)))
	must(t, p.Press("Home"))
	must(t, p.Until(at(0)))
	press(t, p, "Play")
	must(t, p.Until(at(4)))
	press(t, p, "Stop")
	must(t, p.Press("End"))
	eval(t, p, `document.querySelectorAll('[data-strip] button')[11].click()`)
	must(t, p.Until(at(11)))

	// The frame's colours: the warm place is the brightest, and it reads there what was sent.
	must(t, p.Until(`(() => {
		const c = document.querySelector('[data-frame] canvas'), d = c.getContext('2d')
		const light = (x, y) => d.getImageData(x, y, 1, 1).data.slice(0, 3).reduce((a, b) => a + b)
		return c.width === 16 && light(10, 4) > 600 && light(1, 1) < 150
	})()`))
	focus(t, p, "[data-frame]")
	for range 2 {
		must(t, p.Press("ArrowRight"))
	}
	for range 2 {
		must(t, p.Press("ArrowUp"))
	}
	must(t, p.Until(says+`('41 °C · column 11, row 5')`))
	write(t, p, "What has changed since", 0, frameAt(s, 0))
	must(t, p.Until(says+`('+11 K · column 11, row 5')`))
	write(t, p, "What has changed since", 0, "")
	write(t, p, "Palette", 0, "ash")
	must(t, p.Until(`(() => { const [r, g, b] = document.querySelector('[data-frame] canvas').getContext('2d').getImageData(10, 4, 1, 1).data; return r === g && g === b && r > 200 })()`))

	press(t, p, "Regions and emissivity …")
	must(t, p.Until(`document.querySelector('[role=dialog] [data-frame] canvas')?.width === 16`))
	must(t, p.Drag("[role=dialog] [data-frame]", 90, 60))
	must(t, p.Until(`document.querySelectorAll('[role=dialog] [aria-label^=Region]').length === 1`))
	write(t, p, "Name", 0, "terminal")
	write(t, p, "Points", 0, "9,3 40,6")
	press(t, p, "Save")
	must(t, p.Until(`document.querySelector('[role=dialog] [role=alert]')?.innerText.includes('lies outside of the picture')`))
	write(t, p, "Points", 0, "9,3 12,6")
	press(t, p, "Save")
	must(t, p.Until(`!document.querySelector('[role=dialog]')`))
	must(t, p.Until(says+`('terminal. Emissivity 1.')`))
	if v := s.Signal("eye/terminal-highest"); v == nil || *v.Value != 41 {
		t.Errorf("the region tells %+v", v)
	}
	must(t, p.Until(`document.querySelector("[aria-label='Signals of the frames']").innerText.includes('Terminal highest: 41 °C')`))
	complaints(t, p)
}

func frameAt(s *servertest.Service, n int) string {
	var l api.FrameList
	s.Do(api.ListFrames.At("eye"), nil, &l)
	return l.Frames[n].At.String()
}

// A run is started with a goal, read, given a phase, ended, and compared; a plan is made and removed.
func TestRunsInTheConsole(t *testing.T) {
	s, p := watched(t)
	must(t, p.Goto("/assets/switchboard"))
	press(t, p, "Start a run …")
	write(t, p, "Title", 0, "Load test")
	press(t, p, "Set a goal")
	write(t, p, "Signal", 0, "eye/highest")
	write(t, p, "Value (°C)", 0, "45")
	press(t, p, "Start run")
	must(t, p.Until(`location.pathname.startsWith('/runs/') && document.querySelector('[data-goal=open]')?.innerText.includes('Eye highest reaches 45 °C')`))
	press(t, p, "New phase …")
	write(t, p, "Phase", 0, "full load")
	press(t, p, "Begin phase")
	must(t, p.Until(says+`('full load')`))
	press(t, p, "Edit …")
	write(t, p, "Title", 0, "Load test A")
	press(t, p, "Save")
	must(t, p.Until(`document.querySelector('h1').innerText === 'Load test A'`))
	press(t, p, "End run")
	must(t, p.Until(`document.querySelector('[data-goal=missed]')`))

	// Afterwards: the stretch in view on the chart.
	must(t, p.Goto("/assets/switchboard"))
	press(t, p, "Mark a run on the chart …")
	must(t, p.Until(`document.querySelector('[role=dialog] canvas')`))
	focus(t, p, `[role=dialog] [aria-label="Zoom in"]`)
	for range 4 {
		must(t, p.Press("Enter"))
	}
	focus(t, p, "[role=dialog] [aria-label=Earlier]")
	must(t, p.Press("Enter"))
	press(t, p, "Use the stretch in view")
	press(t, p, "Add run")
	must(t, p.Until(`location.pathname.startsWith('/runs/') && `+says+`('Switchboard, ')`))
	var all []run.Run
	s.Do(api.ListRuns.At(), nil, &all)
	if len(all) != 2 || all[0].How != run.Afterwards && all[1].How != run.Afterwards {
		t.Errorf("the runs are %+v", all)
	}
	must(t, p.Goto("/runs"))
	must(t, p.Until(`document.querySelectorAll('main input[type=checkbox]').length === 2`))
	eval(t, p, `document.querySelectorAll('main input[type=checkbox]').forEach((box) => box.click())`)
	must(t, p.Until(says+`('2 are picked.')`))
	eval(t, p, `[...document.querySelectorAll('main a')].find((a) => a.innerText === 'Compare').click()`)
	must(t, p.Until(`location.pathname === '/runs/compare' && document.querySelectorAll('main table th[scope=col]').length === 2`))
	must(t, p.Goto("/runs"))
	press(t, p, "Add a plan …")
	write(t, p, "Title of its runs", 0, "Night")
	press(t, p, "Add")
	must(t, p.Until(`document.querySelector('[aria-label=Plans]').innerText.includes('daily 22:00-06:00')`))
	press(t, p, "Remove the plan Night …")
	press(t, p, "Remove the plan Night")
	must(t, p.Until(`!document.querySelector('[aria-label=Plans]').innerText.includes('daily')`))
	complaints(t, p)
}

// Whoever moves a chart and goes on at once stays where they went, however long that page takes to load.
func TestAChartCallsNobodyBack(t *testing.T) {
	_, p := watched(t)
	must(t, p.Goto("/assets/switchboard"))
	must(t, p.Until(`document.querySelector('main canvas')`))
	eval(t, p, `document.querySelector('[aria-label="Zoom in"]').click()`)
	must(t, p.Until(`document.querySelector('[aria-label="What the charts show"] select').value === 'own'`))
	eval(t, p, `(() => {
		document.querySelector('nav a[href="/journal"]').click()
		for (const end = performance.now() + 700; performance.now() < end; );
	})()`)
	must(t, p.Until(`document.querySelector('h1')?.innerText === 'Journal'`))
	time.Sleep(time.Second)
	if at, err := browser.Eval[string](p, "location.pathname + location.search"); err != nil || at != "/journal" {
		t.Errorf("the chart called back to %s, %v", at, err)
	}
	complaints(t, p)
}

// axe finds nothing on the pages of assets, frames and runs, and none scrolls sideways on a phone; an alarm shows its
// frame, and a board's tile the newest one.
func TestAssetsAreAccessible(t *testing.T) {
	s, p := watched(t)
	s.Guard(map[string]any{"name": "hot", "signal": "eye/highest", "when": "above 40.5", "severity": "warning"})
	storetest.Eventually(t, "an alarm", func() bool { return len(s.Alarms()) == 1 })
	for range 2 {
		s.Do(api.StartRun.At(), map[string]any{"asset": "switchboard", "started_at": frameAt(s, 2),
			"ended_at": frameAt(s, 9)}, nil)
	}
	for path, wait := range map[string]string{"/assets": "[data-asset] img", "/assets/switchboard": "canvas",
		"/assets/switchboard/guard": "[data-sentence] p[role=status]", "/frames/eye": "[data-strip] img",
		"/runs": "main table", "/runs/1": "canvas", "/runs/compare?runs=1,2": "main table"} {
		accessible(t, p, path, wait)
	}
	must(t, p.Look(1280, 800, false))
	must(t, p.Goto("/alarms/1"))
	must(t, p.Until(`document.querySelector('img[alt="The thermal frame of that moment"]')?.naturalWidth > 300`))
	putBoard(s, "heat", tileOf{"kind": "frames", "device": "eye"})
	must(t, p.Goto("/boards/heat"))
	must(t, p.Until(`document.querySelector('[data-kind=frames] canvas')?.width === 16`))
	complaints(t, p)
}
