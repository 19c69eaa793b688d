package console_test

import (
	"context"
	"flag"
	"io/fs"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"os"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/console"
	"jauntylark/console/browser"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

// TestMain lets three tests run at a time, however many the others may be: much of what a page does is to wait, and more
// pages than that wait for each other.
func TestMain(m *testing.M) {
	flag.Parse()
	if err := flag.Set("test.parallel", "3"); err != nil {
		panic(err)
	}
	code := storetest.Run(m)
	endBrowser()
	os.Exit(code)
}

var browsing, endBrowser = context.WithCancel(context.Background())

// shared is the browser that all tests open their pages in.
var shared = sync.OnceValues(func() (*browser.Browser, error) { return browser.Start(browsing) })

// page opens a page of its own for the console at base.
func page(t *testing.T, base string) *browser.Page {
	t.Helper()
	storetest.Long(t)
	browser, err := shared()
	must(t, err)
	p, end, err := browser.Open(base)
	must(t, err)
	t.Cleanup(end)
	return p
}

// spare are pages that a test has left, and the next may take.
var spare = make(chan *browser.Page, 2)

// pageOf gives a page for the console at base, without its service worker.
func pageOf(t *testing.T, base string) *browser.Page {
	t.Helper()
	storetest.Long(t)
	var p *browser.Page
	select {
	case p = <-spare:
		must(t, p.Renew(base))
	default:
		browser, err := shared()
		must(t, err)
		p, _, err = browser.Open(base)
		must(t, err)
		must(t, p.NoWorker())
	}
	t.Cleanup(func() {
		if t.Failed() || p.Renew("") != nil {
			return
		}
		select {
		case spare <- p:
		default:
		}
	})
	return p
}

// openWithWorker opens it with its service worker.
func openWithWorker(t *testing.T, s *servertest.Service) *browser.Page {
	t.Helper()
	p := page(t, s.URL)
	must(t, p.Carry(s.Session(servertest.Owner, servertest.Password)))
	return p
}

// visit runs a service and opens its console in a browser, signed in as the owner.
func visit(t *testing.T) (*servertest.Service, *browser.Page) {
	t.Helper()
	storetest.Long(t)
	if _, err := fs.Stat(console.Files(), "index.html"); err != nil {
		t.Fatal("the console is not built; run make build")
	}
	s := servertest.Start(t)
	return s, open(t, s)
}

// open opens the console of a service in a browser, signed in as the owner.
func open(t *testing.T, s *servertest.Service) *browser.Page {
	t.Helper()
	return openAs(t, s, servertest.Owner, servertest.Password)
}

// openAs opens it signed in as somebody.
func openAs(t *testing.T, s *servertest.Service, email, password string) *browser.Page {
	t.Helper()
	p := pageOf(t, s.URL)
	must(t, p.Carry(s.Session(email, password)))
	return p
}

func must(t *testing.T, err error) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
}

// complaints are the page's errors but for the refused requests that tests cause on purpose.
func complaints(t *testing.T, p *browser.Page) {
	t.Helper()
	for _, e := range p.Errors() {
		if !strings.Contains(e, "Failed to load resource") {
			t.Errorf("the page complains: %s", e)
		}
	}
}

const says = "document.querySelector('main').innerText.includes"

func TestSignIn(t *testing.T) {
	s := servertest.Start(t)
	p := page(t, s.URL)
	must(t, p.Goto("/alarms"))
	must(t, p.Type("input[name=email]", servertest.Owner))
	must(t, p.Type("input[name=password]", "not the password"))
	must(t, p.Press("Enter"))
	must(t, p.Until(`document.querySelector('[role=alert]')?.innerText.includes('wrong')`))
	must(t, p.SignIn(servertest.Owner, servertest.Password))
	must(t, p.Until(says+`('Nothing is watched yet.')`))
	cookies, err := browser.Eval[string](p, "document.cookie")
	must(t, err)
	if cookies != "" {
		t.Errorf("a script can read the session: %q", cookies)
	}
	complaints(t, p)
}

// A value changes live, an alarm appears, is acknowledged by keyboard alone, and goes.
func TestOneAlarmFromRaiseToQuiet(t *testing.T) {
	s, p := visit(t)
	d := s.Device("greenhouse-door")
	s.Send(d, `{"temp": 21.5}`)
	must(t, p.Until(`document.querySelector('[data-signal="greenhouse-door/temp"]')?.innerText.includes('21.5')`))
	must(t, p.Until(says+`('All quiet')`))
	s.Send(d, `{"temp": 22.5}`)
	must(t, p.Until(`document.querySelector('[data-signal="greenhouse-door/temp"]').innerText.includes('22.5')`))

	s.Guard(map[string]any{"signal": "greenhouse-door/temp", "when": "above 30", "severity": "critical"})
	s.Send(d, `{"temp": 31}`)
	must(t, p.Until(says+`('One thing is wrong.') && `+says+`('Greenhouse door temp is above 30')`))
	must(t, p.Until(`document.querySelector('[aria-label="critical"]')`))
	must(t, p.Until(`document.title.startsWith('One wrong')`))

	for range 30 { // by keyboard: Tab to the button, Enter
		must(t, p.Press("Tab"))
		on, err := browser.Eval[string](p, "document.activeElement.innerText || ''")
		must(t, err)
		if on == "I have it" {
			break
		}
	}
	must(t, p.Press("Enter"))
	must(t, p.Until(says+`('owner@hollowbrook.example has it since')`))
	must(t, p.Until(`document.activeElement.innerText === 'Greenhouse door temp is above 30'`))
	if a := s.Alarms(); len(a) != 1 || a[0].AcknowledgedAt == nil {
		t.Errorf("%+v", a)
	}
	s.Send(d, `{"temp": 20}`)
	must(t, p.Until(says+`('All quiet since')`))
	complaints(t, p)
}

