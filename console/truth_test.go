package console_test

import (
	"strings"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/console/browser"
	"jauntylark/core/alarm"
	"jauntylark/server/servertest"
)

// click presses what has these words by the mouse, as a person does: press, wait, let go.
func click(t *testing.T, p *browser.Page, words string) {
	t.Helper()
	find := `[...` + inFront + `.querySelectorAll('button, a, [role=menuitem]')].find((b) => b.innerText === '` +
		words + `' && !b.disabled)`
	must(t, p.Until(find))
	eval(t, p, `document.querySelectorAll('[data-to-click]').forEach((old) => delete old.dataset.toClick); `+find+
		`.dataset.toClick = ''`)
	must(t, p.Click("[data-to-click]"))
}

// into puts the caret into a field with a label, by the mouse, and marks all that is in it. A page that still opens may
// take the focus once.
func into(t *testing.T, p *browser.Page, label string) {
	t.Helper()
	find := `[...` + inFront + `.querySelectorAll('label')].find((l) => l.innerText.split('\n')[0] === '` + label + `')`
	must(t, p.Until(find))
	eval(t, p, `document.querySelectorAll('[data-to-click]').forEach((old) => delete old.dataset.toClick);
		const label = `+find+`; (label.control ?? label.querySelector('select, input, textarea')).dataset.toClick = ''`)
	for range 5 {
		must(t, p.Click("[data-to-click]"))
		if has, err := browser.Eval[bool](p, `document.activeElement.matches('[data-to-click]')`); err == nil && has {
			break
		}
	}
	must(t, p.Press("Control+a"))
}

// typed empties a field and types text into it key by key.
func typed(t *testing.T, p *browser.Page, label, text string) {
	t.Helper()
	into(t, p, label)
	must(t, p.Press("Backspace"))
	must(t, p.Keys(text))
}

func value(t *testing.T, p *browser.Page, label string) string {
	t.Helper()
	v, err := browser.Eval[string](p, `[...`+inFront+
		`.querySelectorAll('label')].find((l) => l.innerText.split('\n')[0] === '`+label+`').control.value`)
	must(t, err)
	return v
}

// hears waits until what has the focus is heard so.
func hears(t *testing.T, p *browser.Page, want string) {
	t.Helper()
	got := ""
	for end := time.Now().Add(10 * time.Second); time.Now().Before(end); time.Sleep(50 * time.Millisecond) {
		var err error
		if got, err = p.Focused(); err == nil && got == want {
			return
		}
	}
	t.Fatalf("%q has the focus, not %q", got, want)
}

// A limit is what was typed, digit by digit; the first press after mending a field counts; the person's other decimal
// sign is understood or refused.
func TestALimitIsWhatWasTyped(t *testing.T) {
	s, p := visit(t)
	s.Send(s.Device("d"), `{"gas": 127}`)
	must(t, p.Goto("/guards/new?of=d/gas"))
	for _, text := range []string{"-2", "0.05", "152.125", "1e3", "0,1"} {
		typed(t, p, "Limit", text)
		if got := value(t, p, "Limit"); got != text {
			t.Errorf("typed %s, and the field reads %s", text, got)
		}
	}
	typed(t, p, "Limit", "1,000")
	must(t, p.Press("Tab"))
	must(t, p.Until(says+`('Write 1000 or 1.0.')`))
	typed(t, p, "Limit", "hot")
	click(t, p, "Add guard") // refused; nothing moves while the button is held
	must(t, p.Until(says+`('“hot” is no number.')`))
	at := func(replay string) float64 {
		t.Helper()
		must(t, p.Until(`document.querySelector('[data-replay=`+replay+`]')`))
		top, err := browser.Eval[float64](p,
			`[...document.querySelectorAll('button')].find((b) => b.innerText === 'Add guard').getBoundingClientRect().top + scrollY`)
		must(t, err)
		return top
	}
	before := at("none")
	typed(t, p, "Limit", "0,15")
	typed(t, p, "Deadband", "0.05")
	if after := at("done"); before != after {
		t.Errorf("the button moved from %v to %v", before, after)
	}
	click(t, p, "Add guard") // the first press counts
	must(t, p.Until(`location.pathname === '/guards/d-gas-above-0.15' || location.pathname.startsWith('/guards/d-gas')`))
	var guards []alarm.Guard
	s.Do(api.ListGuards.At(), nil, &guards)
	if g := guards[0]; g.When.A != 0.15 || g.Deadband != 0.05 {
		t.Errorf("kept as above %v, deadband %v", g.When.A, g.Deadband)
	}
	must(t, p.Until(`document.querySelector('[data-guard-life]') && document.querySelector('[data-replay=done]')`))
	typed(t, p, "Limit", "5")
	must(t, p.Press("ArrowUp"))
	if got := value(t, p, "Limit"); got != "6" {
		t.Errorf("an arrow key made %s of 5", got)
	}
	complaints(t, p)
}

