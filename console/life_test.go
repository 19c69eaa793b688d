package console_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/console/browser"
	"jauntylark/core/feed"
	"jauntylark/core/site"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

// streams counts the live streams that go through a proxy, and keeps from where each was asked for.
type streams struct {
	mu    sync.Mutex
	open  int
	asked []string
}

func (c *streams) count() (open int, asked []string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.open, append([]string{}, c.asked...)
}

func (c *streams) before(t *testing.T, s *servertest.Service) string {
	t.Helper()
	target, err := url.Parse(s.URL)
	must(t, err)
	proxy := httputil.NewSingleHostReverseProxy(target)
	proxy.FlushInterval = -1
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == api.WatchLive.At().Path {
			c.mu.Lock()
			c.open, c.asked = c.open+1, append(c.asked, r.URL.RawQuery)
			c.mu.Unlock()
			defer func() {
				c.mu.Lock()
				c.open--
				c.mu.Unlock()
			}()
		}
		proxy.ServeHTTP(w, r)
	}))
	t.Cleanup(server.CloseClientConnections)
	return server.URL
}

// All tabs of a browser share one live stream. When the tab that holds it goes, another goes on where it was.
func TestTabsShareOneStream(t *testing.T) {
	s := servertest.Start(t)
	d := s.Device("pond")
	s.Send(d, `{"oxygen": 80}`)
	var count streams
	p := page(t, count.before(t, s))
	must(t, p.SignIn(servertest.Owner, servertest.Password))
	must(t, p.Until(`document.querySelector('header').innerText.includes('live ·')`))
	const second = `window.open('', 'second').document`
	eval(t, p, `window.open('/', 'second')`)
	must(t, p.Until(second+`.querySelector('main')?.innerText.includes('80') && `+second+
		`.querySelector('header').innerText.includes('live ·')`))
	if open, _ := count.count(); open != 1 {
		t.Errorf("two tabs hold %d streams", open)
	}
	s.Send(d, `{"oxygen": 81}`)
	must(t, p.Until(second+`.querySelector('main').innerText.includes('81')`))
	_, before := count.count()
	must(t, p.Goto("/alarms")) // the tab that held the stream begins anew, behind the other
	must(t, p.Until(`document.querySelector('header')?.innerText.includes('live ·')`))
	s.Send(d, `{"oxygen": 82}`)
	must(t, p.Until(second+`.querySelector('main').innerText.includes('82')`))
	open, asked := count.count()
	if open != 1 || len(asked) == len(before) || !strings.HasPrefix(asked[len(before)], "since=") {
		t.Errorf("after a tab went %d streams are open, asked for with %q: not from the last commit on", open, asked)
	}
}

// Without the service the console opens with the last state and its age; signing out forgets that state.
func TestItOpensOffline(t *testing.T) {
	database := storetest.URL(t)
	s := servertest.On(t, database, "127.0.0.1:0")
	d := s.Device("pond")
	s.Send(d, `{"oxygen": 80}`)
	p := openWithWorker(t, s)
	must(t, p.Until(says+`('80')`))
	must(t, p.Until(`navigator.serviceWorker.controller`))
	must(t, p.Goto("/")) // under the worker's eyes
	must(t, p.Until(says+`('80')`))
	kept := `caches.open('%s').then((c) => c.keys()).then((all) => { window.keptOf = all.map((r) => new URL(r.url).pathname) }) && window.keptOf`
	must(t, p.Until(fmt.Sprintf(kept, "lark-shell")+
		`?.filter((f) => f.endsWith('.js')).length > 10 && window.keptOf.includes('/')`))
	must(t, p.Until(fmt.Sprintf(kept, "lark-state")+`?.includes('/api/v1/signals')`))
	s.Stop()
	must(t, p.Goto("/"))
	must(t, p.Until(says+`('Not live: what you see is') && `+says+`('80')`))
	must(t, p.Goto("/alarms")) // and so do the other places
	must(t, p.Until(says+`('Not live')`))
	again := servertest.On(t, database, strings.TrimPrefix(s.URL, "http://"))
	again.Send(d, `{"oxygen": 81}`)
	must(t, p.Goto("/"))
	must(t, p.Until(says+`('81') && !`+says+`('Not live')`))
	eval(t, p, `[...document.querySelectorAll('button')].find((b) => b.innerText === 'sign out').click()`)
	must(t, p.See("input[name=password]"))
	must(t, p.Until(`caches.has('lark-state').then((has) => { window.forgotten = !has }) && window.forgotten`))
	manifest, err := browser.Eval[string](p,
		`fetch('/site.webmanifest').then((r) => r.json()).then((m) => m.display + ' ' + m.icons.map((i) => i.sizes).join())`)
	must(t, err)
	if manifest != "standalone any,192x192,512x512" {
		t.Errorf("the manifest says %q", manifest)
	}
}

