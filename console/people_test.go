package console_test

import (
	"strings"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/console/browser"
	"jauntylark/core/alarm"
	"jauntylark/core/board"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

// Removing asks, and is undone from where one lands or from the list of what was removed.
func TestRemovalsAskAndAreUndone(t *testing.T) {
	s, p := visit(t)
	s.Send(s.Device("d"), `{"gas": 10}`)
	s.Guard(map[string]any{"name": "high", "signal": "d/gas", "when": "above 50", "advice": "open the door"})
	must(t, p.Goto("/guards/high"))
	must(t, p.Until(`document.querySelector('[data-replay=done]') && document.querySelector('[data-guard-life]')?.innerText.includes('0 alarms')`))
	click(t, p, "Remove the guard high …")
	hears(t, p, "group Remove the guard high")
	must(t, p.Until(says+`('It can be brought back for 30 days.')`))
	click(t, p, "Cancel")
	hears(t, p, "button Remove the guard high …")
	click(t, p, "Remove the guard high …")
	// The live stream tells of it before the answer comes: the page goes, and what follows the act is done all the
	// same.
	must(t, p.Until(`((real) => { window.fetch = async (request) => {
		const answer = await real(request)
		if (request.method === 'DELETE') await new Promise((go) => setTimeout(go, 1500))
		return answer
	}; return true })(window.fetch)`))
	click(t, p, "Remove the guard high")
	must(t, p.Until(`location.pathname === '/signals/d/gas' && document.querySelector('[data-removed]').innerText.includes('The guard high was removed.')`))
	click(t, p, "Bring back")
	storetest.Eventually(t, "the guard", func() bool {
		var guards []alarm.Guard
		s.Do(api.ListGuards.At(), nil, &guards)
		return len(guards) == 1 && guards[0].Advice == "open the door"
	})
	s.Do(api.RemoveGuard.At("high"), nil, nil)
	s.Do(api.RemoveDevice.At("d"), nil, nil)
	accessible(t, p, "/removed", "tbody tr")
	must(t, p.Look(1280, 800, false))
	must(t, p.Until(`document.querySelectorAll('tbody tr').length === 2`))
	must(t, p.Click(`[aria-label="Bring back the guard high"]`))
	must(t, p.Until(`document.querySelector('[role=alert]')?.innerText.includes('bring that back first')`))
	must(t, p.Click(`[aria-label^="Bring back the device"]`))
	must(t, p.Until(`document.querySelectorAll('tbody tr').length === 1`))
	must(t, p.Click(`[aria-label="Bring back the guard high"]`))
	must(t, p.Until(says+`('Nothing was removed in the last 30 days.')`))

	// What cannot be undone says so, and asks too.
	must(t, p.Goto("/devices/arrivals"))
	click(t, p, "Make a key")
	must(t, p.Until(`document.querySelector('[data-key]')`))
	click(t, p, "End enrolment …")
	must(t, p.Until(says+`('can announce themselves no more')`))
	click(t, p, "End enrolment")
	must(t, p.Until(says+`('There is none, so devices must be added by name.')`))
}

// A viewer reads the same pages as text, without a field or a button that would be refused.
func TestAViewerReadsText(t *testing.T) {
	s := servertest.Start(t)
	s.Send(s.Device("d"), `{"gas": 10}`)
	s.Guard(map[string]any{"name": "high", "signal": "d/gas", "when": "above 50", "advice": "open the door",
		"least_gap": "10m"})
	s.Output("d/fan", nil)
	s.Interlock("fan", map[string]any{"output": "d/fan", "signal": "d/gas", "when": "above 60", "set": "on"})
	s.Do(api.PutContact.At("orla"), map[string]any{"title": "Orla",
		"addresses": []map[string]string{{"carrier": "e-mail", "to": "o@b.example"}}}, nil)
	s.Do(api.PutRoster.At("house"), map[string]any{"steps": []map[string]any{{"who": []string{"orla"}}}}, nil)
	s.Do(api.AddPerson.At(), map[string]string{"email": "v@b.example", "role": "viewer",
		"password": "long enough for it"}, nil)
	p := openAs(t, s, "v@b.example", "long enough for it")
	for path, reads := range map[string]string{
		"/guards/high": "open the door", "/signals/d/gas/instrument": "Plausible from",
		"/signals/d/gas/trust": "None: its values", "/outputs/d/fan": "Safe state", "/interlocks/fan": "above 60",
		"/contacts/orla": "Quiet hours", "/rosters/house": "Only for", "/devices/of/d": "Clock offset",
		"/set-up": "Time zone", "/set-up/people": "Only owners", "/set-up/readers": "Only owners", "/set-up/tariffs": "None yet",
		"/alarms": "Nothing is wrong",
	} {
		must(t, p.Goto(path))
		must(t, p.Until(says+`('`+reads+`')`))
		fields, err := browser.Eval[string](p,
			`[...document.querySelectorAll('main form, main input, main textarea')].filter((f) => !f.closest('[role=group], [aria-label=Stretch]') && f.type !== 'datetime-local').map((f) => f.outerHTML.slice(0, 120)).join(' ')`)
		must(t, err)
		if fields != "" {
			t.Errorf("%s: a viewer gets %s", path, fields)
		}
	}
	complaints(t, p)
}

// The focus goes where the work is, and never to nothing; a change of page is announced.
func TestTheFocusGoesWhereTheWorkIs(t *testing.T) {
	s, p := visit(t)
	d := s.Device("d")
	s.Send(d, `{"gas": 10}`)
	s.Guard(map[string]any{"name": "high", "signal": "d/gas", "when": "above 50"})
	s.Send(d, `{"gas": 70}`)
	storetest.Eventually(t, "the alarm", func() bool { return len(s.Alarms()) == 1 })
	must(t, p.Goto("/"))
	must(t, p.Click(`nav a[href="/devices"]`))
	hears(t, p, "heading Devices")
	said, err := p.Announced()
	must(t, err)
	if !strings.Contains(strings.Join(said, "|"), "Devices") {
		t.Errorf("announced is %q", said)
	}
	must(t, p.Click(`nav a[href="/alarms"]`))
	hears(t, p, "heading Alarms")
	focus(t, p, "#alarm-1")
	must(t, p.Press("Tab"))
	hears(t, p, "button I have it: D gas is above 50")
	focus(t, p, "#alarm-1")
	must(t, p.Press("c"))
	hears(t, p, "textbox Cause")
	must(t, p.Goto("/alarms/1"))
	hears(t, p, "heading warning D gas is above 50")
	must(t, p.Press("Tab"))
	hears(t, p, "button I have it: D gas is above 50")
	must(t, p.Press("Enter"))
	must(t, p.Until(says+`('has it since')`))
	hears(t, p, "heading warning D gas is above 50")

	// What has the focus is taken away: what stood around it gets it.
	must(t, p.Goto("/boards"))
	click(t, p, "Add a board …")
	hears(t, p, "textbox Title")
	click(t, p, "Cancel")
	hears(t, p, "button Add a board …")
	must(t, p.Goto("/nowhere"))
	must(t, p.Until(`document.querySelector('h1') && `+says+
		`('There is nothing at /nowhere.') && document.querySelector('main a[href="/devices"]')`))
	complaints(t, p)
}

// Two people change one board: whose change stands is said, and one's own or theirs is taken. Ctrl-Z undoes in the
// window in front. Dropping a draft asks.
func TestTwoPeopleOnOneBoard(t *testing.T) {
	s, p, _ := glasshouse(t)
	putBoard(s, "house", tileOf{"kind": "lines", "series": of("d/air")})
	s.Do(api.AddPerson.At(), map[string]string{"email": "k@b.example", "name": "Piet", "role": "keeper",
		"password": "long enough for it"}, nil)
	other := s.SignIn("k@b.example", "long enough for it")
	theirs := func(revision int, title string) {
		t.Helper()
		body := map[string]any{"revision": revision,
			"tiling": map[string]any{"tiles": []map[string]any{{"kind": "lines", "title": title, "series": of("d/air"),
				"x": 0, "y": 0, "w": 6, "h": 5}}}}
		must(t, other.Call(t.Context(), api.PutDraft.At("house"), body, nil))
	}
	draft := func() board.Draft {
		var b board.Board
		s.Do(api.GetBoard.At("house"), nil, &b)
		if b.Draft == nil {
			return board.Draft{}
		}
		return *b.Draft
	}
	mine := func(title string) {
		t.Helper()
		must(t, p.Click(`[data-cell] button[aria-label^="Edit"]`))
		typed(t, p, "Title", title)
		click(t, p, "Apply")
	}
	must(t, p.Goto("/boards/house/arrange"))
	mine("Mine")
	storetest.Eventually(t, "the draft", func() bool {
		d := draft()
		return d.Revision == 1 && d.Tiling.Tiles[0].Title == "Mine"
	})
	theirs(1, "Theirs")
	must(t, p.Until(`document.querySelector('[data-theirs]')?.innerText.includes('Piet changed this draft at')`))
	audit(t, p, "two people on one board")
	click(t, p, "Take theirs")
	must(t, p.Until(`!document.querySelector('[data-theirs]') && document.querySelector('[data-cell]').innerText.includes('Theirs')`))
	theirs(2, "Theirs again")
	must(t, p.Until(`document.querySelector('[data-theirs]')`))
	mine("Mine after all")
	time.Sleep(time.Second)
	if d := draft(); d.Tiling.Tiles[0].Title != "Theirs again" {
		t.Errorf("theirs was written over unseen: %+v", d)
	}
	click(t, p, "Keep mine")
	storetest.Eventually(t, "my draft", func() bool { return draft().Tiling.Tiles[0].Title == "Mine after all" })

	must(t, p.Click(`[data-cell] button[aria-label^="Edit"]`))
	write(t, p, "Drawn as", 0, "area")
	must(t, p.Until(`document.querySelector('[data-to-write]').value === 'area'`))
	focus(t, p, "[data-to-write]")
	must(t, p.Press("Control+z"))
	must(t, p.Until(`document.querySelector('[data-to-write]').value === '' && document.querySelector('[role=dialog] [role=status]').innerText === 'Undone.'`))
	typed(t, p, "Title", "Half written")
	must(t, p.Press("Escape"))
	must(t, p.Until(`!document.querySelector('[role=dialog]')`))
	must(t, p.Click(`[data-cell] button[aria-label^="Edit"]`))
	must(t, p.Until(`document.querySelector('[role=dialog] [data-unsaved]')`))
	if got := value(t, p, "Title"); got != "Half written" {
		t.Errorf("the window has %q again", got)
	}
	click(t, p, "Discard it")
	must(t, p.Until(`!document.querySelector('[role=dialog] [data-unsaved]')`))
	if got := value(t, p, "Title"); got != "Mine after all" {
		t.Errorf("discarded, it has %q", got)
	}
	click(t, p, "Cancel")
	must(t, p.Until(`!document.querySelector('[role=dialog]')`))
	if d := draft(); d.Tiling.Tiles[0].Title != "Mine after all" {
		t.Errorf("what lies behind the window was undone: %+v", d)
	}
	click(t, p, "Drop the draft …")
	must(t, p.Until(`document.querySelector('[role=dialog]')?.innerText.includes('also what others changed')`))
	click(t, p, "Cancel")
	if draft().Revision == 0 {
		t.Error("it was dropped without an answer")
	}
	click(t, p, "Drop the draft …")
	click(t, p, "Drop the draft")
	must(t, p.Until(`location.pathname === '/boards/house'`))
	if draft().Revision != 0 {
		t.Error("it was not dropped")
	}
	complaints(t, p)
}