// Text that seldom changes is not silent; a device that says nothing is.
func TestNowCallsSilentWhatIs(t *testing.T) {
	s, p := visit(t)
	d := s.Device("shed")
	s.Send(d, `{"v": 1, "firmware": "1.0", "mode": "away"}`)
	s.Do(api.SetDevice.At("shed"), map[string]any{"interval": "1s", "silence_alarm": false}, nil)
	must(t, p.Goto("/"))
	for range 5 {
		time.Sleep(time.Second)
		s.Send(d, `{"v": 1}`)
	}
	must(t, p.Until(`document.querySelector('[data-in-words]')`))
	if silent, _ := browser.Eval[bool](p,
		`document.querySelector('main').innerText.toLowerCase().includes('silent')`); silent {
		t.Error("it is called silent for text of five seconds ago")
	}
	must(t, p.Until(`document.querySelector('[data-in-words]').innerText.includes('Silent: Shed since')`))
	complaints(t, p)
}

// What was typed is there again when the page was left or loaded anew, and is asked about; a password never is.
func TestWhatWasTypedIsNotLost(t *testing.T) {
	s, p := visit(t)
	s.Send(s.Device("d"), `{"gas": 10}`)
	s.Guard(map[string]any{"name": "high", "signal": "d/gas", "when": "above 50", "advice": "open the door"})
	must(t, p.Goto("/guards/high"))
	typed(t, p, "Limit", "-0.25")
	typed(t, p, "Advice", "close the valve")
	must(t, p.Goto("/guards/high"))
	must(t, p.Until(`document.querySelector('[data-unsaved]')?.innerText.includes('Not saved: what you wrote on')`))
	if a, b := value(t, p, "Limit"), value(t, p, "Advice"); a != "-0.25" || b != "close the valve" {
		t.Errorf("there are %q and %q again", a, b)
	}
	audit(t, p, "unsaved work")
	s.Do(api.PutGuard.At("high"), map[string]any{"name": "high", "signal": "d/gas", "when": "above 60",
		"advice": "call the keeper"}, nil)
	must(t, p.Goto("/guards/high"))
	must(t, p.Until(`document.querySelector('[data-unsaved]')?.innerText.includes('has been changed by others since')`))
	click(t, p, "Discard it")
	must(t, p.Until(`!document.querySelector('[data-unsaved]')`))
	if a, b := value(t, p, "Limit"), value(t, p, "Advice"); a != "60" || b != "call the keeper" {
		t.Errorf("discarded, it reads %q and %q", a, b)
	}
	must(t, p.Goto("/guards/high"))
	must(t, p.Until(`document.querySelector('[data-replay=done]') && !document.querySelector('[data-unsaved]')`))

	// What another version of the console left in another shape is passed over.
	eval(t, p, `localStorage.setItem('unsaved `+servertest.Owner+
		` guard high', JSON.stringify({ at: 1, began: '', value: { rungs: 'none', tell: 3 } }))`)
	must(t, p.Goto("/guards/high"))
	must(t, p.Until(`document.querySelector('[data-replay=done]') && !document.querySelector('[data-unsaved]')`))

	must(t, p.Goto("/signals/d/gas/instrument"))
	typed(t, p, "Title", "Carbon monoxide")
	typed(t, p, "Plausible from", "0.125")
	must(t, p.Goto("/signals/d/gas/instrument"))
	must(t, p.Until(`document.querySelector('[data-unsaved]')`))
	if a, b := value(t, p, "Title"), value(t, p, "Plausible from"); a != "Carbon monoxide" || b != "0.125" {
		t.Errorf("there are %q and %q again", a, b)
	}
	click(t, p, "Go on with it")
	typed(t, p, "Plausible to", "500")
	click(t, p, "Save")
	must(t, p.Until(says+`('Saved.')`))
	must(t, p.Goto("/signals/d/gas/instrument"))
	must(t, p.Until(`document.querySelector('form') && !document.querySelector('[data-unsaved]')`))

	must(t, p.Goto("/set-up/people"))
	typed(t, p, "E-mail", "k@b.example")
	typed(t, p, "Password", "long enough for it")
	click(t, p, "Add")
	must(t, p.Until(says+`('k@b.example may sign in now.')`))
	typed(t, p, "E-mail", "l@b.example")
	if got := value(t, p, "Password"); got != "" {
		t.Error("the next person would get the password of the one before")
	}
	typed(t, p, "Password", "another one of these")
	must(t, p.Goto("/set-up/people"))
	must(t, p.Until(`document.querySelector('[data-unsaved]')`))
	if kept, _ := browser.Eval[string](p, `JSON.stringify(localStorage)`); value(t, p, "Password") != "" ||
		strings.Contains(kept, "another one of these") {
		t.Error("a password is kept")
	}
	complaints(t, p)
}