// From the keyboard alone: to a signal, an alarm taken, a drill begun.
func TestFindOrDo(t *testing.T) {
	s, p, d := glasshouse(t)
	putBoard(s, "warmth", tileOf{"kind": "value", "series": of("d/air")})
	s.Send(d, `{"air": 31}`)
	storetest.Eventually(t, "the alarm", func() bool { return len(s.Alarms()) == 1 })
	seek := func(words string) {
		t.Helper()
		must(t, p.Until(`!document.querySelector('[role=dialog]')`)) // the one before has closed
		must(t, p.Press("Control+k"))
		must(t, p.Type("[data-seek-field]", words))
	}
	must(t, p.Goto("/journal"))
	must(t, p.Until(`document.querySelector('h1')`))
	seek("d damp signal")
	must(t, p.Until(`document.querySelectorAll('[role=option]').length === 2`)) // and the journal
	audit(t, p, "find or do")
	must(t, p.Press("Enter"))
	must(t, p.Until(`location.pathname === '/signals/d/damp'`))
	seek("warmth")
	must(t, p.Press("Enter"))
	must(t, p.Until(`location.pathname === '/boards/warmth'`))
	seek("d air is above")
	must(t, p.Press("Enter")) // words go somewhere, and do nothing
	must(t, p.Until(`location.pathname.startsWith('/alarms/')`))
	if s.Alarms()[0].AcknowledgedAt != nil {
		t.Error("Enter on an alarm's words took it")
	}
	seek("i have it d air")
	must(t, p.Press("Enter"))
	storetest.Eventually(t, "somebody to have it", func() bool { return s.Alarms()[0].AcknowledgedAt != nil })
	must(t, p.Until(`!document.querySelector('[role=dialog]')`))
	seek("drill gas-high")
	must(t, p.Press("Enter"))
	must(t, p.Until(`document.querySelector('[data-asked]')?.innerText.includes('are told that it is a drill')`))
	audit(t, p, "a drill that asks")
	must(t, p.Press("Enter"))
	must(t, p.Until(`location.pathname.startsWith('/drills/')`))
	seek("no such thing at all")
	must(t, p.Until(`document.querySelector('[role=option]').innerText.includes('Journal: “no such thing at all”')`))
	must(t, p.Press("Escape"))
	must(t, p.Until(`!document.querySelector('[role=dialog]')`))
	complaints(t, p)
}

// An empty site leads from "add a device" to being told, step by step, and can be left.
func TestTheFirstSteps(t *testing.T) {
	s, p, _ := reaching(t)
	at := func(step string) { t.Helper(); must(t, p.Until(`document.querySelector('[data-guide="`+step+`"]')`)) }
	goOn := func() {
		t.Helper()
		eval(t, p, `document.querySelector('[data-guide] a').click()`)
	}
	at("1")
	accessible(t, p, "/", "[data-guide]")
	must(t, p.Look(1280, 800, false))
	goOn()
	must(t, p.Type("input[name=name]", "pond"))
	must(t, p.Press("Enter"))
	at("2")
	var key struct {
		Key string `json:"key"`
	}
	s.Do(api.RotateKey.At("pond"), map[string]any{}, &key)
	s.Send(&client.Client{URL: s.Owner.URL, Token: key.Key}, `{"oxygen": 80}`)
	at("3")
	goOn()
	must(t, p.Until(`location.pathname === '/guards/new'`))
	must(t, p.See("[data-number] input"))
	choose(t, p, "[data-number] input", "55")
	press(t, p, "Add guard")
	at("4")
	goOn()
	must(t, p.Until(`location.pathname === '/contacts/new'`))
	write(t, p, "Name", 0, "orla")
	write(t, p, "Address", 0, "orla@hollowbrook.example")
	press(t, p, "Save")
	at("5")
	goOn()
	must(t, p.Until(`location.pathname.startsWith('/guards/')`))
	press(t, p, "Tell me")
	press(t, p, "Save")
	at("6")
	eval(t, p, `[...document.querySelectorAll('main button')].find((b) => b.innerText.startsWith('Drill ')).click()`)
	at("done")
	storetest.Eventually(t, "the message", func() bool { return len(s.Inbox.Messages()) > 0 })
	press(t, p, "Good")
	must(t, p.Goto("/"))
	must(t, p.Until(says+`('Pond oxygen') && !document.querySelector('[data-guide]')`))
	complaints(t, p)
}