func TestASignalsPage(t *testing.T) {
	s, p := visit(t)
	d := s.Device("pond")
	s.Send(d, `{"oxygen": 80}`)
	s.Guard(map[string]any{"signal": "pond/oxygen", "when": "below 55", "deadband": 5, "severity": "critical",
		"tell": []string{"orla@hollowbrook.example"}})
	s.Send(d, `{"oxygen": 50}`)
	s.Send(d, `{"oxygen": 70}`)
	must(t, p.Goto("/signals/pond/oxygen"))
	must(t, p.See("canvas"))
	must(t, p.Until(says+`('critical when below 55')`))
	must(t, p.Until(says+`('Pond oxygen was below 55')`))
	const label = `document.querySelector('main [role=application][aria-label*=lowest]')?.getAttribute('aria-label')`
	must(t, p.Until(label+`?.includes('lowest 50, highest 80, now 70')`))
	s.Send(d, `{"oxygen": 91}`)
	must(t, p.Until(label+`.includes('highest 91, now 91')`))
	menu(t, p, "What to do with Pond oxygen", "Values as a table")
	must(t, p.Until(`[...document.querySelectorAll('[data-values] td')].some((c) => c.textContent === '91')`))
	must(t, p.Press("Escape"))
	drawn, err := browser.Eval[bool](p,
		`(() => { const c = document.querySelector('canvas'); return c.getContext('2d').getImageData(0, 0, c.width, c.height).data.some((v) => v !== 0) })()`)
	must(t, err)
	if !drawn {
		t.Error("nothing is drawn")
	}
	must(t, p.Goto("/signals/pond/nothing"))
	must(t, p.Until(says+`('There is no signal pond/nothing.')`))
	complaints(t, p)
}

// A broken connection is told, and healed without a reload.
func TestABrokenConnectionIsToldAndHealed(t *testing.T) {
	database := storetest.URL(t)
	s := servertest.On(t, database, "127.0.0.1:0")
	d := s.Device("pond")
	s.Send(d, `{"oxygen": 80}`)
	p := open(t, s)
	must(t, p.Until(says+`('80')`))
	must(t, p.Until(`document.querySelector('header').innerText.includes('live ·')`))
	s.Stop()
	must(t, p.Until(says+`('Not live: what you see is')`))
	must(t, p.Until(says+`('80')`)) // the last state stays
	again := servertest.On(t, database, strings.TrimPrefix(s.URL, "http://"))
	again.Send(d, `{"oxygen": 81}`)
	must(t, p.Until(says+`('81') && !`+says+`('Not live')`))
}

// front stands between browser and service. It holds back the requests that hold chooses, before they
// are passed on, and the answers that late chooses, after they were made, until let is closed.
func front(t *testing.T, s *servertest.Service, hold, late func(*http.Request) bool, let <-chan struct{}) *browser.Page {
	t.Helper()
	target, err := url.Parse(s.URL)
	must(t, err)
	proxy := httputil.NewSingleHostReverseProxy(target)
	proxy.FlushInterval = -1
	proxy.ModifyResponse = func(r *http.Response) error {
		if late(r.Request) {
			<-let
		}
		return nil
	}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if hold(r) {
			<-let
		}
		proxy.ServeHTTP(w, r)
	}))
	t.Cleanup(server.CloseClientConnections)
	p := page(t, server.URL)
	must(t, p.SignIn(servertest.Owner, servertest.Password))
	return p
}

func never(*http.Request) bool { return false }

// What is committed between the page's first look and the start of its live stream is shown too.
func TestNothingIsMissedBeforeTheStreamBegins(t *testing.T) {
	s := servertest.Start(t)
	d, begin := s.Device("pond"), make(chan struct{})
	p := front(t, s, func(r *http.Request) bool { return r.URL.Path == api.WatchLive.At().Path }, never, begin)
	must(t, p.Until(says+`('Nothing is watched yet.')`))
	s.Send(d, `{"oxygen": 80}`)
	close(begin)
	must(t, p.Until(says+`('80')`))
}