// A preview goes when what it was of is changed; what is put in force is what was shown.
func TestAPreviewBelongsToWhatIsTyped(t *testing.T) {
	s, p := visit(t)
	s.Device("d")
	aDay(t, s, "air", "Cel", func(i int) float64 { return 20 })
	must(t, p.Goto("/signals/d/air/trust"))
	typed(t, p, "Shown (°C)", "20")
	typed(t, p, "Reference (°C)", "21,5")
	click(t, p, "Preview")
	must(t, p.Until(`document.querySelector('[data-preview]')?.innerText.includes('offset 1.5')`))
	typed(t, p, "Reference (°C)", "22")
	must(t, p.Until(`!document.querySelector('[data-preview]')`))
	click(t, p, "Preview")
	must(t, p.Until(`document.querySelector('[data-preview]')?.innerText.includes('offset 2')`))
	click(t, p, "Put in force")
	must(t, p.Until(`document.querySelector('[data-applied]') && document.querySelector('[data-calibration="in force"]').innerText.includes('+ 2')`))
	must(t, p.Goto("/derive?of=d/air"))
	typed(t, p, "Over the last", "5m")
	typed(t, p, "Name", "calm")
	click(t, p, "Check")
	must(t, p.Until(`document.querySelector('[data-fits]')`))
	typed(t, p, "Over the last", "10m")
	must(t, p.Until(`!document.querySelector('[data-fits]')`))
	complaints(t, p)
}

// When the session has ended the sign-in page is there at once; who signs in goes on where they were.
func TestAnEndedSessionAsksToSignIn(t *testing.T) {
	s, p := visit(t)
	s.Send(s.Device("d"), `{"gas": 10}`)
	must(t, p.Goto("/signals/d/gas/instrument"))
	typed(t, p, "Title", "Carbon monoxide")
	eval(t, p, `fetch('/api/v1/session', { method: 'DELETE' })`)
	must(t, p.See("input[name=password]"))
	if shown, _ := browser.Eval[bool](p,
		`document.body.innerText.includes('Carbon') || !!document.querySelector('nav')`); shown {
		t.Error("what was shown stays in sight")
	}
	must(t, p.Type("input[name=email]", servertest.Owner))
	must(t, p.Type("input[name=password]", servertest.Password))
	must(t, p.Press("Enter"))
	must(t, p.Until(`location.pathname === '/signals/d/gas/instrument' && document.querySelector('[data-unsaved]')`))
	must(t, p.Until(`document.querySelector('header').innerText.includes('live ·')`))
}

// Who signs out is asked where something is not saved; nothing of it stays on the device.
func TestSigningOutDropsWhatIsNotSaved(t *testing.T) {
	s, p := visit(t)
	s.Send(s.Device("d"), `{"gas": 10}`)
	must(t, p.Goto("/signals/d/gas/instrument"))
	typed(t, p, "Title", "Carbon monoxide")
	must(t, p.Until(`JSON.stringify(localStorage).includes('Carbon monoxide')`))
	must(t, p.Until(`[...document.querySelectorAll('header button')].find((b) => b.innerText === 'sign out')`))
	eval(t, p, `[...document.querySelectorAll('header button')].find((b) => b.innerText === 'sign out').click()`)
	must(t, p.Until(`document.querySelector('[role=dialog]')?.innerText.includes('is not saved')`))
	click(t, p, "Sign out")
	must(t, p.See("input[name=password]"))
	if kept, _ := browser.Eval[string](p, `JSON.stringify(localStorage)`); strings.Contains(kept, "Carbon monoxide") {
		t.Errorf("kept on the device: %s", kept)
	}
	complaints(t, p)
}