// People, the site, tariffs, kits and keys have their places.
func TestSetUp(t *testing.T) {
	s, p := visit(t)
	s.Device("d")
	accessible(t, p, "/set-up", "h1")
	must(t, p.Look(1280, 800, false))
	write(t, p, "Name", 0, "Hollowbrook")
	write(t, p, "Time zone", 0, "Europe/Dublin")
	write(t, p, "Holidays", 0, "2026-12-25 2026-12-26")
	press(t, p, "Save")
	storetest.Eventually(t, "the site", func() bool {
		var here site.Site
		s.Do(api.GetSite.At(), nil, &here)
		return here.Name == "Hollowbrook" && here.Zone == "Europe/Dublin" && len(here.Holidays) == 2
	})
	accessible(t, p, "/set-up/readers", "h1")
	write(t, p, "Name", 0, "spreadsheet")
	eval(t, p, `document.querySelector('main input[type=checkbox]').click()`)
	press(t, p, "Add, and make a key")
	must(t, p.Until(`document.querySelector('[data-reader-key]')?.innerText.length > 20`))
	must(t, p.See("[data-reader=spreadsheet]"))
	must(t, p.Look(1280, 800, false))
	var reader feed.Reader
	s.Do(api.GetReader.At("spreadsheet"), nil, &reader)
	if !slices.Equal(reader.Kinds, []string{feed.Readings}) || len(reader.Devices) != 0 || !reader.Keyed {
		t.Errorf("the reader is %+v", reader)
	}
	press(t, p, "Remove …")
	press(t, p, "Remove spreadsheet")
	must(t, p.Until(`!document.querySelector('[data-reader=spreadsheet]')`))

	accessible(t, p, "/set-up/people", "[data-person]")
	must(t, p.Look(1280, 800, false))
	write(t, p, "E-mail", 0, "tadhg@hollowbrook.example")
	write(t, p, "Name", 0, "Tadhg")
	press(t, p, "Add")
	must(t, p.Until(says+`('told this once')`))
	must(t, p.See("[data-person^=tadhg] select"))
	choose(t, p, `[data-person^=tadhg] select`, "viewer")
	role := func() site.Role {
		var people []site.Person
		s.Do(api.ListPeople.At(), nil, &people)
		return people[len(people)-1].Role
	}
	storetest.Eventually(t, "the role", func() bool { return role() == site.Viewer })
	press(t, p, "Remove Tadhg …")
	press(t, p, "Remove Tadhg")
	must(t, p.Until(`!document.querySelector('[data-person^=tadhg]')`))

	must(t, p.Goto("/set-up/tariffs"))
	press(t, p, "Add a tariff …")
	write(t, p, "Name", 0, "flat")
	write(t, p, "Valid from", 0, "2026-01-01")
	write(t, p, "Price of a kWh", 0, "dear")
	press(t, p, "Save")
	must(t, p.Until(`[...document.querySelectorAll('[slot=errorMessage]')].some((e) => e.innerText.includes('“dear” is no number'))`))
	write(t, p, "Price of a kWh", 0, "0.31")
	press(t, p, "Save")
	must(t, p.Until(`document.querySelector('[data-tariff=flat]')`))
	accessible(t, p, "/set-up/tariffs", "[data-tariff=flat]")
	must(t, p.Look(1280, 800, false))
	press(t, p, "Remove the tariff flat …")
	press(t, p, "Remove the tariff flat")
	must(t, p.Until(`!document.querySelector('[data-tariff=flat]')`))

	must(t, p.Goto("/devices/kits"))
	press(t, p, "Add a kit …")
	write(t, p, "Kit (JSON)", 0, `{"name": "probe", "signals": [`)
	press(t, p, "Save")
	must(t, p.Until(`document.querySelector('[role=alert]')?.innerText.includes('no JSON')`))
	write(t, p, "Kit (JSON)", 0, `{"name": "probe", "signals": [{"name": "level", "unit": "Cel"}]}`)
	press(t, p, "Save")
	must(t, p.Until(`location.pathname === '/devices/kits/probe'`))
	press(t, p, "Remove the kit probe …")
	press(t, p, "Remove the kit probe")
	must(t, p.Until(`location.pathname === '/devices/kits'`))
	complaints(t, p)
}

// On a phone what to do about an alarm is under the thumb, the places are along the foot, and a pull asks anew.
func TestOnAPhone(t *testing.T) {
	s, p, d := glasshouse(t)
	s.Send(d, `{"air": 31}`)
	storetest.Eventually(t, "the alarm", func() bool { return len(s.Alarms()) == 1 })
	must(t, p.Look(390, 760, true))
	must(t, p.Goto(fmt.Sprintf("/alarms/%d", s.Alarms()[0].ID)))
	must(t, p.Until(`[...document.querySelectorAll('main button')].some((b) => { const r = b.getBoundingClientRect()
		return b.innerText === 'I have it' && r.height >= 48 && r.width > 300 && r.top > innerHeight * 0.6 && r.bottom < innerHeight })`))
	must(t, p.Until(`(() => { const r = document.querySelector('nav').getBoundingClientRect(); return Math.abs(r.bottom - innerHeight) < 2 && r.height < 80 })()`))
	eval(t, p, `[...document.querySelectorAll('nav button')].find((b) => b.innerText === 'More').click()`)
	must(t, p.Until(`[...document.querySelectorAll('nav a')].some((a) => a.innerText === 'Set-up' && a.getBoundingClientRect().height >= 24)`))
	must(t, p.Goto("/"))
	must(t, p.Until(says+`('One thing is wrong.')`))
	asked := `performance.getEntriesByType('resource').filter((e) => e.name.endsWith('/api/v1/guards')).length`
	before, err := browser.Eval[int](p, asked)
	must(t, err)
	must(t, p.Pull(200))
	must(t, p.Until(fmt.Sprintf("%s > %d", asked, before)))
	time.Sleep(100 * time.Millisecond)
	complaints(t, p)
}