// A list that was asked for before an alarm, and arrives after it, does not wipe the alarm away.
func TestALateAnswerWipesNoAlarmAway(t *testing.T) {
	s := servertest.Start(t)
	d, let := s.Device("pond"), make(chan struct{})
	s.Send(d, `{"oxygen": 80}`)
	s.Guard(map[string]any{"signal": "pond/oxygen", "when": "below 55", "severity": "critical"})
	var armed, held atomic.Bool
	p := front(t, s, never, func(r *http.Request) bool {
		late := armed.Load() && r.URL.Path == api.ListAlarms.At().Path
		if late {
			held.Store(true)
		}
		return late
	}, let)
	must(t, p.Until(says+`('All quiet') && document.querySelector('header').innerText.includes('live ·')`))
	armed.Store(true)
	must(t, p.Goto("/alarms"))
	storetest.Eventually(t, "an answer is held back", held.Load)
	time.Sleep(300 * time.Millisecond)
	s.Send(d, `{"oxygen": 50}`)
	storetest.Eventually(t, "the alarm", func() bool { return len(s.Alarms()) == 1 })
	time.Sleep(time.Second) // the stream has told it
	armed.Store(false)
	close(let)
	must(t, p.Until(says+`('Pond oxygen is below 55')`))
	time.Sleep(500 * time.Millisecond)
	must(t, p.Until(says+`('Pond oxygen is below 55')`))
}

// A service that has lost its database says so, and is live again when that is back.
func TestADatabaseThatIsAwayIsTold(t *testing.T) {
	gate := storetest.NewGate(t, storetest.URL(t))
	s := servertest.On(t, gate.URL, "127.0.0.1:0")
	d := s.Device("pond")
	s.Send(d, `{"oxygen": 80}`)
	p := open(t, s)
	must(t, p.Until(says+`('80')`))
	gate.Shut()
	must(t, p.Until(says+`('Not live')`))
	gate.Open()
	must(t, p.Until(`!`+says+`('Not live')`))
	s.Send(d, `{"oxygen": 81}`)
	must(t, p.Until(says+`('81')`))
}

// axe finds nothing on any page, in either theme, and no page scrolls sideways on a phone.
func TestAccessibility(t *testing.T) {
	s, p := visit(t)
	d := s.Device("pond")
	s.Send(d, `{"oxygen": 80}`)
	for severity, limit := range map[string]string{"critical": "below 55", "warning": "below 60",
		"advisory": "below 65"} {
		s.Guard(map[string]any{"signal": "pond/oxygen", "when": limit, "severity": severity, "advice": "Look at it."})
	}
	s.Send(d, `{"oxygen": 50}`)
	storetest.Eventually(t, "three alarms", func() bool { return len(s.Alarms()) == 3 })
	for path, wait := range map[string]string{"/": "[aria-label='What is wrong']", "/alarms": "h1",
		"/alarms/1": "canvas", "/signals/pond/oxygen": "canvas"} {
		accessible(t, p, path, wait)
	}
	complaints(t, p)
}

// accessible lets axe look at a page in both themes, and looks whether it scrolls sideways on a phone.
func accessible(t *testing.T, p *browser.Page, path, wait string) {
	t.Helper()
	must(t, p.Look(1280, 800, false))
	if strings.HasPrefix(path, "/wall") { // it has no places around it
		must(t, p.Goto(path))
	} else {
		must(t, p.Go(path))
	}
	must(t, p.See(wait))
	for _, dark := range []bool{false, true} {
		must(t, p.Look(1280, 800, dark))
		time.Sleep(200 * time.Millisecond)
		if dark { // what it is made of is the same
			auditBy(t, p, path+" dark", `{runOnly: ['color-contrast', 'link-in-text-block', 'target-size']}`)
		} else {
			audit(t, p, path)
		}
		must(t, p.Look(360, 740, dark))
		if err := p.Until("document.documentElement.scrollWidth <= 360"); err != nil {
			t.Errorf("%s scrolls sideways on a phone: %v", path, err)
		}
	}
}

const allRules = `{runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice']}`

// audit has axe look at the page as it is.
func audit(t *testing.T, p *browser.Page, where string) {
	t.Helper()
	auditBy(t, p, where, allRules)
}

// auditBy has axe look at the page as it is, by some of its rules.
func auditBy(t *testing.T, p *browser.Page, where, rules string) {
	t.Helper()
	if there, err := browser.Eval[bool](p, `'axe' in window`); err == nil && !there {
		axe, err := os.ReadFile("node_modules/axe-core/axe.min.js")
		must(t, err)
		_, err = browser.Eval[bool](p, string(axe)+"; true")
		must(t, err)
	}
	found, err := browser.Eval[struct {
		Passed int
		Wrong  []string
	}](p, `axe.run(document, `+rules+`).then((r) => ({
		passed: r.passes.length,
		wrong: r.violations.flatMap((v) => v.nodes.map((n) => v.id + ': ' + n.html.slice(0, 160) + ' ' + n.failureSummary)) }))`)
	must(t, err)
	for _, f := range found.Wrong {
		t.Errorf("%s: %s", where, f)
	}
	if rules == allRules && found.Passed < 20 || found.Passed < 1 {
		t.Errorf("%s: axe looked at only %d rules", where, found.Passed)
	}
}
